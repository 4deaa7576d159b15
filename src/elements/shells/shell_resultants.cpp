#include "core/arms_detail.hpp"
#include "shells/shell_resultants_detail.hpp"

namespace archway::elements::shell_detail {

Kinematics kinematics(const Data& data, const State& state) {
  Kinematics k;
  k.corners = gather(data, state);
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    k.samples[p] = sample(k.corners, point.r, point.s);
    k.membrane[p] = point.to_local.lazyProduct(membrane_rows(k.samples[p]));
    k.bending[p] = point.to_local.lazyProduct(bending_rows(k.corners, k.samples[p]));
    k.drilling[p] = drilling_row(k.corners, drilling_sample(k.corners, k.samples[p], point.inverse_jacobian));
  }
  k.ties = shear_tie_rows(k.corners);
  const Sample middle = sample(k.corners, 0, 0);
  k.drilling_middle = drilling_row(k.corners, drilling_sample(k.corners, middle, data.middle.inverse_jacobian));
  return k;
}

namespace {
/// Coefficients of the enhanced modes that leave no residual: alpha = -H^-1 sum M^T C e.
Vector4d enhanced_amplitudes(const Data& data, const std::array<Vector3d, 4>& membrane) {
  Vector4d load = Vector4d::Zero();
  for (std::size_t p = 0; p < 4; ++p)
    load += data.points[p].weight * enhanced_modes(data, data.points[p]).transpose() *
            (data.membrane_stiffness * membrane[p]);
  return -data.inverse_enhanced * load;
}

/// Takes off what the element would show if it grew freely by a strain in all directions, its directors unturned.
void take_off(const Data& data, double free_strain, Strains& e, Vector4d& ties) {
  if (free_strain == 0.0) return;
  ties -= free_strain * data.reference_shear;
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    e.membrane[p] -= 2 * free_strain * (point.to_local * point.reference_membrane);
    e.bending[p] -= free_strain * (point.to_local * point.reference_bending);
    e.drilling[p] -= free_strain * point.reference_drilling;
  }
  e.drilling_middle -= free_strain * data.middle.reference_drilling;
}

void enhance(const Data& data, Strains& e) {
  const Vector4d alpha = enhanced_amplitudes(data, e.membrane);
  for (std::size_t p = 0; p < 4; ++p) e.membrane[p] += enhanced_modes(data, data.points[p]) * alpha;
}

/// What both kinds of strain have in common at the end.
void finish(const Data& data, double free_strain, Vector4d& ties, Strains& e, bool enhanced) {
  take_off(data, free_strain, e, ties);
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    e.shear[p] = point.inverse_jacobian * (tie_weights(point.r, point.s) * ties);
  }
  if (enhanced) enhance(data, e);
}
}  // namespace

Strains finite_strains(const Data& data, const Kinematics& k, double free_strain, bool enhanced) {
  Strains e;
  Vector4d ties = shear_measure(k.corners) - data.reference_shear;
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    e.membrane[p] = point.to_local * (membrane_measure(k.samples[p]) - point.reference_membrane);
    e.bending[p] = point.to_local * (bending_measure(k.samples[p]) - point.reference_bending);
    e.drilling[p] =
        drilling_sample(k.corners, k.samples[p], point.inverse_jacobian).measure() - point.reference_drilling;
  }
  e.drilling_middle = drilling_sample(k.corners, sample(k.corners, 0, 0), data.middle.inverse_jacobian).measure() -
                      data.middle.reference_drilling;
  finish(data, free_strain, ties, e, enhanced);
  return e;
}

Strains linear_strains(const Data& data, const Kinematics& k, const Eigen::VectorXd& u, double free_strain,
                       bool enhanced) {
  Vec24 step;
  for (std::size_t i = 0; i < 4; ++i) {
    const auto at = static_cast<Eigen::Index>(6 * i);
    step.segment<6>(at) = u.segment<6>(model::row(data.nodes[i]));
    step.segment<3>(at) += data.offset * Vec3(step.segment<3>(at + 3)).cross(k.corners.d[i]);
  }
  Strains e;
  Vector4d ties = k.ties * step;
  for (std::size_t p = 0; p < 4; ++p) {
    e.membrane[p] = k.membrane[p] * step;
    e.bending[p] = k.bending[p] * step;
    e.drilling[p] = k.drilling[p] * step;
  }
  e.drilling_middle = k.drilling_middle * step;
  finish(data, free_strain, ties, e, enhanced);
  return e;
}

