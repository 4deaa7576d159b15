#include "core/material_detail.hpp"
#include "core/memory_detail.hpp"
#include "shells/shell_resultants_detail.hpp"

namespace archway::elements {

using namespace shell_detail;

namespace {
Mat3 middle_axes(const Corners& c) {
  const Sample p = sample(c, 0, 0);
  const Vec3 normal = p.gr.cross(p.gs).normalized(), first = p.gr.normalized();
  Mat3 axes;
  axes << first, normal.cross(first), normal;
  return axes;
}

/// In-plane axis of the middle, carried to a place with another normal by the smallest rotation: whichever corner comes
/// first, all axes of an element rotation together.
Vec3 carried(const Mat3& middle, const Vec3& normal, int axis) {
  return base::rotation_between(middle.col(2), normal) * middle.col(axis);
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
Matrix2d mean_shear_stiffness(const GaussPoint& middle, double rigidity, double shear) {
  const Matrix2d jacobian = middle.inverse_jacobian.inverse();
  const Matrix2d flexibility = Matrix2d::Identity() / shear + 4.0 * (jacobian.transpose() * jacobian) / (12 * rigidity);
  return flexibility.inverse();
}

Data make(const model::Model& model, const model::ShellElement& element, const std::array<Vec3, 9>& all_directors) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  const auto& material = model.materials[static_cast<std::size_t>(part.material)];
  const double t = model.thickness(element);
  Data data;
  data.part = element.part;
  data.thickness = t;
  data.offset = part.offset_z;
  Corners c;
  for (std::size_t i = 0; i < 4; ++i) {
    data.nodes[i] = element.nodes[i];
    c.d[i] = data.director[i] = all_directors[i];
    c.x[i] = model.nodes[static_cast<std::size_t>(element.nodes[i])] -
             model.nodes[static_cast<std::size_t>(element.nodes[0])] + data.offset * c.d[i];
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
  const double rigidity = data.bending_factor * data.membrane_stiffness(0, 0);
  data.shear_stiffness = 5.0 / 6.0 * material.shear_modulus() * t;
  if (part.rigid.shear) data.shear_stiffness += detail::thin_wall_shear(rigidity, (c.x[2] - c.x[0]).squaredNorm() / 2);
  data.mean_shear_stiffness = mean_shear_stiffness(data.middle, rigidity, data.shear_stiffness);
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

void evaluate_elastic(const Data& data, const State& state, const StressSource& source, double* force, double* tangent,
                      double* geometric) {
  const Kinematics k = kinematics(data, state);
  const double free_strain = state.free_strain(data.part);
  const Strains e = source.linear == nullptr ? finite_strains(data, k, free_strain)
                                             : linear_strains(data, k, *source.linear, free_strain);
  const auto stiffening = [&] {
    return resultants(data, source.previous == nullptr ? e : foreseen_strains(data, source));
  };
  const auto material = [&](Eigen::Map<Mat24>& out) { add_material(data, k, data.membrane_stiffness, out); };
  write_outputs(data, k, resultants(data, e), stiffening, material, force, tangent, geometric);
}

bool folded(const Data& data, const State& state) {
  // the current area at a corner must keep the sense of the directors
  const Corners c = gather(data, state);
  for (std::size_t i = 0; i < 4; ++i)
    if ((c.x[(i + 1) % 4] - c.x[i]).cross(c.x[(i + 3) % 4] - c.x[i]).dot(c.d[i]) <= 0) return true;
  return false;
}

detail::OwnMemory memory_in(const Trial& trial, const Data& data) {
  return {trial, data.memory, memory_of(data), [&](double* memory) { start_memory_of(data, memory); }};
}
}  // namespace

double equivalent_stress(const Eigen::Vector3d& s) {
  return std::sqrt(s[0] * s[0] - s[0] * s[1] + s[1] * s[1] + 3 * s[2] * s[2]);
}

Matrix3d plane_stress(const model::Material& material) {
  return material::elastic_law<3>(detail::elastic_of(material))->stiffness();
}

ShellStress shell_stress(const Vector3d& membrane, const Vector3d& moment, const Vector2d& shear, double t) {
  const Vector3d bend = 6 / (t * t) * moment, mean = membrane / t;
  return {membrane, moment, shear, mean + bend, mean - bend};
}

FaceStress face_stress(const Vector3d& membrane, const Vector3d& moment, double t) {
  const Vector3d bend = 6 / (t * t) * moment, mean = membrane / t;
  return {mean + bend, mean - bend};
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
      data.wall =
          std::make_shared<const material::Wall>(detail::flow_law_of<3>(material), data.thickness, part.layers / 2);
      data.memory = memory_size_;
      memory_size_ += memory_of(data);
    }
}

FlowRecords ShellBatch::flow_records(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  if (!data.wall) return {};
  const auto layers = static_cast<std::size_t>(data.wall->layers());
  return detail::flow_records_of(
      data.wall->law(),
      data.memory + shell_detail::memory_of(data) - 4 * static_cast<std::size_t>(data.wall->memory_size()), 4, layers);
}

void ShellBatch::start_memory(double* block) const {
  for (const auto& data : data_)
    if (data.wall) start_memory_of(data, block + data.memory);
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
      evaluate_elastic(data, trial.state, source, force, tangent, geometric);
      continue;
    }
    const auto memory = memory_in(trial, data);
    if (!evaluate_layers(data, trial.state, memory.before, memory.after, source, force, tangent, geometric))
      verdict = base::Verdict::recoverable;
  }
  return verdict;
}

material::Energy ShellBatch::energy(const Trial& trial, int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  if (data.wall) return energy_of_layers(data, trial.state, memory_in(trial, data).before);
  const Strains e = finite_strains(data, kinematics(data, trial.state), trial.state.free_strain(data.part));
  return {stored_in(e, resultants(data, e), true), 0};
}

Eigen::Matrix<double, 28, 28> ShellBatch::whole_tangent(const Trial& trial, int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  return whole_of_layers(data, trial.state, memory_in(Trial(trial.state, trial.committed, nullptr), data).before);
}

ShellStress ShellBatch::stress(const Trial& trial, int element, const Eigen::VectorXd* linear,
                               std::vector<FaceStress>* faces) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const State& state = trial.state;
  if (data.wall && linear == nullptr) return stress_of_layers(data, state, memory_in(trial, data).before, faces);
  const Kinematics k = kinematics(data, state);
  const double free_strain = state.free_strain(data.part);
  Strains e = linear == nullptr ? finite_strains(data, k, free_strain) : linear_strains(data, k, *linear, free_strain);
  if (linear == nullptr && state.correction.size() > 0) e = e + linear_strains(data, k, state.correction, 0);
  const Resultants s = resultants(data, e);
  Vector3d membrane = Vector3d::Zero(), moment = Vector3d::Zero();
  Vector2d shear = Vector2d::Zero();
  double area = 0;
  for (std::size_t p = 0; p < 4; ++p) {
    membrane += s.membrane[p];
    moment += s.bending[p];
    shear += s.shear[p];
    const double own = data.points[p].weight;
    area += own;
    if (faces != nullptr) faces->push_back(face_stress(s.membrane[p] / own, s.bending[p] / own, data.thickness));
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
