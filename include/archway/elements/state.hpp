#pragma once
#include <vector>

#include "archway/model/model.hpp"

namespace archway::elements {

using base::Mat3;
using base::Vec3;

/// Where every node is and how it has turned since the reference state. Rotations are finite and kept as unit
/// quaternions, updated multiplicatively.
struct State {
  std::vector<Vec3> position;
  std::vector<Eigen::Quaterniond> rotation;
  std::vector<double> warp;  ///< amplitude of warping, 0 in the reference state
  /// Strain, the same in all directions, at which each part is free of stress (temperature times expansion); empty:
  /// none anywhere. Stresses are those of what is left after it is taken off.
  std::vector<double> expansion;
  double free_strain(int part) const { return expansion.empty() ? 0.0 : expansion[static_cast<std::size_t>(part)]; }

  static State reference(const model::Model& model);
  /// Adds a step: translations are added, spins (about global axes) are applied from the left.
  /// \param step  kNodeFreedoms values a node: x y z rx ry rz warp
  void advance(const Eigen::VectorXd& step);
  /// Movement since the reference: translations and rotation vectors, kNodeFreedoms values a node.
  Eigen::VectorXd movement(const model::Model& model) const;
};

}  // namespace archway::elements
