#pragma once
#include "archway/analysis/linear_static.hpp"
#include "archway/analysis/reactions.hpp"

namespace archway::analysis {

/// Stresses of a shell at its two faces and in the middle, global axes. top: the side the normal points to.
struct LayerStress {
  Stress top = Stress::Zero(), middle = Stress::Zero(), bottom = Stress::Zero();
};

/// Mean of the stresses of the elements of one part that meet smoothly at a node.
struct NodalStress {
  int node = -1, part = -1, elements = 0;
  LayerStress stress;  ///< all three alike for solids
  /// Largest equivalent stress among the elements less the smallest: how far the mesh is from being fine enough.
  double spread = 0;
};

struct RecoveredStress {
  std::vector<LayerStress> shells;          ///< one a shell element, at its middle, not averaged
  std::vector<std::vector<Stress>> solids;  ///< one a solid element, at its eight corners, not averaged
  std::vector<NodalStress> nodes;           ///< averaged; a node of several parts or on a fold has several
};

/// Stresses in global axes from those of a linear analysis. Averages are weighted by area (shells) or equally (solids);
/// elements of other parts, or of one part whose normals differ by 20 degrees or more, are kept apart.
RecoveredStress recover_stresses(const System& system, const LinearStaticResult& result);

}  // namespace archway::analysis
