#pragma once
#include "archway/analysis/linear_static.hpp"

namespace archway::analysis {

/// Stress in global axes: s11 s22 s33 s12 s23 s13.
using Stress = elements::SolidStress;

/// Principal stresses, the largest (most tension) first.
std::array<double, 3> principal_stresses(const Stress& stress);

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

/// What a support, or a spring to the ground, gives to the structure: sums over its nodes. A node held by several
/// supports gives to each what it holds.
struct SupportReaction {
  std::string name;
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero();  ///< moment: sum of the moments at the nodes, not about a point
  int nodes = 0;
};
/// \param reactions  full, at held freedoms \param spring_forces  one a spring of the model
std::vector<SupportReaction> reactions_by_support(const model::Model& model, const Eigen::VectorXd& reactions,
                                                  const std::vector<std::array<double, 6>>& spring_forces);

}  // namespace archway::analysis
