#pragma once
#include "archway/study/outcome.hpp"

namespace archway::study {

/// Matches modes by MAC. The models may have other meshes: displacements are compared at the nodes of the
/// first, taken from the nearest nodes of the second. Modes of the second within 0.1 % of each other stand together: a
/// pair of equal modes may come out rotated, so each is measured against the space of both.
/// \return one a mode of `modes`
std::vector<ModeMatch> match_modes(const model::Model& model, const std::vector<analysis::Mode>& modes,
                                   const model::Model& other_model, const std::vector<analysis::Mode>& others);

/// Load factors for elements without end from those of two meshes: f2 + (f2 - f1) / (refine^order - 1), with the order
/// of the elements that hold most of the mode's energy.
std::vector<double> extrapolated(const model::Model& model, const std::vector<analysis::ModeReading>& readings,
                                 const SecondMesh& second);

/// Every buckling analysis beside the one it was copied from, or the first.
std::vector<ShapeComparison> compare_shapes(const StudyResult& result);

}  // namespace archway::study
