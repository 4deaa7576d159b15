#include <cmath>
#include <utility>

#include "arc_length_detail.hpp"

namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

double translation_dot(const VectorXd& a, const VectorXd& b) {
  double sum = 0;
  for (Eigen::Index n = 0; n < a.size(); n += model::kNodeFreedoms) sum += a.segment<3>(n).dot(b.segment<3>(n));
  return sum;
}

/// Norms of the force and of the moment components of a full vector; bimoments count as moments over the structure's
/// size.
std::pair<double, double> norms(const VectorXd& full, double size) {
  double force = 0, moment = 0;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeFreedoms) {
    force += full.segment<3>(n).squaredNorm();
    moment += full.segment<3>(n + 3).squaredNorm() + std::pow(full[n + model::warp] / size, 2);
  }
  return {std::sqrt(force), std::sqrt(moment)};
}
}  // namespace

Equilibrium::Equilibrium(const System& system, const PathOptions& options, const PathWatcher& watcher)
    : system_(system),
      options_(options),
      watcher_(watcher),
      factorisation_(system.pattern()),
      tangent_(system.pattern()),
      held_(system.factors(options.held)),
      growing_(system.factors(options.growing)),
      held_movement_(system.movements(held_)),
      growing_movement_(system.movements(growing_)) {
  // moments and free edges under pressure do not come and go along a path: looked for once
  const State reference = State::reference(system.model());
  for (std::size_t p = 0; p < held_.size() && !skewed_; ++p) {
    if (held_[p] == 0.0 && growing_[p] == 0.0) continue;
    std::vector<double> alone(held_.size(), 0.0);
    alone[p] = 1;
    skewed_ = system.skew_load_stiffness(alone, reference).nonZeros() > 0;
  }
}

Mechanism Equilibrium::mechanism() {
  AssemblyRequest request;
  request.tangent = &tangent_;
  (void)system_.assemble(State::reference(system_.model()), request);
  return find_mechanism(system_, tangent_, factorisation_);
}

Point Equilibrium::start() const {
  Point point;
  point.state = State::reference(system_.model());
  point.moved = VectorXd::Zero(system_.full_size());
  point.preload = 0;
  return point;
}

std::vector<double> Equilibrium::combined(double factor, double preload) const {
  std::vector<double> sum(held_.size());
  for (std::size_t p = 0; p < sum.size(); ++p) sum[p] = preload * held_[p] + factor * growing_[p];
  return sum;
}

/// Applies a free step; held freedoms go where the load factor wants them.
Equilibrium::Foresight Equilibrium::move(Point& point, const VectorXd& step) const {
  const VectorXd wanted = point.preload * held_movement_ + point.factor * growing_movement_;
  Foresight before{point.state, step};
  if (const VectorXd pulled = wanted - point.moved; !pulled.isZero(0.0))
    before.step += system_.to_full(VectorXd::Zero(system_.free_count()), point.state, &pulled);
  system_.advance(point.state, before.step);
  point.moved = wanted;
  return before;
}

/// Residual (internal - external) on the free freedoms and the tangent; false when an element has folded.
bool Equilibrium::evaluate(const Point& point, Residual& residual, const elements::StressSource& source) {
  VectorXd internal;
  AssemblyRequest request;
  request.internal_force = &internal;
  request.tangent = &tangent_;
  request.source = source;
  if (system_.assemble(point.state, request) != base::Verdict::good) return false;
  const auto factors = combined(point.factor, point.preload);
  const VectorXd external = system_.loads(factors, point.state);
  system_.add_load_stiffness(factors, point.state, -1, tangent_);
  if (skewed_) skew_ = system_.skew_load_stiffness(factors, point.state);
  const VectorXd gap = internal - external;
  const double size = system_.model().size();
  const VectorXd unbalanced = gap - system_.held_part(gap);
  const auto [force, moment] = norms(unbalanced, size);
  const auto [force_in, moment_in] = norms(internal, size);
  const auto [force_out, moment_out] = norms(external, size);
  // a structure under moments alone has forces that are noise, and the other way round: each scale has the other for a
  // floor
  const double arm = 1e-3 * size, forces = std::max(force_in, force_out), moments = std::max(moment_in, moment_out);
  const double force_scale = std::max(forces, moments / size), moment_scale = std::max(moments, forces * arm);
  // what rounding of the positions leaves in the forces cannot be reduced: below it the state counts as converged
  const double rounding = 4e-15 * largest_diagonal() * size / options_.residual_tolerance;
  residual.free = system_.free_part(gap);
  const auto share = [](double part, double whole) { return whole > 0 ? part / whole : 0.0; };
  residual.measure = std::max(share(force, std::max(force_scale, rounding)),
                              share(moment, std::max(moment_scale, 10 * arm * rounding)));
  return std::isfinite(residual.measure);
}

