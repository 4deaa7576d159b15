#pragma once
#include <vector>

#include "archway/model/model.hpp"

namespace archway::elements {

using base::Mat3;
using base::Vec3;

/// What the points of all batches remember: one contiguous block a batch.
using Memory = std::vector<std::vector<double>>;

/// Where every node is and how it has rotated since the reference state. Rotations are finite and kept as unit
/// quaternions, updated multiplicatively.
struct State {
  std::vector<Vec3> position;
  std::vector<Eigen::Quaterniond> rotation;
  std::vector<double> warp;  ///< amplitude of warping, 0 in the reference state
  /// Strain, the same in all directions, at which each part is free of stress (temperature times expansion); empty:
  /// none anywhere. Stresses are those of what is left after it is taken off. Behind the parts are the lengths by
  /// which springs are too long along their axis 1, where any are.
  std::vector<double> expansion;
  /// What rounding has omitted of each position: what far from the origin rigid parts are still reported apart by.
  std::vector<Vec3> remainder;
  /// A last correction (a step, see advance) that positions and rotations have no digits for, but that changes the
  /// forces of stiff parts; empty: none. Forces of the state are those after it, to first order: section forces hold
  /// its strains.
  Eigen::VectorXd correction;
  /// Nodal forces that the correction adds, brought to leaders: tangent times correction, from when the state was taken
  /// over. Points that flowed have another tangent once that is remembered, and the force must not change by it. Empty:
  /// not taken over yet.
  Eigen::VectorXd correction_force;
  /// From one node to another, with what rounding has omitted.
  Vec3 between(int from, int to) const {
    const auto a = static_cast<std::size_t>(from), b = static_cast<std::size_t>(to);
    return (position[b] - position[a]) + (remainder[b] - remainder[a]);
  }
  double free_strain(int part) const {
    const auto place = static_cast<std::size_t>(part);
    return place < expansion.size() ? expansion[place] : 0.0;
  }
  /// Puts a node somewhere; nothing is omitted.
  void put(std::size_t node, const Vec3& at) { position[node] = at, remainder[node].setZero(); }
  /// Puts a node where it lies from another; what rounding omits is kept.
  void put_from(std::size_t leader, std::size_t node, const Vec3& arm);
  /// Puts one coordinate of a node at a + b + rest, the rest being small; what rounding omits is kept.
  void put_sum(std::size_t node, int axis, double a, double b, double rest);

  static State reference(const model::Model& model);
  /// Adds a step: translations are added, spins (about global axes) are applied from the left. A correction that was
  /// kept beside the state is dropped.
  /// \param step  kNodeFreedoms values a node: x y z rx ry rz warp
  void advance(const Eigen::VectorXd& step);
  /// Displacement since the reference: translations and rotation vectors, kNodeFreedoms values a node.
  Eigen::VectorXd displacement(const model::Model& model) const;
};

}  // namespace archway::elements
