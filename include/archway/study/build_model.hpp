#pragma once
#include "archway/study/spec.hpp"
#include "archway/theory/section.hpp"

namespace archway::study {

/// Name of what holds a frame in its plane (no support of a study can be called so).
inline constexpr const char* kPlaneSupport = "(plane)";

/// Properties of the section of a profile. \param dimensions  of it, or between those of two for a taper
theory::SectionProperties section_of(const ProfileSpec& profile, const std::map<std::string, double>& dimensions);
model::Profile to_profile(const std::string& name, const theory::SectionProperties& properties);

/// Mesh, supports, loads and combinations of a study.
/// \throws base::InputError with all complaints: empty selections, loads on nothing, forces on several nodes that do
/// not
///         say whether they are a total, impossible dimensions, and what model::check_mesh finds
model::Model build_model(const StudySpec& spec);
/// The same with those supports, couplings and bonds alone that are there `when`; nodes and elements are the same.
model::Model build_model(const StudySpec& spec, const During& when);

/// Nodes, elements, groups and supports of a study that is not finished: what cannot be made is omitted, and why goes
/// to `wrong`. To look at, not to solve. \throws base::InputError when the study is too large to be made
model::Model build_what_stands(const StudySpec& spec, std::vector<base::Complaint>& wrong);

/// Whether each support, then each coupling, then each bond of a study is there in a time that has these names.
std::vector<bool> what_is_there(const StudySpec& spec, const During& when);

/// What is recorded, in the order of spec.watches. \throws base::InputError when a point is not exactly one node, or
/// there is no such support or part
std::vector<analysis::WatchPoint> watch_points(const StudySpec& spec, const model::Model& model);

}  // namespace archway::study