/// Largest stiffness of a translation in the tangent assembled last.
double Equilibrium::largest_diagonal() const {
  const VectorXd diagonal = tangent_.diagonal();
  double largest = 0;
  for (int i = 0; i < system_.full_size(); ++i)
    if (i % model::kNodeFreedoms < 3 && system_.equation(i) >= 0)
      largest = std::max(largest, std::abs(diagonal[system_.equation(i)]));
  return largest;
}

bool Equilibrium::factorise() {
  return factorisation_.factor(tangent_).done;
}

/// With the whole tangent, its skew part included: without it Newton does not converge where a moment of fixed
/// direction acts on a node that turns easily. The factors, and so all counts of pivots, are of the symmetric part.
Eigen::MatrixXd Equilibrium::solve(Eigen::MatrixXd free, const State& state) {
  if (skew_.nonZeros() == 0)
    factorisation_.solve(free);
  else
    (void)algebra::solve_perturbed(
        factorisation_, [&](const VectorXd& x) { return system_.times_full(skew_, x, state); }, free);
  return free;
}

/// Change of the unbalanced force with the load factor: growing loads less the pull of growing movements.
VectorXd Equilibrium::load_direction(const State& state) {
  VectorXd q = system_.loads(growing_, state);
  if (!growing_movement_.isZero(0.0)) {
    VectorXd pull;
    AssemblyRequest request;
    const VectorXd along = system_.to_full(VectorXd::Zero(system_.free_count()), state, &growing_movement_);
    request.direction = &along;
    request.tangent_times = &pull;
    (void)system_.assemble(state, request);
    q -= pull;
  }
  return system_.free_part(q);
}

Next Equilibrium::report(int number, int iteration, const Point& point, double residual, double step) const {
  if (!watcher_) return Next::go_on;
  PathProgress progress;
  progress.attempt_number = number;
  progress.iteration = iteration;
  progress.load_factor = point.factor;
  progress.residual = residual;
  progress.step = step;
  return watcher_(progress);
}

AttemptReport Equilibrium::iterate(Point& point, Foresight before, double step, int number, bool done_if_balanced,
                                   const Corrector& correct) {
  AttemptReport attempt;
  double best = HUGE_VAL;
  for (int iteration = 0; iteration <= options_.max_iterations; ++iteration) {
    Residual residual;
    if (!evaluate(point, residual, before.source())) return attempt;
    attempt.iterations = iteration;
    point.residual = residual.measure;
    if (report(number, iteration, point, residual.measure, step) == Next::stop_keep_result) {
      attempt.outcome = Attempt::stopped;
      return attempt;
    }
    if (residual.measure <= options_.residual_tolerance && (iteration > 0 || done_if_balanced)) {
      attempt.outcome = Attempt::converged;
      return attempt;
    }
    if (iteration > 3 && residual.measure > 1e3 * best) return attempt;
    best = std::min(best, residual.measure);
    if (!correct(residual, before)) return attempt;
  }
  return attempt;
}

AttemptReport Equilibrium::at_load(Point& point, double factor, double preload, double step, int number) {
  // the prescribed movements of this step enter through the tangent, so that the structure follows them
  VectorXd pulled = (factor - point.factor) * growing_movement_ + (preload - point.preload) * held_movement_;
  VectorXd first_step = VectorXd::Zero(system_.free_count());
  if (!pulled.isZero(0.0)) {
    pulled = system_.to_full(first_step, point.state, &pulled);
    VectorXd pull;
    AssemblyRequest request;
    request.tangent = &tangent_;
    request.direction = &pulled;
    request.tangent_times = &pull;
    if (system_.assemble(point.state, request) != base::Verdict::good || !factorise()) return {};
    first_step = -solve(system_.free_part(pull), point.state);
  }
  point.factor = factor;
  point.preload = preload;
  Foresight before = move(point, system_.to_full(first_step, point.state));
  return iterate(point, std::move(before), step, number, true, [&](const Residual& residual, Foresight& last) {
    if (!factorise()) return false;
    last = move(point, system_.to_full(-solve(residual.free, point.state), point.state));
    return true;
  });
}

