#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/tie.hpp"
#include "newton/equilibrium_detail.hpp"

/// The motion in time from where there is no equilibrium near by, until the structure is at rest: generalised-alpha
/// method [ChungHulbert1993] with Rayleigh damping, spins of a step as [SimoVuQuoc1988] take them.
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

constexpr double kSpectral = 0.9;        ///< spectral radius at infinite frequency: little numerical damping
constexpr double kLongestWay = 5e-3;     ///< of the size, in one step of time
constexpr double kRestWay = 1e-7;        ///< of the size, in a period: at rest
constexpr double kRestForce = 1e-4;      ///< residual of a state that may be at rest
constexpr double kPerPeriod = 40;        ///< steps of time in a period of the load's own shape, at least
constexpr double kSwingBalanced = 1e-6;  ///< residual of a step of time beside the largest force in it
constexpr int kMostSwingSteps = 20000, kMostSwingCorrections = 12, kEasy = 4, kMostCuts = 30;

/// Coefficients of the method by its spectral radius.
struct Scheme {
  double mass = (2 * kSpectral - 1) / (kSpectral + 1), force = kSpectral / (kSpectral + 1);
  double gamma = 0.5 - mass + force, beta = 0.25 * (1 - mass + force) * (1 - mass + force);
};

/// Masses of the nodes in all degrees of freedom, full: of translations by what gravity asks for; of rotations with the
/// radius of gyration of a hundredth of the structure.
VectorXd masses_of(const System& system, const State& state) {
  const auto& model = system.model();
  model::Action gravity;
  gravity.accelerations = {Vec3::UnitZ()};
  VectorXd nodal = VectorXd::Zero(system.full_size()), masses = nodal;
  elements::add_loads(model, gravity, 1, state, nodal);
  const double radius = 0.01 * model.size();
  double sum = 0, taken = 0;
  for (Eigen::Index n = 0; n < nodal.size(); n += model::kNodeDofs) {
    sum += nodal[n + 2];
    taken += std::abs(nodal[n + 2]);  // corners of quadratic solids have a negative share
  }
  for (Eigen::Index n = 0; n < nodal.size(); n += model::kNodeDofs) {
    const double mass = std::max(std::abs(nodal[n + 2]) * sum / taken, 1e-9 * sum);
    masses.segment<3>(n).setConstant(mass);
    masses.segment<4>(n + 3).setConstant(mass * radius * radius);
  }
  return masses;
}
}  // namespace

/// Angular frequency of the unloaded structure in the shape that the variable load gives it (its Rayleigh quotient).
double Equilibrium::frequency(const VectorXd& masses) {
  Point unloaded = start();
  if (!stand_at(unloaded) || !tangent_->factorise()) return kUnset;
  VectorXd shape = load_direction(unloaded);
  const VectorXd load = shape;
  if (!tangent_->solve(shape, unloaded.state, 1e-6)) return kUnset;
  const VectorXd full = system_.to_full(shape, unloaded.state);
  return std::sqrt(std::abs(load.dot(shape)) / full.cwiseAbs2().dot(masses));
}

namespace {
/// Multipliers of rigid parts, which do not stretch, have no share.
VectorXd with_stiffness(const algebra::SymmetricMatrix& stiffness, const VectorXd& velocity) {
  VectorXd force = stiffness.times(velocity);
  force.tail(stiffness.pattern->multipliers()).setZero();
  return force;
}
}  // namespace

/// What touches changes the pattern, and with it where the stiffness is kept.
bool Equilibrium::refresh(Damping& damping) const {
  if (damping.of_stiffness == 0.0) return true;
  if (damping.stiffness && damping.stiffness->pattern == tangent_->matrix().pattern) return true;
  damping.stiffness.emplace(tangent_->matrix().pattern);
  AssemblyRequest request;
  request.tangent = &*damping.stiffness;
  return coupled().assemble(State::reference(system_.model()), request) == base::Verdict::good;
}

