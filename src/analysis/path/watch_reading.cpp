#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "newton/equilibrium_detail.hpp"

/// What watches read that are functions of the displacements of single nodes, and the derivatives by which they lead.
namespace archway::analysis::detail {

using Eigen::VectorXd;

namespace {
/// The rotation vector of a rotation that lies nearest to one of before: angles are counted on beyond half a
/// revolution.
Vec3 continued(const Vec3& principal, const Vec3& before) {
  constexpr double kRotation = 2 * M_PI, kNone = 1e-6;
  if (before.isZero(0.0)) return principal;
  const bool is_full_rotation = principal.norm() < kNone;  // its axis is that of before
  const Vec3 axis = is_full_rotation ? before.normalized() : principal.normalized();
  const double angle = principal.dot(axis);
  return (angle + kRotation * std::round((before.dot(axis) - angle) / kRotation)) * axis;
}
}  // namespace

Vec3 rotation_at(const Point& point, int node) {
  const Vec3 principal = base::rotation_vector(point.state.rotation[base::at(node)]);
  const auto before = point.rotated.find(node);
  return before == point.rotated.end() ? principal : continued(principal, before->second);
}

VectorXd Equilibrium::gradient(const WatchPoint& watch, const Point& point) const {
  constexpr double kNearRotation = 5.5;  // radians; the inverse of the tangent of the exponential has a pole at 2 pi
  VectorXd g = VectorXd::Zero(system_.full_size());
  const Vec3 direction = watch.direction.normalized();
  if (watch.kind == WatchPoint::Kind::rotation) {
    const Vec3 rotation = rotation_at(point, watch.node);
    const double angle = rotation.norm();
    Vec3 spin = direction;
    if (angle > 0 && angle < kNearRotation) {  // d(rotation vector) = T^-1 d(spin), exponential map
      const Vec3 axis = rotation / angle, along = axis.dot(direction) * axis;
      const double half = 0.5 * angle / std::tan(0.5 * angle);
      spin = along + half * (direction - along) + 0.5 * rotation.cross(direction);
    }
    g.segment<3>(model::row(watch.node) + 3) = spin;
    return g;
  }
  const bool is_distance = watch.kind == WatchPoint::Kind::distance;
  const auto& x = point.state.position;
  const Vec3 way = is_distance ? Vec3((x[base::at(watch.other)] - x[base::at(watch.node)]).normalized()) : direction;
  g.segment<3>(model::row(watch.node)) = way;
  if (watch.other >= 0) g.segment<3>(model::row(watch.other)) -= way;
  return g;
}

double Equilibrium::reading(const WatchPoint& watch, const Point& point) const {
  if (watch.kind == WatchPoint::Kind::rotation) return rotation_at(point, watch.node).dot(watch.direction.normalized());
  const auto& x = point.state.position;
  const auto& nodes = system_.model().nodes;
  if (watch.kind == WatchPoint::Kind::distance)
    return (nodes[base::at(watch.node)] - nodes[base::at(watch.other)]).norm() -
           (x[base::at(watch.node)] - x[base::at(watch.other)]).norm();
  const auto moved = [&](int n) { return Vec3(x[base::at(n)] - nodes[base::at(n)]); };
  const Vec3 way = watch.other >= 0 ? Vec3(moved(watch.node) - moved(watch.other)) : moved(watch.node);
  return way.dot(watch.direction.normalized());
}

}  // namespace archway::analysis::detail
