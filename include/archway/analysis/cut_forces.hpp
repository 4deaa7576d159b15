#pragma once
#include <set>

#include "archway/analysis/element_forces.hpp"
#include "archway/analysis/vocabulary.hpp"

namespace archway::analysis {

/// A plane through a structure, or through some of its parts.
struct CutPlane {
  Vec3 point = Vec3::Zero(), normal = Vec3::UnitX();
  std::set<int> parts;  ///< empty: all
};

/// What passes through a cut.
struct CutForces {
  /// What the side that the normal points to exerts on the other; moment about `about`.
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero(), about = Vec3::Zero();
  int behind = 0, ahead = 0;  ///< elements on the two sides
  std::vector<int> nodes;     ///< where the two sides meet: the mesh lines nearest to the plane
};

/// Forces through a cut, from the forces that elements with their middle ahead of the plane exert on the nodes that
/// they share with those behind it: in balance with everything that acts ahead, whatever the mesh. Couplings and bonds
/// that join the two sides count, springs and fasteners where no parts are named. Loads and reactions between the plane
/// and the mesh lines nearest to it belong to the side that their nodes lie on.
/// \param linear  full displacement of linear theory from the reference; nullptr: the state as it is
/// \param memory  of the state; nullptr: virgin
/// \throws base::InputError when all elements lie on one side
CutForces cut_forces(const System& system, const State& state, const Eigen::VectorXd* linear,
                     const elements::Memory* memory, const CutPlane& plane, const Vec3& about);

}  // namespace archway::analysis
