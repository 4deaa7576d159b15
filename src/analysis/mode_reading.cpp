#include "archway/analysis/mode_reading.hpp"

#include <algorithm>
#include <cmath>

namespace archway::analysis {

BaseState base_state(const System& system, const BucklingOptions& options, const BucklingResult& result) {
  BaseState base;
  base.growing = recover_forces(system, system.factors(options.growing), result.growing_displacement, result.slack);
  const Eigen::VectorXd none = Eigen::VectorXd::Zero(system.full_size());
  base.held = recover_forces(system, system.factors(options.held),
                             result.held_displacement.size() > 0 ? result.held_displacement : none, result.slack);
  if (!result.modes.empty())
    base.at_critical = peaks_by_part(system.model(), sum_of(base.held, result.modes[0].load_factor, base.growing));
  base.yield = first_yield(system.model(), base.held, base.growing);
  return base;
}

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;

MatrixXd shapes_of(const BucklingResult& result) {
  MatrixXd shapes(result.modes[0].shape.size(), static_cast<Eigen::Index>(result.modes.size()));
  for (std::size_t m = 0; m < result.modes.size(); ++m)
    shapes.col(static_cast<Eigen::Index>(m)) = result.modes[m].shape;
  return shapes;
}

/// shape^T matrix shape of every mode, on the free freedoms.
VectorXd forms(const System& system, const algebra::SymmetricMatrix& matrix, const BucklingResult& result) {
  const State reference = State::reference(system.model());
  VectorXd values(static_cast<Eigen::Index>(result.modes.size()));
  for (std::size_t m = 0; m < result.modes.size(); ++m) {
    const VectorXd x = system.free_values(result.modes[m].shape, reference);
    values[static_cast<Eigen::Index>(m)] = x.dot(VectorXd(matrix.times(x)));
  }
  return values;
}

void read_loads(const System& system, const BucklingOptions& options, const BucklingResult& result,
                std::vector<ModeReading>& readings) {
  const auto& terms = options.growing.terms;
  MatrixXd work(static_cast<Eigen::Index>(terms.size()), static_cast<Eigen::Index>(readings.size()));
  for (std::size_t t = 0; t < terms.size(); ++t) {
    std::vector<double> alone(system.model().actions.size(), 0.0);
    alone[static_cast<std::size_t>(terms[t].first)] = 1;
    work.row(static_cast<Eigen::Index>(t)) =
        terms[t].second *
        forms(system, detail::geometric_of(system, alone, result.term_displacements[t], result.slack), result)
            .transpose();
  }
  for (std::size_t m = 0; m < readings.size(); ++m) {
    const VectorXd own = work.col(static_cast<Eigen::Index>(m)) / work.col(static_cast<Eigen::Index>(m)).sum();
    readings[m].load_shares.assign(own.data(), own.data() + own.size());
  }
}

/// Nodes that elements of several parts share.
std::vector<char> joints_of(const model::Model& model) {
  std::vector<int> owner(model.nodes.size(), -1);
  std::vector<char> joint(model.nodes.size(), 0);
  model.each_element([&](const int* first, const int* last, int part) {
    for (; first != last; ++first) {
      auto& own = owner[static_cast<std::size_t>(*first)];
      if (own >= 0 && part >= 0 && own != part) joint[static_cast<std::size_t>(*first)] = 1;
      if (part >= 0) own = part;
    }
  });
  for (const auto& tie : model.ties) joint[static_cast<std::size_t>(tie.follower)] = 1;
  return joint;
}

void read_joints(const VectorXd& shape, const std::vector<char>& nodes, ModeReading& reading) {
  double most = 0, there = 0, sizes = 0;
  Vec3 sum = Vec3::Zero();
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    const Vec3 move = shape.segment<3>(model::row(n));
    const double size = move.norm();
    most = std::max(most, size);
    if (!nodes[n]) continue;
    there = std::max(there, size);
    sum += move;
    sizes += size;
  }
  reading.joint_movement = most > 0 ? there / most : 0.0;
  reading.joint_coherence = sizes > 0 ? sum.norm() / sizes : 0.0;
}

/// How rigidly the cross-section moves where the mode is largest; for structures twice as long as wide and more.
void read_section(const model::Model& model, const VectorXd& shape, ModeReading& reading) {
  Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
  for (const auto& x : model.nodes) low = low.cwiseMin(x), high = high.cwiseMax(x);
  const Vec3 extent = high - low;
  Eigen::Index axis = 0;
  const double length = extent.maxCoeff(&axis);
  const Eigen::Index u = (axis + 1) % 3, v = (axis + 2) % 3;
  if (length < 2 * std::max(extent[u], extent[v])) return;
  double most = -1, place = 0;
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    if (const double size = shape.segment<3>(model::row(n)).norm(); size > most)
      most = size, place = model.nodes[n][axis];
  // movement (a - c y, b + c z) over the nodes of a thin slice, by least squares
  std::vector<std::array<double, 4>> slice;  // y, z, movement along them, from the middle
  double turn = 0, radius = 0;
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    if (std::abs(model.nodes[n][axis] - place) > 0.01 * length) continue;
    const Vec3 move = shape.segment<3>(model::row(n));
    slice.push_back({model.nodes[n][u], model.nodes[n][v], move[u], move[v]});
    turn += shape[model::row(n) + 3 + axis];
  }
  std::array<double, 4> mean{};
  for (const auto& s : slice)
    for (std::size_t k = 0; k < 4; ++k) mean[k] += s[k] / static_cast<double>(slice.size());
  double polar = 0, turning = 0, all = 0;
  for (const auto& s : slice) {
    const double y = s[0] - mean[0], z = s[1] - mean[1];
    polar += y * y + z * z;
    turning += y * (s[3] - mean[3]) - z * (s[2] - mean[2]);
    all += s[2] * s[2] + s[3] * s[3];
  }
  const auto count = static_cast<double>(slice.size());
  double turned = 0, moved = count * (mean[2] * mean[2] + mean[3] * mean[3]);
  if (polar > 1e-12 * length * length) {
    turned = turning * turning / polar;
  } else {  // one member: its section turns with the nodes
    for (const auto& p : model.profiles)
      radius = std::max(radius, std::sqrt((p.second_moment_y + p.second_moment_z) / p.area));
    turned = radius * radius * turn * turn / count;
    all += turned;
  }
  if (!(all > 0)) return;
  reading.rigid_share = (turned + moved) / all;
  reading.twist_share = turned / (turned + moved);
}

