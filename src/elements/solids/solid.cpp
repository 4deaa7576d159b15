#include "archway/elements/solid.hpp"

#include <algorithm>
#include <cmath>

#include "archway/base/shape_functions.hpp"
#include "core/inner_detail.hpp"
#include "core/material_detail.hpp"
#include "core/memory_detail.hpp"
#include "solids/solid_kinematics_detail.hpp"

namespace archway::elements {

namespace {
using namespace solids;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Modes = SolidBatch::Modes;

/// Strain (11 22 33 12 23 13, shears doubled) in axes whose gradient of old coordinates is a: E' = a E a^T.
Matrix6 strain_rotation(const Mat3& a) {
  Matrix6 t;
  for (int row = 0; row < 6; ++row)
    for (int column = 0; column < 6; ++column) {
      const auto [i, j] = kPairs[static_cast<std::size_t>(row)];
      const auto [k, l] = kPairs[static_cast<std::size_t>(column)];
      const double both = k == l ? a(i, k) * a(j, k) : 0.5 * (a(i, k) * a(j, l) + a(i, l) * a(j, k));
      t(row, column) = (i == j ? 1 : 2) * both;
    }
  return t;
}

/// Enhanced modes in natural coordinates, all without a mean: 9 in the stretches, 12 in the shears.
Modes natural_modes(const Vec3& x) {
  Modes m = Modes::Zero();
  int next = 0;
  for (int k = 0; k < 3; ++k) {
    const int a = (k + 1) % 3, b = (k + 2) % 3;
    for (const double value : {x[k], x[k] * x[a], x[k] * x[b]}) m(k, next++) = value;
  }
  for (int row = 3; row < 6; ++row) {
    const auto [a, b] = kPairs[static_cast<std::size_t>(row)];
    const int c = 3 - a - b;
    for (const double value : {x[a], x[b], x[a] * x[c], x[b] * x[c]}) m(row, next++) = value;
  }
  return m;
}

Matrix6 material_matrix(const model::Material& m) {
  return material::elastic_law<6>(detail::elastic_of(m))->stiffness();
}

Mat3 jacobian(const std::vector<Vec3>& x, const base::SolidShape& shape) {
  Mat3 j = Mat3::Zero();  // rows: derivatives by the natural coordinates
  for (std::size_t i = 0; i < x.size(); ++i) j += shape.d[i] * x[i].transpose();
  return j;
}

GaussPoint point_at(const std::vector<Vec3>& x, const Vec3& place, double weight) {
  const auto shape = base::solid_shape(static_cast<int>(x.size()), place);
  const Mat3 j = jacobian(x, shape), inverse = j.inverse();
  GaussPoint p;
  p.weight = weight * j.determinant();
  p.gradient.resize(3, static_cast<Eigen::Index>(x.size()));
  for (std::size_t i = 0; i < x.size(); ++i) p.gradient.col(static_cast<Eigen::Index>(i)) = inverse * shape.d[i];
  return p;
}

std::vector<std::pair<Vec3, double>> cube_rule(int points) {
  const double g = points == 2 ? 1 / std::sqrt(3.0) : std::sqrt(0.6);
  const std::vector<double> at = points == 2 ? std::vector<double>{-g, g} : std::vector<double>{-g, 0, g};
  const std::vector<double> w = points == 2 ? std::vector<double>{1, 1} : std::vector<double>{5. / 9, 8. / 9, 5. / 9};
  std::vector<std::pair<Vec3, double>> rule;
  for (std::size_t i = 0; i < at.size(); ++i)
    for (std::size_t j = 0; j < at.size(); ++j)
      for (std::size_t k = 0; k < at.size(); ++k) rule.push_back({Vec3(at[k], at[j], at[i]), w[i] * w[j] * w[k]});
  return rule;
}

Data make(const model::Model& model, const model::SolidElement& element) {
  Data data;
  data.nodes = element.nodes;
  data.part = element.part;
  std::vector<Vec3> x;  // from the first node: far from the origin places have fewer digits than their differences
  for (const int n : element)
    x.push_back(model.nodes[static_cast<std::size_t>(n)] - model.nodes[static_cast<std::size_t>(element.nodes[0])]);
  data.material = material_matrix(
      model.materials[static_cast<std::size_t>(model.parts[static_cast<std::size_t>(element.part)].material)]);
  for (const auto& [place, weight] : cube_rule(element.count == 8 ? 2 : 3))
    data.points.push_back(point_at(x, place, weight));
  data.inverse_enhanced.setZero();
  if (element.count == 20) {
    for (const auto& [place, weight] : cube_rule(2)) data.stress_points.push_back(point_at(x, place, weight));
    return data;
  }
  const Mat3 middle = jacobian(x, base::solid_shape(8, Vec3::Zero()));
  const Matrix6 rotation = strain_rotation(middle.inverse());
  Eigen::Matrix<double, 21, 21> sum = Eigen::Matrix<double, 21, 21>::Zero();
  const auto rule = cube_rule(2);
  for (std::size_t p = 0; p < 8; ++p) {
    auto& point = data.points[p];
    point.modes = middle.determinant() / point.weight * rotation * natural_modes(rule[p].first);
    sum += point.weight * point.modes.transpose() * data.material * point.modes;
  }
  data.inverse_enhanced = sum.inverse();
  return data;
}

VectorXd step_of(const Data& data, int nodes, const VectorXd& u) {
  VectorXd step(3 * nodes);
  for (int i = 0; i < nodes; ++i)
    step.segment<3>(3 * i) = u.segment<3>(model::row(data.nodes[static_cast<std::size_t>(i)]));
  return step;
}

/// Strains at the Gauss points in a state, and by a small step from it (full; nullptr: none), enhancement included.
/// \param keep_state  false: the step alone
std::vector<Strain> strains(const Data& data, int nodes, const State& state, const VectorXd* step, bool keep_state) {
  std::vector<Strain> list;
  const VectorXd local = step == nullptr ? VectorXd() : step_of(data, nodes, *step);
  Eigen::Matrix<double, 21, 1> load = Eigen::Matrix<double, 21, 1>::Zero();
  const Deformations deformations(data, nodes, state);
  list.reserve(data.points.size());
  for (std::size_t p = 0; p < data.points.size(); ++p) {
    const auto& point = data.points[p];
    const Mat3& f = deformations[p];
    Strain e = keep_state ? green(f) : Strain(Strain::Zero());
    e.head<3>().array() -= state.free_strain(data.part);
    if (step != nullptr) e += strain_rows(point, f) * local;
    if (nodes == 8) load += point.weight * point.modes.transpose() * (data.material * e);
    list.push_back(e);
  }
  if (nodes == 8) {
    const Eigen::Matrix<double, 21, 1> amplitude = -data.inverse_enhanced * load;
    for (std::size_t p = 0; p < list.size(); ++p) list[p] += data.points[p].modes * amplitude;
  }
  return list;
}

/// Of the 3 x 3 x 3 points the one that is nearest to a corner of the 2 x 2 x 2 (both as cube_rule counts).
std::size_t corner_of_27(std::size_t corner) {
  const std::size_t i = corner / 4, j = corner / 2 % 2, k = corner % 2;
  return 18 * i + 6 * j + 2 * k;
}
/// Values at the points of a cube from those of a larger one, linear along each direction.
std::vector<Strain> nearer(const std::vector<Strain>& corners) {
  const double ratio = std::sqrt(1.0 / 3) / std::sqrt(0.6);
  std::vector<Strain> inside;
  for (std::size_t c = 0; c < 8; ++c) {
    Strain sum = Strain::Zero();
    for (std::size_t p = 0; p < 8; ++p) {
      double weight = 1;
      for (const std::size_t bit : {4u, 2u, 1u}) weight *= 0.5 * (1 + ((c & bit) == (p & bit) ? ratio : -ratio));
      sum += weight * corners[p];
    }
    inside.push_back(sum);
  }
  return inside;
}

// ---- points that remember ----

using Modes21 = Eigen::Matrix<double, 21, 1>;
using Matrix21 = Eigen::Matrix<double, 21, 21>;
constexpr std::size_t kModes = 21;

/// Compatible strains at the Gauss points, free strain and enhancement left to what comes after.
std::vector<Strain> compatible_strains(const Data& data, int nodes, const State& state, const VectorXd* step) {
  std::vector<Strain> list;
  const VectorXd local = step == nullptr ? VectorXd() : step_of(data, nodes, *step);
  const Deformations deformations(data, nodes, state);
  list.reserve(data.points.size());
  for (std::size_t p = 0; p < data.points.size(); ++p) {
    list.push_back(green(deformations[p]));
    if (step != nullptr) list.back() += strain_rows(data.points[p], deformations[p]) * local;
  }
  return list;
}

/// What points answer, with the amplitudes of the enhanced modes that leave no residual.
struct Remembered {
  std::vector<Strain> strain, stress;
  std::vector<Matrix6> tangent;
  Matrix21 inner = Matrix21::Zero();  // stiffness of the modes
  bool found = false;                 // see detail::find_inner
};

Remembered respond(const Data& data, const std::vector<Strain>& compatible, double free_strain, const double* before,
                   double* after) {
  const bool enhanced = data.stress_points.empty();
  const auto size = static_cast<std::ptrdiff_t>(data.law->memory().size()),
             first = static_cast<std::ptrdiff_t>(enhanced ? kModes : 0);
  Remembered r;
  const auto at = [&](const Modes21& amplitude) {
    detail::Inner<21> inner;
    r.strain.clear();
    r.stress.clear();
    r.tangent.clear();
    for (std::size_t p = 0; p < data.points.size(); ++p) {
      const auto& point = data.points[p];
      const auto own = first + size * static_cast<std::ptrdiff_t>(p);
      const Strain e = enhanced ? Strain(compatible[p] + point.modes * amplitude) : compatible[p];
      const auto answer = data.law->respond(e, free_strain, before + own, after + own);
      r.strain.push_back(e);
      r.stress.push_back(answer.stress);
      r.tangent.push_back(answer.tangent);
      if (!enhanced) continue;
      const Modes21 pull = point.weight * point.modes.transpose() * answer.stress;
      inner.gap += pull;
      inner.scale += pull.norm();
      inner.digits += point.weight * point.modes.norm() *
                      (answer.tangent.cwiseAbs() * (e.cwiseAbs().array() + detail::kNoStrain).matrix()).norm();
      inner.stiffness += point.weight * point.modes.transpose() * answer.tangent * point.modes;
    }
    r.inner = inner.stiffness;
    return inner;
  };
  Modes21 amplitude = Modes21::Zero();
  if (!enhanced) {
    (void)at(amplitude);
    r.found = true;
    return r;
  }
  amplitude = Eigen::Map<const Modes21>(before);
  r.found = detail::find_inner<21>(at, amplitude);
  Eigen::Map<Modes21>(after + 0) = amplitude;
  return r;
}

void evaluate_one(const Data& data, int nodes, const State& state, const StressSource& source, double* force,
                  double* tangent, double* geometric) {
  const Eigen::Index n = 3 * nodes;
  const auto own = strains(data, nodes, state, source.linear, source.linear == nullptr);
  const Integrals integrals(data, nodes, state);
  const auto stress_of = [&](const std::vector<Strain>& strain) {
    return [&](Eigen::Index p) { return Strain(data.material * strain[static_cast<std::size_t>(p)]); };
  };
  if (force != nullptr) integrals.force(stress_of(own), force);
  if (tangent == nullptr && geometric == nullptr) return;
  const bool ahead = source.linear == nullptr && source.previous != nullptr;
  const auto stressing = ahead ? strains(data, nodes, *source.previous, source.step, true) : std::vector<Strain>();
  Square k(n, n);
  k.setZero();
  integrals.geometric(stress_of(ahead ? stressing : own), k);
  if (geometric != nullptr) write_whole(k, geometric);
  if (tangent == nullptr) return;
  Eigen::Matrix<double, 21, Eigen::Dynamic> enhanced;
  if (nodes == 8) enhanced.setZero(21, n);
  integrals.stiffness([&](Eigen::Index) { return data.material; }, k, nodes == 8 ? &enhanced : nullptr);
  if (nodes == 8) k.triangularView<Eigen::Lower>() -= enhanced.transpose() * (data.inverse_enhanced * enhanced).eval();
  write_whole(k, tangent);
}

std::size_t memory_of(const Data& data) {
  return (data.stress_points.empty() ? kModes : 0) + data.points.size() * data.law->memory().size();
}

void start_memory_of(const Data& data, double* memory) {
  const std::size_t modes = data.stress_points.empty() ? kModes : 0, fields = data.law->memory().size();
  std::fill(memory, memory + modes, 0.0);
  for (std::size_t k = modes; k < memory_of(data); ++k) memory[k] = data.law->memory()[(k - modes) % fields].start;
}

/// The same for points that remember. False: the inner unknowns were not found.
bool evaluate_remembering(const Data& data, int nodes, const State& state, const double* before, double* after,
                          const StressSource& source, double* force, double* tangent, double* geometric) {
  const Eigen::Index n = 3 * nodes;
  const double free_strain = state.free_strain(data.part);
  const auto own = respond(data, compatible_strains(data, nodes, state, nullptr), free_strain, before, after);
  if (!own.found) return false;
  auto stressing = own.stress;
  if (source.previous != nullptr && (tangent != nullptr || geometric != nullptr)) {
    std::vector<double> scratch(memory_of(data));
    const auto ahead = respond(data, compatible_strains(data, nodes, *source.previous, source.step),
                               source.previous->free_strain(data.part), before, scratch.data());
    if (ahead.found) stressing = ahead.stress;
  }
  const auto at = [](const auto& list) {
    return [&list](Eigen::Index p) -> const auto& {
      return list[static_cast<std::size_t>(p)];
    };
  };
  const Integrals integrals(data, nodes, state);
  if (force != nullptr) integrals.force(at(own.stress), force);
  if (tangent == nullptr && geometric == nullptr) return true;
  Square k(n, n);
  k.setZero();
  integrals.geometric(at(stressing), k);
  if (geometric != nullptr) write_whole(k, geometric);
  if (tangent == nullptr) return true;
  Eigen::Matrix<double, 21, Eigen::Dynamic> enhanced;
  if (nodes == 8) enhanced.setZero(21, n);
  integrals.stiffness(at(own.tangent), k, nodes == 8 ? &enhanced : nullptr);
  if (nodes == 8) k.triangularView<Eigen::Lower>() -= enhanced.transpose() * own.inner.ldlt().solve(enhanced).eval();
  write_whole(k, tangent);
  return true;
}

detail::OwnMemory memory_in(const Trial& trial, const Data& data) {
  return {trial, data.memory, memory_of(data), [&](double* memory) { start_memory_of(data, memory); }};
}
}  // namespace

double equivalent_stress(const SolidStress& s) {
  const double a = s[0] - s[1], b = s[1] - s[2], c = s[2] - s[0];
  return std::sqrt(0.5 * (a * a + b * b + c * c) + 3 * s.tail<3>().squaredNorm());
}

SolidBatch::SolidBatch(const model::Model& model, int nodes) : node_count_(nodes) {
  for (const auto& element : model.solid_elements)
    if (element.count == nodes) {
      data_.push_back(make(model, element));
      auto& data = data_.back();
      const auto& material =
          model.materials[static_cast<std::size_t>(model.parts[static_cast<std::size_t>(element.part)].material)];
      if (!material.flows()) continue;
      data.law = detail::flow_law_of<6>(material);
      data.memory = memory_size_;
      memory_size_ += memory_of(data);
    }
}

FlowRecords SolidBatch::flow_records(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  if (!data.law) return {};
  const std::size_t modes = data.stress_points.empty() ? kModes : 0;
  return detail::flow_records_of(*data.law, data.memory + modes, data.points.size(), 1);
}

void SolidBatch::start_memory(double* block) const {
  for (const auto& data : data_)
    if (data.law) start_memory_of(data, block + data.memory);
}

base::Verdict SolidBatch::evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                   const StressSource& source) const {
  base::Verdict verdict = base::Verdict::good;
  const std::ptrdiff_t n = dof_count();
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    if (source.linear == nullptr) {
      const Deformations deformations(data, node_count_, trial.state);
      for (std::size_t p = 0; p < data.points.size(); ++p)
        if (!(deformations[p].determinant() > 0)) verdict = base::Verdict::recoverable;
    }
    const auto at = [&](double* base, std::ptrdiff_t stride) { return base == nullptr ? nullptr : base + stride * k; };
    double *force = at(out.force, n), *tangent = at(out.tangent, n * n), *geometric = at(out.geometric, n * n);
    if (data.law && source.linear == nullptr) {
      const auto memory = memory_in(trial, data);
      if (!evaluate_remembering(data, node_count_, trial.state, memory.before, memory.after, source, force, tangent,
                                geometric))
        verdict = base::Verdict::recoverable;
    } else {
      evaluate_one(data, node_count_, trial.state, source, force, tangent, geometric);
    }
  }
  return verdict;
}

