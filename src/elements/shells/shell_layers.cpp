#include "core/inner_detail.hpp"
#include "shells/shell_resultants_detail.hpp"

namespace archway::elements::shell_detail {

namespace {
using Mat6 = Eigen::Matrix<double, 6, 6>;
constexpr std::size_t kModes = 4;

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
      // stresses of bending cancel in the membrane force
      const double at_faces =
          detail::kNoStrain + strain.head<3>().norm() + 0.5 * data.thickness * strain.tail<3>().norm();
      inner.digits += data.points[p].weight * modes.norm() * answer.tangent.topLeftCorner<3, 3>().norm() * at_faces;
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
  Resultants s = shell_detail::resultants(data, e);
  for (std::size_t p = 0; p < 4; ++p) {
    s.membrane[p] = data.points[p].weight * r.membrane[p];
    s.bending[p] = data.points[p].weight * r.bending[p];
  }
  return s;
}

/// Stiffness by the tangents of the points, the modes held; what is left of the elastic element (shear, drilling) comes
/// from it with its plane stiffness taken out. \return pull of the modes by the degrees of freedom
Rows4 add_uncondensed(const Data& data, const Kinematics& k, const Remembered& r, Eigen::Map<Mat24>& out) {
  shell_detail::add_material(data, k, Matrix3d::Zero(), out);
  Rows4 coupling = Rows4::Zero();
  for (std::size_t p = 0; p < 4; ++p) {
    Eigen::Matrix<double, 6, 24> b;
    b << k.membrane[p], k.bending[p];
    const Eigen::Matrix<double, 6, 24> cb = data.points[p].weight * r.tangent[p] * b;
    out.noalias() += b.transpose() * cb;
    coupling.noalias() += enhanced_modes(data, data.points[p]).transpose() * cb.topRows<3>();
  }
  return coupling;
}

void add_material(const Data& data, const Kinematics& k, const Remembered& r, Eigen::Map<Mat24>& out) {
  const Rows4 coupling = add_uncondensed(data, k, r, out);
  out.noalias() -= coupling.transpose() * r.inner.ldlt().solve(coupling);
}
}  // namespace

std::size_t memory_of(const Data& data) {
  return kModes + 4 * static_cast<std::size_t>(data.wall->memory_size());
}

void start_memory_of(const Data& data, double* memory) {
  std::fill(memory, memory + kModes, 0.0);
  for (std::size_t p = 0; p < 4; ++p)
    data.wall->start(memory + kModes + p * static_cast<std::size_t>(data.wall->memory_size()));
}

bool evaluate_layers(const Data& data, const State& state, const double* before, double* after,
                     const StressSource& source, double* force, double* tangent, double* geometric) {
  const Kinematics k = kinematics(data, state);
  const Strains e = finite_strains(data, k, state.free_strain(data.part), false);
  const Remembered own = respond(data, e, before, after);
  if (!own.found) return false;
  const Resultants s = resultants(data, e, own);
  const auto stiffening = [&] {
    if (source.previous == nullptr) return s;
    const Strains ahead = foreseen_strains(data, source, false);
    std::vector<double> scratch(memory_of(data));
    const Remembered there = respond(data, ahead, before, scratch.data());
    return there.found ? resultants(data, ahead, there) : s;
  };
  const auto material = [&](Eigen::Map<Mat24>& out) { add_material(data, k, own, out); };
  write_outputs(data, k, s, stiffening, material, force, tangent, geometric);
  return true;
}

Eigen::Matrix<double, 28, 28> whole_of_layers(const Data& data, const State& state, const double* before) {
  const Kinematics k = kinematics(data, state);
  const Strains e = finite_strains(data, k, state.free_strain(data.part), false);
  std::vector<double> after(memory_of(data));
  const Remembered own = respond(data, e, before, after.data());
  Mat24 dofs = Mat24::Zero();
  Eigen::Map<Mat24> out(dofs.data());
  Eigen::Matrix<double, 28, 28> whole;
  whole.bottomLeftCorner<4, 24>() = add_uncondensed(data, k, own, out);
  add_geometric(data, k, resultants(data, e, own), out);
  whole.topLeftCorner<24, 24>() = dofs;
  whole.topRightCorner<24, 4>() = whole.bottomLeftCorner<4, 24>().transpose();
  whole.bottomRightCorner<4, 4>() = own.inner;
  return whole;
}

material::Energy energy_of_layers(const Data& data, const State& state, const double* memory) {
  const Kinematics k = kinematics(data, state);
  const Strains e = finite_strains(data, k, state.free_strain(data.part), false);
  const Vector4d amplitude = Eigen::Map<const Vector4d>(memory);
  material::Energy sum{stored_in(e, shell_detail::resultants(data, e), false), 0};
  for (std::size_t p = 0; p < 4; ++p) {
    material::Wall::Vec6 strain;
    strain << e.membrane[p] + enhanced_modes(data, data.points[p]) * amplitude, e.bending[p];
    sum += data.points[p].weight *
           data.wall->energy(strain, 0, memory + kModes + p * static_cast<std::size_t>(data.wall->memory_size()));
  }
  return sum;
}

ShellStress stress_of_layers(const Data& data, const State& state, const double* before,
                             std::vector<FaceStress>* faces) {
  const Kinematics k = kinematics(data, state);
  Strains e = finite_strains(data, k, state.free_strain(data.part), false);
  if (state.correction.size() > 0) e = e + linear_strains(data, k, state.correction, 0, false);
  std::vector<double> after(memory_of(data));
  const Remembered own = respond(data, e, before, after.data());
  const Resultants s = resultants(data, e, own);
  const Vector4d amplitude = Eigen::Map<const Vector4d>(after.data());
  ShellStress mean;
  for (std::size_t p = 0; p < 4; ++p) {
    const double share = data.points[p].weight / data.area;
    material::Wall::Vec6 strain;
    strain << e.membrane[p] + enhanced_modes(data, data.points[p]) * amplitude, e.bending[p];
    const double* memory = before + kModes + p * static_cast<std::size_t>(data.wall->memory_size());
    mean.membrane += s.membrane[p] / data.area;
    mean.moment += s.bending[p] / data.area;
    mean.shear += s.shear[p] / data.area;
    const FaceStress here{data.wall->stress(data.wall->layers() - 1, strain, 0, memory),
                          data.wall->stress(0, strain, 0, memory)};
    mean.bottom += share * here.bottom;
    mean.top += share * here.top;
    if (faces != nullptr) faces->push_back(here);
  }
  return mean;
}

}  // namespace archway::elements::shell_detail
