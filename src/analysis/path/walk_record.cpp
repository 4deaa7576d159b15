#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "path/walk_detail.hpp"

/// What a path reports, and when it ends.
namespace archway::analysis::detail {

using base::at;

void Walk::record(const Point& point, PathEvent event, const Work& work) {
  Increment increment;
  increment.number = number();
  increment.parent = parent_;
  increment.event = event;
  increment.load_factor = point.factor;
  increment.uncertainty = work.uncertainty;
  increment.step = work.step / (event == PathEvent::preload ? 1 : arc_per_factor_);
  increment.iterations = work.iterations;
  increment.cut_backs = work.cuts;
  increment.residual = point.balance.residual;
  increment.forces_corrected = point.state.correction.size() > 0;
  increment.negative_pivots = point.negative_pivots;
  increment.counted = point.counted;
  measures_.measure(point, increment);
  if (options_.record.stability) increment.softest = softest(event);
  if (!flows_ && result_.first_yield.part < 0)
    result_.first_yield =
        Measures::first_reached(result_.increments.empty() ? nullptr : &result_.increments.back(), increment);
  if (options_.record.states)
    increment.kept =
        std::make_shared<const KeptState>(KeptState{point.state, point.factor, point.preload, kept_displacements(point),
                                                    point.memory, equilibrium_.largest_force(), point.rotated});
  if (options_.record.crossings)
    for (auto& crossing : crossings_.look(point.state)) {
      crossing.increment = number();
      result_.crossings.push_back(crossing);
    }
  result_.increments.push_back(std::move(increment));
  highest_ = std::max(highest_, point.factor);
  if (parent_ < 0) parent_ = 0;
  if (watcher_) {
    PathProgress progress;
    progress.increment = &result_.increments.back();
    progress.load_factor = point.factor;
    progress.residual = point.balance.residual;
    if (watcher_(progress) == Next::stop_keep_result) end(Ending::stopped_by_caller, "stopped on request");
  }
}

/// Of the state whose tangent is at hand; at a critical point it is zero.
double Walk::softest(PathEvent event) {
  if (event == PathEvent::limit_point || event == PathEvent::bifurcation) return 0;
  const double value = equilibrium_.softest().values.minCoeff();
  if (!std::isfinite(softest_at_start_)) softest_at_start_ = std::abs(value);
  return value / softest_at_start_;
}

Next Walk::tell_cut_back() const {
  if (!watcher_) return Next::go_on;
  PathProgress progress;
  progress.attempt_number = static_cast<int>(result_.increments.size());
  progress.cutting_back = true;
  progress.load_factor = now_.factor;
  progress.step = step_ / arc_per_factor_;
  return watcher_(progress);
}

bool Walk::stopped() {
  if (ended_) return true;
  std::string reason = reason_to_stop(options_, result_, highest_);
  if (reason.empty()) reason = budget_spent();
  if (reason.empty()) return false;
  result_.levels_off = options_.stop.flat > 0 && stands_still(result_, options_.stop.flat);
  end(Ending::done, reason);
  return true;
}

std::string Walk::budget_spent() const {
  if (options_.stop.factorisations > 0 && equilibrium_.factorisations() >= options_.stop.factorisations)
    return fmt::format("{} factorisations done", equilibrium_.factorisations());
  if (options_.stop.seconds > 0 && equilibrium_.seconds() >= options_.stop.seconds)
    return fmt::format("the {:.4g} seconds it may take are over", options_.stop.seconds);
  return "";
}

/// Within an increment: what it may take is used up, or the caller has asked for it. What was reached before is kept.
void Walk::end_inside() {
  const std::string spent = budget_spent();
  if (spent.empty()) return end(Ending::stopped_by_caller, "stopped on request");
  end(Ending::done, spent);
}

void Walk::end(Ending ending, const std::string& message) {
  result_.ending = ending;
  (ending == Ending::done ? result_.stop_reason : result_.message) = message;
  ended_ = true;
}

std::string Walk::stuck_message() const {
  if (lead_.by_load() && !options_.steps.change_control)
    return fmt::format(
        "no equilibrium was found beyond load factor {:.6g}: this may be a limit point; use arc length to pass it",
        now_.factor);
  std::string text = fmt::format("the path could not be followed beyond load factor {:.6g}, even with steps of {:.2g}",
                                 now_.factor, step_ / arc_per_factor_);
  if (!refused_.empty()) text += fmt::format(" ({})", refused_);
  if (options_.steps.control == PathControl::displacement)
    text +=
        fmt::format(", led by '{}': does that move as the load grows?", options_.watch[at(options_.steps.lead)].name);
  return text;
}

PathResult Walk::finish() {
  if (!result_.peak_is_limit_point)
    for (std::size_t i = 0; i < result_.increments.size(); ++i)
      if (result_.peak < 0 ||
          result_.increments[i].load_factor > result_.increments[static_cast<std::size_t>(result_.peak)].load_factor)
        result_.peak = static_cast<int>(i);
  if (result_.peak >= 0)
    result_.peak_load_factor = result_.increments[static_cast<std::size_t>(result_.peak)].load_factor;
  if (!result_.increments.empty()) {
    result_.applied = equilibrium_.applied(now_);
    result_.reacted = equilibrium_.reacted(now_, equilibrium_.outside(now_));
  }
  result_.stages = {{"", "", 0, last_index(), result_.stop_reason, options_.constant, options_.variable, result_.peak,
                     result_.peak_is_limit_point}};
  result_.factorisations = equilibrium_.factorisations();
  result_.unsymmetric = equilibrium_.unsymmetric();
  if (result_.ending == Ending::done) result_.message = "";
  return std::move(result_);
}

}  // namespace archway::analysis::detail
