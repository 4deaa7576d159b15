#include <cmath>

#include "archway/analysis/linear_static.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/loads.hpp"
#include "path/measures_detail.hpp"

namespace archway::analysis::detail {

using base::at;

Measures::Measures(const System& system, const PathOptions& options, Equilibrium& equilibrium)
    : system_(system), options_(options), equilibrium_(equilibrium) {}

Vec3 Measures::moved(const Point& point, int node) const {
  return point.state.position[at(node)] - system_.model().nodes[at(node)];
}

void Measures::measure(const Point& point, Increment& increment) {
  for (int n = 0; n < system_.node_count(); ++n)
    increment.largest_displacement = std::max(increment.largest_displacement, moved(point, n).norm());
  const ElementForces forces = equilibrium_.forces(point);
  increment.peaks = peaks_by_part(system_.model(), forces);
  for (const auto& peak : increment.peaks) increment.utilisation = std::max(increment.utilisation, peak.utilisation());
  const Eigen::VectorXd outside = equilibrium_.outside(point);
  increment.reactions =
      reactions_by_support(system_.model(), equilibrium_.reactions(point, outside), forces.spring_forces);
  increment.applied = equilibrium_.applied(point);
  increment.reacted = equilibrium_.reacted(point, outside);
  increment.spring_forces = forces.spring_forces;
  increment.couplings = equilibrium_.couplings(point);
  if (!system_.model().obstacles.empty() || !system_.model().contacts.empty())
    increment.contacts = contact_forces(system_, point.state, point.memory.get());
  add_energy(point, increment);
  add_work(point, outside, increment);
  const double gap = work_ - given_off_ - (increment.stored_energy + increment.dissipated_energy - energy_at_start_);
  if (increment.event == PathEvent::jump) {  // what is over when it has come to rest: no error of the steps
    increment.given_off = gap - gap_before_;
    given_off_ += increment.given_off;
  }
  gap_before_ = increment.event == PathEvent::jump ? gap_before_ : gap;
  increment.energy_gap = warms_ ? kUnset : gap_before_;
  if (system_.geometry().flows() && point.memory) increment.flow = flow_by_part(system_, *point.memory);
  for (const auto& part : increment.flow)
    increment.plastic_strain = std::max(increment.plastic_strain, part.plastic_strain);
  for (const auto& watch : options_.watch) increment.watched.push_back(read(watch, point, increment));
}

namespace {
/// Of supports and parts; kUnset: the watch is of nodes.
double read_forces(const WatchPoint& watch, const std::vector<SupportReaction>& reactions,
                   const std::vector<PartPeak>& peaks, const std::vector<ContactForce>& contacts = {},
                   const model::Model& model = {}) {
  using Kind = WatchPoint::Kind;
  if (watch.kind == Kind::reaction || watch.kind == Kind::reaction_moment) {
    for (const auto& r : reactions)
      if (r.name == watch.support)
        return (watch.kind == Kind::reaction ? r.force : r.moment).dot(watch.direction.normalized());
    for (const auto& c : contacts)
      if (name_of(model, c) == watch.support)
        return (watch.kind == Kind::reaction ? c.force : c.moment).dot(watch.direction.normalized());
    return 0;  // the support is not there
  }
  if (watch.part < 0) return kUnset;
  const auto& peak = peaks[at(watch.part)];
  switch (watch.kind) {
    case Kind::stress:
      return peak.stress;
    case Kind::shear_force:
      return peak.shear;
    case Kind::moment_y:
      return peak.moment_y;
    case Kind::moment_z:
      return peak.moment_z;
    case Kind::torque:
      return peak.torque;
    default:
      break;
  }
  return -peak.axial_low > peak.axial_high ? peak.axial_low : peak.axial_high;
}
}  // namespace

double Measures::read(const WatchPoint& watch, const Point& point, const Increment& increment) const {
  using Kind = WatchPoint::Kind;
  switch (watch.kind) {
    case Kind::displacement:
    case Kind::rotation:
    case Kind::distance:
      return equilibrium_.reading(watch, point);
    case Kind::volume:
      return displaced_volume(system_.model(), watch.part, point.state);
    case Kind::stored_energy:
      return increment.stored_energy;
    case Kind::dissipated_energy:
      return increment.dissipated_energy;
    case Kind::external_work:
      return increment.external_work;
    case Kind::plastic_strain:
      return increment.flow.empty() ? 0 : increment.flow[at(watch.part)].plastic_strain;
    default:
      return read_forces(watch, increment.reactions, increment.peaks, increment.contacts, system_.model());
  }
}

double Measures::read_ahead(std::size_t watch, const Point& point) const {
  const WatchPoint& which = options_.watch[watch];
  if (which.of_nodes()) return equilibrium_.reading(which, point);
  Measures ahead = *this;
  Increment increment;
  ahead.measure(point, increment);
  return increment.watched[watch];
}

namespace {
/// What a small displacement of a surface sweeps: the work of a pressure of one along it.
double swept(const model::Model& model, int part, const State& state, const Eigen::VectorXd& displacement) {
  model::Action pressure;
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e)
    if (model.shell_elements[e].part == part) {
      model::SurfacePressure on;
      on.element = static_cast<int>(e);
      on.pressure = -1;  // positive pressure acts against the normal
      pressure.surface_pressures.push_back(on);
    }
  Eigen::VectorXd nodal = Eigen::VectorXd::Zero(displacement.size());
  elements::add_loads(model, pressure, 1, state, nodal);
  double work = 0;
  for (Eigen::Index n = 0; n < nodal.size(); n += model::kNodeDofs)
    work += nodal.segment<3>(n).dot(displacement.segment<3>(n));
  return work;
}
}  // namespace

