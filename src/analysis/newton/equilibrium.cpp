#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include "archway/analysis/contact_forces.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"
#include "archway/elements/tie.hpp"
#include "newton/equilibrium_detail.hpp"
#include "system/mode_signs_detail.hpp"

namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

constexpr double kSense = 1e-9;  ///< least relative error of a direction whose load hardly changes

double translation_dot(const VectorXd& a, const VectorXd& b) {
  double sum = 0;
  for (Eigen::Index n = 0; n < a.size(); n += model::kNodeDofs) sum += a.segment<3>(n).dot(b.segment<3>(n));
  return sum;
}
}  // namespace

Equilibrium::Equilibrium(const System& system, const PathOptions& options, const PathWatcher& watcher)
    : system_(system),
      options_(options),
      watcher_(watcher),
      tangent_(std::make_unique<Tangent>(system)),
      test_{options.newton.residual_tolerance, options.newton.energy_tolerance, 0},
      held_(system.factors(options.constant)),
      variable_(system.factors(options.variable)),
      constant_displacement_(system.displacements(held_)),
      variable_displacement_(system.displacements(variable_)) {
  // moments and free edges under pressure do not come and go along a path: looked for once
  const State reference = State::reference(system.model());
  for (std::size_t p = 0; p < held_.size() && !skewed_; ++p) {
    if (held_[p] == 0.0 && variable_[p] == 0.0) continue;
    std::vector<double> alone(held_.size(), 0.0);
    alone[p] = 1;
    skewed_ = system.skew_load_stiffness(alone, reference).nonZeros() > 0;
  }
}

Mechanism Equilibrium::mechanism() {
  const Point unloaded = start();
  follow_pairs(unloaded);
  AssemblyRequest request;
  request.tangent = &tangent_->matrix();
  request.committed = unloaded.memory.get();
  (void)coupled().assemble(unloaded.state, request);
  tangent_->changed({});
  auto mechanism = find_mechanism(system_, tangent_->matrix(), tangent_->factorisation());
  // what free strains pull tight may stand by that alone
  for (const auto* factors : {&held_, &variable_}) {
    if (!mechanism.exists || system_.expansion(*factors).empty()) continue;
    State pulled = unloaded.state;
    pulled.expansion = system_.expansion(*factors);
    (void)coupled().assemble(pulled, request);
    tangent_->changed({});
    if (!find_mechanism(system_, tangent_->matrix(), tangent_->factorisation()).exists) mechanism = {};
  }
  return mechanism;
}

Point Equilibrium::start() const {
  Point point;
  point.state = State::reference(system_.model());
  point.moved = VectorXd::Zero(system_.full_size());
  point.preload = 0;
  if (system_.geometry().remembers())
    point.memory = std::make_shared<const elements::Memory>(system_.geometry().virgin_memory());
  return point;
}

PathOptions tight(PathOptions options) {
  options.newton.residual_tolerance = std::min(options.newton.residual_tolerance, 1e-9);
  options.newton.max_iterations = 25;
  options.start = nullptr;
  return options;
}

constexpr double kResumed = 1e-6;   ///< residual of a state that may be gone on from, whatever tolerance comes then
constexpr double kUnloaded = 1e-3;  ///< of the largest forces of its path: less is an unloaded state

Point Equilibrium::resume(const KeptState& kept, bool let_go) {
  Point point;
  point.state = kept.state;
  point.moved = kept.moved.size() > 0 ? kept.moved : VectorXd::Zero(system_.full_size());
  point.factor = kept.load_factor;
  point.preload = kept.preload;
  point.memory = kept.memory;
  point.rotated = kept.rotated;
  if (static_cast<int>(point.state.position.size()) != system_.node_count() ||
      point.moved.size() != system_.full_size())
    throw base::InputError("state", "it belongs to another structure", "go on from a state of the same structure");
  see_forces(kept.largest_force);
  const bool stands = stand_at(point);
  if (stands && let_go && !test_.passes(point.balance)) {
    left_ = residual_;
    point.let_go = 0;
    return point;
  }
  // a state of a path with a wider tolerance is as good a beginning; an unloaded one is measured by what it has carried
  const double scale = point.balance.force_scale, seen = std::max(scale, kUnloaded * largest_force_);
  if (!stands || !(test_.passes(point.balance) || point.balance.residual * scale <= kResumed * seen))
    throw base::InputError("state",
                           fmt::format("it is not in equilibrium under its loads: {:.2g} of the forces are unbalanced",
                                       point.balance.residual),
                           "go on from a converged state, with the same loads and constant part");
  return point;
}

