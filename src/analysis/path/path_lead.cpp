#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "path/path_lead_detail.hpp"

namespace archway::analysis::detail {

using base::at;

Eigen::VectorXd displacement_between(const Point& from, const Point& to) {
  Eigen::VectorXd d = Eigen::VectorXd::Zero(model::row(from.state.position.size()));
  for (std::size_t n = 0; n < from.state.position.size(); ++n)
    d.segment<3>(model::row(n)) = to.state.position[n] - from.state.position[n];
  return d;
}

void PathLead::rotation(Direction& direction) const {
  if (direction.factor * sense_ >= 0) return;
  direction.displacement = -direction.displacement;
  direction.factor = -direction.factor;
}

AttemptReport PathLead::reach(const Point& from, const Direction& bend, Point& point, double way, int number,
                              Begin begin) {
  if (by_arc()) return equilibrium_.along(point, {from.tangent, bend}, way, number, begin);
  if (by_load()) return equilibrium_.at_load(point, load_target(from, way), 1, way, number, begin);
  if (by_search()) return search(from, bend, point, way, number, begin);
  if (still_at(from)) return equilibrium_.along(point, {from.tangent, bend}, way, number, begin);
  const double wanted = equilibrium_.reading(leader(), from) + way * per_way(from, leader());
  return equilibrium_.at_reading(point, leader(), wanted, from.tangent, number, begin);
}

/// What leads does not change there along the path, as the shortening of a member that begins to bend: the arc leads.
bool PathLead::still_at(const Point& from) const {
  constexpr double kStill = 1e-6;  // of what so large a step could change
  const auto gradient = equilibrium_.gradient(leader(), from);
  return std::abs(gradient.dot(from.tangent.displacement)) <=
         kStill * gradient.norm() * from.tangent.displacement.norm();
}

/// By the secant of arc against reading, from the arc that the rate of the last increment foresees.
AttemptReport PathLead::search(const Point& from, const Direction& bend, Point& point, double way, int number,
                               Begin begin) {
  constexpr int kTries = 12;
  constexpr double kClose = 1e-6, kFurthest = 4;  // of the change that is wanted, and of the way
  if (!std::isfinite(rate_)) return equilibrium_.along(point, {from.tangent, bend}, way, number, begin);
  const double wanted = read_(watch_, from) + way * rate_;
  double arc = way, last = 0, last_off = -way * rate_;
  AttemptReport report;
  for (int tries = 0; tries < kTries; ++tries) {
    point = from;
    report = equilibrium_.along(point, {from.tangent, bend}, arc, number, tries == 0 ? begin : Begin::factor_at_hand);
    if (report.outcome != Attempt::converged) return report;
    const double off = read_(watch_, point) - wanted;
    if (std::abs(off) <= kClose * std::abs(way * rate_)) return report;
    const double next = arc - off * (arc - last) / (off - last_off);
    last = arc;
    last_off = off;
    arc = next;
    if (!(arc > 0 && arc < kFurthest * way)) break;
  }
  report.outcome = Attempt::failed;
  return report;
}

void PathLead::passed(const Point& from, const Point& to, const Direction& way) {
  constexpr double kStill = 1e-9;  // of the reading: it has not changed
  if (!by_search()) return;
  const double before = read_(watch_, from), here = read_(watch_, to), arc = equilibrium_.dot(way, from.tangent);
  rate_ =
      std::abs(here - before) > kStill * std::max(std::abs(here), std::abs(before)) ? (here - before) / arc : kUnset;
}

double PathLead::load_target(const Point& from, double way) const {
  const double target = from.factor + sense_ * way;
  const auto& end = options_.stop.load_factor;
  return end ? sense_ * std::min(sense_ * target, sense_ * *end) : target;
}

/// What a watch reads more, a unit of way along the tangent.
double PathLead::per_way(const Point& from, const WatchPoint& watch) const {
  return equilibrium_.gradient(watch, from).dot(from.tangent.displacement);
}

double PathLead::way_between(const Point& from, const Point& to, const Direction& way) const {
  if (by_arc()) return equilibrium_.dot(way, from.tangent);
  if (by_load()) return sense_ * way.factor;
  if (!by_search() && still_at(from)) return equilibrium_.dot(way, from.tangent);
  if (by_search())
    return std::isfinite(rate_) ? (read_(watch_, to) - read_(watch_, from)) / rate_
                                : equilibrium_.dot(way, from.tangent);
  return (equilibrium_.reading(leader(), to) - equilibrium_.reading(leader(), from)) / per_way(from, leader());
}

bool PathLead::next(const Point& from, int number) {
  if (!options_.steps.change_control) return false;
  if (tried_from_ != number) tried_from_ = number, tried_ = {control_};
  for (const auto next : {PathControl::arc_length, PathControl::displacement, PathControl::load}) {
    if (std::find(tried_.begin(), tried_.end(), next) != tried_.end()) continue;
    tried_.push_back(next);
    if (next == PathControl::displacement && options_.steps.control != next && !choose_watch(from)) continue;
    control_ = next;
    rate_ = kUnset;
    return true;
  }
  return false;
}

/// The watch that moves most along the path; where none is of single nodes, the largest displacement of a node.
bool PathLead::choose_watch(const Point& from) {
  double most = 0;
  for (std::size_t w = 0; w < options_.watch.size(); ++w) {
    if (!options_.watch[w].of_nodes()) continue;
    const double moves = std::abs(per_way(from, options_.watch[w]));
    if (moves > most * (1 + 1e-9)) most = moves, watch_ = static_cast<int>(w);
  }
  if (most > 0) return true;
  int node = -1;
  for (int n = 0; n < system_.node_count(); ++n) {
    const double moves = from.tangent.displacement.segment<3>(model::row(n)).norm();
    if (moves > most * (1 + 1e-9)) most = moves, node = n;
  }
  if (node < 0) return false;
  watch_ = -1;
  own_ = {};
  own_.node = node;
  own_.direction = from.tangent.displacement.segment<3>(model::row(node)).normalized();
  own_.name = fmt::format("displacement of node {}", node);
  return true;
}

std::vector<PathLead::Wanted> PathLead::wanted_between(const Point& from, const Point& to,
                                                       const ReadWatch& read) const {
  std::vector<Wanted> list;
  const auto add_factor = [&](double f, bool ends) {
    const double share = (f - from.factor) / (to.factor - from.factor);
    if (std::abs(f - from.factor) > 1e-12 * std::abs(f) && share > 0 && share <= 1)
      list.push_back({f, -1, f, share, ends, from.factor, to.factor});
  };
  const auto add_reading = [&](int watch, double value, bool ends) {
    const double start = read(watch, from), here = read(watch, to), share = (value - start) / (here - start);
    if (share > 1e-9 && share <= 1) list.push_back({{}, watch, value, share, ends, start, here});
  };
  for (const double f : options_.record.factors_wanted) add_factor(f, false);
  for (const auto& [watch, value] : options_.record.readings_wanted) add_reading(watch, value, false);
  if (options_.stop.load_factor) add_factor(*options_.stop.load_factor, true);
  if (options_.stop.watch >= 0 && options_.stop.displacement != 0.0)
    add_reading(options_.stop.watch, options_.stop.displacement, true);
  // what is asked for at the end is recorded once, as the end
  std::stable_sort(list.begin(), list.end(), [](const Wanted& a, const Wanted& b) {
    return a.share != b.share ? a.share < b.share : a.ends && !b.ends;
  });
  const auto end = std::find_if(list.begin(), list.end(), [](const Wanted& w) { return w.ends; });
  if (end != list.end()) list.erase(end + 1, list.end());
  return list;
}

/// Along the tangent, which stretches no stiff part, where it leads to the reading within the increment; else along the
/// chord.
Direction PathLead::towards(const Point& from, const Point& to, const Wanted& reading) const {
  constexpr double kFurther = 2;
  Direction chord{displacement_between(from, to), to.factor - from.factor};
  for (std::size_t n = 0; n < from.state.rotation.size(); ++n)
    chord.displacement.segment<3>(model::row(n) + 3) =
        base::rotation_vector(to.state.rotation[n] * from.state.rotation[n].inverse());
  if (from.tangent.displacement.size() == 0) return chord;
  const double rate = per_way(from, options_.watch[at(reading.watch)]), way = (reading.value - reading.start) / rate;
  const double most = kFurther * reading.share * equilibrium_.length(chord.displacement, chord.factor);
  return way > 0 && way <= most ? from.tangent : chord;
}

/// A state within an increment lies no further off than its end, or it is one of another path.
bool PathLead::further(const Point& from, const Point& within, const Point& to) const {
  constexpr double kFurther = 2;
  return equilibrium_.length(displacement_between(from, within), within.factor - from.factor) >
         kFurther * equilibrium_.length(displacement_between(from, to), to.factor - from.factor);
}

std::optional<Point> PathLead::state_at(const Wanted& wanted, const Point& from, const Point& to, double step,
                                        int number) {
  if (wanted.share == 1) return to;
  if (!wanted.factor) {
    Point point = from;
    const auto report = equilibrium_.at_reading(point, options_.watch[at(wanted.watch)], wanted.value,
                                                towards(from, to, wanted), number, Begin::factor_at_hand);
    if (report.outcome != Attempt::converged || further(from, point, to)) return std::nullopt;
    return point;
  }
  // what rubs has touched and slid beyond: it would be dragged back. Else the state beyond is the nearer one
  const auto& obstacles = system_.model().obstacles;
  const bool rubs = equilibrium_.rubs() ||
                    std::any_of(obstacles.begin(), obstacles.end(), [](const auto& o) { return o.friction > 0; });
  Point point = rubs ? from : to;
  if (!rubs) point.tangent = {};  // that of the state before says nothing of the way back
  const auto report = equilibrium_.at_load(point, *wanted.factor, 1, step, number, Begin::factor_at_hand);
  if (report.outcome != Attempt::converged) return std::nullopt;
  return point;
}

}  // namespace archway::analysis::detail
