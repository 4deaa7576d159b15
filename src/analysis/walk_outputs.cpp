#include <algorithm>

#include "walk_detail.hpp"

/// What was asked for on the way: load factors and displacements at which a state is wanted. They are found from the
/// side, so that asking changes nothing of the path.
namespace archway::analysis::detail {

/// None: a state that was asked for is not found, and the step is cut.
std::optional<std::vector<Walk::Output>> Walk::outputs(const Trial& trial) {
  std::vector<Output> list;
  for (const auto& wanted : lead_.wanted_between(now_, trial.point)) {
    auto point = lead_.state_at(wanted, now_, trial.point, trial.step, number());
    if (point && wanted.share < 1 && !equilibrium_.settle(*point, trial.way, Count::if_needed)) point.reset();
    if (!point && trial.smallest && !wanted.ends) continue;
    if (!point) {
      (void)refuse("no state is found at a load factor or displacement that was asked for");
      return std::nullopt;
    }
    // the end of the increment itself is recorded as that
    if (wanted.share == 1 && !wanted.ends) continue;
    const Direction way{movement_between(now_, *point), point->factor - now_.factor};
    list.push_back({lead_.way_between(now_, *point, way), std::move(*point), trial.iterations, wanted.ends});
  }
  if (!list.empty()) {  // the tangent at hand is that of the end again
    Point again = trial.point;
    (void)equilibrium_.stand_at(again);
  }
  return list;
}

/// Critical points and states that were asked for, in the order in which the increment passes them, up to where the
/// path branches or ends.
bool Walk::record_events(std::vector<Found>& critical, std::vector<Output>& outputs, Trial& trial) {
  auto output = outputs.begin();
  const auto record_until = [&](double way) {
    for (; output != outputs.end() && output->way <= way && !ended_ && !trial.last; ++output) {
      equilibrium_.remember(output->point);
      record(output->point, PathEvent::none, {output->way, output->iterations, 0, 0});
      if (output->ends) trial.last = output->point;
    }
  };
  for (auto& found : critical) {
    record_until(found.way);
    if (ended_ || trial.last) return true;
    take(found, trial);
    if (ended_ || trial.branch) return true;
  }
  record_until(HUGE_VAL);
  return true;
}

}  // namespace archway::analysis::detail
