#include "archway/analysis/mode_reading.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "archway/analysis/section_stress.hpp"
#include "archway/analysis/stress_recovery.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/disjoint_sets.hpp"
#include "buckling/buckling_thresholds_detail.hpp"

namespace archway::analysis {

BaseState base_state(const System& system, const BucklingOptions& options, const BucklingResult& result) {
  BaseState base;
  base.variable = recover_forces(system, system.factors(options.variable), result.variable_displacement, result.slack);
  const Eigen::VectorXd none = Eigen::VectorXd::Zero(system.full_size());
  base.constant =
      recover_forces(system, system.factors(options.constant),
                     result.constant_displacement.size() > 0 ? result.constant_displacement : none, result.slack);
  if (!result.modes.empty())
    base.at_critical = peaks_by_part(system.model(), sum_of(base.constant, result.modes[0].load_factor, base.variable));
  base.yield = first_yield(system.model(), base.constant, base.variable);
  return base;
}

BaseState base_state_about(const System& system, const StateInPlace& in_place, const BucklingResult& result) {
  BaseState base;
  base.constant = forces_at(system, system.factors(in_place.loads), in_place.state, in_place.memory.get());
  base.variable = added_forces(system, in_place.state, result.variable_displacement);
  if (!result.modes.empty())
    base.at_critical = peaks_by_part(system.model(), sum_of(base.constant, result.modes[0].load_factor, base.variable));
  base.yield = first_yield(system.model(), base.constant, base.variable);
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

/// shape^T matrix shape of every mode, on the free degrees of freedom.
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
  const auto& terms = options.variable.terms;
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
  reading.joint_displacement = most > 0 ? there / most : 0.0;
  reading.joint_coherence = sizes > 0 ? sum.norm() / sizes : 0.0;
}

/// Parts that hang together with a part by shared nodes, ties or springs.
std::vector<char> together_with(const model::Model& model, int part) {
  base::DisjointSets pieces(model.nodes.size());
  std::vector<int> of_part(model.parts.size(), -1);
  model.each_element([&](const int* first, const int* last, int p) {
    for (const int* n = first + 1; n < last; ++n) pieces.join(*first, *n);
    if (p >= 0) of_part[static_cast<std::size_t>(p)] = *first;
  });
  for (const auto& tie : model.ties)
    for (const int leader : tie.leaders) pieces.join(tie.follower, leader);
  std::vector<char> inside(model.parts.size(), 0);
  const int home = part < 0 ? -1 : of_part[static_cast<std::size_t>(part)];
  for (std::size_t p = 0; p < inside.size(); ++p)
    inside[p] = home >= 0 && of_part[p] >= 0 && pieces.together(of_part[p], home) ? 1 : 0;
  return inside;
}

/// Nodes of panels of some parts, and the direction in which they extend most.
struct Bar {
  std::vector<int> nodes;
  Vec3 along = Vec3::Zero(), across = Vec3::Zero(), up = Vec3::Zero();
  double length = 0;  ///< 0: not twice as long as wide
};

Bar bar_of(const model::Model& model, const std::vector<char>& parts) {
  Bar bar;
  std::set<int> nodes;
  for (const auto& e : model.shell_elements)
    if (parts[static_cast<std::size_t>(e.part)]) nodes.insert(e.begin(), e.end());
  bar.nodes.assign(nodes.begin(), nodes.end());
  if (bar.nodes.size() < 4) return bar;
  Vec3 mean = Vec3::Zero();
  for (const int n : bar.nodes) mean += model.nodes[static_cast<std::size_t>(n)] / static_cast<double>(nodes.size());
  Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
  for (const int n : bar.nodes) {
    const Vec3 d = model.nodes[static_cast<std::size_t>(n)] - mean;
    spread += d * d.transpose();
  }
  const base::PrincipalAxes solver(spread);
  bar.along = solver.eigenvectors().col(2);
  bar.across = solver.eigenvectors().col(1);
  bar.up = bar.along.cross(bar.across);
  Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
  for (const int n : bar.nodes) {
    const Vec3& x = model.nodes[static_cast<std::size_t>(n)];
    const Vec3 place(bar.along.dot(x), bar.across.dot(x), bar.up.dot(x));
    low = low.cwiseMin(place), high = high.cwiseMax(place);
  }
  const Vec3 extent = high - low;
  if (extent[0] >= 2 * std::max(extent[1], extent[2])) bar.length = extent[0];
  return bar;
}

/// How rigidly the cross-section of a long body of panels moves where the mode is largest.
void read_section(const model::Model& model, const Bar& bar, const VectorXd& shape, ModeReading& reading) {
  if (bar.length == 0.0) return;
  double most = -1, place = 0;
  for (const int n : bar.nodes)
    if (const double size = shape.segment<3>(model::row(n)).norm(); size > most * (1 + 1e-9))
      most = size, place = bar.along.dot(model.nodes[static_cast<std::size_t>(n)]);
  // displacement (a - c y, b + c z) over the nodes of a thin slice, by least squares
  std::vector<std::array<double, 4>> slice;  // y, z, displacement along them
  for (const double thin : {1e-4, 0.02}) {
    slice.clear();
    for (const int n : bar.nodes) {
      const Vec3& x = model.nodes[static_cast<std::size_t>(n)];
      if (std::abs(bar.along.dot(x) - place) > thin * bar.length) continue;
      const Vec3 move = shape.segment<3>(model::row(n));
      slice.push_back({bar.across.dot(x), bar.up.dot(x), bar.across.dot(move), bar.up.dot(move)});
    }
    if (slice.size() >= 5) break;
  }
  std::array<double, 4> mean{};
  for (const auto& s : slice)
    for (std::size_t k = 0; k < 4; ++k) mean[k] += s[k] / static_cast<double>(slice.size());
  double polar = 0, rotating = 0, all = 0;
  for (const auto& s : slice) {
    const double y = s[0] - mean[0], z = s[1] - mean[1];
    polar += y * y + z * z;
    rotating += y * (s[3] - mean[3]) - z * (s[2] - mean[2]);
    all += s[2] * s[2] + s[3] * s[3];
  }
  const auto count = static_cast<double>(slice.size());
  const double moved = count * (mean[2] * mean[2] + mean[3] * mean[3]);
  const double rotated = polar > 1e-12 * bar.length * bar.length ? rotating * rotating / polar : 0;
  if (!(all > 0)) return;
  reading.rigid_share = (rotated + moved) / all;
  reading.twist_share = rotated / (rotated + moved);
}

/// Strain energy of members by what they do in a mode. \param forces  of the mode, by linear theory
void read_members(const model::Model& model, const ElementForces& forces, ModeReading& reading) {
  double y = 0, z = 0, twist = 0;
  reading.bending.assign(model.parts.size(), {0, 0, 0});
  for (const auto& f : forces.member_forces) {
    const double before_y = y, before_z = z, before_twist = twist;
    const auto& e = model.line_elements[static_cast<std::size_t>(f.element)];
    const auto& part = model.parts[static_cast<std::size_t>(e.part)];
    const auto& m = model.materials[static_cast<std::size_t>(part.material)];
    const double length =
        (model.nodes[static_cast<std::size_t>(e.nodes[3])] - model.nodes[static_cast<std::size_t>(e.nodes[0])]).norm();
    for (std::size_t k = 0; k < 3; ++k) {
      const auto& profile = model.section_at(e, model::kGaussStations[k]);
      const auto& p = f.points[k];
      const double w = model::kGaussWeights[k] * length;
      const auto b = principal_bending(profile, p);
      y += w * b.moment_1 * b.moment_1 / (m.youngs_modulus * b.second_moment_1);
      z += w * b.moment_2 * b.moment_2 / (m.youngs_modulus * b.second_moment_2);
      if (profile.torsion_constant > 0)
        twist += w * p.torque * p.torque / (m.shear_modulus() * profile.torsion_constant);
      if (part.warping && profile.warping_constant > 0)
        twist += w * p.bimoment * p.bimoment / (m.youngs_modulus * profile.warping_constant);
    }
    auto& own = reading.bending[static_cast<std::size_t>(e.part)];
    own[0] += y - before_y, own[1] += z - before_z, own[2] += twist - before_twist;
  }
  const double all = y + z + twist;
  if (all > 0) reading.bend_y = y / all, reading.bend_z = z / all, reading.torsion = twist / all;
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].kind == model::PartKind::member) reading.in_members += reading.energy[p];
  reading.in_members /= std::max(1e-12, 1 - reading.energy.back());
}