Resultants resultants(const Data& data, const Strains& e) {
  Resultants s;
  Vector2d mean_shear = Vector2d::Zero();
  for (std::size_t p = 0; p < 4; ++p) mean_shear += data.points[p].weight / data.area * e.shear[p];
  const Vector2d mean_stress = data.mean_shear_stiffness * mean_shear;
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    s.membrane[p] = point.weight * (data.membrane_stiffness * e.membrane[p]);
    s.bending[p] = point.weight * data.bending_factor * (data.membrane_stiffness * e.bending[p]);
    s.shear[p] = point.weight * (mean_stress + data.shear_stiffness * (e.shear[p] - mean_shear));
    s.drilling[p] = point.weight * data.drilling_rest * data.drilling_stiffness * e.drilling[p];
  }
  s.drilling_middle = data.area * data.drilling_stiffness * e.drilling_middle;
  return s;
}

double stored_in(const Strains& e, const Resultants& s, bool plane) {
  double twice = e.drilling_middle * s.drilling_middle;
  for (std::size_t p = 0; p < 4; ++p) {
    twice += e.shear[p].dot(s.shear[p]) + e.drilling[p] * s.drilling[p];
    if (plane) twice += e.membrane[p].dot(s.membrane[p]) + e.bending[p].dot(s.bending[p]);
  }
  return 0.5 * twice;
}

namespace {
using Rows43 = Eigen::Matrix<double, 43, 24>;

/// out += b^T cb, known to be symmetric: node by node below the diagonal, then mirrored.
void add_symmetric_product(const Rows43& b, const Rows43& cb, Eigen::Map<Mat24>& out) {
  Mat24 lower;
  lower.middleCols<6>(0).noalias() = b.transpose() * cb.middleCols<6>(0);
  lower.block<18, 6>(6, 6).noalias() = b.rightCols<18>().transpose() * cb.middleCols<6>(6);
  lower.block<12, 6>(12, 12).noalias() = b.rightCols<12>().transpose() * cb.middleCols<6>(12);
  lower.block<6, 6>(18, 18).noalias() = b.rightCols<6>().transpose() * cb.middleCols<6>(18);
  lower.triangularView<Eigen::StrictlyUpper>() = lower.transpose();
  out += lower;
}
}  // namespace

void add_material(const Data& data, const Kinematics& k, const Matrix3d& plane, Eigen::Map<Mat24>& out) {
  Rows4 enhanced = Rows4::Zero();
  std::array<Rows2, 4> shear;
  Rows2 mean = Rows2::Zero();
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    shear[p] = (point.inverse_jacobian * tie_weights(point.r, point.s)).lazyProduct(k.ties);
    mean += point.weight / data.area * shear[p];
  }
  // rows of all points, of the mean shear, the enhanced modes and the drilling tie below each other: one product
  Rows43 b, cb;
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    const auto first = static_cast<Eigen::Index>(9 * p);
    const Matrix3d c = point.weight * plane;
    b.middleRows<9>(first) << k.membrane[p], k.bending[p], shear[p] - mean, k.drilling[p];
    cb.middleRows<3>(first) = c.lazyProduct(k.membrane[p]);
    cb.middleRows<3>(first + 3) = (data.bending_factor * c).lazyProduct(k.bending[p]);
    cb.middleRows<2>(first + 6) = (point.weight * data.shear_stiffness) * b.middleRows<2>(first + 6);
    cb.row(first + 8) = (point.weight * data.drilling_rest * data.drilling_stiffness) * k.drilling[p];
    enhanced += enhanced_modes(data, point).transpose().lazyProduct(cb.middleRows<3>(first));
  }
  b.bottomRows<7>() << mean, enhanced, k.drilling_middle;
  cb.middleRows<2>(36) = (data.area * data.mean_shear_stiffness).lazyProduct(mean);
  cb.middleRows<4>(38) = (-data.inverse_enhanced).lazyProduct(enhanced);
  cb.row(42) = (data.area * data.drilling_stiffness) * k.drilling_middle;
  add_symmetric_product(b, cb, out);
}

namespace {
/// Second-order terms of products x_i . v_j with coefficients c, where v_j rotations with node j.
void add_products(const Matrix4d& c, const Corners& corners, const std::array<Vec3, 4>& v, Eigen::Map<Mat24>& out) {
  for (Eigen::Index j = 0; j < 4; ++j) {
    const Vec3& vj = v[static_cast<std::size_t>(j)];
    const Mat3 rotation = skew(vj);
    Vec3 a = Vec3::Zero();
    for (Eigen::Index i = 0; i < 4; ++i) {
      a += c(i, j) * corners.x[static_cast<std::size_t>(i)];
      out.block<3, 3>(6 * i, 6 * j + 3) -= c(i, j) * rotation;
      out.block<3, 3>(6 * j + 3, 6 * i) += c(i, j) * rotation;
    }
    out.block<3, 3>(6 * j + 3, 6 * j + 3) +=
        0.5 * (a * vj.transpose() + vj * a.transpose()) - a.dot(vj) * Mat3::Identity();
  }
}

Matrix4d outer(const std::array<double, 4>& a, const std::array<double, 4>& b) {
  return Eigen::Map<const Vector4d>(a.data()) * Eigen::Map<const Vector4d>(b.data()).transpose();
}
}  // namespace

