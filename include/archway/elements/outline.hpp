#pragma once
#include "archway/elements/state.hpp"

namespace archway::elements {

/// What of a structure is seen to move: its nodes, and the corners of the sections of its members, which turn with the
/// nodes. A member that twists moves its corners while its axis stays, so the size of a movement goes by this.
class Outline {
 public:
  explicit Outline(const model::Model& model);
  /// From a node to the corners of the sections of the members through it, in the unloaded state; none: no member
  /// there.
  const std::vector<Vec3>& arms(int node) const;
  /// Largest movement of the node and of the corners there in a small displacement. \param full  kNodeFreedoms a node
  double movement(const Eigen::VectorXd& full, int node) const;
  /// The same, of all nodes.
  double largest(const Eigen::VectorXd& full) const;
  /// Movements of the node and of its corners there, one after the other: what two shapes are compared by. A corner
  /// counts as its share of one node.
  /// \param moved  translation and turn of the node
  void append(const Eigen::Matrix<double, 6, 1>& moved, int node, std::vector<double>& values) const;

 private:
  std::vector<int> of_node_;  // place in arms_, or -1
  std::vector<std::vector<Vec3>> arms_;
  std::vector<Vec3> none_;
};

/// The corners of a profile that reach furthest, about its centroid (y, z): those of the drawing, or of a rectangle
/// with its outermost fibres (or its radii of gyration) where there is none.
std::vector<std::pair<double, double>> extreme_corners(const model::Profile& profile);

}  // namespace archway::elements