/// Sideways displacement of one end of straight members against the other.
void read_chords(const model::Model& model, const VectorXd& shape, ModeReading& reading) {
  const double most = model::largest_translation(shape);
  std::vector<std::pair<int, int>> ends(model.parts.size(), {-1, -1});
  std::vector<double> lengths(model.parts.size(), 0);
  const auto x = [&](int n) { return model.nodes[static_cast<std::size_t>(n)]; };
  for (const auto& e : model.line_elements) {
    auto& [from, to] = ends[static_cast<std::size_t>(e.part)];
    if (from < 0) from = e.nodes[0];
    to = e.nodes[3];
    lengths[static_cast<std::size_t>(e.part)] += (x(e.nodes[3]) - x(e.nodes[0])).norm();
  }
  double rotated = 0, driving = 0;
  for (std::size_t p = 0; p < ends.size(); ++p) {
    const auto [from, to] = ends[p];
    if (from < 0 || reading.work.empty()) continue;
    const double work = std::max(0.0, reading.work[p]);
    driving += work;
    const Vec3 chord = x(to) - x(from);
    if (chord.norm() < 0.999 * lengths[p]) continue;  // curved, or with corners
    const Vec3 way = shape.segment<3>(model::row(to)) - shape.segment<3>(model::row(from));
    rotated += work * std::min(1.0, way.cross(chord.normalized()).norm() / std::max(most, 1e-300));
  }
  reading.chord_rotation = driving > 0 ? rotated / driving : 0;
}

