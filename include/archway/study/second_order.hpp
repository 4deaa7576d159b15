#pragma once
#include <string>
#include <vector>

#include "archway/study/outcome.hpp"

namespace archway::study {

/// Members that the modes of a buckling analysis press: lengths_by_mode, and lengths with the curves of EN 1993-1-1,
/// 6.3.1.2, that the study chooses.
void read_pressed_members(const StudySpec& spec, const model::Model& model, AnalysisOutcome& outcome);

/// Amplification of the members in compression of a path with nothing held, at the increment nearest to load factor 1
/// before it loses stability, where a buckling analysis of the same loads on the same structure is before it. \param
/// before  outcomes of the study so far \param system  of the path's geometry
std::vector<SecondOrder> second_order(const std::vector<AnalysisOutcome>& before, const AnalysisOutcome& path,
                                      const analysis::System& system);

}  // namespace archway::study
