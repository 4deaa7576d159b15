#include <algorithm>

#include "arms_detail.hpp"
#include "inner_detail.hpp"
#include "shell_kinematics_detail.hpp"

namespace archway::elements {

using namespace shell_detail;

namespace {
/// Strains of the whole element in a state, or by linear theory from the reference.
struct Strains {
  std::array<Vector3d, 4> membrane, bending;  // local axes at the Gauss points, enhancement included in membrane
  std::array<Vector2d, 4> shear;
  std::array<double, 4> drilling{};
  double drilling_middle = 0;
};

struct Kinematics {
  Corners corners;
  std::array<Sample, 4> samples;
  std::array<Rows3, 4> membrane, bending;  // local axes
  Rows4 ties;
  std::array<Row, 4> drilling;
  Row drilling_middle;
};

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

/// \param enhanced  false: the enhanced modes are left to what comes after
Strains finite_strains(const Data& data, const Kinematics& k, double free_strain, bool enhanced = true) {
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
                       bool enhanced = true) {
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

/// Stress resultants at the Gauss points, times area.
struct Resultants {
  std::array<Vector3d, 4> membrane, bending;
  std::array<Vector2d, 4> shear;
  std::array<double, 4> drilling{};
  double drilling_middle = 0;
};

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

void add_material(const Data& data, const Kinematics& k, Eigen::Map<Mat24>& out) {
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
    const Matrix3d c = point.weight * data.membrane_stiffness;
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

/// Second-order terms of products x_i . v_j with coefficients c, where v_j turns with node j.
void add_products(const Matrix4d& c, const Corners& corners, const std::array<Vec3, 4>& v, Eigen::Map<Mat24>& out) {
  for (Eigen::Index j = 0; j < 4; ++j) {
    const Vec3& vj = v[static_cast<std::size_t>(j)];
    const Mat3 turn = skew(vj);
    Vec3 a = Vec3::Zero();
    for (Eigen::Index i = 0; i < 4; ++i) {
      a += c(i, j) * corners.x[static_cast<std::size_t>(i)];
      out.block<3, 3>(6 * i, 6 * j + 3) -= c(i, j) * turn;
      out.block<3, 3>(6 * j + 3, 6 * i) += c(i, j) * turn;
    }
    out.block<3, 3>(6 * j + 3, 6 * j + 3) +=
        0.5 * (a * vj.transpose() + vj * a.transpose()) - a.dot(vj) * Mat3::Identity();
  }
}

Matrix4d outer(const std::array<double, 4>& a, const std::array<double, 4>& b) {
  return Eigen::Map<const Vector4d>(a.data()) * Eigen::Map<const Vector4d>(b.data()).transpose();
}

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

// ---- reference data ----

Mat3 middle_axes(const Corners& c) {
  const Sample p = sample(c, 0, 0);
  const Vec3 normal = p.gr.cross(p.gs).normalized(), first = p.gr.normalized();
  Mat3 axes;
  axes << first, normal.cross(first), normal;
  return axes;
}

/// In-plane axis of the middle, carried to a place with another normal by the smallest turn: whichever corner comes
/// first, all axes of an element turn together.
Vec3 carried(const Mat3& middle, const Vec3& normal, int axis) {
  return Eigen::Quaterniond::FromTwoVectors(middle.col(2), normal) * middle.col(axis);
}

/// Jacobian and measures of a point in the reference state.
GaussPoint make_point(const Corners& c, double r, double s, const Mat3& middle) {
  GaussPoint point;
  point.r = r;
  point.s = s;
  const Sample p = sample(c, r, s);
  const Vec3 e1 = carried(middle, p.gr.cross(p.gs), 0), e2 = carried(middle, p.gr.cross(p.gs), 1);
  Matrix2d jacobian;
  jacobian << p.gr.dot(e1), p.gr.dot(e2), p.gs.dot(e1), p.gs.dot(e2);
  point.weight = jacobian.determinant();
  point.inverse_jacobian = jacobian.inverse();
  point.to_local = to_local_strain(point.inverse_jacobian);
  point.reference_membrane = membrane_measure(p);
  point.reference_bending = bending_measure(p);
  return point;
}

/// Stiffness of the mean shear: flexibilities of shear and of the bending that two corners cannot show, in series.
Matrix2d mean_shear_stiffness(const GaussPoint& middle, const model::Material& material, double t) {
  const double e = material.youngs_modulus, nu = material.poisson_ratio;
  const double rigidity = e * t * t * t / (12 * (1 - nu * nu));
  const Matrix2d jacobian = middle.inverse_jacobian.inverse();
  const Matrix2d flexibility = Matrix2d::Identity() / (5.0 / 6.0 * material.shear_modulus() * t) +
                               4.0 * (jacobian.transpose() * jacobian) / (12 * rigidity);
  return flexibility.inverse();
}

Data make(const model::Model& model, const model::ShellElement& element, const std::array<Vec3, 9>& all_directors) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  const auto& material = model.materials[static_cast<std::size_t>(part.material)];
  const double t = part.thickness;
  Data data;
  data.part = element.part;
  data.thickness = t;
  data.offset = part.offset_z;
  Corners c;
  for (std::size_t i = 0; i < 4; ++i) {
    data.nodes[i] = element.nodes[i];
    c.d[i] = data.director[i] = all_directors[i];
    c.x[i] = model.nodes[static_cast<std::size_t>(element.nodes[i])] + data.offset * c.d[i];
  }
  const auto& directors = data.director;
  const Mat3 axes = middle_axes(c);
  for (std::size_t i = 0; i < 4; ++i) {
    data.first[i] = carried(axes, directors[i], 0);
    data.second[i] = carried(axes, directors[i], 1);
  }
  c.t1 = data.first;
  c.t2 = data.second;
  data.membrane_stiffness = t * plane_stress(material);
  data.bending_factor = t * t / 12;
  data.drilling_stiffness = material.shear_modulus() * t;
  data.reference_shear = shear_measure(c);
  data.middle = make_point(c, 0, 0, axes);
  data.mean_shear_stiffness = mean_shear_stiffness(data.middle, material, t);
  data.shear_stiffness = 5.0 / 6.0 * material.shear_modulus() * t;
  data.middle.reference_drilling = drilling_sample(c, sample(c, 0, 0), data.middle.inverse_jacobian).measure();
  data.enhancement_axes = data.middle.to_local;
  const double g = 1 / std::sqrt(3.0);
  Matrix4d enhanced = Matrix4d::Zero();
  for (std::size_t p = 0; p < 4; ++p) {
    auto& point = data.points[p];
    point = make_point(c, kR[p] * g, kS[p] * g, axes);
    data.area += point.weight;
    point.enhancement = data.middle.weight / point.weight;
    point.reference_drilling = drilling_sample(c, sample(c, point.r, point.s), point.inverse_jacobian).measure();
    const auto m = enhanced_modes(data, point);
    enhanced += point.weight * m.transpose() * data.membrane_stiffness * m;
  }
  data.inverse_enhanced = enhanced.inverse();
  return data;
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

/// Strains for the stiffness, see StressSource.
Strains foreseen_strains(const Data& data, const StressSource& source, bool enhanced = true) {
  const Kinematics before = kinematics(data, *source.previous);
  return finite_strains(data, before, source.previous->free_strain(data.part), enhanced) +
         linear_strains(data, before, *source.step, 0, enhanced);
}

/// From the middle surface to nodes that lie off it. \param s  stresses of the stiffness, nullptr: no matrices
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

void evaluate_one(const Data& data, const State& state, const StressSource& source, double* force, double* tangent,
                  double* geometric) {
  const Kinematics k = kinematics(data, state);
  const double free_strain = state.free_strain(data.part);
  const Strains e = source.linear == nullptr ? finite_strains(data, k, free_strain)
                                             : linear_strains(data, k, *source.linear, free_strain);
  if (force != nullptr) {
    Eigen::Map<Vec24> out(force);
    out = internal_force(data, k, resultants(data, e));
  }
  if (geometric == nullptr && tangent == nullptr) {
    if (data.offset != 0.0) bring_to_corners(data, k, nullptr, force, nullptr, nullptr);
    return;
  }
  const Resultants s = resultants(data, source.previous == nullptr ? e : foreseen_strains(data, source));
  if (geometric != nullptr) {
    Eigen::Map<Mat24> out(geometric);
    out.setZero();
    add_geometric(data, k, s, out);
  }
  if (tangent != nullptr) {
    Eigen::Map<Mat24> out(tangent);
    out.setZero();
    add_material(data, k, out);
    add_geometric(data, k, s, out);
  }
  if (data.offset != 0.0) bring_to_corners(data, k, &s, force, tangent, geometric);
}

// ---- walls whose layers remember ----

using Mat6 = Eigen::Matrix<double, 6, 6>;
constexpr std::size_t kModes = 4;

std::size_t memory_of(const Data& data) {
  return kModes + 4 * static_cast<std::size_t>(data.wall->memory_size());
}

std::vector<double> virgin_memory(const Data& data) {
  std::vector<double> memory(memory_of(data), 0.0);
  for (int p = 0; p < 4; ++p)
    data.wall->start(memory.data() + kModes + static_cast<std::size_t>(p * data.wall->memory_size()));
  return memory;
}

/// What the four points answer, with the amplitudes of the enhanced modes that leave no residual.
struct Remembered {
  std::array<Vector3d, 4> membrane, bending;  // forces and moments per length
  std::array<Mat6, 4> tangent;
  Matrix4d inner;      // stiffness of the modes
  bool found = false;  // see detail::find_inner
};

Remembered respond(const Data& data, const Strains& e, const double* before, double* after) {
  Remembered r;
  const auto at = [&](const Vector4d& amplitude) {
    detail::Inner<4> inner;
    for (std::size_t p = 0; p < 4; ++p) {
      const auto modes = enhanced_modes(data, data.points[p]);
      const std::size_t own = kModes + p * static_cast<std::size_t>(data.wall->memory_size());
      material::Wall::Vec6 strain;
      strain << e.membrane[p] + modes * amplitude, e.bending[p];
      const auto answer = data.wall->respond(strain, 0, before + own, after + own);
      r.membrane[p] = answer.stress.head<3>();
      r.bending[p] = answer.stress.tail<3>();
      r.tangent[p] = answer.tangent;
      const Vector4d pull = data.points[p].weight * modes.transpose() * r.membrane[p];
      inner.gap += pull;
      inner.scale += pull.norm();
      inner.stiffness += data.points[p].weight * modes.transpose() * answer.tangent.topLeftCorner<3, 3>() * modes;
    }
    r.inner = inner.stiffness;
    return inner;
  };
  Vector4d amplitude = Eigen::Map<const Vector4d>(before);
  r.found = detail::find_inner<4>(at, amplitude);
  Eigen::Map<Vector4d>(after + 0) = amplitude;
  return r;
}

/// Resultants of such a wall; shear and drilling stay elastic.
Resultants resultants(const Data& data, const Strains& e, const Remembered& r) {
  Resultants s = resultants(data, e);
  for (std::size_t p = 0; p < 4; ++p) {
    s.membrane[p] = data.points[p].weight * r.membrane[p];
    s.bending[p] = data.points[p].weight * r.bending[p];
  }
  return s;
}

/// Stiffness by the tangents of the points; what is left of the elastic element (shear, drilling) comes from it with
/// its plane stiffness taken out.
void add_material(const Data& data, const Kinematics& k, const Remembered& r, Eigen::Map<Mat24>& out) {
  Data rest = data;
  rest.membrane_stiffness.setZero();
  add_material(rest, k, out);
  Rows4 coupling = Rows4::Zero();
  for (std::size_t p = 0; p < 4; ++p) {
    Eigen::Matrix<double, 6, 24> b;
    b << k.membrane[p], k.bending[p];
    const Eigen::Matrix<double, 6, 24> cb = data.points[p].weight * r.tangent[p] * b;
    out.noalias() += b.transpose() * cb;
    coupling.noalias() += enhanced_modes(data, data.points[p]).transpose() * cb.topRows<3>();
  }
  out.noalias() -= coupling.transpose() * r.inner.ldlt().solve(coupling);
}

/// \return false: the inner unknowns were not found
bool evaluate_remembering(const Data& data, const Trial& trial, const double* before, double* after,
                          const StressSource& source, double* force, double* tangent, double* geometric) {
  const Kinematics k = kinematics(data, trial.state);
  const Strains e = finite_strains(data, k, trial.state.free_strain(data.part), false);
  const Remembered own = respond(data, e, before, after);
  if (!own.found) return false;
  const Resultants s = resultants(data, e, own);
  if (force != nullptr) {
    Eigen::Map<Vec24> out(force);
    out = internal_force(data, k, s);
  }
  if (tangent == nullptr && geometric == nullptr) {
    if (data.offset != 0.0) bring_to_corners(data, k, nullptr, force, nullptr, nullptr);
    return true;
  }
  Resultants stressing = s;
  if (source.previous != nullptr) {
    const Strains ahead = foreseen_strains(data, source, false);
    std::vector<double> scratch(memory_of(data));
    if (const Remembered there = respond(data, ahead, before, scratch.data()); there.found)
      stressing = resultants(data, ahead, there);
  }
  if (geometric != nullptr) {
    Eigen::Map<Mat24> out(geometric);
    out.setZero();
    add_geometric(data, k, stressing, out);
  }
  if (tangent != nullptr) {
    Eigen::Map<Mat24> out(tangent);
    out.setZero();
    add_material(data, k, own, out);
    add_geometric(data, k, stressing, out);
  }
  if (data.offset != 0.0) bring_to_corners(data, k, &stressing, force, tangent, geometric);
  return true;
}

bool folded(const Data& data, const State& state) {
  // the current area at a corner must keep the sense of the directors
  const Corners c = gather(data, state);
  for (std::size_t i = 0; i < 4; ++i)
    if ((c.x[(i + 1) % 4] - c.x[i]).cross(c.x[(i + 3) % 4] - c.x[i]).dot(c.d[i]) <= 0) return true;
  return false;
}

/// Memory of an element before a trial, virgin where none is given.
std::vector<double> memory_before(const Data& data, const Trial& trial) {
  if (trial.committed == nullptr) return virgin_memory(data);
  return {trial.committed + data.memory, trial.committed + data.memory + memory_of(data)};
}

/// Means of the four points; the faces are layers.
ShellStress stress_remembering(const Data& data, const Trial& trial) {
  const Kinematics k = kinematics(data, trial.state);
  const Strains e = finite_strains(data, k, trial.state.free_strain(data.part), false);
  const auto before = memory_before(data, trial);
  std::vector<double> after(before.size());
  const Remembered own = respond(data, e, before.data(), after.data());
  const Resultants s = resultants(data, e, own);
  const Vector4d amplitude = Eigen::Map<const Vector4d>(after.data());
  ShellStress mean;
  for (std::size_t p = 0; p < 4; ++p) {
    const double share = data.points[p].weight / data.area;
    material::Wall::Vec6 strain;
    strain << e.membrane[p] + enhanced_modes(data, data.points[p]) * amplitude, e.bending[p];
    const double* memory = before.data() + kModes + p * static_cast<std::size_t>(data.wall->memory_size());
    mean.membrane += s.membrane[p] / data.area;
    mean.moment += s.bending[p] / data.area;
    mean.shear += s.shear[p] / data.area;
    mean.bottom += share * data.wall->stress(0, strain, 0, memory);
    mean.top += share * data.wall->stress(data.wall->layers() - 1, strain, 0, memory);
  }
  return mean;
}
}  // namespace

double equivalent_stress(const Eigen::Vector3d& s) {
  return std::sqrt(s[0] * s[0] - s[0] * s[1] + s[1] * s[1] + 3 * s[2] * s[2]);
}

Matrix3d plane_stress(const model::Material& material) {
  const double e = material.youngs_modulus, nu = material.poisson_ratio;
  Matrix3d c;
  c << 1, nu, 0, nu, 1, 0, 0, 0, 0.5 * (1 - nu);
  return e / (1 - nu * nu) * c;
}

ShellStress shell_stress(const Vector3d& membrane, const Vector3d& moment, const Vector2d& shear, double t) {
  const Vector3d bend = 6 / (t * t) * moment, mean = membrane / t;
  return {membrane, moment, shear, mean + bend, mean - bend};
}

ShellBatch::ShellBatch(const model::Model& model, double drilling_rest) {
  const auto directors = corner_directors(model);
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e)
    if (model.shell_elements[e].count == 4) {
      data_.push_back(make(model, model.shell_elements[e], directors[e]));
      auto& data = data_.back();
      data.drilling_rest = drilling_rest;
      const auto& part = model.parts[static_cast<std::size_t>(data.part)];
      const auto& material = model.materials[static_cast<std::size_t>(part.material)];
      if (!material.flows()) continue;
      data.wall = std::make_shared<const material::Wall>(
          material::flow_law<3>({material.youngs_modulus, material.poisson_ratio},
                                {material.flow_stress, material.isotropic_hardening, material.kinematic_hardening}),
          part.thickness);
      data.memory = memory_size_;
      memory_size_ += memory_of(data);
    }
}

void ShellBatch::start_memory(double* block) const {
  for (const auto& data : data_) {
    if (!data.wall) continue;
    const auto virgin = virgin_memory(data);
    std::copy(virgin.begin(), virgin.end(), block + data.memory);
  }
}

base::Verdict ShellBatch::evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                   const StressSource& source) const {
  base::Verdict verdict = base::Verdict::good;
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    const auto at = [&](double* base, int stride) {
      return base == nullptr ? nullptr : base + static_cast<std::ptrdiff_t>(stride) * k;
    };
    if (source.linear == nullptr && folded(data, trial.state)) verdict = base::Verdict::recoverable;
    double *force = at(out.force, 24), *tangent = at(out.tangent, 576), *geometric = at(out.geometric, 576);
    if (!data.wall || source.linear != nullptr) {
      evaluate_one(data, trial.state, source, force, tangent, geometric);
      continue;
    }
    const auto before = memory_before(data, trial);
    std::vector<double> scratch(trial.next == nullptr ? before.size() : 0);
    if (!evaluate_remembering(data, trial, before.data(),
                              trial.next == nullptr ? scratch.data() : trial.next + data.memory, source, force, tangent,
                              geometric))
      verdict = base::Verdict::recoverable;
  }
  return verdict;
}