material::Energy SolidBatch::energy(const Trial& trial, int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  material::Energy sum;
  if (!data.law) {
    const auto own = strains(data, node_count_, trial.state, nullptr, true);
    for (std::size_t p = 0; p < own.size(); ++p)
      sum.stored += 0.5 * data.points[p].weight * own[p].dot(data.material * own[p]);
    return sum;
  }
  const auto memory = memory_in(trial, data);
  const std::size_t modes = data.stress_points.empty() ? kModes : 0;
  const auto compatible = compatible_strains(data, node_count_, trial.state, nullptr);
  for (std::size_t p = 0; p < compatible.size(); ++p) {
    const auto& point = data.points[p];
    Strain e = compatible[p];
    if (modes > 0) e += point.modes * Modes21(Eigen::Map<const Modes21>(memory.before));
    sum += point.weight * data.law->energy(e, trial.state.free_strain(data.part),
                                           memory.before + modes + p * data.law->memory().size());
  }
  return sum;
}

namespace {
/// Whether a point of an element has flowed by what the points remember.
bool has_flowed(const Data& data, const double* memory) {
  const auto place = data.law->plastic_strain_place();
  const std::size_t modes = data.stress_points.empty() ? kModes : 0, fields = data.law->memory().size();
  for (std::size_t p = 0; place >= 0 && p < data.points.size(); ++p)
    if (memory[modes + p * fields + static_cast<std::size_t>(place)] > 0) return true;
  return false;
}

/// Stress of a law at a place where nothing has flowed.
Strain virgin_stress(const Data& data, const Strain& strain, double free_strain) {
  std::vector<double> before, after;
  for (const auto& field : data.law->memory()) before.push_back(field.start);
  after = before;
  return data.law->told(strain, data.law->respond(strain, free_strain, before.data(), after.data()));
}
}  // namespace