std::vector<double> Equilibrium::combined(double factor, double preload) const {
  std::vector<double> sum(held_.size());
  for (std::size_t p = 0; p < sum.size(); ++p) sum[p] = preload * held_[p] + factor * variable_[p];
  return sum;
}

/// Applies a free step; held degrees of freedom and temperatures go where the load factor wants them.
Equilibrium::Foresight Equilibrium::move(Point& point, const VectorXd& step) const {
  const VectorXd wanted = point.preload * constant_displacement_ + point.factor * variable_displacement_;
  point.state.expansion = system_.expansion(combined(point.factor, point.preload));
  Foresight before{point.state, step};
  if (const VectorXd pulled = wanted - point.moved; !pulled.isZero(0.0))
    before.step += system_.to_full(VectorXd::Zero(system_.free_count()), point.state, &pulled);
  system_.advance(point.state, before.step);
  point.moved = wanted;
  return before;
}

void Equilibrium::follow_pairs(const Point& point) {
  auto wider = coupled().coupled(point.state, point.memory.get());
  if (wider == nullptr) return;
  spent_ += tangent_->factorisations();
  tangent_.reset();  // before what it is on
  coupled_ = std::move(wider);
  tangent_ = std::make_unique<Tangent>(*coupled_);
}

/// Residual (internal - external) on the free degrees of freedom and the tangent; false when an element has folded.
bool Equilibrium::evaluate(const Point& point, Residual& residual, const elements::StressSource& source) {
  follow_pairs(point);
  AssemblyRequest request;
  request.internal_force = &residual.internal;
  request.tangent = &tangent_->matrix();
  request.source = source;
  request.committed = point.memory.get();
  if (coupled().assemble(point.state, request) != base::Verdict::good) return false;
  const auto factors = combined(point.factor, point.preload);
  const VectorXd external = system_.loading().loads(factors, point.state, Warmth::in_state);
  coupled().loading().add_load_stiffness(factors, point.state, -1, tangent_->matrix(), Warmth::in_state);
  tangent_->changed(skewed_ ? system_.skew_load_stiffness(factors, point.state) : Eigen::SparseMatrix<double>());
  foreseen_ = source.previous != nullptr;
  VectorXd gap = residual.internal - external;
  if (left_.size() > 0) gap -= (1 - point.let_go) * left_;
  residual_ = gap - system_.constant_part(gap);
  const double size = system_.model().size();
  residual.free = system_.free_part(gap);
  residual.balance = test_.balance(residual_, residual.internal, external, size);
  if (!std::isfinite(residual.balance.residual)) return false;
  weigh(residual.balance, size);
  return true;
}

void Equilibrium::see_forces(double scale) {
  constexpr double kNoLoad = 1e-6;  // forces below this share of the largest ones are none
  largest_force_ = std::max(largest_force_, scale);
  test_.least_force = std::max(test_.least_force, kNoLoad * largest_force_);
}

/// A residual of linear equations counts as the test of convergence counts it.
void Equilibrium::weigh(const ConvergenceTest::Balance& balance, double size) {
  if (!(balance.force_scale > 0 && balance.moment_scale > 0)) return;
  VectorXd weights = VectorXd::Zero(system_.free_count());
  for (int i = 0; i < system_.full_size(); ++i)
    if (const int e = system_.equation(i); e >= 0) {
      const int k = i % model::kNodeDofs;
      weights[e] = k < 3   ? 1 / balance.force_scale
                   : k < 6 ? 1 / balance.moment_scale
                           : 1 / (balance.moment_scale * size);
    }
  weights_ = weights;
  tangent_->weigh(std::move(weights));
}

/// Change of the unbalanced force with the load factor: variable loads less the pull of growing displacements.
VectorXd Equilibrium::load_direction(const Point& point) {
  const State& state = point.state;
  VectorXd q = system_.loads(variable_, state);
  if (!variable_displacement_.isZero(0.0)) {
    VectorXd pull;
    AssemblyRequest request;
    const VectorXd along = system_.to_full(VectorXd::Zero(system_.free_count()), state, &variable_displacement_);
    request.direction = &along;
    request.tangent_times = &pull;
    request.committed = point.memory.get();
    (void)system_.assemble(state, request);
    q -= pull;
  }
  return system_.free_part(q);
}

/// Load direction and the plane normal to a direction: c . x + corner x factor = way along it.
Tangent::Border Equilibrium::border(const Point& point, const Direction& direction) {
  VectorXd plane = VectorXd::Zero(system_.full_size());
  for (Eigen::Index n = 0; n < plane.size(); n += model::kNodeDofs)
    plane.segment<3>(n) = scale_ * direction.displacement.segment<3>(n);
  return border_on(point, std::move(plane), direction.factor);
}

