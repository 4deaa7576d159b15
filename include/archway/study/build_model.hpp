#pragma once
#include "archway/study/spec.hpp"
#include "archway/theory/section.hpp"

namespace archway::study {

model::Profile to_profile(const std::string& name, const theory::SectionProperties& properties);

/// Mesh, supports, loads and combinations of a study.
/// \throws base::InputError with all complaints: empty selections, loads on nothing, forces on several nodes that do
/// not
///         say whether they are a total, impossible dimensions, and what model::check_mesh finds
model::Model build_model(const StudySpec& spec);

/// Nodes of the watch points, in the order of spec.watches. \throws base::InputError when one is not exactly one node
std::vector<int> watch_nodes(const StudySpec& spec, const model::Model& model);

}  // namespace archway::study