/// Whether the variable load bends a member, or a long body of panels, more than it presses it.
bool is_bent(const System& system, const ElementForces& variable, const RecoveredStress* stresses, const Bar& bar,
             const ModeReading& reading) {
  const auto& m = system.model();
  if (reading.leading_part < 0) return false;
  if (m.parts[static_cast<std::size_t>(reading.leading_part)].kind == model::PartKind::member) {
    double pressed = 0, bent = 0;
    for (const auto& f : variable.member_forces) {
      const auto& e = m.line_elements[static_cast<std::size_t>(f.element)];
      if (e.part != reading.leading_part) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        const auto& profile = m.section_at(e, model::kGaussStations[k]);
        pressed = std::max(pressed, std::abs(f.points[k].axial) / profile.area);
        bent = std::max(bent, bending_stress(profile, f.points[k]).size());
      }
    }
    return bent > pressed;
  }
  if (bar.length == 0.0 || stresses == nullptr) return false;
  double low = 0, high = 0;
  for (const auto& s : stresses->shells) {
    const auto& t = s.middle;
    Eigen::Matrix3d full;
    full << t[0], t[3], t[5], t[3], t[1], t[4], t[5], t[4], t[2];
    const double along = bar.along.dot(full * bar.along);
    low = std::min(low, along), high = std::max(high, along);
  }
  return high > 0.4 * -low;
}

/// Shares of a sum. About a critical state the energies of parts cancel: then of the sum of their sizes.
std::vector<double> shares(const VectorXd& values) {
  constexpr double kCancel = 0.05;
  const double sum = values.sum(), sizes = values.cwiseAbs().sum();
  const VectorXd own = values / (std::abs(sum) < kCancel * sizes ? sizes : sum);
  return {own.data(), own.data() + own.size()};
}

