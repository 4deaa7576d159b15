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

  static State reference(const model::Model& model);
  /// Adds a step: translations are added, spins (about global axes) are applied from the left.
  /// \param step  kNodeFreedoms values a node: x y z rx ry rz warp
  void advance(const Eigen::VectorXd& step);
  /// Movement since the reference: translations and rotation vectors, kNodeFreedoms values a node.
  Eigen::VectorXd movement(const model::Model& model) const;
};

}  // namespace archway::elements