Tangent::Border Equilibrium::border_on(const Point& point, VectorXd plane, double corner) {
  Tangent::Border border;
  border.q = load_direction(point);
  border.corner = corner;
  if (!variable_displacement_.isZero(0.0))  // prescribed displacements come in with the load factor
    border.corner +=
        plane.dot(system_.to_full(VectorXd::Zero(system_.free_count()), point.state, &variable_displacement_));
  system_.ties().gather(point.state, plane);
  border.c = system_.free_part(plane);
  return border;
}

double Equilibrium::seconds() const {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - began_).count();
}

bool Equilibrium::over_budget() const {
  return (options_.stop.seconds > 0 && seconds() >= options_.stop.seconds) ||
         (options_.stop.factorisations > 0 && factorisations() >= options_.stop.factorisations);
}

Next Equilibrium::report(int number, int iteration, const Point& point, double residual, double step) const {
  if (minds_budget_ && over_budget()) return Next::stop_keep_result;
  if (!watcher_) return Next::go_on;
  PathProgress progress;
  progress.attempt_number = number;
  progress.iteration = iteration;
  progress.load_factor = point.factor;
  progress.residual = residual;
  progress.step = step;
  return watcher_(progress);
}

CriticalPoint Equilibrium::null_at(const Point& point) {
  CriticalPoint null;
  const auto pairs = softest();
  null.multiplicity = pairs.multiplicity;
  null.values = pairs.values.head(pairs.multiplicity);
  null.residuals = pairs.residuals.head(pairs.multiplicity);
  for (Eigen::Index i = 0; i < pairs.multiplicity; ++i) {
    const Eigen::VectorXd shape = settled_sign(shape_of(pairs.shapes.col(i), point), point);
    null.shapes.conservativeResize(shape.size(), i + 1);
    null.shapes.col(i) = shape;
  }
  return null;
}

StuckAt Equilibrium::stuck() const {
  StuckAt at;
  if (residual_.size() == 0 || !residual_.allFinite()) return at;
  at.residual = residual_;
  double all = 0, most = 0;
  for (int n = 0; n < system_.node_count(); ++n) {
    const double force = residual_.segment<3>(model::row(n)).norm();
    all += force * force;
    if (force > most * (1 + 1e-9)) most = force, at.node = n;
  }
  if (at.node < 0) return at;
  at.place = system_.model().nodes[base::at(at.node)];
  at.force = most;
  at.share = most / std::sqrt(all);
  system_.model().each_element([&](const int* first, const int* last, int part) {
    if (at.part < 0 && std::find(first, last, at.node) != last) at.part = part;
  });
  return at;
}

void Equilibrium::remember(Point& point) const {
  for (const auto& watch : options_.watch)
    if (watch.kind == WatchPoint::Kind::rotation) point.rotated[watch.node] = rotation_at(point, watch.node);
  if (point.memory == nullptr) return;
  auto next = std::make_shared<const elements::Memory>(memory_after(point));
  auto& state = point.state;
  if (state.correction.size() > 0 && state.correction_force.size() == 0)  // it has been evaluated before
    (void)system_.force_of_correction(state, point.memory.get(), state.correction_force);
  point.memory = std::move(next);
}

elements::Memory Equilibrium::memory_after(const Point& point) const {
  if (point.memory == nullptr) return {};
  elements::Memory next = system_.geometry().virgin_memory();
  VectorXd internal;
  AssemblyRequest request;
  request.internal_force = &internal;
  request.committed = point.memory.get();
  request.next = &next;
  (void)system_.assemble(point.state, request);  // it has been evaluated before
  return next;
}

bool Equilibrium::stand_at(Point& point) {
  Residual residual;
  if (!evaluate(point, residual)) return false;
  point.balance = residual.balance;
  if (is_untouched(point, residual)) point.balance.residual = 0;
  return true;
}

