#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

#include "archway/analysis/system.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"
#include "newton/equilibrium_detail.hpp"
#include "newton/newton_thresholds_detail.hpp"

/// How a state on the way is brought into balance.
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

/// Shares of what has moved that a correction kept beside a state may have; digits of displacements by the size.
constexpr double kShare = 1e-6, kFine = 1e-8, kDigits = 1e-13;
/// Corrections before this one may leave more out of balance than they found: the turns of a large step stretch
/// elements, and the next correction takes that back.
constexpr int kSettled = 3;
constexpr double kAhead = 2;        ///< of the way that a step has gone: so far the next one is looked out for
constexpr int kInTurn = 4;          ///< corrections of a round in which faces may close and open in turn
constexpr int kPairings = 4;        ///< in one step that what lies opposite to what is found anew
constexpr int kRubbing = 15;        ///< more corrections where friction is sought: what sticks and what slips changes
constexpr int kPatience = 5;        ///< times the corrections of one round, in all rounds
constexpr int kContactRounds = 24;  ///< that forces of contact are sought in, each with corrections of its own
constexpr int kOneByOne = 5;        ///< of them: after so many what pulls lets go one by one

}  // namespace

double largest_movement(const VectorXd& step) {
  double largest = 0;
  for (Eigen::Index n = 0; n < step.size(); n += model::kNodeFreedoms)
    largest = std::max(largest, step.segment<3>(n).norm());
  return largest;
}

namespace {
/// Less than the digits of places and turns: where a step moves nothing (pretension between fixed ends) there is no
/// work to measure anything by.
bool is_no_movement(const VectorXd& step, double size) {
  for (Eigen::Index n = 0; n < step.size(); n += model::kNodeFreedoms)
    if (!(step.segment<3>(n).norm() <= kDigits * size && step.segment<3>(n + 3).norm() <= kDigits)) return false;
  return true;
}

/// Of displacements.
double share_off(const VectorXd& way, const VectorXd& foreseen) {
  double off = 0, whole = 0;
  for (Eigen::Index n = 0; n < way.size(); n += model::kNodeFreedoms) {
    off += (way.segment<3>(n) - foreseen.segment<3>(n)).squaredNorm();
    whole += way.segment<3>(n).squaredNorm();
  }
  return whole > 0 ? std::sqrt(off / whole) : 0;
}
}  // namespace

bool Equilibrium::energy_is_small(const Residual& residual, const Point& point, const VectorXd& way) {
  if (residual.free.isZero(0.0)) return true;
  if (!tangent_->factored()) return true;  // no tangent to measure it by
  const VectorXd left = tangent_->nearly(residual.free);
  if (is_no_movement(system_.to_full(left, point.state), system_.model().size())) return true;
  // of growing temperatures or near a limit the loads do no work: what the way costs by the tangent counts as well
  const VectorXd free = system_.free_values(way, point.state);
  const double work = std::max(std::abs(residual.internal.dot(way)),
                               std::abs(free.dot(VectorXd(tangent_->matrix().times(free, &system_.executor())))));
  return test_.energy_passes(std::abs(residual.free.dot(left)), work);
}

/// The unloaded structure of a model with contact, before anything acts. Parts that only touch may be free to move, so
/// that no correction exists. The state is accepted as it is if its residual is no more than rounding of the strains.
bool Equilibrium::is_untouched(const Point& point, const Residual& residual) const {
  constexpr double kShare = 4e-15;  // of stiffness times reach: 20 eps
  const auto& m = system_.model();
  const auto factors = combined(point.factor, point.preload);
  const auto none = [](double f) { return f == 0.0; };
  if (system_.geometry().touches().size() == 0 && system_.geometry().surfaces().empty()) return false;
  if (residual.free.size() == 0 || left_.size() > 0 || largest_force_ > 0 || !m.member_stresses.empty() ||
      !m.panel_stresses.empty() || !std::all_of(factors.begin(), factors.end(), none) || !point.moved.isZero(0.0) ||
      !point.state.movement(m).isZero(0.0))
    return false;
  double reach = m.size();
  for (const auto& x : point.state.position) reach = std::max(reach, x.cwiseAbs().maxCoeff());
  const VectorXd stiffness = tangent_->matrix().diagonal_stood_for();
  double hardest = 0;
  for (Eigen::Index i = 0; i < residual.free.size(); ++i) hardest = std::max(hardest, std::abs(stiffness[i]));
  return residual.free.cwiseAbs().maxCoeff() <= kShare * reach * hardest;
}

