#pragma once
#include <unsupported/Eigen/BVH>

#include <Eigen/Geometry>

#include "archway/elements/obstacle.hpp"

namespace archway::elements {

/// Triangles of a surface with the normals of their faces, edges and corners (weighted by angles,
/// [BaerentzenAanaes2005]: they report the side of a place whatever feature of the surface is nearest).
class FacetTree {
 public:
  explicit FacetTree(const std::vector<std::array<Vec3, 3>>& facets);
  Distance distance(const Vec3& place) const;

 private:
  /// Place of a triangle nearest to another place, and on what it lies: 0 to 2 a corner, 3 to 5 an edge (from corner
  /// 0 to 2 to the next), 6 the face.
  struct Nearest {
    Vec3 place;
    int feature = 6;
  };
  static Nearest nearest(const std::array<Vec3, 3>& corners, const Vec3& place);
  struct Search;

  std::vector<std::array<Vec3, 3>> facets_;
  std::vector<std::array<Vec3, 7>> normals_;  ///< of the features of each
  Eigen::KdBVH<double, 3, int> tree_;
  double size_ = 0;
};

}  // namespace archway::elements
