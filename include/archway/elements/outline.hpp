#pragma once
#include "archway/elements/state.hpp"

namespace archway::elements {

/// What of a structure is seen to move: its nodes, and the corners of the sections of its members, as these twist. A
/// member that twists moves its corners while its axis stays, so the size of a displacement goes by this; what bending
/// does to the corners is not counted, so that a bow has the size that its axis shows.
class Outline {
 public:
  explicit Outline(const model::Model& model);
  struct Corner {
    Vec3 arm, along;  ///< from the node, and the direction of the member, in the unloaded state
  };
  /// Corners of the sections of the members through a node; none: no member there.
  const std::vector<Corner>& corners(int node) const;
  /// Largest displacement of the node and of the corners there in a small displacement. \param full  kNodeFreedoms a
  /// node
  double displacement(const Eigen::VectorXd& full, int node) const;
  /// The same, of all nodes.
  double largest(const Eigen::VectorXd& full) const;
  /// Displacements of the node and of its corners there, one after the other: what two shapes are compared by. A corner
  /// counts as its share of one node.
  /// \param moved  translation and rotation of the node
  void append(const Eigen::Matrix<double, 6, 1>& moved, int node, std::vector<double>& values) const;

 private:
  static Vec3 displacement_of(const Corner& corner, const Vec3& move, const Vec3& rotation) {
    return move + corner.along.dot(rotation) * corner.along.cross(corner.arm);
  }
  std::vector<int> of_node_;  // place in corners_, or -1
  std::vector<std::vector<Corner>> corners_;
  std::vector<Corner> none_;
};

/// All corners of a profile's drawing about its centroid (y, z), or those of a rectangle with its outermost fibres (or
/// its radii of gyration) where there is none.
std::vector<std::pair<double, double>> corners_of(const model::Profile& profile);
/// Those of them that reach furthest in eight directions.
std::vector<std::pair<double, double>> extreme_corners(const model::Profile& profile);

}  // namespace archway::elements