bool Equilibrium::settle(Point& point, const Direction& way, Count count, double tolerance) {
  const int last_count = point.negative_pivots;
  if (foreseen_ && !stand_at(point)) return false;
  if (count == Count::by_factor && !tangent_->exact() && !tangent_->factorise()) return false;
  VectorXd answer;
  double factor = 1;
  for (;;) {
    if (way.displacement.size() == 0) {
      answer = load_direction(point);
      if (!tangent_->solve(answer, point.state, tolerance)) return false;
      break;
    }
    answer = VectorXd::Zero(system_.free_count());
    factor = 1;
    if (!tangent_->solve(answer, factor, border(point, way), point.state, tolerance)) return false;
    // where the load hardly changes its sense hangs on the last digits
    if (std::abs(factor) > 3 * tolerance || tolerance <= kSense) break;
    tolerance *= 1e-2;
  }
  // a count that differs from that of the last state is believed of the state's own factor only
  const bool same = way.displacement.size() == 0 || tangent_->negative_pivots() == last_count;
  if (!(same && tangent_->count_stands()) && !tangent_->exact() && !tangent_->factorise()) return false;
  point.counted = tangent_->exact();
  point.negative_pivots = tangent_->negative_pivots();
  const VectorXd moved = factor * variable_displacement_;
  Direction direction{system_.to_full(answer, point.state, &moved), factor};
  const double size = length(direction.displacement, direction.factor);
  if (!std::isfinite(size) || size == 0.0) return false;
  direction.displacement /= size;
  direction.factor /= size;
  if (way.displacement.size() > 0 && dot(direction, way) < 0) {
    direction.displacement = -direction.displacement;
    direction.factor = -direction.factor;
  }
  point.tangent = std::move(direction);
  return true;
}

VectorXd Equilibrium::shape_of(const VectorXd& free, const Point& point) const {
  const VectorXd full = system_.to_full(free, point.state);
  return full / std::max(largest_displacement(full), 1e-300);
}

VectorXd Equilibrium::settled_sign(const VectorXd& shape, const Point& point) const {
  return ModeSigns(system_, point.state).settled(shape).dot(shape) < 0 ? VectorXd(-shape) : shape;
}

double Equilibrium::load_share(const VectorXd& shape, const Point& point) {
  const VectorXd load = load_direction(point), moves = system_.free_values(shape, point.state);
  double largest[2] = {0, 0}, most[2] = {0, 0};  // of displacements, of rotations
  for (int i = 0; i < system_.full_size(); ++i)
    if (const int e = system_.equation(i); e >= 0) {
      const int kind = i % model::kNodeDofs < 3 ? 0 : 1;
      largest[kind] = std::max(largest[kind], std::abs(load[e]));
      most[kind] = std::max(most[kind], std::abs(moves[e]));
    }
  const double all = load.cwiseProduct(moves).cwiseAbs().sum(),
               one = std::max(largest[0] * most[0], largest[1] * most[1]), possible = std::max(all, one);
  return possible > 0 ? std::abs(load.dot(moves)) / possible : 0;
}

Direction Equilibrium::direction_along(const VectorXd& shape) const {
  return {shape / length(shape, 0), 0};
}

bool Equilibrium::set_scale(Point& first) {
  scale_ = 1;
  if (!settle(first, {}, Count::by_factor)) return false;
  // A growth that moves nothing (a heated bar between fixed ends) has no answer to measure by: a thousandth of the
  // size. One that moves next to nothing (a rigid strut) is no measure of what comes after: steps that follow so small
  // a displacement never come to the critical load. Where materials flow even less is one: the structure of an analysis
  // with small displacements is made stiffer, and near its plastic limit load only they change.
  constexpr double kDigits = 1e-13, kOfSize = 1e-3, kLeastElastic = 1e-5, kLeastFlowing = 1e-7;
  VectorXd velocity = first.tangent.displacement / first.tangent.factor;
  const double moved = std::sqrt(translation_dot(velocity, velocity)), whole = system_.model().size();
  const bool still = moved * options_.steps.first <= kDigits * whole;
  if (still) velocity.setZero();
  const double moving = system_.geometry().flows() ? kLeastFlowing : kLeastElastic;
  const double least = (still ? kOfSize : moving) * whole / options_.steps.first;
  scale_ = std::pow(std::max(moved, least), -2);
  const double unit = length(velocity, 1);
  first.tangent = {velocity / unit, 1 / unit};
  return true;
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

VectorXd Equilibrium::outside(const Point& point) const {
  VectorXd internal;
  AssemblyRequest request;
  request.internal_force = &internal;
  request.committed = point.memory.get();
  (void)system_.assemble(point.state, request);
  return internal;
}

VectorXd Equilibrium::reactions(const Point& point, const VectorXd& outside) const {
  const auto factors = combined(point.factor, point.preload);
  return system_.constant_part(outside - system_.loading().loads(factors, point.state, Warmth::in_state));
}

elements::Resultant Equilibrium::reacted(const Point& point, const VectorXd& outside) const {
  auto sum = elements::resultant(
      point.state.position,
      reactions(point, outside) + system_.ground_reactions(point.state, nullptr, nullptr, point.memory.get()),
      Vec3::Zero());
  for (const auto& contact : contact_forces(system_, point.state, point.memory.get()))
    if (contact.obstacle >= 0) sum.force += contact.force, sum.moment += contact.moment;  // others are inside
  return sum;
}

}  // namespace archway::analysis::detail