AttemptReport Equilibrium::along(Point& point, const Direction& direction, double arc, int number) {
  point.factor += arc * direction.factor;
  // prescribed movements come in with the load factor
  const VectorXd predictor =
      system_.to_full(arc * system_.free_values(direction.displacement, point.state), point.state);
  Foresight before = move(point, predictor);
  return iterate(point, std::move(before), arc, number, false, [&](const Residual& residual, Foresight& last) {
    Eigen::MatrixXd both(system_.free_count(), 2);
    both.col(0) = -residual.free;
    both.col(1) = load_direction(point.state);
    if (!factorise()) return false;
    both = solve(std::move(both), point.state);
    const VectorXd correction = system_.to_full(both.col(0), point.state),
                   velocity = system_.to_full(both.col(1), point.state, &growing_movement_);
    const double slope = scale_ * translation_dot(direction.displacement, velocity) + direction.factor;
    const double change = -scale_ * translation_dot(direction.displacement, correction) / slope;
    if (!std::isfinite(change)) return false;
    point.factor += change;
    last = move(point, correction + change * system_.to_full(both.col(1), point.state));
    return true;
  });
}

bool Equilibrium::refresh(Point& point) {
  Residual residual;
  if (!evaluate(point, residual)) return false;
  const VectorXd q = load_direction(point.state);
  const auto outcome = factorisation_.factor(tangent_);
  if (!outcome.done) return false;
  point.negative_pivots = outcome.negative_pivots;
  point.residual = residual.measure;
  point.velocity = system_.to_full(solve(q, point.state), point.state, &growing_movement_);
  return point.velocity.allFinite();
}

Direction Equilibrium::tangent(const Point& point, const Direction& last) const {
  Direction direction{point.velocity, 1};
  const double size = length(direction.displacement, direction.factor);
  direction.displacement /= size;
  direction.factor /= size;
  if (last.displacement.size() > 0 && dot(direction, last) < 0) {
    direction.displacement = -direction.displacement;
    direction.factor = -direction.factor;
  }
  return direction;
}

VectorXd Equilibrium::softest_direction(const Point& point) {
  Eigen::MatrixXd x = VectorXd::NullaryExpr(
      system_.free_count(), [](Eigen::Index i) { return 1.0 + 0.5 * std::sin(2.3 * static_cast<double>(i)); });
  for (int i = 0; i < 4; ++i) {
    factorisation_.solve(x);
    x.normalize();
  }
  VectorXd full = system_.to_full(x.col(0), point.state);
  double largest = 0;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeFreedoms)
    largest = std::max(largest, full.segment<3>(n).norm());
  return full / std::max(largest, 1e-300);
}

double Equilibrium::softest_value(VectorXd& guess) {
  Eigen::MatrixXd x = guess;
  if (x.size() == 0)
    x = VectorXd::NullaryExpr(system_.free_count(),
                              [](Eigen::Index i) { return 1.0 + 0.5 * std::sin(2.3 * static_cast<double>(i)); });
  x.normalize();
  double inverse = 0;
  for (int i = 0; i < 8; ++i) {
    const VectorXd before = x.col(0);
    factorisation_.solve(x);
    const double last = std::exchange(inverse, before.dot(x.col(0)));
    x.normalize();
    if (i > 0 && std::abs(inverse - last) < 1e-3 * std::abs(inverse)) break;
  }
  guess = x.col(0);
  return inverse != 0.0 ? 1 / inverse : HUGE_VAL;
}

void Equilibrium::set_scale(const Point& first) {
  const double size = translation_dot(first.velocity, first.velocity);
  scale_ = size > 0 ? 1 / size : 1;
}

double Equilibrium::length(const VectorXd& displacement, double factor) const {
  return std::sqrt(scale_ * translation_dot(displacement, displacement) + factor * factor);
}

double Equilibrium::dot(const Direction& a, const Direction& b) const {
  return scale_ * translation_dot(a.displacement, b.displacement) + a.factor * b.factor;
}

elements::Resultant Equilibrium::applied(const Point& point) const {
  return system_.resultant(combined(point.factor, point.preload), point.state);
}

elements::Resultant Equilibrium::reacted(const Point& point) const {
  VectorXd internal;
  AssemblyRequest request;
  request.internal_force = &internal;
  (void)system_.assemble(point.state, request);
  const VectorXd external = system_.loads(combined(point.factor, point.preload), point.state);
  return elements::resultant(point.state.position,
                             system_.held_part(internal - external) + system_.ground_reactions(point.state, nullptr),
                             Vec3::Zero());
}

double Equilibrium::load_work(const VectorXd& shape, const Point& point) const {
  const VectorXd q = system_.loads(growing_, point.state);
  const double size = q.norm() * shape.norm();
  return size > 0 ? std::abs(q.dot(shape)) / size : 0.0;
}

}  // namespace archway::analysis::detail
