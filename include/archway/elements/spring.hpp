#pragma once
#include <Eigen/Geometry>

#include "archway/elements/batch.hpp"

namespace archway::elements {

/// Spring or fastener with six stiffnesses in axes of its own, between two nodes or between a node and the ground.
/// Energy: half of sum k e^2 with three displacements (of the second node from the first, in axes rotated by the mean
/// of the two rotations, less the distance in the reference) and the three components of the rotation vector of the
/// second node against the first, in the same axes. Invariant under rigid motion of any size; the moments that go with
/// a force across a distance are in, unless SpringElement::as_if_in_one_place says otherwise. A ground spring has fixed
/// axes. Rotations count up to 180 degrees either way. A stiffness may be a curve, followed on paths; linear analyses
/// take its slope at the origin.
class SpringBatch final : public Batch {
 public:
  explicit SpringBatch(const model::Model& model);
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return 2; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  int expands(int element) const override { return parts_ + element; }
  material::Energy energy(const Trial& trial, int element) const override;
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;
  std::size_t memory_size() const override { return memory_size_; }
  void start_memory(double* block) const override;
  using Vec6 = Eigen::Matrix<double, 6, 1>;
  /// Forces along and moments about the axes, tension positive. \param linear see StressSource::linear
  Vec6 forces(const Trial& trial, int element, const Eigen::VectorXd* linear) const;
  bool uses(int element, int dof) const override;
  /// Stiffness of an axis just off the unloaded state: where its strain is below zero, and above. Both are the
  /// stiffness where no curve is given, or where it is as steep on both sides.
  struct Sides {
    double below = 0, above = 0;
  };
  Sides sides_at_rest(int element, int axis) const;
  /// Derivative of the strain of an axis by translations and spins of both nodes (6 each; a ground spring: the second).
  Eigen::Matrix<double, 12, 1> strain_gradient(int element, int axis, const State& state) const;

  struct Data {
    std::array<int, 2> nodes{};  // a ground spring names its node twice
    bool grounded = false;
    Vec6 stiffness = Vec6::Zero();
    Mat3 axes;
    Vec3 distance = Vec3::Zero();  // second from first in the reference, in the axes
    Vec3 anchor = Vec3::Zero();    // of a ground spring
    bool fixed_axes = false;       // between nodes that lie apart, without the effect of the distance
    std::array<std::shared_ptr<const material::Law<1>>, 6> laws;  // of curves; nullptr: linear
    std::size_t memory = 0, memory_size = 0;                      // of its curves, one after the other
  };

 private:
  std::size_t memory_size_ = 0;
  int parts_ = 0;  // of the model
  std::vector<Data> data_;
};

}  // namespace archway::elements
