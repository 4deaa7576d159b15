#pragma once
#include "archway/elements/surface_contact.hpp"

namespace archway::elements {

/// A point of integration on a following face, and the face that lies opposite to it.
struct SurfaceContact::Point {
  int face = -1, leader = -1;
  double r = 0, s = 0;        ///< on the face
  double weight = 0;          ///< area
  double at_r = 0, at_s = 0;  ///< on the leader, where the closest point was
  static Point read(const double* m) {
    return {static_cast<int>(m[0]), static_cast<int>(m[1]), m[2], m[3], m[4], m[5], m[6]};
  }
  void write(std::vector<double>& list) const {
    list.insert(list.end(), {static_cast<double>(face), static_cast<double>(leader), r, s, weight, at_r, at_s});
  }
};

namespace detail {
/// Closest point of a surface of 3, 4, 8 or 9 nodes, also beyond its edges, and the distance from it along its normal.
struct ClosestPoint {
  double r = 0, s = 0;
  double distance = 0;
  Vec3 normal = Vec3::UnitZ();
  Eigen::Matrix<double, 3, 2> tangents;
  Eigen::Matrix2d curvature;  ///< second derivatives of the surface along the normal
  std::array<double, 9> n{}, dr{}, ds{};
};
/// \param nodes  positions \param r, s of `found`: where to begin \return false: not found
bool closest_point(const std::array<Vec3, 9>& nodes, int count, const Vec3& place, ClosestPoint& found);

/// The common part of two convex polygons, both once around in the same sense ([SutherlandHodgman1974]).
std::vector<Eigen::Vector2d> clipped(std::vector<Eigen::Vector2d> polygon, const std::vector<Eigen::Vector2d>& by);
}  // namespace detail

}  // namespace archway::elements