double displaced_volume(const model::Model& model, int part, const State& state) {
  // areas are of second degree in the displacement: two Gauss points are exact
  constexpr double kPlace = 0.21132486540518713;
  const Eigen::VectorXd whole = state.displacement(model);
  double volume = 0;
  for (const double share : {kPlace, 1 - kPlace}) {
    State between = State::reference(model);
    for (std::size_t n = 0; n < between.position.size(); ++n)
      between.position[n] += share * (state.position[n] - between.position[n]);
    volume += 0.5 * swept(model, part, between, whole);
  }
  return volume;
}

/// In equilibrium what is inside balances what is outside, so the work of loads and moved supports is that of the
/// internal forces on the way.
void Measures::add_work(const Point& point, const Eigen::VectorXd& forces, Increment& increment) {
  if (forces_before_.size() > 0) {
    const Eigen::VectorXd mean = 0.5 * (forces + forces_before_);
    for (std::size_t n = 0; n < point.state.position.size(); ++n) {
      work_ += mean.segment<3>(model::row(n)).dot(point.state.position[n] - before_.position[n]);
      const auto rotation = base::rotation_vector(point.state.rotation[n] * before_.rotation[n].inverse());
      work_ += mean.segment<3>(model::row(n) + 3).dot(rotation);
    }
  }
  before_ = point.state;
  forces_before_ = forces;
  increment.external_work = work_;
}

void Measures::add_energy(const Point& point, Increment& increment) {
  const auto energy = system_.energy(point.state, point.memory.get());
  increment.stored_energy = energy.stored;
  increment.dissipated_energy = energy.dissipated;
  const bool first = forces_before_.size() == 0;
  if (first) energy_at_start_ = energy.stored + energy.dissipated;
  warms_ = warms_ || (!first && point.state.expansion != before_.expansion);
}

FirstYieldOnPath Measures::first_reached(const Increment* before, const Increment& increment) {
  FirstYieldOnPath first;
  if (increment.utilisation < 1) return first;
  for (std::size_t p = 0; p < increment.peaks.size(); ++p)
    if (increment.peaks[p].utilisation() >= increment.utilisation && first.part < 0)
      first.part = static_cast<int>(p), first.place = increment.peaks[p].place;
  first.increment = increment.number;
  first.load_factor = increment.load_factor;
  if (before != nullptr) {
    const double share = (1 - before->utilisation) / (increment.utilisation - before->utilisation);
    first.load_factor = before->load_factor + share * (increment.load_factor - before->load_factor);
  }
  return first;
}

}  // namespace archway::analysis::detail

namespace archway::analysis {

double reading_of(const WatchPoint& watch, const model::Model& model, const LinearStaticResult& result) {
  using Kind = WatchPoint::Kind;
  const Vec3 direction = watch.direction.normalized();
  const auto part = [&](int node, Eigen::Index first) {
    return Vec3(result.displacement.segment<3>(model::row(node) + first));
  };
  switch (watch.kind) {
    case Kind::displacement:
      return (part(watch.node, 0) - (watch.other >= 0 ? part(watch.other, 0) : Vec3::Zero())).dot(direction);
    case Kind::rotation:
      return part(watch.node, 3).dot(direction);
    case Kind::distance: {
      const Vec3 way = model.nodes[base::at(watch.node)] - model.nodes[base::at(watch.other)];
      return (part(watch.other, 0) - part(watch.node, 0)).dot(way.normalized());
    }
    case Kind::plastic_strain:
    case Kind::dissipated_energy:
      return 0;
    case Kind::volume:
      return detail::swept(model, watch.part, elements::State::reference(model), result.displacement);
    case Kind::stored_energy:
    case Kind::external_work:
      return kUnset;
    default:
      return detail::read_forces(watch, reactions_by_support(model, result.reactions, result.spring_forces),
                                 peaks_by_part(model, result));
  }
}

}  // namespace archway::analysis
