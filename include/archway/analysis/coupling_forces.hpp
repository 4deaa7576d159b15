#pragma once
#include "archway/analysis/vocabulary.hpp"
#include "archway/elements/batch.hpp"

namespace archway::analysis {

/// What a coupling or bond carries: sums over its nodes, in the state as it is.
struct CouplingForce {
  std::string name;
  /// On the nodes it couples, by what they follow: the point (rigid, spread), the leading node or point (alike), the
  /// other side (bond).
  Vec3 force = Vec3::Zero();
  Vec3 moment = Vec3::Zero();  ///< the same about `about`, moments at the nodes among it
  Vec3 about = Vec3::Zero();   ///< where the one node is that all follow; of several the mean place of what follows
};

/// Forces of ties that have a name, in the order of the names. A coupling holds its followers in equilibrium: it gives
/// what their elements pull less what acts on them.
/// \param factors  of the actions \param state  with its temperatures in it \param memory  see Geometry::trial
/// \param source  where stresses come from: the state as it is, or linear theory
std::vector<CouplingForce> coupling_forces(const System& system, const std::vector<double>& factors, const State& state,
                                           const elements::Memory* memory, const elements::StressSource& source = {});

}  // namespace archway::analysis