/// A correction that closes a contact which the state leaves open, or opens one, has forces of contact that the state
/// does not have: loads, reactions and contact are then not in balance.
bool Equilibrium::pulls_beside(const Point& point, const ConvergenceTest::Balance& balance) const {
  if (system_.model().obstacles.empty() && system_.model().contacts.empty()) return false;
  const Vec3 off = applied(point).force + reacted(point, outside(point)).force;
  return off.norm() > options_.residual_tolerance * balance.force_scale;
}

bool Equilibrium::keep_beside(Point& point, const Correction& correction, Residual& residual, const VectorXd& last,
                              const VectorXd& way) {
  using Extent = ConvergenceTest::Extent;
  const VectorXd pulled = correction.factor * growing_movement_;
  const VectorXd full = system_.to_full(correction.free, point.state, &pulled);
  const double size = system_.model().size();
  const Extent own = Extent::of(full);
  const Extent moved = Extent::of(way), whole = Extent::of(point.state.movement(system_.model()));
  // Corrections that repeat at one size come from rounding. Those that still fall are Newton's method's: they are made,
  // unless displacements have no digits for them.
  const bool repeats = own.translation > kStalled * Extent::of(last).translation,
             is_share = own.within(kShare, moved, size) || own.within(kShare, whole, size),
             is_digits = own.within(kDigits, {size, 1}, size), is_first = whole.within(kDigits, {size, 1}, size);
  if (!(repeats ? is_share || is_digits : is_digits && (is_first || own.within(kFine, whole, size)))) return false;
  Point tried = point;
  tried.factor += correction.factor;
  tried.state.correction = full;
  Residual with;
  if (!evaluate(tried, with)) return false;
  const VectorXd &before = residual.free, &after = with.free;
  // without forces there is nothing to measure by but what the correction was for
  const bool answered =
      after.cwiseProduct(weights_).norm() <= options_.residual_tolerance * before.cwiseProduct(weights_).norm();
  if (!(test_.passes(with.balance) || answered) || pulls_beside(tried, with.balance)) return false;
  point = std::move(tried);
  point.balance = with.balance;
  residual = std::move(with);
  return true;
}

/// The residual beside the loads alone; of itself where nothing acts.
double Equilibrium::by_loads(const ConvergenceTest::Balance& balance) const {
  const double scale = std::max(balance.load_scale, test_.least_force);
  return scale > 0 ? balance.residual * std::max(1.0, balance.force_scale / scale) : balance.residual;
}

/// Of the linear equations of a correction: no better than Newton's method itself will be, and no worse than what is
/// still wanted. A stretch of stiff parts that the next correction takes back is a residual far above the loads, beside
/// which nothing else would be seen.
double Equilibrium::tolerance_for(const ConvergenceTest::Balance& balance) const {
  const double loads = std::max(balance.load_scale, largest_force_),
               over_loads =
                   loads > 0 ? std::max(1.0, balance.force_scale / loads) * balance.residual : balance.residual;
  return std::max(0.05 * options_.residual_tolerance / over_loads,
                  std::min({1e-2, 0.1 * balance.residual, 1e-5 / over_loads}));
}

