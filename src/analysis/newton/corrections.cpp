#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

#include "archway/analysis/system.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"
#include "newton/equilibrium_detail.hpp"
#include "newton/newton_thresholds_detail.hpp"

/// Newton's method: corrections of a state until loads and internal forces agree. Within an increment the tangent of an
/// earlier correction serves while it converges (modified Newton, [Crisfield1991] chapter 9); where it does not, the
/// stiffness is factorised anew, then a line search shortens the correction. The drivers (drivers.cpp) say what is
/// prescribed.
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

/// Shares of what has moved that a correction kept beside a state may have; digits of displacements by the size.
constexpr double kShare = 1e-6, kFine = 1e-8, kDigits = 1e-13;
/// Corrections before this one may leave more out of balance than they found: the rotations of a large step stretch
/// elements, and the next correction takes that back.
constexpr int kSettled = 3;
constexpr int kInTurn = 4;          ///< corrections of a round in which faces may close and open in turn
constexpr int kRubbing = 15;        ///< more corrections where friction is sought: what sticks and what slips changes
constexpr int kPatience = 5;        ///< times the corrections of one round, in all rounds
constexpr int kContactRounds = 24;  ///< that forces of contact are sought in, each with corrections of its own

}  // namespace

double largest_displacement(const VectorXd& step) {
  return model::largest_translation(step);
}

namespace {
/// Less than the digits of places and rotations: where a step moves nothing (pretension between fixed ends) there is no
/// work to measure anything by.
bool is_no_displacement(const VectorXd& step, double size) {
  for (Eigen::Index n = 0; n < step.size(); n += model::kNodeDofs)
    if (!(step.segment<3>(n).norm() <= kDigits * size && step.segment<3>(n + 3).norm() <= kDigits)) return false;
  return true;
}

/// Of displacements.
double share_off(const VectorXd& way, const VectorXd& foreseen) {
  double off = 0, whole = 0;
  for (Eigen::Index n = 0; n < way.size(); n += model::kNodeDofs) {
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
  if (is_no_displacement(system_.to_full(left, point.state), system_.model().size())) return true;
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
      !point.state.displacement(m).isZero(0.0))
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
  return off.norm() > options_.newton.residual_tolerance * balance.force_scale;
}

bool Equilibrium::keep_beside(Point& point, const Correction& correction, Residual& residual, const VectorXd& last,
                              const VectorXd& way) {
  using Extent = ConvergenceTest::Extent;
  const VectorXd pulled = correction.factor * variable_displacement_;
  const VectorXd full = system_.to_full(correction.free, point.state, &pulled);
  const double size = system_.model().size();
  const Extent own = Extent::of(full);
  const Extent moved = Extent::of(way), whole = Extent::of(point.state.displacement(system_.model()));
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
      after.cwiseProduct(weights_).norm() <= options_.newton.residual_tolerance * before.cwiseProduct(weights_).norm();
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
  return std::max(0.05 * options_.newton.residual_tolerance / over_loads,
                  std::min({1e-2, 0.1 * balance.residual, 1e-5 / over_loads}));
}

AttemptReport Equilibrium::iterate(Point& point, Foresight before, const Effort& effort, const Corrector& correct) {
  AttemptReport attempt;
  double best = HUGE_VAL, last = HUGE_VAL;
  VectorXd way = before.step, first = way;  // first: the predictor, or without one the first correction
  int rounds = 0;
  int since = 0;  // iteration in which the round began
  Pairing pairing{largest_displacement(before.step), 0};
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
  for (int iteration = 0; iteration - since <= options_.newton.max_iterations + (rubs() && rounds > 0 ? kRubbing : 0) &&
                          iteration <= kPatience * options_.newton.max_iterations;
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
    const bool fine = rounds > 0 || stalled || by_loads(residual.balance) <= options_.newton.residual_tolerance ||
                      iteration - since + 2 > options_.newton.max_iterations;
    bool balanced = untouched ||  // of forces of contact alone nothing moves
                    (passes && fine && (rounds > 0 || energy_is_small(residual, point, way)));
    if (passes && !balanced && rounds == 0 && by_loads(residual.balance) <= options_.newton.residual_tolerance)
      passed = point;
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
      attempt.moved = largest_displacement(way - first);
      attempt.outcome = Attempt::converged;
      return attempt;
    }
    before = (searches_ && iteration >= kSettled) || (rubs() && rounds > 0) ? correct_along(point, correction, residual)
                                                                            : apply(point, correction, 1);
    way += before.step;
    if (first.isZero(0.0)) first = before.step;
    pairing.moved += largest_displacement(before.step);
  }
  return fall_back();
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

}  // namespace archway::analysis::detail
