#include <cmath>

#include "archway/base/index.hpp"
#include "contact/surface_contact_detail.hpp"

/// How far what may touch lies apart, and how that changes.
namespace archway::elements {

using base::at;
using Eigen::MatrixXd;

namespace detail {
namespace {
constexpr int kMostSteps = 40;

/// Second derivatives of a surface along a direction, by the differences of its slopes (exact: they are no more than
/// quadratic in each coordinate).
Eigen::Matrix2d curvature_of(const std::array<Vec3, 9>& nodes, int count, double r, double s, const Vec3& normal) {
  Eigen::Matrix2d b = Eigen::Matrix2d::Zero();
  if (count == 3) return b;
  constexpr double h = 0.5;
  const auto right = base::surface_shape(count, r + h, s), left = base::surface_shape(count, r - h, s),
             up = base::surface_shape(count, r, s + h), down = base::surface_shape(count, r, s - h);
  for (std::size_t k = 0; k < at(count); ++k) {
    const double x = normal.dot(nodes[k]);
    b(0, 0) += x * (right.dr[k] - left.dr[k]);
    b(1, 1) += x * (up.ds[k] - down.ds[k]);
    b(0, 1) += x * (up.dr[k] - down.dr[k]);
  }
  b(1, 0) = b(0, 1);
  return b / (2 * h);
}
}  // namespace

bool closest_point(const std::array<Vec3, 9>& where, int count, const Vec3& wanted, ClosestPoint& c) {
  // from a node of its own: far from the origin places have no digits left for so small steps
  std::array<Vec3, 9> nodes;
  for (std::size_t k = 0; k < at(count); ++k) nodes[k] = where[k] - where[0];
  const Vec3 place = wanted - where[0];
  for (int step = 0; step < kMostSteps; ++step) {
    const auto f = base::surface_shape(count, c.r, c.s);
    Vec3 x = Vec3::Zero();
    c.tangents.setZero();
    for (std::size_t k = 0; k < at(count); ++k) {
      x += f.n[k] * nodes[k];
      c.tangents.col(0) += f.dr[k] * nodes[k];
      c.tangents.col(1) += f.ds[k] * nodes[k];
    }
    const Vec3 across = c.tangents.col(0).cross(c.tangents.col(1));
    if (!(across.norm() > 0)) return false;
    c.normal = across.normalized();
    const Vec3 way = place - x;
    c.distance = c.normal.dot(way);
    c.n = f.n, c.dr = f.dr, c.ds = f.ds;
    c.curvature = curvature_of(nodes, count, c.r, c.s, c.normal);
    const Eigen::Matrix2d metric = c.tangents.transpose() * c.tangents;
    const Eigen::Matrix2d slope = metric - c.distance * c.curvature;
    const Eigen::Vector2d gap = c.tangents.transpose() * way;
    const Eigen::Vector2d d = slope.determinant() > 0.1 * metric.determinant()
                                  ? Eigen::Vector2d(slope.inverse() * gap)
                                  : Eigen::Vector2d(metric.inverse() * gap);
    if (!d.allFinite() || !(std::hypot(c.r, c.s) < 20)) return false;
    if (d.norm() < 1e-12) return true;
    c.r += d[0], c.s += d[1];
  }
  return false;
}

base::SurfaceShape shape_on(int count, double r, double s) {
  if (count > 2) return base::surface_shape(count, r, s);
  base::SurfaceShape f;
  f.n = {1 - r, r};
  f.dr = {-1, 1};
  return f;
}

std::array<Vec3, 9> positions(const State& state, const model::ContactFace& face) {
  std::array<Vec3, 9> x;
  for (std::size_t k = 0; k < at(face.count); ++k) x[k] = state.position[at(face.nodes[k])];
  return x;
}

double fading(double value, double whole, double none) {
  const double x = std::clamp((value - whole) / (none - whole), 0.0, 1.0);
  return 1 - x * x * (3 - 2 * x);
}
}  // namespace detail

namespace {
/// Second variation of the distance from a surface as its closest point moves along ([Wriggers2006] 4.2).
MatrixXd bend_of(const detail::ClosestPoint& c, const std::array<double, 9>& follower, int own, int other) {
  const Eigen::Index size = 3 * (own + other);
  Eigen::Matrix<double, Eigen::Dynamic, 2> t(size, 2), q(size, 2);
  q.setZero();
  for (int a = 0; a < 2; ++a) {
    const auto& slope = a == 0 ? c.dr : c.ds;
    for (int i = 0; i < own; ++i) t.block<3, 1>(3 * i, a) = follower[at(i)] * c.tangents.col(a);
    for (int b = 0; b < other; ++b) {
      t.block<3, 1>(3 * (own + b), a) = -c.n[at(b)] * c.tangents.col(a);
      q.block<3, 1>(3 * (own + b), a) = slope[at(b)] * c.normal;
    }
  }
  const Eigen::Matrix2d metric = c.tangents.transpose() * c.tangents, inverse = metric.inverse();
  const Eigen::Matrix2d slope = (metric - c.distance * c.curvature).inverse();
  const Eigen::Matrix<double, Eigen::Dynamic, 2> moves = (t + c.distance * q) * slope;
  const MatrixXd h = -t * inverse * (q + moves * c.curvature).transpose() - q * moves.transpose();
  return 0.5 * (h + h.transpose());
}
}  // namespace

bool SurfaceContact::distance(const State& state, const Point& p, bool bends, Distance& d) const {
  const auto &face = faces_[at(p.face)].own, &leader = faces_[at(p.leader)].own;
  if (leader.is_line()) return distance_of_lines(state, p, bends, d);
  const auto f = detail::shape_on(face.count, p.r, p.s);
  d.place.setZero();
  for (std::size_t i = 0; i < at(face.count); ++i) d.place += f.n[i] * state.position[at(face.nodes[i])];
  detail::ClosestPoint c;
  c.r = p.at_r, c.s = p.at_s;
  if (!detail::closest_point(detail::positions(state, leader), leader.count, d.place, c)) return false;
  d.value = c.distance - p.reach;
  d.normal = c.normal;
  for (std::size_t i = 0; i < at(face.count); ++i) d.share[i] = f.n[i];
  for (std::size_t b = 0; b < at(leader.count); ++b) d.share[at(face.count) + b] = -c.n[b];
  const auto corner = detail::shape_on(face.corners(), p.r, p.s);
  for (std::size_t k = 0; k < 4; ++k) d.corner[k] = k < at(face.corners()) ? corner.n[k] : 0;
  if (bends) d.bend = bend_of(c, f.n, face.count, leader.count);
  return true;
}

namespace {
/// Two lines, x = x0 + r a and z = z0 + s b, and the way y = x - z from the second to the first.
struct Way {
  Vec3 a, b, y;
  double r, s;
  std::array<double, 4> share() const { return {1 - r, r, s - 1, -s}; }
};

constexpr double kLeaderMoves = 0, kFollowerMoves = 2, kNoneMoves = 3;  // of the two places, see SurfaceContact::Point

/// Second variation of |y| at its least over s, or r, or both where the lines cross: that of y.y / 2, less what comes
/// of the places moving along, over |y|.
MatrixXd bend_of(const Way& way, double moves, const Vec3& normal, double value) {
  const auto share = way.share();
  Eigen::Matrix<double, 12, 3> to;  // dy / dq
  for (Eigen::Index n = 0; n < 4; ++n)
    to.block<3, 3>(3 * n, 0) = share[at(static_cast<int>(n))] * base::Mat3::Identity();
  Eigen::Matrix<double, 12, 2> mixed;
  mixed.col(0) = to * way.a;
  mixed.col(1) = -to * way.b;
  mixed.block<3, 1>(0, 0) -= way.y;
  mixed.block<3, 1>(3, 0) += way.y;
  mixed.block<3, 1>(6, 1) += way.y;
  mixed.block<3, 1>(9, 1) -= way.y;
  Eigen::Matrix2d along = Eigen::Matrix2d::Zero();
  if (moves == kLeaderMoves) {
    along(1, 1) = 1 / way.b.squaredNorm();
  } else if (moves == kFollowerMoves) {
    along(0, 0) = 1 / way.a.squaredNorm();
  } else if (moves != kNoneMoves) {
    const double mix = -way.a.dot(way.b);
    along << way.a.squaredNorm(), mix, mix, way.b.squaredNorm();
    along = Eigen::Matrix2d(along.inverse());
  }
  const Eigen::Matrix<double, 12, 1> slope = to * normal;
  MatrixXd bend = to * to.transpose() - mixed * along * mixed.transpose() - slope * slope.transpose();
  bend /= value;
  return 0.5 * (bend + bend.transpose());
}
}  // namespace

bool SurfaceContact::distance_of_lines(const State& state, const Point& p, bool bends, Distance& d) const {
  const auto &own = faces_[at(p.face)].own, &leader = faces_[at(p.leader)].own;
  const Vec3 &x0 = state.position[at(own.nodes[0])], &z0 = state.position[at(leader.nodes[0])];
  Way way{state.position[at(own.nodes[1])] - x0, state.position[at(leader.nodes[1])] - z0, {}, p.r, 0};
  const bool crosses = std::abs(p.s) == 1.0;
  const Vec3 first = x0 - z0;
  double value = 0;
  if (crosses) {
    const Vec3 across = p.s * way.a.cross(way.b);
    if (!(across.squaredNorm() > 0)) return false;
    // right-angled to both: r a - s b = -first but for its part along the normal
    way.r = -way.b.cross(across).dot(first) / way.b.cross(across).dot(way.a);
    way.s = way.a.cross(across).dot(first) / way.a.cross(across).dot(way.b);
    d.normal = across.normalized();
  } else if (p.s == kFollowerMoves || p.s == kNoneMoves) {
    way.s = p.at_r;
    if (p.s == kFollowerMoves) way.r = way.a.dot(way.s * way.b - first) / way.a.squaredNorm();
  } else {
    way.s = way.b.dot(first + way.r * way.a) / way.b.squaredNorm();
  }
  way.y = first + way.r * way.a - way.s * way.b;
  if (!crosses) d.normal = way.y.normalized();
  value = d.normal.dot(way.y);
  if (!std::isfinite(value) || (!crosses && !(value > 0))) return false;
  d.value = value - p.reach;
  d.place = x0 + way.r * way.a;
  const auto share = way.share();
  std::copy(share.begin(), share.end(), d.share.begin());
  d.corner = {1 - p.r, p.r, 0, 0};  // as the places were: by it the force is only dealt to the knots
  if (bends) d.bend = value == 0.0 ? MatrixXd::Zero(12, 12) : bend_of(way, p.s, d.normal, value);
  return true;
}

}  // namespace archway::elements