AttemptReport Equilibrium::iterate(Point& point, Foresight before, const Effort& effort, const Corrector& correct) {
  AttemptReport attempt;
  double best = HUGE_VAL, last = HUGE_VAL;
  VectorXd way = before.step, first = way;  // first: the predictor, or without one the first correction
  int rounds = 0;
  int since = 0;  // iteration in which the round began
  Pairing pairing{largest_movement(before.step), 0};
  int first_passed = -1;  // iteration
  bool refactor = false;  // slow, and not because of rounding
  // In balance, though the tangent is so soft that the work of what is left does not count as small: where a member
  // has become a mechanism a further correction may lead away, and this state is as good as any.
  std::optional<Point> passed;
  const auto fall_back = [&] {
    Residual residual;
    if (!passed || !evaluate(*passed, residual)) return attempt;
    point = std::move(*passed);
    point.balance = residual.balance;
    see_forces(residual.balance.force_scale);
    attempt.outcome = Attempt::converged;
    return attempt;
  };
  foresee_pairs(point, before);
  for (int iteration = 0; iteration - since <= options_.max_iterations + (rubs() && rounds > 0 ? kRubbing : 0) &&
                          iteration <= kPatience * options_.max_iterations;
       ++iteration) {
    Residual residual;
    if (!evaluate(point, residual, before.source())) return attempt;
    const double measure = residual.balance.residual;
    if (rounds == 0) attempt.iterations = iteration;  // what contact asks for besides says nothing of the step
    point.balance = residual.balance;
    if (iteration == 0) attempt.foreseen = measure;
    if (report(effort.number, iteration, point, measure, effort.step) == Next::stop_keep_result) {
      attempt.outcome = Attempt::stopped;
      return attempt;
    }
    const bool may_end = iteration > 0 || effort.done_if_balanced;
    const bool untouched = may_end && is_untouched(point, residual);
    if (untouched) point.balance.residual = residual.balance.residual = 0;
    const bool stalled = !(measure < kStalled * last), passes = may_end && test_.passes(residual.balance);
    if (passes && first_passed < 0) first_passed = iteration;
    // beside the loads alone as well, as long as that costs no more than a correction or two
    const bool fine = rounds > 0 || stalled || by_loads(residual.balance) <= options_.residual_tolerance ||
                      iteration - since + 2 > options_.max_iterations;
    bool balanced = untouched ||  // of forces of contact alone nothing moves
                    (passes && fine && (rounds > 0 || energy_is_small(residual, point, way)));
    if (passes && !balanced && rounds == 0 && by_loads(residual.balance) <= options_.residual_tolerance) passed = point;
    Correction correction;
    if (!balanced) {
      if (iteration > 3 && measure > 1e3 * best) return fall_back();
      best = std::min(best, measure);
      // the first correction has the tangent of its own place; later ones a new factor only where the old one is too
      // far
      const bool slow = iteration > 1 && stalled, may_be_rounding = slow && measure < kNearBalance && !refactor;
      if (!tangent_->factored() || (slow && !may_be_rounding) || skewed_ ||  // skew parts take steps of their own
          tangent_->far() || (iteration == 0 && effort.begin == Begin::factorise))
        if (!tangent_->factorise()) return attempt;
      last = measure;
      if (iteration - since >= kInTurn) keep_closed(point);
      linear_tolerance_ = tolerance_for(residual.balance);
      if (!correct(residual, correction)) return attempt;
      balanced = may_end && stalled && keep_beside(point, correction, residual, before.step, way);
      refactor = may_be_rounding && !balanced;
      // what rounding leaves no iteration improves: the one before was as good
      if (balanced && rounds == 0) attempt.iterations = std::max(0, iteration - 1);
    }
    if (balanced) {
      if (rounds == 0 && first_passed >= 0) attempt.iterations = std::min(attempt.iterations, first_passed);
      if (rounds < kContactRounds && improve_contact(point, residual.balance, rounds, pairing)) {
        since = iteration;
        ++rounds;
        best = last = HUGE_VAL;
        continue;
      }
      if (pulls(point, residual.balance)) return attempt;
      // stresses foreseen by a last correction that was small are those of the state
      if (iteration > 0 && before.step.norm() <= kSmall * way.norm()) foreseen_ = false;
      if (!untouched) see_forces(residual.balance.force_scale);
      attempt.corrected = share_off(way, first);
      attempt.moved = largest_movement(way - first);
      attempt.outcome = Attempt::converged;
      return attempt;
    }
    before = (searches_ && iteration >= kSettled) || (rubs() && rounds > 0) ? correct_along(point, correction, residual)
                                                                            : apply(point, correction, 1);
    way += before.step;
    if (first.isZero(0.0)) first = before.step;
    pairing.moved += largest_movement(before.step);
  }
  return fall_back();
}

