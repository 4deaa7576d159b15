#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "path/walk_detail.hpp"

/// The increments of a path.
namespace archway::analysis::detail {

using base::at;

namespace {
constexpr int kCutsToCorner = 3;  ///< after so many cuts a corner of the path is looked for
constexpr int kCutsToFlow = 2;    ///< and a change of inertia where materials flow is taken for one
}  // namespace

PathResult Walk::run() {
  if (options_.start ? go_on_from_kept() : begin_from_nothing()) {
    equilibrium_.mind_budget();
    while (!stopped() && advance()) {
    }
  }
  PathResult result = finish();
  result_ = std::move(result);
  follow_branches();
  return std::move(result_);
}

/// A path along which nothing moves, whatever the load, has no end.
void Walk::must_move() const {
  constexpr double kStill = 1e6;
  if (result_.increments.back().largest_displacement == 0.0 && std::abs(now_.factor) > kStill * options_.steps.first)
    throw base::InputError("variable load", "nothing moves under it: all of it acts where supports hold",
                           "let it act on nodes and degrees of freedom that are free, or prescribe a displacement");
}

/// Tries ever smaller steps until one is good.
bool Walk::advance() {
  must_move();
  int cuts = 0;
  bool looked = false;  // for a corner
  const double first = step_;
  for (;;) {
    const bool spent = !to_touch_ && steps_.too_small(step_ / arc_per_factor_);  // by steps to a corner, early
    if (!looked && (cuts == kCutsToCorner || (spent && cuts > 0))) {
      looked = true;
      if (rotation_corner(first)) ++cuts, step_ = std::max(step_, std::ldexp(first, -kCutsToCorner));
    }
    if (!to_touch_ && steps_.too_small(step_ / arc_per_factor_)) {
      if (lead_.next(now_, number())) {
        result_.control_changes.push_back(lead_.change(number()));
        step_ = options_.steps.first * arc_per_factor_;
        bend_ = {};
        continue;
      }
      if (jumps_ < options_.jumps.most) return jump();
      result_.stuck = equilibrium_.stuck();
      return end(Ending::not_converged, stuck_message()), false;
    }
    bound_by_load();
    equilibrium_.search_along_corrections(cuts > 0);
    Trial trial = predict();
    trial.cuts = cuts;
    if (correct(trial) && judge(trial)) {
      commit(std::move(trial), cuts);
      return !ended_;
    }
    if (ended_) return false;
    shorten(cuts++, first);
    if (tell_cut_back() == Next::stop_keep_result) return end(Ending::stopped_by_caller, "stopped on request"), false;
  }
}

/// The largest step that was asked for is one of the load, wherever on the path and however long the arc.
void Walk::bound_by_load() {
  const double rate = std::abs(now_.tangent.factor);
  if (by_arc() && options_.steps.largest > 0 && step_ * rate > options_.steps.largest)
    step_ = options_.steps.largest / rate;
}

/// By half, or to where something touches or lets go: beyond that the path has another direction, along which no step
/// that began before it goes. \param first  the step that was tried first
void Walk::shorten(int cuts, double first) {
  constexpr int kTries = 6, kBefore = 1;  // the cut that leads to just before the corner
  const double half = steps_.cut(step_), corner = cuts == kBefore ? way_to_corner(first, false)
                                                  : cuts < kTries ? way_to_corner(step_, true)
                                                                  : HUGE_VAL;
  to_touch_ = corner < (cuts == kBefore ? first : half);
  if (to_touch_) step_before_touch_ = std::max(step_before_touch_, first);
  step_ = to_touch_ ? corner : half;
}

/// To a stable state at a little more load. \return whether the path goes on
bool Walk::jump() {
  ++jumps_;
  Point next = now_;
  const double sense = lead_.by_load() ? lead_.sense() : now_.tangent.factor < 0 ? -1 : 1;
  // little enough to be reported as this load, far enough that what is near does not come back
  const double target = now_.factor + sense * 1e-3 * std::max(std::abs(now_.factor), options_.steps.first);
  SwingRecord swing;
  const bool in_time = options_.jumps.damping + options_.jumps.stiffness_damping > 0;
  const AttemptReport report =
      in_time ? equilibrium_.swing(next, target, number(), swing) : equilibrium_.jump(next, target, number());
  if (report.outcome == Attempt::stopped) return end_inside(), false;
  if (report.outcome != Attempt::converged) {
    result_.stuck = equilibrium_.stuck();
    return end(Ending::not_converged, stuck_message() + (in_time ? "; the motion in time did not come to rest"
                                                                 : "; a damped jump found no stable state either")),
           false;
  }
  now_ = std::move(next);
  equilibrium_.remember(now_);
  lead_.rotation(now_.tangent);
  bend_ = {};
  step_ = options_.steps.first * arc_per_factor_;
  record(now_, PathEvent::jump, {0, report.iterations, 0, 0});
  parent_ = last_index();
  swing.increment = parent_;
  if (in_time) result_.swings.push_back(swing);
  visited_.add(parent_, now_, true);
  return !ended_;
}

Walk::Trial Walk::predict() const {
  Trial trial;
  trial.point = now_;
  trial.step = step_;
  trial.smallest = steps_.is_smallest(step_ / arc_per_factor_);
  return trial;
}

bool Walk::correct(Trial& trial) {
  refused_.clear();
  const AttemptReport report = reach(trial.point, trial.step, Begin::factorise);
  trial.iterations = report.iterations;
  if (report.outcome == Attempt::stopped) end_inside();
  if (report.outcome != Attempt::converged) return false;
  trial.way = {displacement_between(now_, trial.point), trial.point.factor - now_.factor};
  trial.reach = lead_.way_between(now_, trial.point, trial.way);
  // what was foreseen is in balance: how far a state lies from it is a matter of the tolerance, not of the path
  if (report.foreseen <= options_.newton.residual_tolerance) return left_on_branch(trial.point);
  trial.off = by_arc() ? off_predictor(trial) : report.corrected;
  trial.bends = trial.off > kOff;
  // where contact holds the structure an increment moves next to nothing: another path would be further off
  constexpr double kNear = 1e-6;
  if (report.moved <= kNear * system_.model().size()) trial.off = 0;
  return near_enough(trial) && left_on_branch(trial.point);
}

AttemptReport Walk::reach(Point& point, double way, Begin begin) {
  return lead_.reach(now_, bend_, point, way, number(), begin);
}

/// Whether a corrected state can be taken over, after what lies on the way to it has been found.
bool Walk::judge(Trial& trial) {
  if (comes_back(trial)) return false;
  // contact that opens takes stiffness away where soft directions of before do not look
  const bool alike = equilibrium_.touch_alike(now_, trial.point) && !options_.record.stability;
  const Count count = alike ? Count::if_needed : Count::by_factor;
  if (!equilibrium_.settle(trial.point, trial.way, count)) return false;
  if (reverses(trial.point)) {  // by a count that is sure
    if (!equilibrium_.settle(trial.point, trial.way, Count::by_factor) || reverses(trial.point)) return false;
  }
  orient_at_contact(trial);
  if (!find_first_yield(trial)) return false;
  auto critical = critical_points(trial);
  if (!critical || !explained(*critical, trial)) return false;
  auto wanted = outputs(trial);
  return wanted && record_events(*critical, *wanted, trial);
}

/// None: the step is cut, or the path has ended. An increment that is cut after all must leave no events behind.
std::optional<std::vector<Found>> Walk::critical_points(Trial& trial) {
  std::vector<Found> list;
  // the first state of a branch lies beside the bifurcation, not on a way that passes it
  if (!options_.record.critical_points || just_branched_) return list;
  CriticalPoints points(
      equilibrium_,
      {now_, trial.point, now_.tangent, trial.reach, !lead_.by_load(), highest_, options_.newton.residual_tolerance},
      [this](Point& point, double way, Begin begin) { return reach(point, way, begin); });
  bool enough = false;
  const auto search = points.find([&](Found& found) {
    list.push_back(found);
    enough = is_left_at(found) || (found.null.meets && result_.branched && by_arc());
    return !enough;
  });
  using Search = CriticalPoints::Search;
  if (search == Search::stopped && !enough) return end_inside(), std::nullopt;
  // what flows changes its stiffness at once, and with it the count, without a state between that has lost it
  const bool rotations = now_.tangent.factor * trial.point.tangent.factor < 0,
             at_once = flows_ && !rotations && trial.cuts >= kCutsToFlow;
  if (search == Search::unclear && !trial.smallest && !at_once) {
    (void)refuse("the number of unstable directions changes without a critical point that can be located");
    return std::nullopt;
  }
  return list;
}

/// The path goes on along a branch from there.
bool Walk::is_left_at(const Found& found) const {
  return found.negatives_before == 0 && result_.first_loss < 0 && found.event == PathEvent::bifurcation &&
         options_.branches.at_bifurcation != Branching::primary && by_arc();
}

/// False: a state on the way is not found.
bool Walk::find_first_yield(const Trial& trial) {
  if (!seeks_yield_ || result_.first_yield.part >= 0) return true;
  const auto reach_on = [this](Point& point, double way, Begin begin) { return reach(point, way, begin); };
  const auto outcome = yield_search_.find(now_, trial.point, trial.reach, number(), reach_on, result_.first_yield);
  // an elastic path goes on all the same: record() interpolates
  return outcome != YieldSearch::Outcome::lost || !flows_;
}

/// A critical point becomes an increment of its own.
void Walk::take(Found& found, Trial& trial) {
  equilibrium_.remember(found.point);
  record(found.point, found.event, {found.way, found.iterations, 0, found.uncertainty});
  found.null.increment = last_index();
  result_.critical_points.push_back(found.null);
  const bool first = found.negatives_before == 0 && result_.first_loss < 0;
  if (found.is_peak && !result_.peak_is_limit_point) {
    result_.peak = last_index();
    result_.peak_is_limit_point = true;
    result_.peak_load_factor = found.point.factor;
  }
  if (found.null.meets) return meet(found, trial);
  const bool left = is_left_at(found);
  if (first) result_.first_loss = last_index();
  if (left)
    trial.branch =
        branch_from(found, found.null.shapes.col(0), options_.branches.at_bifurcation == Branching::branch ? 1 : -1);
  if (options_.branches.increments > 0 && found.event == PathEvent::bifurcation && by_arc()) note_branches(found);
}

void Walk::commit(Trial trial, int cuts) {
  if (trial.branch) {  // the state beyond the bifurcation is not gone to
    now_ = std::move(*trial.branch);
    parent_ = last_index();
    step_ = branch_step_;
    steps_.largest = HUGE_VAL;  // steps of the axis are no measure off the axis
    just_branched_ = result_.branched = true;
    bend_ = {};
    visited_.add(parent_, now_);
    return;
  }
  if (ended_) return;
  if (trial.last) {
    now_ = std::move(*trial.last);
    return;
  }
  just_branched_ = false;
  off_before_ = gone_before_ = 0;
  // at a corner of the path, where something touches or lets go, directions before it say nothing
  const bool smooth = by_arc() && equilibrium_.touch_alike(now_, trial.point);
  bend_ = smooth ? bend_between(now_, trial.point, trial.reach) : Direction();
  lead_.passed(now_, trial.point, trial.way);
  now_ = std::move(trial.point);
  equilibrium_.remember(now_);
  widen(trial, cuts);
  step_ = arc_per_factor_ * steps_.after(trial.step / arc_per_factor_, trial.iterations);
  if (to_touch_) step_ = std::max(step_, steps_.cut(step_before_touch_));  // a short step to a corner says nothing
  to_touch_ = false;
  step_before_touch_ = 0;
  record(now_, trial.leap ? PathEvent::jump : PathEvent::none, {trial.step, trial.iterations, cuts, 0});
  parent_ = last_index();
  visited_.add(parent_, now_, trial.leap);
}

/// The longest step is one of the beginning; where the structure has become softer and steps of that length are no
/// work at all, it is no measure any more.
void Walk::widen(const Trial& trial, int cuts) {
  const bool easy = trial.iterations <= 1 && cuts == 0 && trial.step / arc_per_factor_ > 0.6 * steps_.largest;
  easy_ = easy ? easy_ + 1 : 0;
  if (easy_ < 2 || options_.steps.largest > 0) return;
  steps_.largest *= 2;
  easy_ = 1;
}

/// Rotation of the direction from one state to the next, by the way between them, without its part along the path.
Direction Walk::bend_between(const Point& from, const Point& to, double way) const {
  if (!(way > 0) || from.tangent.displacement.size() == 0) return {};
  Direction bend{(to.tangent.displacement - from.tangent.displacement) / way,
                 (to.tangent.factor - from.tangent.factor) / way};
  const double along = equilibrium_.dot(bend, to.tangent);
  bend.displacement -= along * to.tangent.displacement;
  bend.factor -= along * to.tangent.factor;
  return bend;
}

}  // namespace archway::analysis::detail
