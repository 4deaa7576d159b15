#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "path/walk_detail.hpp"

/// Whether a state that has been found is one of the path that is followed. What is in doubt is cut, not accepted: a
/// needless cut costs a step, a state of another path costs the result.
namespace archway::analysis::detail {

using base::at;

namespace {
constexpr double kKink = 1.3;        ///< times as far off at half the step: a kink in the path keeps the angle it has
constexpr int kCutsOfLeap = 5;       ///< after which a state that is still as far away is accepted as a jump
constexpr double kSameState = 0.75;  ///< of the way at twice the step
constexpr double kSame = 1e-4;       ///< of a step: two states so near to each other are one
}  // namespace

bool Walk::refuse(const std::string& reason) {
  refused_ = reason;
  return false;
}

/// Distance of the corrected state from the predictor along the arc. A step as long as the path bends by is a smooth
/// one; a state of another path lies as far off, or further, however short the step is.
double Walk::off_predictor(const Trial& trial) const {
  if (now_.tangent.displacement.size() == 0) return 0;
  const double along = equilibrium_.dot(trial.way, now_.tangent);
  Eigen::VectorXd displacement = trial.way.displacement - along * now_.tangent.displacement;
  double factor = trial.way.factor - along * now_.tangent.factor;
  if (bend_.displacement.size() > 0) {
    displacement -= 0.5 * along * along * bend_.displacement;
    factor -= 0.5 * along * along * bend_.factor;
  }
  const double whole = equilibrium_.length(trial.way.displacement, trial.way.factor);
  return whole > 0 ? equilibrium_.length(displacement, factor) / whole : 0;
}

/// A correction that went much further than the predictor has found another path. The structure that flows or touches
/// has kinks in its path: there the angle remains, whatever the step, and is accepted.
bool Walk::near_enough(Trial& trial) {
  if (by_arc()) {
    // at a corner where something touches the load goes on without displacement: further than the little step there
    const double most = to_touch_ ? std::max(2 * step_, 0.1 * options_.steps.first * arc_per_factor_) : 2 * step_;
    if (!(equilibrium_.length(trial.way.displacement, trial.way.factor) < most))
      return refuse("the corrected state lies on another equilibrium path");
  }
  constexpr double kMore = 1.05;  // where the path bends the load changes a little more than its direction said
  if (options_.steps.largest > 0 && !trial.smallest && by_arc() &&
      std::abs(trial.way.factor) > kMore * options_.steps.largest)
    return refuse("the load changes by more than largest_step");
  const bool has_kinks = flows_ || !equilibrium_.touch_alike(now_, trial.point);
  if (trial.off <= kOff || to_touch_ || just_branched_) return true;
  const double gone = equilibrium_.length(trial.way.displacement, trial.way.factor);
  const bool kink = has_kinks && off_before_ > 0 && trial.off < kKink * off_before_,
             leap = !has_kinks && gone_before_ > 0 && gone > kSameState * gone_before_;
  off_before_ = trial.off;
  gone_before_ = gone;
  if (kink) return true;
  // on the way to a limit point under a given load the displacements grow faster than any tangent; they get smaller
  // with the step all the same, which those to another state do not
  const bool enough = trial.smallest || (!by_arc() && !options_.steps.change_control && trial.cuts >= kCutsOfLeap);
  if (!enough) return refuse("the corrected state lies far from the predicted one");
  trial.leap = leap && !by_arc();
  return true;
}

/// The first state of a branch lies along the null vector; a state of the path that is left does not.
bool Walk::left_on_branch(const Point& next) const {
  if (!just_branched_) return true;
  const Direction way{displacement_between(now_, next), next.factor - now_.factor};
  return equilibrium_.dot(way, now_.tangent) > kAlongBranch * equilibrium_.length(way.displacement, way.factor);
}

/// A structure that is stable before and after takes more load: where the load falls it has been let go elastically,
/// back along the way it came, which is a way of the equations but not that of something that is pushed on.
bool Walk::reverses(const Point& next) const {
  return flows_ && by_arc() && !equilibrium_.unsymmetric() && now_.negative_pivots == 0 && next.negative_pivots == 0 &&
         now_.tangent.factor > kClearly && next.tangent.factor < -kClearly;
}

/// The step leads to a state that the path has passed. Against the sense of before: it is cut, and another sense or
/// control is tried where no step helps. In the same sense the path is closed, and ends.
bool Walk::comes_back(const Trial& trial) {
  const auto found =
      visited_.passed_again(now_, trial.point, equilibrium_.length(trial.way.displacement, trial.way.factor));
  if (!found || !is_return(*found, trial)) return false;
  if (!found->backward) {
    end(Ending::done, fmt::format("back at the state of increment {}: the path is closed", found->increment));
    return true;
  }
  return !refuse(fmt::format("back at the state of increment {}", found->increment));
}

/// Few numbers say that it may be one: an equilibrium state on the plane through the earlier state proves it.
bool Walk::is_return(const VisitedStates::Return& found, const Trial& trial) {
  const auto plane = visited_.plane_at(found, trial.point, result_.increments);
  if (!plane) return true;  // states are not kept: the projections have agreed
  Point there = trial.point;
  const auto report = equilibrium_.along(there, {plane->direction, {}}, -plane->beyond, number(), Begin::factorise);
  const KeptState& before = *result_.increments[at(found.increment)].kept;
  Eigen::VectorXd apart = Eigen::VectorXd::Zero(model::row(before.state.position.size()));
  for (std::size_t n = 0; n < before.state.position.size(); ++n)
    apart.segment<3>(model::row(n)) = there.state.position[n] - before.state.position[n];
  const double off = equilibrium_.length(apart, there.factor - before.load_factor),
               step = equilibrium_.length(trial.way.displacement, trial.way.factor);
  const bool same = report.outcome == Attempt::converged && off <= kSame * step;
  if (!same) {  // the tangent at hand is to be that of the trial again
    Point again = trial.point;
    (void)equilibrium_.stand_at(again);
  }
  return same;
}

/// The load reaches a limit point where a limit point was located, and nowhere else; there the number of unstable
/// directions changes. Anything else is a step that has left its path, or one that has passed several events.
bool Walk::explained(const std::vector<Found>& events, Trial& trial) {
  constexpr double kLevel = 1e-3;
  if (!by_arc() || just_branched_ || trial.smallest || flows_ || equilibrium_.unsymmetric() ||
      !options_.record.critical_points || !equilibrium_.touch_alike(now_, trial.point))
    return true;
  int rotations = 0;
  for (const auto& event : events) {
    if (event.null.meets || is_left_at(event)) return true;
    rotations += event.event == PathEvent::limit_point ? 1 : 0;
  }
  const double before = now_.tangent.factor, after = trial.point.tangent.factor;
  const bool rotated = before * after < 0;
  if (std::max(std::abs(before), std::abs(after)) < kLevel || rotated == (rotations % 2 == 1)) return true;
  return refuse("the load reaches a limit point without a limit point");
}

}  // namespace archway::analysis::detail