void Equilibrium::foresee_pairs(Point& point, const Foresight& before) const {
  constexpr double kFar = 0.05;  // of a face: less is followed by the pairs of the last state
  const auto& geometry = system_.geometry();
  const auto& surfaces = geometry.surfaces();
  if (surfaces.empty() || point.memory == nullptr) return;
  const auto last = geometry.surface_trial(before.state, *point.memory);
  if (!(surfaces.slides_by(last, point.state) > kFar)) return;
  auto found = surfaces.pair(point.state, kAhead * largest_movement(before.step), &system_.executor());
  auto next = std::make_shared<elements::Memory>(*point.memory);
  surfaces.carry_over(last, {before.state, last.knots, found}, geometry.surface_knots(*next));
  geometry.surface_pairs(*next) = std::move(found);
  point.memory = std::move(next);
}

bool Equilibrium::improve_contact(Point& point, const ConvergenceTest::Balance& balance, int round,
                                  Pairing& pairing) const {
  const auto& geometry = system_.geometry();
  const auto& touches = geometry.touches();
  if ((touches.size() == 0 && geometry.surfaces().empty()) || point.memory == nullptr) return false;
  auto better = std::make_shared<elements::Memory>(*point.memory);
  const std::size_t own = geometry.sets().size() - 1;
  const elements::Trial trial(point.state, (*point.memory)[own].data(), (*better)[own].data());
  const double least = options_.residual_tolerance * balance.force_scale;
  bool changed = touches.size() > 0 && touches.improve(trial, least);
  if (!geometry.surfaces().empty()) changed = improve_surfaces(point, least, pairing, *better) || changed;
  if (!changed) return false;
  point.memory = round > kOneByOne ? but_one_held(point, std::move(better)) : std::move(better);
  return true;
}

/// Of those that pull only the one that pulls most lets go (or several that pull alike), the others are held where they
/// are: many that let go at once would close again in turn.
std::shared_ptr<const elements::Memory> Equilibrium::but_one_held(
    const Point& point, std::shared_ptr<const elements::Memory> better) const {
  const auto list = touching(point.state, *point.memory);
  constexpr double kAlike = 1e-6;
  double most = 0;
  for (const auto& one : list) most = std::min(most, one.force);
  for (std::size_t t = 0; t < list.size(); ++t)
    if (list[t].force < 0 && list[t].force > most * (1 - kAlike)) better = with_contact(*better, t, list[t].gap);
  return better;
}

void Equilibrium::keep_closed(Point& point) const {
  const auto& geometry = system_.geometry();
  const auto& touches = geometry.touches();
  const auto& surfaces = geometry.surfaces();
  if ((touches.size() == 0 && surfaces.empty()) || point.memory == nullptr) return;
  auto held = std::make_shared<elements::Memory>(*point.memory);
  int fresh = touches.size() == 0 ? 0
                                  : touches.keep_closed(geometry.trial(point.state, point.memory.get(), touches),
                                                        (*held)[geometry.sets().size() - 1]);
  if (!surfaces.empty())
    fresh += surfaces.keep_closed(geometry.surface_trial(point.state, *point.memory), geometry.surface_knots(*held));
  if (fresh > 0) point.memory = std::move(held);
}

bool Equilibrium::pulls(const Point& point, const ConvergenceTest::Balance& balance) const {
  const auto& geometry = system_.geometry();
  if (point.memory == nullptr) return false;
  const double least = options_.residual_tolerance * balance.force_scale;
  return geometry.touches().pulls(geometry.trial(point.state, point.memory.get(), geometry.touches()), least) ||
         (!geometry.surfaces().empty() &&
          geometry.surfaces().pulls(geometry.surface_trial(point.state, *point.memory), least));
}

bool Equilibrium::improve_surfaces(const Point& point, double least, Pairing& pairing, elements::Memory& better) const {
  const auto& geometry = system_.geometry();
  const auto& surfaces = geometry.surfaces();
  auto &knots = geometry.surface_knots(better), &pairs = geometry.surface_pairs(better);
  bool changed = surfaces.improve(geometry.surface_trial(point.state, *point.memory), least, knots);
  const double moved = std::exchange(pairing.moved, 0);
  if (moved == 0.0 || pairing.times >= kPairings) return changed;
  auto found = surfaces.pair(point.state, kAhead * moved, &system_.executor());
  if (found == pairs) return changed;
  ++pairing.times;
  surfaces.carry_over({point.state, knots, pairs}, {point.state, knots, found}, knots);
  pairs = std::move(found);
  return true;
}

Equilibrium::Foresight Equilibrium::apply(Point& point, const Correction& correction, double share) const {
  point.factor += share * correction.factor;
  return move(point, system_.to_full(share * correction.free, point.state));
}