std::vector<double> shares(const VectorXd& values) {
  const VectorXd own = values / values.sum();
  return {own.data(), own.data() + own.size()};
}

/// What follows from the shape and the shares of energy alone.
void read_shape(const model::Model& model, const VectorXd& shape, const std::vector<char>& joints,
                ModeReading& reading) {
  const auto lead = std::max_element(reading.energy.begin(), reading.energy.end()) - reading.energy.begin();
  reading.leading_part = lead == static_cast<std::ptrdiff_t>(model.parts.size()) ? -1 : static_cast<int>(lead);
  read_joints(shape, joints, reading);
  read_section(model, shape, reading);
  reading.waves = wave_counts(model, shape);
}
}  // namespace

std::vector<ModeReading> read_modes(const System& system, const BucklingOptions& options,
                                    const BucklingResult& result) {
  std::vector<ModeReading> readings(result.modes.size());
  if (readings.empty()) return readings;
  const auto growing = system.factors(options.growing), held = system.factors(options.held);
  read_loads(system, options, result, readings);
  const MatrixXd shapes = shapes_of(result);
  const State reference = State::reference(system.model());
  elements::StressSource source;
  source.slack = &result.slack;
  MatrixXd energy = system.forms_by_part(reference, source, false, shapes);
  source.linear = &result.growing_displacement;
  MatrixXd work = -system.forms_by_part(system.warmed_reference(growing), source, true, shapes);
  const VectorXd driven =
      -forms(system, detail::geometric_of(system, growing, result.growing_displacement, result.slack), result);
  VectorXd held_forms = VectorXd::Zero(driven.size());
  if (result.held_displacement.size() > 0)
    held_forms = forms(system, detail::geometric_of(system, held, result.held_displacement, result.slack), result);
  const auto joints = joints_of(system.model());
  const auto errors = mesh_errors(system, result);
  for (std::size_t m = 0; m < readings.size(); ++m) {
    const auto column = static_cast<Eigen::Index>(m);
    auto& reading = readings[m];
    work(work.rows() - 1, column) += driven[column] - work.col(column).sum();
    reading.energy = shares(energy.col(column));
    reading.work = shares(work.col(column));
    reading.held_share = held_forms[column] / energy.col(column).sum();
    read_shape(system.model(), result.modes[m].shape, joints, reading);
    reading.mesh_error = errors[m];
  }
  return readings;
}

std::vector<ModeReading> read_modes_about(const System& system, const StateInPlace& base,
                                          const BucklingResult& result) {
  std::vector<ModeReading> readings(result.modes.size());
  if (readings.empty()) return readings;
  State state = State::reference(system.model());
  system.advance(state, base.displacement);
  const MatrixXd energy = system.forms_by_part(state, {}, false, shapes_of(result));
  const auto joints = joints_of(system.model());
  for (std::size_t m = 0; m < readings.size(); ++m) {
    readings[m].energy = shares(energy.col(static_cast<Eigen::Index>(m)));
    read_shape(system.model(), result.modes[m].shape, joints, readings[m]);
  }
  return readings;
}

std::vector<EffectiveLength> effective_lengths(const model::Model& model, const BaseState& base,
                                               const BucklingResult& result, const std::vector<ModeReading>& readings) {
  constexpr double taken_along = 0.1;
  std::vector<EffectiveLength> list;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const auto& part = model.parts[p];
    if (part.kind != model::PartKind::member) continue;
    EffectiveLength e;
    e.part = static_cast<int>(p);
    for (std::size_t m = 0; m < readings.size() && e.mode < 0; ++m)
      if (readings[m].work[p] >= taken_along) e.mode = static_cast<int>(m);
    const double factor = result.modes[static_cast<std::size_t>(std::max(e.mode, 0))].load_factor;
    e.axial = -peaks_by_part(model, sum_of(base.held, factor, base.growing))[p].axial_low;
    if (!(e.axial > 0)) continue;
    const auto& material = model.materials[static_cast<std::size_t>(part.material)];
    const auto& profile = model.profiles[static_cast<std::size_t>(part.profile)];
    if (e.mode >= 0) {
      e.about_y = M_PI * std::sqrt(material.youngs_modulus * profile.second_moment_y / e.axial);
      e.about_z = M_PI * std::sqrt(material.youngs_modulus * profile.second_moment_z / e.axial);
      if (material.yield_stress > 0) e.slenderness = std::sqrt(profile.area * material.yield_stress / e.axial);
    }
    list.push_back(e);
  }
  return list;
}

}  // namespace archway::analysis