/// What follows from the shape and the shares of energy alone. \return the long body of panels it lives in
Bar read_shape(const model::Model& model, const VectorXd& shape, const std::vector<char>& joints,
               ModeReading& reading) {
  std::size_t lead = 0;
  for (std::size_t p = 1; p < reading.energy.size(); ++p)
    if (clearly_more(reading.energy[p], reading.energy[lead])) lead = p;
  reading.leading_part = lead == model.parts.size() ? -1 : static_cast<int>(lead);
  read_joints(shape, joints, reading);
  Bar bar;
  if (reading.leading_part >= 0) {
    const auto together = together_with(model, reading.leading_part);
    reading.together = static_cast<int>(std::count(together.begin(), together.end(), 1));
    bar = bar_of(model, together);
  }
  read_section(model, bar, shape, reading);
  reading.waves = wave_counts(model, shape);
  return bar;
}

ElementForces forces_of_mode(const System& system, const Mode& mode, const std::vector<char>& slack) {
  const std::vector<double> none(system.model().actions.size(), 0.0);
  return recover_forces(system, none, mode.shape, slack);
}
}  // namespace

std::vector<ModeReading> read_modes(const System& system, const BucklingOptions& options,
                                    const BucklingResult& result) {
  std::vector<ModeReading> readings(result.modes.size());
  if (readings.empty()) return readings;
  const auto& model = system.model();
  const auto variable = system.factors(options.variable), held = system.factors(options.constant);
  read_loads(system, options, result, readings);
  const MatrixXd shapes = shapes_of(result);
  const State reference = State::reference(model);
  elements::StressSource source;
  source.slack = &result.slack;
  MatrixXd energy = system.forms_by_part(reference, source, false, shapes);
  source.linear = &result.variable_displacement;
  MatrixXd work = -system.forms_by_part(system.warmed_reference(variable), source, true, shapes);
  const VectorXd driven =
      -forms(system, detail::geometric_of(system, variable, result.variable_displacement, result.slack), result);
  VectorXd held_forms = VectorXd::Zero(driven.size());
  if (result.constant_displacement.size() > 0)
    held_forms = forms(system, detail::geometric_of(system, held, result.constant_displacement, result.slack), result);
  const auto joints = joints_of(model);
  const auto errors = mesh_errors(system, result);
  LinearStaticResult preload;
  static_cast<ElementForces&>(preload) = recover_forces(system, variable, result.variable_displacement, result.slack);
  const auto stresses = recover_stresses(system, preload);
  for (std::size_t m = 0; m < readings.size(); ++m) {
    const auto column = static_cast<Eigen::Index>(m);
    auto& reading = readings[m];
    work(work.rows() - 1, column) += driven[column] - work.col(column).sum();
    reading.energy = shares(energy.col(column));
    reading.work = shares(work.col(column));
    reading.held_share = held_forms[column] / energy.col(column).sum();
    const Bar bar = read_shape(model, result.modes[m].shape, joints, reading);
    if (!model.line_elements.empty())
      read_members(model, forces_of_mode(system, result.modes[m], result.slack), reading);
    read_chords(model, result.modes[m].shape, reading);
    reading.bent = is_bent(system, preload, &stresses, bar, reading);
    reading.mesh_error = errors[m];
  }
  return readings;
}

std::vector<ModeReading> read_modes_about(const System& system, const StateInPlace& base,
                                          const BucklingResult& result) {
  std::vector<ModeReading> readings(result.modes.size());
  if (readings.empty()) return readings;
  State state = base.state;
  state.expansion = system.expansion(system.factors(base.loads));
  const MatrixXd energy = system.forms_by_part(state, {}, false, shapes_of(result));
  const auto joints = joints_of(system.model());
  for (std::size_t m = 0; m < readings.size(); ++m) {
    readings[m].energy = shares(energy.col(static_cast<Eigen::Index>(m)));
    (void)read_shape(system.model(), result.modes[m].shape, joints, readings[m]);
    if (!system.model().line_elements.empty())
      read_members(system.model(), forces_of_mode(system, result.modes[m], result.slack), readings[m]);
  }
  return readings;
}