/// One step of time. \param motion  velocity and acceleration of the free degrees of freedom, of the step before; out:
/// of this
bool Equilibrium::step_in_time(Point& point, Motion& motion, double dt, const VectorXd& masses, Damping& damping) {
  const Scheme s;
  const Motion before = motion;
  const auto inertia = [&](const VectorXd& free) {
    VectorXd full = system_.to_full(free, point.state).cwiseProduct(masses);
    system_.ties().gather(point.state, full);
    return system_.free_part(full);
  };
  VectorXd lumped = masses;
  system_.ties().gather(point.state, lumped);
  const VectorXd own = system_.free_part(lumped).cwiseAbs();
  VectorXd moved = VectorXd::Zero(system_.free_count());
  const double by_velocity = s.gamma / (s.beta * dt),
               of_mass = (1 - s.mass) / (s.beta * dt * dt) / (1 - s.force) + damping.of_mass * by_velocity,
               of_stiffness = damping.of_stiffness * by_velocity;
  for (int k = 0; k < kMostSwingCorrections; ++k) {
    motion.acceleration =
        (moved - dt * before.velocity) / (s.beta * dt * dt) - (0.5 / s.beta - 1) * before.acceleration;
    motion.velocity = before.velocity + dt * ((1 - s.gamma) * before.acceleration + s.gamma * motion.acceleration);
    Residual residual;
    if (!evaluate(point, residual)) return false;
    const VectorXd velocity = (1 - s.force) * motion.velocity + s.force * before.velocity;
    VectorXd push = inertia((1 - s.mass) * motion.acceleration + s.mass * before.acceleration) +
                    damping.of_mass * inertia(velocity);
    if (!refresh(damping)) return false;
    if (damping.stiffness) push += damping.of_stiffness * with_stiffness(*damping.stiffness, velocity);
    const VectorXd gap = (push + s.force * before.gap) / (1 - s.force) + residual.free;
    const double scale = std::max({push.norm(), residual.free.norm(), residual.balance.force_scale});
    motion.residual = residual.balance.residual;
    motion.corrections = k;
    if (k > 0 && gap.norm() <= kSwingBalanced * scale) {
      motion.gap = residual.free;
      return true;
    }
    for (int i = 0; i < system_.free_count(); ++i) tangent_->matrix().diagonal_entry(i) += of_mass * own[i];
    if (damping.stiffness)
      for (std::size_t e = 0; e < damping.stiffness->values.size(); ++e)
        tangent_->matrix().values[e] += of_stiffness * damping.stiffness->values[e];
    tangent_->changed({});
    if ((k == 0 || k % 3 == 2 || !tangent_->factored()) && !tangent_->factorise()) return false;
    VectorXd way = -gap;
    if (!tangent_->solve(way, point.state, 1e-6) || !way.allFinite()) return false;
    moved += way;
    (void)move(point, system_.to_full(way, point.state));
  }
  return false;
}

AttemptReport Equilibrium::swing(Point& point, double factor, int number, SwingRecord& record) {
  AttemptReport report;
  point.factor = factor;
  const VectorXd masses = masses_of(system_, point.state);
  const double size = system_.model().size(), omega = frequency(masses);
  if (!(omega > 0)) return report;
  const double longest = 2 * M_PI / omega / kPerPeriod;
  Damping damping{2 * options_.jumps.damping * omega, 2 * options_.jumps.stiffness_damping / omega, std::nullopt};
  (void)move(point, VectorXd::Zero(system_.full_size()));
  Residual residual;
  if (!evaluate(point, residual)) return report;
  Motion motion;
  motion.gap = residual.free;
  motion.velocity = VectorXd::Zero(system_.free_count());
  motion.acceleration = motion.velocity;
  record.damping = options_.jumps.damping + options_.jumps.stiffness_damping;
  record.frequency = omega / (2 * M_PI);
  double dt = 0.01 * longest, still = 0;
  int cuts = 0;
  for (int step = 0; step < kMostSwingSteps; ++step) {
    Point next = point;
    Motion then = motion;
    const bool found = step_in_time(next, then, dt, masses, damping);
    double way = found ? 0 : HUGE_VAL;
    for (std::size_t n = 0; found && n < point.state.position.size(); ++n)
      way = std::max(way, (next.state.position[n] - point.state.position[n]).norm());
    if (!found || way > 2 * kLongestWay * size) {
      dt *= 0.5;
      if (++cuts > kMostCuts) return report;
      continue;
    }
    cuts = 0;
    Pairing pairing{way, 0};
    (void)improve_contact(next, {}, 0, pairing);
    remember(next);
    point = std::move(next);
    motion = std::move(then);
    record.seconds += dt;
    for (std::size_t n = 0; n < point.state.position.size(); ++n)
      record.largest_displacement =
          std::max(record.largest_displacement, (point.state.position[n] - system_.model().nodes[n]).norm());
    record.steps = step + 1;
    report.iterations = step;
    if (this->report(number, step, point, motion.residual, dt) == Next::stop_keep_result) {
      report.outcome = Attempt::stopped;
      return report;
    }
    still = way / dt < kRestWay * size * omega && motion.residual < kRestForce ? still + dt : 0;
    if (still > 0.25 * longest * kPerPeriod) break;
    if (motion.corrections <= kEasy && way < kLongestWay * size) dt = std::min(1.2 * dt, longest);
  }
  report.outcome = Attempt::failed;
  return at_rest(point, factor, number, report);
}

}  // namespace archway::analysis::detail
