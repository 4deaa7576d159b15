#include "archway/base/rotation.hpp"

#include <cmath>

namespace archway::base {

Mat3 skew(const Vec3& a) {
  Mat3 s;
  s << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
  return s;
}

Eigen::Quaterniond exponential(const Vec3& spin) {
  const double angle = spin.norm();
  // below 1e-4 the series of sin(a/2)/a is exact to the last digit
  const double factor = angle < 1e-4 ? 0.5 - angle * angle / 48.0 : std::sin(0.5 * angle) / angle;
  Eigen::Quaterniond q(std::cos(0.5 * angle), factor * spin.x(), factor * spin.y(), factor * spin.z());
  q.normalize();
  return q;
}

Vec3 rotation_vector(const Eigen::Quaterniond& rotation) {
  const double sign = rotation.w() < 0 ? -1.0 : 1.0;
  const Vec3 v = sign * rotation.vec();
  const double sine = v.norm();
  if (sine < 1e-12) return 2.0 * v;
  return v * (2.0 * std::atan2(sine, sign * rotation.w()) / sine);
}

Eigen::Quaterniond rotation_between(const Vec3& from, const Vec3& to) {
  const Vec3 a = from.normalized(), b = to.normalized();
  const double cosine = a.dot(b);
  // half a revolution leaves the axis open: any direction at right angles to `from` will do
  if (cosine < -1 + 1e-12) return Eigen::Quaterniond(Eigen::AngleAxisd(M_PI, a.unitOrthogonal()));
  const double s = std::sqrt(2 * (1 + cosine));
  const Vec3 axis = a.cross(b) * (1 / s);
  return Eigen::Quaterniond(0.5 * s, axis.x(), axis.y(), axis.z());
}

bool runs_along(const Vec3& along, const Vec3& up) {
  return !(along.cross(up).norm() > kRunsAlong * along.norm() * up.norm());
}

Vec3 leaning(const Vec3& along, const Vec3& up) {
  constexpr double near_x = 0.9063;  // cosine of 25 degrees
  if (!runs_along(along, up)) return up;
  return std::abs(along.x()) < near_x * along.norm() ? Vec3::UnitX() : Vec3::UnitY();
}

Mat3 axes_from(const Vec3& along, const Vec3& up) {
  const Vec3 e1 = along.normalized();
  const Vec3 e2 = leaning(along, up).cross(e1).normalized();
  Mat3 axes;
  axes << e1, e2, e1.cross(e2);
  return axes;
}

}  // namespace archway::base
