#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "path/walk_detail.hpp"

/// What was asked for on the way: load factors and displacements at which a state is wanted. They are found from the
/// side, so that asking changes nothing of the path.
namespace archway::analysis::detail {

namespace {
constexpr int kTries = 40;        ///< states that a search takes at most
constexpr double kNoGap = 1e-7;   ///< of the size: less is none
constexpr double kTouch = 1e-5;   ///< of an increment: first contact is located so closely
constexpr double kShort = 0.005;  ///< of what is left: before the place foreseen, on the side that does not touch
}  // namespace

double Walk::read(int watch, const Point& point) const {
  if (options_.watch[base::at(watch)].of_nodes()) return equilibrium_.reading(options_.watch[base::at(watch)], point);
  Point own = point;
  equilibrium_.remember(own);
  return measures_.read_ahead(base::at(watch), own);
}

/// A state within the increment that is being judged, beside the path. None: it is not found.
std::optional<Point> Walk::point_on_way(double way) {
  Point point = now_;
  if (reach(point, way, Begin::factor_at_hand).outcome != Attempt::converged) return std::nullopt;
  return point;
}

/// Where a watch of more than single nodes reads what was asked for: by false position, with the weight of an end that
/// stays halved. None: a state on the way is not found.
std::optional<Point> Walk::where_watch_reads(const PathLead::Wanted& wanted, const Trial& trial) {
  double low = 0, high = trial.reach, below = wanted.start - wanted.value, above = wanted.here - wanted.value;
  const double close = kLocated * std::max(std::abs(wanted.value), 1e-3 * std::abs(wanted.here - wanted.start));
  std::optional<Point> point = trial.point;
  for (int tries = 0; tries < kTries; ++tries) {
    const double way = low + (high - low) * below / (below - above);
    point = point_on_way(way);
    if (!point) return std::nullopt;
    const double off = read(wanted.watch, *point) - wanted.value;
    if (std::abs(off) <= close) return point;
    if (std::signbit(off) == std::signbit(above))
      high = way, above = off, below /= 2;
    else
      low = way, below = off, above /= 2;
  }
  return std::nullopt;
}

/// Obstacles and contacts, by their place among contact_forces(), at which something presses.
std::vector<std::size_t> Walk::pressing(const Point& point) const {
  std::vector<std::size_t> list;
  const auto contacts = contact_forces(system_, point.state, point.memory.get());
  for (std::size_t c = 0; c < contacts.size(); ++c)
    if (contacts[c].touching > 0) list.push_back(c);
  return list;
}

/// Where something first presses that did not before: enclosed between a state that does and one that does not, from
/// how the gap closes. The state just before is taken: beyond, the load may grow much while nothing moves. None:
/// nothing of the kind, or a state on the way is not found.
std::optional<Walk::Output> Walk::first_touch(const Trial& trial) {
  const auto& model = system_.model();
  if ((model.obstacles.empty() && model.contacts.empty()) || now_.memory == nullptr || trial.leap) return std::nullopt;
  touched_.resize(model.obstacles.size() + model.contacts.size(), false);
  for (const auto c : pressing(now_)) touched_[c] = true;
  const auto is_new = [&](const Point& point) {
    const auto list = pressing(point);
    return std::any_of(list.begin(), list.end(), [&](std::size_t c) { return !touched_[c]; });
  };
  Point end = trial.point;
  equilibrium_.remember(end);
  if (!is_new(end)) return std::nullopt;
  std::vector<std::size_t> which = pressing(end);
  const auto gap = [&](const Point& point) {
    const auto contacts = contact_forces(system_, point.state, point.memory.get());
    double least = HUGE_VAL;
    for (std::size_t c = 0; c < contacts.size(); ++c)
      if (!touched_[c]) least = std::min(least, contacts[c].gap);
    return least;
  };
  double low = 0, high = trial.reach, before = kUnset, here = gap(now_), way_before = 0;
  if (here <= kNoGap * model.size()) {  // it has touched from the beginning, without a force
    for (const auto c : which) touched_[c] = true;
    return std::nullopt;
  }
  std::optional<Point> found;
  for (int tries = 0; tries < kTries && high - low > kTouch * trial.reach; ++tries) {
    const double closes = low + here * (low - way_before) / (before - here);  // NaN at first
    const bool foreseen = closes > low && closes < high;
    if (foreseen && found && closes - low <= kTouch * trial.reach) break;
    const double way = foreseen ? closes - kShort * (closes - low) : 0.5 * (low + high);
    auto point = point_on_way(way);
    if (!point) return std::nullopt;
    equilibrium_.remember(*point);
    if (is_new(*point)) {
      which = pressing(*point), high = way;
    } else {
      way_before = low, before = here;
      low = way, here = gap(*point);
      found = std::move(point);
    }
  }
  if (!found) return std::nullopt;  // at its beginning
  return Output{low, std::move(*found), trial.iterations, false, PathEvent::touch, which};
}

/// None: a state that was asked for is not found, and the step is cut.
std::optional<std::vector<Walk::Output>> Walk::outputs(const Trial& trial) {
  std::vector<Output> list;
  const auto reader = [this](int watch, const Point& point) { return read(watch, point); };
  for (const auto& wanted : lead_.wanted_between(now_, trial.point, reader)) {
    const bool searched = wanted.watch >= 0 && !options_.watch[base::at(wanted.watch)].of_nodes() && wanted.share < 1;
    auto point =
        searched ? where_watch_reads(wanted, trial) : lead_.state_at(wanted, now_, trial.point, trial.step, number());
    if (point && wanted.share < 1 && !equilibrium_.settle(*point, trial.way, Count::if_needed)) point.reset();
    if (!point && trial.smallest && !wanted.ends) continue;
    if (!point) {
      (void)refuse("no state is found at a value that was asked for");
      return std::nullopt;
    }
    // the end of the increment itself is recorded as that
    if (wanted.share == 1 && !wanted.ends) continue;
    const Direction way{displacement_between(now_, *point), point->factor - now_.factor};
    list.push_back({lead_.way_between(now_, *point, way), std::move(*point), trial.iterations, wanted.ends});
  }
  if (auto touch = first_touch(trial); touch && equilibrium_.settle(touch->point, trial.way, Count::if_needed)) {
    const auto later = std::find_if(list.begin(), list.end(), [&](const Output& o) { return o.way > touch->way; });
    list.insert(later, std::move(*touch));
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
      record(output->point, output->event, {output->way, output->iterations, 0, 0});
      if (output->event == PathEvent::touch)
        for (const auto c : output->touches) touched_[c] = true;
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