Equilibrium::Foresight Equilibrium::correct_along(Point& point, const Correction& correction,
                                                  const Residual& residual) const {
  const double before = residual.free.cwiseProduct(weights_).norm();
  double least = HUGE_VAL, best = 1;
  for (const double share : {1.0, 0.5, 0.25, 0.125}) {
    Point tried = point;
    (void)apply(tried, correction, share);
    const double after = out_of_balance(tried);
    if (after < least) least = after, best = share;
    if (after < before) break;
  }
  return apply(point, correction, best);
}

double Equilibrium::out_of_balance(const Point& point) const {
  VectorXd gap;
  AssemblyRequest request;
  request.internal_force = &gap;
  request.committed = point.memory.get();
  if (system_.assemble(point.state, request) != base::Verdict::good) return HUGE_VAL;
  gap -= system_.loading().loads(combined(point.factor, point.preload), point.state, Warmth::in_state);
  if (left_.size() > 0) gap -= (1 - point.let_go) * left_;
  const double size = system_.free_part(gap).cwiseProduct(weights_).norm();
  return std::isfinite(size) ? size : HUGE_VAL;
}

/// A step along the path as it came here: what flows goes on flowing, which the tangent of a state at rest does not
/// know.
bool Equilibrium::goes_on(const Point& point, double preload) const {
  return !searches_ && preload == point.preload && point.tangent.displacement.size() > 0 &&
         std::abs(point.tangent.factor) > kSteep;
}

/// The prescribed movements of a step enter through the tangent, so that the structure follows them.
bool Equilibrium::follow_pull(const Point& point, const VectorXd& movements, Begin begin, VectorXd& step) {
  follow_pairs(point);
  const VectorXd pulled = system_.to_full(step, point.state, &movements);
  VectorXd pull;
  AssemblyRequest request;
  request.tangent = &tangent_->matrix();
  request.direction = &pulled;
  request.tangent_times = &pull;
  request.committed = point.memory.get();
  if (coupled().assemble(point.state, request) != base::Verdict::good) return false;
  tangent_->changed({});
  if (begin == Begin::factorise && !tangent_->factorise()) return false;
  step = -system_.free_part(pull);
  return tangent_->solve(step, point.state, 1e-6);
}

AttemptReport Equilibrium::at_load(Point& point, double factor, double preload, double step, int number, Begin begin) {
  VectorXd first_step = VectorXd::Zero(system_.free_count());
  const VectorXd pulled = (factor - point.factor) * growing_movement_ + (preload - point.preload) * held_movement_;
  const bool ahead = !pulled.isZero(0.0) && goes_on(point, preload);
  if (!pulled.isZero(0.0)) {
    if (ahead)
      first_step =
          system_.free_values((factor - point.factor) / point.tangent.factor * point.tangent.displacement, point.state);
    else if (!follow_pull(point, pulled, begin, first_step))
      return {};
  }
  point.factor = factor;
  point.preload = preload;
  Foresight before = move(point, system_.to_full(first_step, point.state));
  return correct_loads_at_rest(point, std::move(before), {step, number, begin, !ahead});
}

AttemptReport Equilibrium::correct_loads_at_rest(Point& point, Foresight before, const Effort& effort) {
  return iterate(point, std::move(before), effort, [&](const Residual& residual, Correction& correction) {
    correction.free = -residual.free;
    return tangent_->solve(correction.free, point.state, linear_tolerance_);
  });
}

AttemptReport Equilibrium::let_go(Point& point, double share, int number) {
  const double more = share - point.let_go;
  point.let_go = share;
  Foresight before = move(point, VectorXd::Zero(system_.full_size()));
  return correct_loads_at_rest(point, std::move(before), {more, number, Begin::factorise, true});
}