namespace {
/// A member at a critical load, from what its pieces have then and with the variable loads once.
EffectiveLength pressed(const model::Model& model, const model::JoinedMember& member, const ModeReading& reading,
                        const std::vector<PartPeak>& peaks, const std::vector<PartPeak>& as_given) {
  EffectiveLength e;
  e.member = member.name;
  e.parts = member.parts;
  e.length = member.length;
  const auto& driven = reading.work.empty() ? reading.energy : reading.work;
  int most_pressed = member.parts.front();
  double stress = 0;
  std::array<double, 3> bending{};
  for (const int part : member.parts) {
    const auto p = static_cast<std::size_t>(part);
    e.share += driven[p];
    e.axial = std::max(e.axial, -peaks[p].axial_low);
    if (peaks[p].compressive_stress > stress) stress = peaks[p].compressive_stress, most_pressed = part;
    e.at_factor_one = std::max(e.at_factor_one, -as_given[p].axial_low);
    for (std::size_t k = 0; k < 3 && p < reading.bending.size(); ++k) bending[k] += reading.bending[p][k];
  }
  if (const double all = bending[0] + bending[1]; all > 0) e.bend_y = bending[0] / all, e.bend_z = bending[1] / all;
  constexpr double kNothing = 1e-6;  // of the stress of bending: a force that rounding has left
  if (!(stress > kNothing * peaks[static_cast<std::size_t>(most_pressed)].stress)) e.axial = 0;
  if (!(e.axial > 0)) return e;
  const auto& part = model.parts[static_cast<std::size_t>(most_pressed)];
  const auto& material = model.materials[static_cast<std::size_t>(part.material)];
  const auto& peak = peaks[static_cast<std::size_t>(most_pressed)];
  const auto& profile =
      model.profiles[static_cast<std::size_t>(peak.compressed_profile >= 0 ? peak.compressed_profile : part.profile)];
  const auto axes = principal_bending(profile, {});
  e.principal = profile.product_moment != 0.0;
  e.area = profile.area;
  e.about_y = M_PI * std::sqrt(material.youngs_modulus * axes.second_moment_1 / e.axial);
  e.about_z = M_PI * std::sqrt(material.youngs_modulus * axes.second_moment_2 / e.axial);
  if (material.yield_stress > 0 && stress > 0) e.slenderness = std::sqrt(material.yield_stress / stress);
  // a member that the mode only twists has no length of bending
  constexpr double kBends = 0.05;
  if (bending[0] + bending[1] < kBends * (bending[0] + bending[1] + bending[2]))
    e.about_y = e.about_z = e.slenderness = 0;
  return e;
}
}  // namespace

std::vector<EffectiveLength> effective_lengths(const model::Model& model,
                                               const std::vector<model::JoinedMember>& members, const BaseState& base,
                                               const BucklingResult& result, const std::vector<ModeReading>& readings) {
  std::vector<EffectiveLength> list;
  if (readings.empty() || members.empty()) return list;
  const auto as_given = peaks_by_part(model, sum_of(base.constant, 1, base.variable));
  for (std::size_t m = 0; m < readings.size(); ++m) {
    const auto peaks = peaks_by_part(model, sum_of(base.constant, result.modes[m].load_factor, base.variable));
    for (const auto& member : members) {
      auto e = pressed(model, member, readings[m], peaks, as_given);
      e.mode = static_cast<int>(m);
      if (e.axial > 0) list.push_back(std::move(e));
    }
  }
  return list;
}

std::vector<EffectiveLength> first_taken_along(const std::vector<EffectiveLength>& by_mode) {
  std::vector<EffectiveLength> first;
  for (const auto& e : by_mode) {
    const bool takes = e.share >= detail::kTakenAlong;
    auto known = std::find_if(first.begin(), first.end(), [&](const auto& f) { return f.parts == e.parts; });
    if (known == first.end()) known = first.insert(first.end(), e), known->mode = -1;
    if (known->mode < 0 && takes) *known = e;
  }
  for (auto& e : first)
    if (e.mode < 0) e.about_y = e.about_z = e.slenderness = 0;
  std::stable_sort(first.begin(), first.end(), [](const auto& a, const auto& b) { return a.parts < b.parts; });
  return first;
}

}  // namespace archway::analysis
