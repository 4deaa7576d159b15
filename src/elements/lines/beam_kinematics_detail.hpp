#pragma once
#include "core/arms_detail.hpp"
#include "lines/beam_section_detail.hpp"

/// How a beam's line, its rotations and its warping give strains at a Gauss point.
namespace archway::elements::beam_detail {

using Vec4 = Eigen::Vector4d;                // quaternion as (w, x, y, z)
using Vec13 = Eigen::Matrix<double, 13, 1>;  // (x', q, q', p, p')
using Mat13 = Eigen::Matrix<double, 13, 13>;
using Mat6x11 = Eigen::Matrix<double, 6, 11>;
using Mat11 = Eigen::Matrix<double, 11, 11>;
using Mat8x13 = Eigen::Matrix<double, 8, 13>;
using Mat8x7 = Eigen::Matrix<double, 8, 7>;
using Mat28 = Eigen::Matrix<double, 28, 28>;
constexpr int kWidth = model::kNodeDofs;
using base::skew;

inline Vec4 as_vector(const Eigen::Quaterniond& q) {
  return {q.w(), q.x(), q.y(), q.z()};
}

/// Generalised position of a Gauss point and what follows from it.
struct Sample {
  Vec3 dx;
  Vec4 q, dq;
  double p = 0, dp = 0;
};

/// The six strain numerators f; strain = f / |q|^2: R^T x' (three) and twice the vector part of conj(q) q' (three).
inline Vec6 numerators(const Sample& z) {
  const double w = z.q[0], dw = z.dq[0];
  const Vec3 v = z.q.tail<3>(), dv = z.dq.tail<3>();
  Vec6 f;
  f.head<3>() = (w * w - v.squaredNorm()) * z.dx + 2 * v * v.dot(z.dx) - 2 * w * v.cross(z.dx);
  f.tail<3>() = 2 * (w * dv - dw * v - v.cross(dv));
  return f;
}

/// d strain / d (x', q, q').
inline Mat6x11 strain_gradient(const Sample& z, const Vec6& f) {
  const double w = z.q[0], dw = z.dq[0], s = z.q.squaredNorm();
  const Vec3 v = z.q.tail<3>(), dv = z.dq.tail<3>(), x = z.dx;
  const Mat3 one = Mat3::Identity();
  Mat6x11 b = Mat6x11::Zero();
  b.block<3, 3>(0, 0) = (w * w - v.squaredNorm()) * one + 2 * v * v.transpose() - 2 * w * skew(v);
  b.block<3, 1>(0, 3) = 2 * w * x - 2 * v.cross(x);
  b.block<3, 3>(0, 4) = -2 * x * v.transpose() + 2 * (v.dot(x) * one + v * x.transpose()) + 2 * w * skew(x);
  b.block<3, 1>(3, 3) = 2 * dv;
  b.block<3, 3>(3, 4) = -2 * dw * one + 2 * skew(dv);
  b.block<3, 1>(3, 7) = -2 * v;
  b.block<3, 3>(3, 8) = 2 * w * one - 2 * skew(v);
  b /= s;
  b.block<6, 4>(0, 3) -= f * (2 / (s * s)) * z.q.transpose();
  return b;
}

/// sum over k of sigma_k * (second derivative of strain k).
inline Mat11 strain_curvature(const Sample& z, const Vec6& f, const Mat6x11& b, const Vec6& sigma) {
  const double w = z.q[0], s = z.q.squaredNorm();
  const Vec3 v = z.q.tail<3>(), x = z.dx, n = sigma.head<3>(), m = sigma.tail<3>();
  const Mat3 one = Mat3::Identity();
  Mat11 h = Mat11::Zero();
  h.block<3, 1>(0, 3) = 2 * w * n - 2 * n.cross(v);
  h.block<3, 3>(0, 4) = -2 * n * v.transpose() + 2 * (n.dot(v) * one + v * n.transpose()) - 2 * w * skew(n);
  h(3, 3) = 2 * n.dot(x);
  h.block<1, 3>(3, 4) = -2 * x.cross(n).transpose();
  h.block<3, 3>(4, 4) = -2 * n.dot(x) * one + 2 * (n * x.transpose() + x * n.transpose());
  h.block<1, 3>(3, 8) = 2 * m.transpose();
  h.block<3, 1>(4, 7) = -2 * m;
  h.block<3, 3>(4, 8) = 2 * skew(m);
  h.triangularView<Eigen::StrictlyLower>() = h.transpose();
  // strain = f / s: what is left of the quotient rule, written with the strain gradient b
  h /= s;
  const Eigen::Matrix<double, 4, 1> ds = 2 * z.q;
  const Eigen::Matrix<double, 1, 11> work = sigma.transpose() * b;
  h.block<11, 4>(0, 3) -= work.transpose() * ds.transpose() / s;
  h.block<4, 11>(3, 0) -= ds * work / s;
  h.block<4, 4>(3, 3) -= (2 * sigma.dot(f) / (s * s)) * Eigen::Matrix4d::Identity();
  return h;
}

/// Nodal values of one element in a state.
struct Nodes {
  std::array<Vec3, 4> x;  // of the centroid, from the first node
  std::array<Vec4, 4> q;
  std::array<double, 4> p{};
  std::array<Vec3, 4> arms;  // as they point now
  double free_strain = 0;
};

inline Nodes gather(const BeamBatch::Data& data, const State& state) {
  Nodes nodes;
  nodes.free_strain = state.free_strain(data.part);
  for (std::size_t i = 0; i < 4; ++i) {
    const auto n = static_cast<std::size_t>(data.nodes[i]);
    nodes.arms[i] = state.rotation[n] * data.arms[i];
    nodes.x[i] = state.between(data.nodes[0], data.nodes[i]) + nodes.arms[i];
    nodes.q[i] = as_vector(state.rotation[n] * data.axes[i]);
    if (data.warping) nodes.p[i] = state.warp[n];
    if (nodes.q[i].dot(nodes.q[0]) < 0) nodes.q[i] = -nodes.q[i];  // q and -q are the same rotation
  }
  return nodes;
}

inline Sample sample(const Nodes& nodes, const BeamBatch::GaussPoint& point) {
  Sample z{Vec3::Zero(), Vec4::Zero(), Vec4::Zero(), 0, 0};
  for (std::size_t i = 0; i < 4; ++i) {
    z.dx += point.dn[i] * nodes.x[i];
    z.q += point.n[i] * nodes.q[i];
    z.dq += point.dn[i] * nodes.q[i];
    z.p += point.n[i] * nodes.p[i];
    z.dp += point.dn[i] * nodes.p[i];
  }
  return z;
}

/// Strains of a Gauss point: the six of the line, p and p'.
inline Vec8 strains(const Sample& z, const Vec6& f) {
  Vec8 e;
  e << f / z.q.squaredNorm(), z.p, z.dp;
  return e;
}

/// d strains / d (x', q, q', p, p').
inline Mat8x13 gradient(const Sample& z, const Vec6& f) {
  Mat8x13 b = Mat8x13::Zero();
  b.topLeftCorner<6, 11>() = strain_gradient(z, f);
  b(6, 11) = b(7, 12) = 1;
  return b;
}

/// Change of (x', q, q', p, p') at a Gauss point with a small step of the nodes.
inline Vec13 variation(const BeamBatch::Data& data, const BeamBatch::GaussPoint& point, const Nodes& nodes,
                       const Eigen::VectorXd& u) {
  Vec13 dz = Vec13::Zero();
  for (std::size_t i = 0; i < 4; ++i) {
    const auto at = model::row(data.nodes[i]);
    const Vec3 spin = u.segment<3>(at + 3), move = Vec3(u.segment<3>(at)) + spin.cross(nodes.arms[i]);
    const Vec4 dq = spin_map(nodes.q[i]) * spin;
    dz.head<3>() += point.dn[i] * move;
    dz.segment<4>(3) += point.n[i] * dq;
    dz.segment<4>(7) += point.dn[i] * dq;
    if (data.warping) dz[11] += point.n[i] * u[at + model::warp], dz[12] += point.dn[i] * u[at + model::warp];
  }
  return dz;
}

/// Strains at which a Gauss point is free of stress: the reference line stretched by a free strain.
inline Vec6 stress_free(const BeamBatch::GaussPoint& point, double free_strain) {
  Vec6 e = point.reference_strain;
  e.head<3>() *= 1 + free_strain;
  return e;
}

}  // namespace archway::elements::beam_detail