AttemptReport Equilibrium::at_reading(Point& point, const WatchPoint& watch, double value, const Direction& direction,
                                      int number, Begin begin) {
  const VectorXd plane = gradient(watch, point);
  const double way = value - reading(watch, point), slope = plane.dot(direction.displacement);
  double step = 0;
  if (slope != 0.0 && std::isfinite(way / slope)) step = way / slope;
  point.factor += step * direction.factor;
  const VectorXd straight =
      system_.to_full(system_.free_values(step * direction.displacement, point.state), point.state);
  Foresight before = move(point, straight);
  return iterate(point, std::move(before), {step, number, begin, step == 0.0},
                 [&](const Residual& residual, Correction& correction) {
                   correction = {-residual.free, value - reading(watch, point)};
                   return tangent_->solve(correction.free, correction.factor,
                                          border_on(point, gradient(watch, point), 0), point.state, linear_tolerance_);
                 });
}

AttemptReport Equilibrium::at_amplitude(Point& point, const VectorXd& plane, const State& origin, double value,
                                        const VectorXd& shape) {
  const auto amplitude = [&] {
    double sum = 0;
    for (std::size_t n = 0; n < origin.position.size(); ++n)
      sum += plane.segment<3>(model::row(n)).dot(point.state.position[n] - origin.position[n]);
    return sum;
  };
  const VectorXd step = (value - amplitude()) * shape;
  Foresight before = move(point, system_.to_full(system_.free_values(step, point.state), point.state));
  return iterate(point, std::move(before), {value, 0, Begin::factorise, false},
                 [&](const Residual& residual, Correction& correction) {
                   correction = {-residual.free, value - amplitude()};
                   return tangent_->solve(correction.free, correction.factor, border_on(point, plane, 0), point.state,
                                          linear_tolerance_);
                 });
}

AttemptReport Equilibrium::at_mix(Point& point, const State& origin, Pinned& pinned) {
  const auto missing = [&] {
    Eigen::Vector2d sum = pinned.wanted;
    for (std::size_t n = 0; n < origin.position.size(); ++n)
      sum -= pinned.planes.middleRows<3>(model::row(n)).transpose() * (point.state.position[n] - origin.position[n]);
    return sum;
  };
  const VectorXd kept = std::exchange(left_, pinned.push * pinned.pushed), step = pinned.shapes * missing();
  point.let_go = 0;  // so that the push acts
  Foresight before = move(point, system_.to_full(system_.free_values(step, point.state), point.state));
  const auto report = iterate(
      point, std::move(before), {0, 0, Begin::factorise, false}, [&](const Residual& residual, Correction& correction) {
        Eigen::MatrixXd answers(system_.full_size(), 3);
        const VectorXd* moved[3] = {nullptr, &growing_movement_, nullptr};
        VectorXd free[3] = {-residual.free, load_direction(point), system_.free_part(pinned.pushed)};
        for (int k = 0; k < 3; ++k) {
          if (!tangent_->solve(free[k], point.state, linear_tolerance_)) return false;
          answers.col(k) = system_.to_full(free[k], point.state, moved[k]);
        }
        const Eigen::Matrix<double, 2, 3> gone = pinned.planes.transpose() * answers;
        const Eigen::Vector2d shares = gone.rightCols<2>().inverse() * (missing() - gone.col(0));
        if (!shares.allFinite()) return false;
        correction = {free[0] + shares[0] * free[1] + shares[1] * free[2], shares[0]};
        pinned.push += shares[1];
        left_ = pinned.push * pinned.pushed;
        return true;
      });
  left_ = kept;
  point.let_go = 1;
  return report;
}

AttemptReport Equilibrium::along(Point& point, const Predictor& path, double arc, int number, Begin begin) {
  const Direction& direction = path.direction;
  const bool bends = path.bend.displacement.size() > 0;
  point.factor += arc * direction.factor + (bends ? 0.5 * arc * arc * path.bend.factor : 0);
  // prescribed movements come in with the load factor
  const auto moved = [&](const VectorXd& way) {
    return system_.to_full(system_.free_values(way, point.state), point.state);
  };
  const VectorXd straight = moved(arc * direction.displacement);
  Foresight before = move(point, bends ? straight + moved(0.5 * arc * arc * path.bend.displacement) : straight);
  // the bend takes back what going straight on stretches: stresses are foreseen without it
  if (bends) before.step = straight;
  return iterate(point, std::move(before), {arc, number, begin, false},
                 [&](const Residual& residual, Correction& correction) {
                   correction = {-residual.free, 0};
                   return tangent_->solve(correction.free, correction.factor, border(point, direction), point.state,
                                          linear_tolerance_);
                 });
}

}  // namespace archway::analysis::detail
