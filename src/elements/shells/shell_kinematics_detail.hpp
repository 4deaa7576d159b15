#pragma once
#include <cmath>

#include "archway/elements/shell.hpp"
#include "shells/plane_strain_detail.hpp"

/// Kinematics of the four-node shell: interpolation, strain measures and their variations.
namespace archway::elements::shell_detail {

using Eigen::Matrix2d;
using Eigen::Matrix3d;
using Eigen::Matrix4d;
using Eigen::Vector2d;
using Eigen::Vector3d;
using Eigen::Vector4d;
using Row = Eigen::Matrix<double, 1, 24>;
using Rows3 = Eigen::Matrix<double, 3, 24>;
using Rows2 = Eigen::Matrix<double, 2, 24>;
using Rows4 = Eigen::Matrix<double, 4, 24>;
using Rows9 = Eigen::Matrix<double, 9, 24>;
using Vec24 = Eigen::Matrix<double, 24, 1>;
using Mat24 = Eigen::Matrix<double, 24, 24>;
using base::skew;
using elements::detail::to_local_strain;
using Data = ShellBatch::Data;
using GaussPoint = ShellBatch::GaussPoint;

inline constexpr std::array<double, 4> kR = {-1, 1, 1, -1}, kS = {-1, -1, 1, 1};
// tying points of the transverse shear: two of gamma_r on the edges s = -1, +1, two of gamma_s on r = -1, +1
struct Tie {
  std::size_t a, b;  // from node a to node b
};
inline constexpr std::array<Tie, 4> kTies = {{{0, 1}, {3, 2}, {0, 3}, {1, 2}}};

struct Shape {
  std::array<double, 4> n, dr, ds;
};
inline Shape shape_at(double r, double s) {
  Shape f{};
  for (std::size_t i = 0; i < 4; ++i) {
    f.n[i] = 0.25 * (1 + kR[i] * r) * (1 + kS[i] * s);
    f.dr[i] = 0.25 * kR[i] * (1 + kS[i] * s);
    f.ds[i] = 0.25 * kS[i] * (1 + kR[i] * r);
  }
  return f;
}

/// Current corners: positions from the first of them, directors, and the two in-plane axes that carry the drilling tie.
struct Corners {
  std::array<Vec3, 4> x, d, t1, t2;
};

inline Corners gather(const Data& data, const State& state) {
  Corners c;
  for (std::size_t i = 0; i < 4; ++i) {
    const auto n = static_cast<std::size_t>(data.nodes[i]);
    const Mat3 rotation = state.rotation[n].toRotationMatrix();
    c.d[i] = rotation * data.director[i];
    c.x[i] = state.between(data.nodes[0], data.nodes[i]) + data.offset * c.d[i];
    c.t1[i] = rotation * data.first[i];
    c.t2[i] = rotation * data.second[i];
  }
  return c;
}

inline Vec3 blend(const std::array<double, 4>& f, const std::array<Vec3, 4>& v) {
  return f[0] * v[0] + f[1] * v[1] + f[2] * v[2] + f[3] * v[3];
}

/// Base vectors and directors of one point.
struct Sample {
  Shape f;
  Vec3 gr, gs, d, dr, ds;
};
inline Sample sample(const Corners& c, double r, double s) {
  Sample p;
  p.f = shape_at(r, s);
  p.gr = blend(p.f.dr, c.x);
  p.gs = blend(p.f.ds, c.x);
  p.d = blend(p.f.n, c.d);
  p.dr = blend(p.f.dr, c.d);
  p.ds = blend(p.f.ds, c.d);
  return p;
}

inline Vector3d membrane_measure(const Sample& p) {
  return {0.5 * p.gr.squaredNorm(), 0.5 * p.gs.squaredNorm(), p.gr.dot(p.gs)};
}
inline Vector3d bending_measure(const Sample& p) {
  return {p.gr.dot(p.dr), p.gs.dot(p.ds), p.gr.dot(p.ds) + p.gs.dot(p.dr)};
}

inline Vector4d shear_measure(const Corners& c) {
  Vector4d g;
  for (std::size_t k = 0; k < 4; ++k) {
    const auto [a, b] = kTies[k];
    g[static_cast<Eigen::Index>(k)] = 0.25 * (c.x[b] - c.x[a]).dot(c.d[a] + c.d[b]);
  }
  return g;
}

/// In-plane rotation of the material against the nodes: (g1 . a2 - g2 . a1) / 2, with local derivatives g and nodal
/// axes a.
struct DrillingSample {
  std::array<double, 4> n, d1, d2;
  Vec3 g1, g2, a1, a2;
  double measure() const { return 0.5 * (g1.dot(a2) - g2.dot(a1)); }
};
inline DrillingSample drilling_sample(const Corners& c, const Sample& p, const Matrix2d& inverse_jacobian) {
  DrillingSample q;
  q.n = p.f.n;
  for (std::size_t i = 0; i < 4; ++i) {
    q.d1[i] = inverse_jacobian(0, 0) * p.f.dr[i] + inverse_jacobian(0, 1) * p.f.ds[i];
    q.d2[i] = inverse_jacobian(1, 0) * p.f.dr[i] + inverse_jacobian(1, 1) * p.f.ds[i];
  }
  q.g1 = blend(q.d1, c.x);
  q.g2 = blend(q.d2, c.x);
  q.a1 = blend(q.n, c.t1);
  q.a2 = blend(q.n, c.t2);
  return q;
}

// ---- variations: rows over (translation, spin) of the four nodes; a director rotations by spin x d ----

inline Rows3 membrane_rows(const Sample& p) {
  Rows3 b = Rows3::Zero();
  for (std::size_t i = 0; i < 4; ++i) {
    const auto at = static_cast<Eigen::Index>(6 * i);
    b.block<1, 3>(0, at) = p.f.dr[i] * p.gr.transpose();
    b.block<1, 3>(1, at) = p.f.ds[i] * p.gs.transpose();
    b.block<1, 3>(2, at) = p.f.dr[i] * p.gs.transpose() + p.f.ds[i] * p.gr.transpose();
  }
  return b;
}

inline Rows3 bending_rows(const Corners& c, const Sample& p) {
  Rows3 b = Rows3::Zero();
  for (std::size_t i = 0; i < 4; ++i) {
    const auto at = static_cast<Eigen::Index>(6 * i);
    const Vec3& d = c.d[i];
    b.block<1, 3>(0, at) = p.f.dr[i] * p.dr.transpose();
    b.block<1, 3>(1, at) = p.f.ds[i] * p.ds.transpose();
    b.block<1, 3>(2, at) = p.f.dr[i] * p.ds.transpose() + p.f.ds[i] * p.dr.transpose();
    b.block<1, 3>(0, at + 3) = p.f.dr[i] * d.cross(p.gr).transpose();
    b.block<1, 3>(1, at + 3) = p.f.ds[i] * d.cross(p.gs).transpose();
    b.block<1, 3>(2, at + 3) = d.cross(p.f.ds[i] * p.gr + p.f.dr[i] * p.gs).transpose();
  }
  return b;
}

inline Rows4 shear_tie_rows(const Corners& c) {
  Rows4 b = Rows4::Zero();
  for (std::size_t k = 0; k < 4; ++k) {
    const auto [a, e] = kTies[k];
    const auto row = static_cast<Eigen::Index>(k), ia = static_cast<Eigen::Index>(6 * a),
               ib = static_cast<Eigen::Index>(6 * e);
    const Vec3 d = 0.25 * (c.d[a] + c.d[e]), g = 0.25 * (c.x[e] - c.x[a]);
    b.block<1, 3>(row, ia) = -d.transpose();
    b.block<1, 3>(row, ib) = d.transpose();
    b.block<1, 3>(row, ia + 3) = c.d[a].cross(g).transpose();
    b.block<1, 3>(row, ib + 3) = c.d[e].cross(g).transpose();
  }
  return b;
}

inline Row drilling_row(const Corners& c, const DrillingSample& q) {
  Row b;
  for (std::size_t i = 0; i < 4; ++i) {
    const auto at = static_cast<Eigen::Index>(6 * i);
    b.segment<3>(at) = 0.5 * (q.d1[i] * q.a2 - q.d2[i] * q.a1).transpose();
    b.segment<3>(at + 3) = 0.5 * q.n[i] * (c.t2[i].cross(q.g1) - c.t1[i].cross(q.g2)).transpose();
  }
  return b;
}

/// Weights of the four tying values in (gamma_r, gamma_s) at a point.
inline Eigen::Matrix<double, 2, 4> tie_weights(double r, double s) {
  Eigen::Matrix<double, 2, 4> w;
  w << 0.5 * (1 - s), 0.5 * (1 + s), 0, 0, 0, 0, 0.5 * (1 - r), 0.5 * (1 + r);
  return w;
}

/// Enhanced modes at a point, local axes: r in rr, s in ss, r and s in 2rs.
inline Eigen::Matrix<double, 3, 4> enhanced_modes(const Data& data, const GaussPoint& p) {
  Eigen::Matrix<double, 3, 4> m;
  m << p.r, 0, 0, 0, 0, p.s, 0, 0, 0, 0, p.r, p.s;
  return p.enhancement * data.enhancement_axes * m;
}

}  // namespace archway::elements::shell_detail
