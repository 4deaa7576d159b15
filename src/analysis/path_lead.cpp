#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "path_lead_detail.hpp"

namespace archway::analysis::detail {

using base::at;

Eigen::VectorXd movement_between(const Point& from, const Point& to) {
  Eigen::VectorXd d = Eigen::VectorXd::Zero(model::row(from.state.position.size()));
  for (std::size_t n = 0; n < from.state.position.size(); ++n)
    d.segment<3>(model::row(n)) = to.state.position[n] - from.state.position[n];
  return d;
}

void PathLead::turn(Direction& direction) const {
  if (direction.factor * sense_ >= 0) return;
  direction.displacement = -direction.displacement;
  direction.factor = -direction.factor;
}

AttemptReport PathLead::reach(const Point& from, const Direction& bend, Point& point, double way, int number,
                              Begin begin) {
  if (by_arc()) return equilibrium_.along(point, {from.tangent, bend}, way, number, begin);
  if (by_load()) return equilibrium_.at_load(point, load_target(from, way), 1, way, number, begin);
  const double wanted = equilibrium_.reading(leader(), from) + way * per_way(from, leader());
  return equilibrium_.at_reading(point, leader(), wanted, from.tangent, number, begin);
}

double PathLead::load_target(const Point& from, double way) const {
  const double target = from.factor + sense_ * way;
  const auto& end = options_.stop_load_factor;
  return end ? sense_ * std::min(sense_ * target, sense_ * *end) : target;
}

/// What a watch reads more, a unit of way along the tangent.
double PathLead::per_way(const Point& from, const WatchPoint& watch) const {
  Point ahead;
  ahead.state = State::reference(system_.model());
  for (std::size_t n = 0; n < ahead.state.position.size(); ++n)
    ahead.state.position[n] += from.tangent.displacement.segment<3>(model::row(n));
  return equilibrium_.reading(watch, ahead);
}

double PathLead::way_between(const Point& from, const Point& to, const Direction& way) const {
  if (by_arc()) return equilibrium_.dot(way, from.tangent);
  if (by_load()) return sense_ * way.factor;
  return (equilibrium_.reading(leader(), to) - equilibrium_.reading(leader(), from)) / per_way(from, leader());
}

bool PathLead::next(const Point& from, int number) {
  if (!options_.change_control) return false;
  if (tried_from_ != number) tried_from_ = number, tried_ = {control_};
  for (const auto next : {PathControl::arc_length, PathControl::load, PathControl::movement}) {
    if (std::find(tried_.begin(), tried_.end(), next) != tried_.end()) continue;
    tried_.push_back(next);
    if (next == PathControl::movement && options_.control != next && !choose_watch(from)) continue;
    control_ = next;
    return true;
  }
  return false;
}

/// The watch that moves most along the path.
bool PathLead::choose_watch(const Point& from) {
  double most = 0;
  for (std::size_t w = 0; w < options_.watch.size(); ++w) {
    if (!options_.watch[w].can_lead()) continue;
    const double moves = std::abs(per_way(from, options_.watch[w]));
    if (moves > most * (1 + 1e-9)) most = moves, watch_ = static_cast<int>(w);
  }
  return most > 0;
}

std::optional<double> PathLead::factor_passed(const Point& from, const Point& to) const {
  std::optional<double> first;
  auto wanted = options_.factors_wanted;
  if (options_.stop_load_factor) wanted.push_back(*options_.stop_load_factor);
  for (const double f : wanted) {
    const bool passed = (f - from.factor) * (f - to.factor) < 0 && std::abs(f - from.factor) > 1e-12 * std::abs(f);
    if (passed && (!first || std::abs(f - from.factor) < std::abs(*first - from.factor))) first = f;
  }
  return first;
}

std::optional<PathLead::Passed> PathLead::reading_passed(const Point& from, const Point& to) const {
  auto wanted = options_.readings_wanted;
  if (options_.stop_watch >= 0 && options_.watch[at(options_.stop_watch)].can_lead()) {
    const double here = equilibrium_.reading(options_.watch[at(options_.stop_watch)], to);
    wanted.emplace_back(options_.stop_watch, std::copysign(options_.stop_movement, here));  // whichever way it goes
  }
  std::optional<Passed> first;
  for (const auto& [watch, value] : wanted) {
    const double start = equilibrium_.reading(options_.watch[at(watch)], from),
                 here = equilibrium_.reading(options_.watch[at(watch)], to);
    const double share = (value - start) / (here - start);
    if (share > 1e-9 && share < 1 && (!first || share < first->share)) first = {watch, value, share};
  }
  return first;
}

/// Along the tangent, which stretches no stiff part, where it leads to the reading within the increment; else along the
/// chord.
Direction PathLead::towards(const Point& from, const Point& to, const Passed& reading) const {
  constexpr double kFurther = 2;
  Direction chord{movement_between(from, to), to.factor - from.factor};
  if (from.tangent.displacement.size() == 0) return chord;
  const double rate = per_way(from, options_.watch[at(reading.watch)]),
               way = (reading.value - equilibrium_.reading(options_.watch[at(reading.watch)], from)) / rate;
  const double most = kFurther * reading.share * equilibrium_.length(chord.displacement, chord.factor);
  return way > 0 && way <= most ? from.tangent : chord;
}

/// A state within an increment lies no further off than its end, or it is one of another path.
bool PathLead::further(const Point& from, const Point& within, const Point& to) const {
  constexpr double kFurther = 2;
  return equilibrium_.length(movement_between(from, within), within.factor - from.factor) >
         kFurther * equilibrium_.length(movement_between(from, to), to.factor - from.factor);
}

bool PathLead::end_where_wanted(const Point& from, Point& to, double step, int number) {
  const std::optional<double> factor = factor_passed(from, to);
  const double shares = factor ? (*factor - from.factor) / (to.factor - from.factor) : 1;
  const auto reading = reading_passed(from, to);
  if (reading && reading->share < shares) {
    Point point = from;
    const auto report = equilibrium_.at_reading(point, options_.watch[at(reading->watch)], reading->value,
                                                towards(from, to, *reading), number, Begin::factor_at_hand);
    if (report.outcome != Attempt::converged || further(from, point, to)) return false;
    to = std::move(point);
    return true;
  }
  if (!factor) return true;
  // what rubs has touched and slid beyond: it would be dragged back. Else the state beyond is the nearer one
  const auto& obstacles = system_.model().obstacles;
  const bool rubs = equilibrium_.rubs() ||
                    std::any_of(obstacles.begin(), obstacles.end(), [](const auto& o) { return o.friction > 0; });
  if (rubs)
    to = from;
  else
    to.tangent = {};  // that of the state before says nothing of the way back
  return equilibrium_.at_load(to, *factor, 1, step, number, Begin::factor_at_hand).outcome == Attempt::converged;
}

}  // namespace archway::analysis::detail
