#pragma once
#include "archway/study/outcome.hpp"

namespace archway::study {

/// Two a part whose laminate has strengths, under the forces of an analysis; load_factor = 1 / use.
std::vector<PlyFailure> ply_failures(const StudySpec& spec, const analysis::System& system,
                                     const analysis::ElementForces& forces);
/// The same on a path whose states are kept: the largest use of all increments, and where it first passes 1.
/// \param growing, held  of the path
std::vector<PlyFailure> ply_failures(const StudySpec& spec, const analysis::System& system,
                                     const analysis::PathResult& path);

}  // namespace archway::study