std::vector<SolidStress> SolidBatch::stress(const Trial& trial, int element, const VectorXd* linear,
                                            std::vector<SolidStress>* points) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const State& state = trial.state;
  std::vector<SolidStress> at_points;
  const bool by_law = data.law && linear == nullptr;
  const VectorXd* step_from = linear == nullptr && state.correction.size() > 0 ? &state.correction : linear;
  bool flowed = false;
  if (by_law) {
    const auto memory = memory_in(trial, data);
    std::vector<double> scratch(memory_of(data));  // asking for stresses changes nothing
    auto all = respond(data, compatible_strains(data, node_count_, state, step_from), state.free_strain(data.part),
                       memory.before, scratch.data());
    for (std::size_t p = 0; p < all.stress.size(); ++p)
      all.stress[p] = data.law->told(all.strain[p], {all.stress[p], all.tangent[p]});
    if (node_count_ == 8) at_points = all.stress;
    if (node_count_ == 20 && points != nullptr) points->insert(points->end(), all.stress.begin(), all.stress.end());
    flowed = has_flowed(data, scratch.data());
    // of the 27 points of twenty nodes those at the corners, brought in to where the smaller cube has its own
    for (std::size_t c = 0; c < 8 && node_count_ == 20 && flowed; ++c) at_points.push_back(all.stress[corner_of_27(c)]);
    if (node_count_ == 20 && flowed) at_points = nearer(at_points);
  } else if (node_count_ == 8) {
    for (const auto& e : strains(data, 8, state, step_from, linear == nullptr)) at_points.push_back(data.material * e);
  } else if (points != nullptr) {
    for (const auto& e : strains(data, 20, state, step_from, linear == nullptr)) points->push_back(data.material * e);
  }
  if (node_count_ == 20 && !flowed) {
    const VectorXd& wanted = linear == nullptr ? state.correction : *linear;
    const VectorXd step = wanted.size() == 0 ? VectorXd() : step_of(data, node_count_, wanted);
    const Deformations deformations(data, data.stress_points, node_count_, state);
    for (std::size_t p = 0; p < data.stress_points.size(); ++p) {
      const Mat3& f = deformations[p];
      Strain e = linear == nullptr ? green(f) : Strain(Strain::Zero());
      if (step.size() > 0) e += strain_rows(data.stress_points[p], f) * step;
      if (by_law) {
        at_points.push_back(virgin_stress(data, e, state.free_strain(data.part)));
        continue;
      }
      e.head<3>().array() -= state.free_strain(data.part);
      at_points.push_back(data.material * e);
    }
  }
  // the Gauss points are the corners of a smaller cube: extrapolate linearly along each direction
  std::vector<SolidStress> corners;
  const auto rule = cube_rule(2);
  for (std::size_t c = 0; c < 8; ++c) {
    SolidStress sum = SolidStress::Zero();
    for (std::size_t p = 0; p < 8; ++p) {
      double weight = 1;
      for (int k = 0; k < 3; ++k)
        weight *= 0.5 * (1 + std::sqrt(3.0) * base::solid_nodes()[c][k] * (rule[p].first[k] > 0 ? 1 : -1));
      sum += weight * at_points[p];
    }
    corners.push_back(sum);
  }
  return corners;
}

}  // namespace archway::elements
