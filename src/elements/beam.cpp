#include "archway/elements/beam.hpp"

#include <cmath>

namespace archway::elements {

namespace {
using Vec4 = Eigen::Vector4d;  // quaternion as (w, x, y, z)
using Vec6 = BeamBatch::Vec6;
using Vec11 = Eigen::Matrix<double, 11, 1>;  // (x', q, q')
using Mat11 = Eigen::Matrix<double, 11, 11>;
using Mat6x11 = Eigen::Matrix<double, 6, 11>;
using Mat7 = Eigen::Matrix<double, 7, 7>;
using Mat7x6 = Eigen::Matrix<double, 7, 6>;
using Vec24 = Eigen::Matrix<double, 24, 1>;
using Mat24 = Eigen::Matrix<double, 24, 24>;
using base::skew;

const double kGauss = std::sqrt(0.6);
const std::array<double, 3> kPlaces = {0.5 - 0.5 * kGauss, 0.5, 0.5 + 0.5 * kGauss};
const std::array<double, 3> kWeights = {5.0 / 18, 8.0 / 18, 5.0 / 18};

Vec4 as_vector(const Eigen::Quaterniond& q) {
  return {q.w(), q.x(), q.y(), q.z()};
}

/// Generalised position of a Gauss point and what follows from it.
struct Sample {
  Vec3 dx;
  Vec4 q, dq;
};

/// The six strain numerators f; strain = f / |q|^2: R^T x' (three) and twice the vector part of conj(q) q' (three).
Vec6 numerators(const Sample& z) {
  const double w = z.q[0], dw = z.dq[0];
  const Vec3 v = z.q.tail<3>(), dv = z.dq.tail<3>();
  Vec6 f;
  f.head<3>() = (w * w - v.squaredNorm()) * z.dx + 2 * v * v.dot(z.dx) - 2 * w * v.cross(z.dx);
  f.tail<3>() = 2 * (w * dv - dw * v - v.cross(dv));
  return f;
}

/// d strain / d (x', q, q').
Mat6x11 strain_gradient(const Sample& z, const Vec6& f) {
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
Mat11 strain_curvature(const Sample& z, const Vec6& f, const Mat6x11& b, const Vec6& sigma) {
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

/// d quaternion / d spin at a node: half of (0, spin) times q.
Eigen::Matrix<double, 4, 3> spin_map(const Vec4& q) {
  Eigen::Matrix<double, 4, 3> e;
  e.row(0) = -0.5 * q.tail<3>().transpose();
  e.bottomRows<3>() = 0.5 * (q[0] * Mat3::Identity() - skew(q.tail<3>()));
  return e;
}

/// Nodal values of one element in a state.
struct Nodes {
  std::array<Vec3, 4> x;
  std::array<Vec4, 4> q;
};

Nodes gather(const BeamBatch::Data& data, const State& state) {
  Nodes nodes;
  for (std::size_t i = 0; i < 4; ++i) {
    const auto n = static_cast<std::size_t>(data.nodes[i]);
    nodes.x[i] = state.position[n];
    nodes.q[i] = as_vector(state.rotation[n] * data.axes[i]);
    if (nodes.q[i].dot(nodes.q[0]) < 0) nodes.q[i] = -nodes.q[i];  // q and -q are the same rotation
  }
  return nodes;
}

Sample sample(const Nodes& nodes, const BeamBatch::GaussPoint& point) {
  Sample z{Vec3::Zero(), Vec4::Zero(), Vec4::Zero()};
  for (std::size_t i = 0; i < 4; ++i) {
    z.dx += point.dn[i] * nodes.x[i];
    z.q += point.n[i] * nodes.q[i];
    z.dq += point.dn[i] * nodes.q[i];
  }
  return z;
}

/// Stress resultants conjugate to the six strains; the torque carries the Wagner part.
struct Response {
  Vec6 sigma;
  Eigen::Matrix<double, 6, 6> material;
  double wagner_stress = 0;  // N r0^2: geometric part on twist
};

Response respond(const BeamBatch::Data& data, const Vec6& strain, const Vec6& reference) {
  const double twist = strain[3];
  Vec6 e = strain - reference;
  e[0] += 0.5 * data.wagner * (twist * twist - reference[3] * reference[3]);
  Response r;
  r.sigma = data.stiffness.cwiseProduct(e);
  r.material = data.stiffness.asDiagonal();
  const double slope = data.wagner * twist, axial = r.sigma[0];
  r.wagner_stress = axial * data.wagner;
  r.sigma[3] += axial * slope;
  r.material(0, 3) = r.material(3, 0) = data.stiffness[0] * slope;
  r.material(3, 3) += data.stiffness[0] * slope * slope;
  return r;
}

/// Change of (x', q, q') at a Gauss point with a small step of the nodes.
Vec11 variation(const BeamBatch::Data& data, const BeamBatch::GaussPoint& point, const Nodes& nodes,
                const Eigen::VectorXd& u) {
  Vec11 dz = Vec11::Zero();
  for (std::size_t i = 0; i < 4; ++i) {
    const Vec3 move = u.segment<3>(6 * data.nodes[i]), spin = u.segment<3>(6 * data.nodes[i] + 3);
    const Vec4 dq = spin_map(nodes.q[i]) * spin;
    dz.head<3>() += point.dn[i] * move;
    dz.segment<4>(3) += point.n[i] * dq;
    dz.tail<4>() += point.dn[i] * dq;
  }
  return dz;
}

/// Response by linear theory to small displacements from the reference.
Response respond_linearly(const BeamBatch::Data& data, const BeamBatch::GaussPoint& point, const Nodes& nodes,
                          const Mat6x11& b, const Eigen::VectorXd& u) {
  const Vec6 reference = point.reference_strain;
  Response r = respond(data, reference, reference);
  r.sigma = r.material * (b * variation(data, point, nodes, u));
  r.wagner_stress = r.sigma[0] * data.wagner;
  return r;
}

/// Adds weight * Z_i^T h Z_j for nodes i, j of one Gauss point, in ambient coordinates (x, q).
void add_ambient(const BeamBatch::GaussPoint& p, const Mat11& h, std::array<std::array<Mat7, 4>, 4>& sum) {
  for (std::size_t i = 0; i < 4; ++i)
    for (std::size_t j = i; j < 4; ++j) {
      const double dd = p.dn[i] * p.dn[j], nd = p.n[i] * p.dn[j], dn = p.dn[i] * p.n[j], nn = p.n[i] * p.n[j];
      Mat7& block = sum[i][j];
      block.topLeftCorner<3, 3>() += dd * h.block<3, 3>(0, 0);
      block.topRightCorner<3, 4>() += dn * h.block<3, 4>(0, 3) + dd * h.block<3, 4>(0, 7);
      block.bottomLeftCorner<4, 3>() += nd * h.block<4, 3>(3, 0) + dd * h.block<4, 3>(7, 0);
      block.bottomRightCorner<4, 4>() +=
          nn * h.block<4, 4>(3, 3) + nd * h.block<4, 4>(3, 7) + dn * h.block<4, 4>(7, 3) + dd * h.block<4, 4>(7, 7);
    }
}

/// From ambient coordinates to translations and spins; the exponential map adds -1/4 (g . q) on the spins.
void project(const std::array<std::array<Mat7, 4>, 4>& ambient, const std::array<Vec4, 4>& gradient_q,
             const Nodes& nodes, double* out) {
  Eigen::Map<Mat24> k(out);
  std::array<Mat7x6, 4> map;
  for (std::size_t i = 0; i < 4; ++i) {
    map[i].setZero();
    map[i].topLeftCorner<3, 3>().setIdentity();
    map[i].bottomRightCorner<4, 3>() = spin_map(nodes.q[i]);
  }
  for (int i = 0; i < 4; ++i)
    for (int j = i; j < 4; ++j) {
      const auto a = static_cast<std::size_t>(i), b = static_cast<std::size_t>(j);
      Eigen::Matrix<double, 6, 6> block = map[a].transpose() * ambient[a][b] * map[b];
      if (i == j) block.bottomRightCorner<3, 3>().diagonal().array() -= 0.25 * gradient_q[a].dot(nodes.q[a]);
      k.block<6, 6>(6 * i, 6 * j) = block;
      if (i != j) k.block<6, 6>(6 * j, 6 * i) = block.transpose();
    }
}

struct Sums {
  std::array<Vec3, 4> gradient_x;
  std::array<Vec4, 4> gradient_q;
  std::array<std::array<Mat7, 4>, 4> tangent, geometric;
};

void clear(Sums& sums) {
  for (std::size_t i = 0; i < 4; ++i) {
    sums.gradient_x[i].setZero();
    sums.gradient_q[i].setZero();
    for (std::size_t j = 0; j < 4; ++j) {
      sums.tangent[i][j].setZero();
      sums.geometric[i][j].setZero();
    }
  }
}

void add_gradient(const BeamBatch::GaussPoint& point, const Mat6x11& b, const Vec6& sigma, Sums& sums) {
  const Vec11 g = b.transpose() * sigma * point.weight;
  for (std::size_t i = 0; i < 4; ++i) {
    sums.gradient_x[i] += point.dn[i] * g.head<3>();
    sums.gradient_q[i] += point.n[i] * g.segment<4>(3) + point.dn[i] * g.tail<4>();
  }
}

/// Stresses for the stiffness, see StressSource.
Response foreseen_response(const BeamBatch::Data& data, const BeamBatch::GaussPoint& point,
                           const StressSource& source) {
  const Nodes before = gather(data, *source.previous);
  const Sample z = sample(before, point);
  const Vec6 f = numerators(z), strain = f / z.q.squaredNorm();
  const Vec6 change = strain_gradient(z, f) * variation(data, point, before, *source.step);
  return respond(data, strain + change, point.reference_strain);
}

void internal_force(const BeamBatch::Data& data, const Nodes& nodes, const StressSource& source, Sums& sums,
                    double* force) {
  clear(sums);
  for (const auto& point : data.points) {
    const Sample z = sample(nodes, point);
    const Vec6 f = numerators(z), strain = f / z.q.squaredNorm();
    const Mat6x11 b = strain_gradient(z, f);
    const Response r = source.linear == nullptr ? respond(data, strain, point.reference_strain)
                                                : respond_linearly(data, point, nodes, b, *source.linear);
    add_gradient(point, b, r.sigma, sums);
  }
  for (std::size_t i = 0; i < 4; ++i) {
    Eigen::Map<Vec3>(force + 6 * i) = sums.gradient_x[i];
    Eigen::Map<Vec3>(force + 6 * i + 3) = spin_map(nodes.q[i]).transpose() * sums.gradient_q[i];
  }
}

void stiffness(const BeamBatch::Data& data, const Nodes& nodes, const StressSource& source, Sums& sums, double* tangent,
               double* geometric) {
  clear(sums);
  for (const auto& point : data.points) {
    const Sample z = sample(nodes, point);
    const Vec6 f = numerators(z), strain = f / z.q.squaredNorm();
    const Mat6x11 b = strain_gradient(z, f);
    const Response r = source.linear != nullptr     ? respond_linearly(data, point, nodes, b, *source.linear)
                       : source.previous != nullptr ? foreseen_response(data, point, source)
                                                    : respond(data, strain, point.reference_strain);
    add_gradient(point, b, r.sigma, sums);
    Mat11 h = strain_curvature(z, f, b, r.sigma) + r.wagner_stress * b.row(3).transpose() * b.row(3);
    h *= point.weight;
    if (geometric != nullptr) add_ambient(point, h, sums.geometric);
    if (tangent != nullptr) {
      h += point.weight * b.transpose() * r.material * b;
      add_ambient(point, h, sums.tangent);
    }
  }
  if (tangent != nullptr) project(sums.tangent, sums.gradient_q, nodes, tangent);
  if (geometric != nullptr) project(sums.geometric, sums.gradient_q, nodes, geometric);
}

Vec3 derivative_at(const model::Model& model, const std::array<int, 4>& nodes, double s) {
  const LineShape shape = line_shape(s);
  Vec3 d = Vec3::Zero();
  for (std::size_t i = 0; i < 4; ++i) d += shape.dn[i] * model.nodes[static_cast<std::size_t>(nodes[i])];
  return d;
}

/// Section axes at the nodes: made once at the middle of the element and carried to its nodes without twist, since the
/// direction that `up` gives turns over where a curved member runs along it.
std::array<Eigen::Quaterniond, 4> nodal_axes(const model::Model& model, const std::array<int, 4>& nodes,
                                             const Vec3& up) {
  const Vec3 middle = derivative_at(model, nodes, 0.5).normalized();
  Vec3 lean = up;
  // a curved element whose middle runs along `up` leans as its ends do
  for (const double s : {1.0, 0.0})
    if (lean.cross(middle).norm() < 1e-3 * up.norm())
      lean = middle.cross(up.cross(derivative_at(model, nodes, s).normalized()));
  const Mat3 axes = base::axes_from(middle, lean.norm() < 1e-3 * up.norm() ? up : lean);
  std::array<Eigen::Quaterniond, 4> result;
  for (std::size_t i = 0; i < 4; ++i) {
    const Vec3 along = derivative_at(model, nodes, static_cast<double>(i) / 3.0);
    result[i] = Eigen::Quaterniond::FromTwoVectors(middle, along) * Eigen::Quaterniond(axes);
  }
  return result;
}

BeamBatch::Data make(const model::Model& model, const model::LineElement& element) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  const auto& material = model.materials[static_cast<std::size_t>(part.material)];
  const auto& profile = model.profiles[static_cast<std::size_t>(part.profile)];
  BeamBatch::Data data;
  data.nodes = element.nodes;
  const double e = material.youngs_modulus, g = material.shear_modulus();
  data.stiffness << e * profile.area, g * profile.shear_area_y, g * profile.shear_area_z, g * profile.torsion_constant,
      e * profile.second_moment_y, e * profile.second_moment_z;
  data.wagner = (profile.second_moment_y + profile.second_moment_z) / profile.area;
  data.axes = nodal_axes(model, element.nodes, part.up);
  Nodes nodes;
  for (std::size_t i = 0; i < 4; ++i) {
    nodes.x[i] = model.nodes[static_cast<std::size_t>(element.nodes[i])];
    nodes.q[i] = as_vector(data.axes[i]);
    if (nodes.q[i].dot(nodes.q[0]) < 0) nodes.q[i] = -nodes.q[i];
  }
  for (std::size_t p = 0; p < 3; ++p) {
    auto& point = data.points[p];
    const LineShape shape = line_shape(kPlaces[p]);
    const double stretch = derivative_at(model, element.nodes, kPlaces[p]).norm();
    point.n = shape.n;
    for (std::size_t i = 0; i < 4; ++i) point.dn[i] = shape.dn[i] / stretch;
    point.weight = kWeights[p] * stretch;
    const Sample z = sample(nodes, point);
    point.reference_strain = numerators(z) / z.q.squaredNorm();
  }
  return data;
}
}  // namespace

LineShape line_shape(double s) {
  LineShape shape;
  for (std::size_t i = 0; i < 4; ++i) {
    double value = 1, slope = 0;
    for (std::size_t j = 0; j < 4; ++j) {
      if (i == j) continue;
      const double span = (static_cast<double>(i) - static_cast<double>(j)) / 3.0;
      const double factor = (s - static_cast<double>(j) / 3.0) / span;
      slope = slope * factor + value / span;
      value *= factor;
    }
    shape.n[i] = value;
    shape.dn[i] = slope;
  }
  return shape;
}

BeamBatch::BeamBatch(const model::Model& model) {
  data_.reserve(model.line_elements.size());
  for (const auto& element : model.line_elements) data_.push_back(make(model, element));
}

base::Verdict BeamBatch::evaluate(const State& state, const int* elements, int count, const Outputs& out,
                                  const StressSource& source) const {
  Sums sums;
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    const Nodes nodes = gather(data, state);
    const auto at = [&](double* base, int stride) {
      return base == nullptr ? nullptr : base + static_cast<std::ptrdiff_t>(stride) * k;
    };
    if (out.force != nullptr) internal_force(data, nodes, source, sums, at(out.force, 24));
    if (out.tangent != nullptr || out.geometric != nullptr)
      stiffness(data, nodes, source, sums, at(out.tangent, 576), at(out.geometric, 576));
  }
  return base::Verdict::good;
}

std::array<SectionForces, 3> BeamBatch::section_forces(const State& state, int element,
                                                       const Eigen::VectorXd* linear) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const Nodes nodes = gather(data, state);
  std::array<SectionForces, 3> forces;
  for (std::size_t p = 0; p < 3; ++p) {
    const Sample z = sample(nodes, data.points[p]);
    const Vec6 f = numerators(z), strain = f / z.q.squaredNorm();
    const Response r = linear == nullptr
                           ? respond(data, strain, data.points[p].reference_strain)
                           : respond_linearly(data, data.points[p], nodes, strain_gradient(z, f), *linear);
    forces[p] = {r.sigma[0], r.sigma[1], r.sigma[2], r.sigma[3], r.sigma[4], r.sigma[5]};
  }
  return forces;
}

const std::array<double, 3>& BeamBatch::gauss_places() {
  return kPlaces;
}

Mat3 BeamBatch::axes(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const double sign = data.axes[1].dot(data.axes[2]) < 0 ? -1 : 1;
  Eigen::Quaterniond middle;
  middle.coeffs() = data.axes[1].coeffs() + sign * data.axes[2].coeffs();
  return middle.normalized().toRotationMatrix();
}

}  // namespace archway::elements