void add_geometric(const Data& data, const Kinematics& k, const Resultants& s, Eigen::Map<Mat24>& out) {
  Matrix4d xx = Matrix4d::Zero(), xd = Matrix4d::Zero(), x1 = Matrix4d::Zero(), x2 = Matrix4d::Zero();
  Vector4d ties = Vector4d::Zero();
  const auto add_drilling = [&](const DrillingSample& q, double stress) {
    x2 += 0.5 * stress * outer(q.d1, q.n);
    x1 -= 0.5 * stress * outer(q.d2, q.n);
  };
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    const Shape& f = k.samples[p].f;
    const Vector3d n = point.to_local.transpose() * s.membrane[p], m = point.to_local.transpose() * s.bending[p];
    const Matrix4d rr = outer(f.dr, f.dr), ss = outer(f.ds, f.ds), rs = outer(f.dr, f.ds) + outer(f.ds, f.dr);
    xx += n[0] * rr + n[1] * ss + n[2] * rs;
    xd += m[0] * rr + m[1] * ss + m[2] * rs;
    ties += tie_weights(point.r, point.s).transpose() * (point.inverse_jacobian.transpose() * s.shear[p]);
    add_drilling(drilling_sample(k.corners, k.samples[p], point.inverse_jacobian), s.drilling[p]);
  }
  add_drilling(drilling_sample(k.corners, sample(k.corners, 0, 0), data.middle.inverse_jacobian), s.drilling_middle);
  for (std::size_t t = 0; t < 4; ++t) {
    const auto a = static_cast<Eigen::Index>(kTies[t].a), b = static_cast<Eigen::Index>(kTies[t].b);
    const double q = 0.25 * ties[static_cast<Eigen::Index>(t)];
    xd(b, a) += q;
    xd(b, b) += q;
    xd(a, a) -= q;
    xd(a, b) -= q;
  }
  for (Eigen::Index i = 0; i < 4; ++i)
    for (Eigen::Index j = 0; j < 4; ++j) out.block<3, 3>(6 * i, 6 * j).diagonal().array() += xx(i, j);
  add_products(xd, k.corners, k.corners.d, out);
  add_products(x1, k.corners, k.corners.t1, out);
  add_products(x2, k.corners, k.corners.t2, out);
}

Vec24 internal_force(const Data& data, const Kinematics& k, const Resultants& s) {
  Vec24 f = s.drilling_middle * k.drilling_middle.transpose();
  Vector4d ties = Vector4d::Zero();
  for (std::size_t p = 0; p < 4; ++p) {
    const auto& point = data.points[p];
    f.noalias() += k.membrane[p].transpose() * s.membrane[p] + k.bending[p].transpose() * s.bending[p];
    f.noalias() += s.drilling[p] * k.drilling[p].transpose();
    ties += tie_weights(point.r, point.s).transpose() * (point.inverse_jacobian.transpose() * s.shear[p]);
  }
  f.noalias() += k.ties.transpose() * ties;
  return f;
}

Strains operator+(Strains a, const Strains& b) {
  for (std::size_t p = 0; p < 4; ++p) {
    a.membrane[p] += b.membrane[p];
    a.bending[p] += b.bending[p];
    a.shear[p] += b.shear[p];
    a.drilling[p] += b.drilling[p];
  }
  a.drilling_middle += b.drilling_middle;
  return a;
}

Strains foreseen_strains(const Data& data, const StressSource& source, bool enhanced) {
  const Kinematics before = kinematics(data, *source.previous);
  return finite_strains(data, before, source.previous->free_strain(data.part), enhanced) +
         linear_strains(data, before, *source.step, 0, enhanced);
}

void bring_to_corners(const Data& data, const Kinematics& k, const Resultants* s, double* force, double* tangent,
                      double* geometric) {
  std::array<Vec3, 4> arms, forces;
  const Vec24 pull = s == nullptr ? Vec24(Vec24::Zero()) : internal_force(data, k, *s);
  for (std::size_t i = 0; i < 4; ++i) {
    arms[i] = data.offset * k.corners.d[i];
    forces[i] = pull.segment<3>(static_cast<Eigen::Index>(6 * i));
  }
  detail::bring_to_nodes(arms.data(), forces.data(), 4, 6, force, {tangent, geometric});
}

}  // namespace archway::elements::shell_detail