ShellStress ShellBatch::stress(const Trial& trial, int element, const Eigen::VectorXd* linear) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const State& state = trial.state;
  if (data.wall && linear == nullptr) return stress_remembering(data, trial);
  const Kinematics k = kinematics(data, state);
  const double free_strain = state.free_strain(data.part);
  const Resultants s = resultants(
      data, linear == nullptr ? finite_strains(data, k, free_strain) : linear_strains(data, k, *linear, free_strain));
  Vector3d membrane = Vector3d::Zero(), moment = Vector3d::Zero();
  Vector2d shear = Vector2d::Zero();
  double area = 0;
  for (std::size_t p = 0; p < 4; ++p) {
    membrane += s.membrane[p];
    moment += s.bending[p];
    shear += s.shear[p];
    area += data.points[p].weight;
  }
  return shell_stress(membrane / area, moment / area, shear / area, data.thickness);
}

Mat3 ShellBatch::axes(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  Mat3 axes;
  const Vec3 normal = (data.director[0] + data.director[1] + data.director[2] + data.director[3]).normalized();
  const Vec3 first = (data.first[0] + data.first[1] + data.first[2] + data.first[3]).normalized();
  axes << first, normal.cross(first).normalized(), normal;
  return axes;
}

}  // namespace archway::elements
