#include "archway/analysis/path.hpp"

#include <cmath>

#include <fmt/format.h>

#include "arc_length_detail.hpp"
#include "archway/analysis/mechanism.hpp"

namespace archway::analysis {

const char* to_text(PathEvent event) {
  switch (event) {
    case PathEvent::none:
      return "";
    case PathEvent::preload:
      return "held part in place";
    case PathEvent::limit_point:
      return "limit point";
    case PathEvent::bifurcation:
      return "bifurcation";
  }
  return "?";
}

std::vector<std::string> PathOptions::complaints() const {
  std::vector<std::string> list;
  if (growing.terms.empty()) list.push_back("nothing grows: name the combination that the load factor multiplies");
  if (!(first_step > 0)) list.push_back(fmt::format("first_step is {}, it must be above zero", first_step));
  if (largest_step < 0 || smallest_step < 0) list.push_back("steps must not be negative");
  if (stop_increments < 1) list.push_back("at least one increment must be allowed");
  if (stop_drop < 0 || stop_drop >= 1)
    list.push_back(fmt::format("the drop rule is {}, it must lie between 0 and 1", stop_drop));
  if (stop_watch >= static_cast<int>(watch.size()))
    list.push_back("the movement rule names a watch point that does not exist");
  if (wanted_iterations < 1 || max_iterations < wanted_iterations) list.push_back("iterations: 1 <= wanted <= most");
  return list;
}

std::string place_text(const Increment& increment) {
  const double f = std::abs(increment.load_factor);
  const double digits = increment.uncertainty > 0 && f > 0 ? -std::log10(increment.uncertainty / f) : 6;
  return fmt::format("{:.{}g}", increment.load_factor, std::clamp(static_cast<int>(std::floor(digits + 0.31)), 2, 6));
}

namespace {
constexpr double kPlace = 2e-6;  ///< to which share the load factor of a bifurcation is found
std::size_t at(int i) {
  return static_cast<std::size_t>(i);
}
using detail::Attempt;
using detail::AttemptReport;
using detail::Direction;
using detail::Equilibrium;
using detail::Point;

/// The stepping strategy: predict, correct, judge, record.
class Walk {
 public:
  Walk(const System& system, const PathOptions& options, const PathWatcher& watcher)
      : system_(system), options_(options), watcher_(watcher), equilibrium_(system, options, watcher) {
    for (const auto& m : system.model().materials) yields_ = yields_ || m.yield_stress > 0;
    largest_ = options.largest_step > 0 ? options.largest_step : 8 * options.first_step;
    smallest_ = options.smallest_step > 0 ? options.smallest_step : options.first_step / 4096;
  }

  PathResult run() {
    if (!can_stand() || !put_held_part()) return finish();
    equilibrium_.set_scale(now_);
    direction_ = equilibrium_.tangent(now_, {});
    step_ = options_.first_step * (by_arc() ? std::sqrt(2.0) : 1.0);
    arc_per_factor_ = step_ / options_.first_step;
    while (!stopped() && advance()) {
    }
    return finish();
  }

 private:
  bool can_stand() {
    const Mechanism mechanism = equilibrium_.mechanism();
    if (mechanism.exists) end(Ending::mechanism, mechanism.description);
    return !mechanism.exists;
  }

  void end(Ending ending, const std::string& message) {
    result_.ending = ending;
    (ending == Ending::done ? result_.stop_reason : result_.message) = message;
    ended_ = true;
  }

  /// Held loads by load control from nothing to their full size, then increment 0.
  bool put_held_part() {
    now_ = equilibrium_.start();
    double share = 0, step = 1;
    int cuts = 0;
    AttemptReport report;
    while (share < 1) {
      Point next = now_;
      const double target = std::min(1.0, share + step);
      report = equilibrium_.at_load(next, 0, options_.held.terms.empty() ? 1.0 : target, step, 0);
      if (report.outcome == Attempt::stopped)
        return end(Ending::stopped_by_caller, "stopped on request while the held part was put on"), false;
      if (report.outcome == Attempt::converged) {
        share = options_.held.terms.empty() ? 1.0 : target;
        now_ = std::move(next);
        continue;
      }
      step *= 0.5;
      ++cuts;
      if (step < 1e-3)
        return end(Ending::preload_unstable,
                   fmt::format("the held part finds no equilibrium beyond {:.3g} of its size", share)),
               false;
    }
    if (!equilibrium_.refresh(now_))
      return end(Ending::not_converged, "the tangent at the start of growth is singular"), false;
    if (now_.negative_pivots > 0)
      return end(Ending::preload_unstable,
                 fmt::format("the structure is unstable under the held part alone ({} unstable directions)",
                             now_.negative_pivots)),
             false;
    record(now_, PathEvent::preload, 0, report.iterations, cuts);
    return true;
  }

  bool advance() {
    int cuts = 0;
    for (;;) {
      const bool smallest = step_ < 2 * smallest_ * arc_per_factor_;
      if (step_ < smallest_ * arc_per_factor_) return end(Ending::not_converged, stuck_message()), false;
      Point next = now_;
      const AttemptReport report = attempt(next, step_);
      if (report.outcome == Attempt::stopped) return end(Ending::stopped_by_caller, "stopped on request"), false;
      if (report.outcome == Attempt::converged && acceptable(next) && end_at_load(next) && equilibrium_.refresh(next) &&
          accept(std::move(next), report.iterations, cuts, smallest))
        return !ended_;
      if (ended_) return false;
      step_ *= 0.5;
      ++cuts;
      if (tell_cut_back() == Next::stop_keep_result) return end(Ending::stopped_by_caller, "stopped on request"), false;
    }
  }

  bool by_arc() const { return options_.control == PathControl::arc_length; }
  /// A state so far along the predictor (or, by load control, with so much more load).
  AttemptReport attempt(Point& point, double way) {
    return by_arc() ? equilibrium_.along(point, direction_, way, number())
                    : equilibrium_.at_load(point, load_target(way), 1, way, number());
  }

  /// A step that passes the load factor asked for ends on it.
  bool end_at_load(Point& next) {
    const double wanted = options_.stop_load_factor;
    if (!by_arc() || wanted <= 0 || next.factor <= wanted || now_.factor >= wanted) return true;
    return equilibrium_.at_load(next, wanted, 1, step_, number()).outcome == Attempt::converged;
  }

  double load_target(double step) const {
    const double target = now_.factor + step;
    return options_.stop_load_factor > 0 ? std::min(target, options_.stop_load_factor) : target;
  }

  /// A correction that went much further than the predictor has found another path.
  bool acceptable(const Point& next) const {
    if (!by_arc()) return true;
    const double way = equilibrium_.length(movement_between(now_, next), next.factor - now_.factor);
    return way < 2 * step_;
  }

  Eigen::VectorXd movement_between(const Point& from, const Point& to) const {
    Eigen::VectorXd d = Eigen::VectorXd::Zero(system_.full_size());
    for (std::size_t n = 0; n < from.state.position.size(); ++n)
      d.segment<3>(model::row(n)) = to.state.position[n] - from.state.position[n];
    return d;
  }

  /// Takes a converged state over, after the critical points on the way to it have been found.
  /// \return false: they cannot be told apart with this step
  bool accept(Point next, int iterations, int cuts, bool smallest) {
    const Direction way{movement_between(now_, next), next.factor - now_.factor};
    const Direction after = equilibrium_.tangent(next, way);
    const bool turned = by_arc() && direction_.factor * after.factor < 0;
    const int crossed = std::abs(next.negative_pivots - now_.negative_pivots);
    const double taken = step_, reach = by_arc() ? equilibrium_.dot(way, direction_) : way.factor;
    if (options_.locate_critical_points && turned && crossed < 2) {
      if (locate_limit({0, direction_.factor}, {reach, after.factor}, now_.negative_pivots) == Found::missed)
        return smallest && !ended_;
    } else if (options_.locate_critical_points && crossed > 0) {
      if (!locate_changes(next, reach, after, smallest)) return false;
    }
    if (ended_) return true;
    direction_ = after;
    now_ = std::move(next);
    const double growth = std::sqrt(static_cast<double>(options_.wanted_iterations) / std::max(1, iterations));
    step_ = std::min(taken * std::clamp(growth, 0.5, 1.5), largest_ * arc_per_factor_);
    record(now_, PathEvent::none, taken, iterations, cuts);
    return true;
  }

  enum class Found { found, missed };
  /// A place on the way of the increment with the load part of the unit tangent there.
  struct Turn {
    double way, value;
  };

  /// Secant (Illinois) on the load part of the unit tangent between two states of the increment.
  Found locate_limit(Turn low, Turn high, int negatives_before) {
    Point best;
    int iterations = 0;
    const bool is_peak = low.value > 0;
    for (int trial = 0; trial < 12; ++trial) {
      const double arc = std::clamp(low.way + (high.way - low.way) * low.value / (low.value - high.value),
                                    low.way + 0.02 * (high.way - low.way), high.way - 0.02 * (high.way - low.way));
      Point middle = now_;
      const AttemptReport report = attempt(middle, arc);
      if (report.outcome == Attempt::stopped)
        return end(Ending::stopped_by_caller, "stopped on request"), Found::missed;
      if (report.outcome != Attempt::converged || !equilibrium_.refresh(middle)) break;
      iterations = report.iterations;
      const double value = equilibrium_.tangent(middle, direction_).factor;
      const double gain = best.state.position.empty() ? HUGE_VAL : std::abs(middle.factor - best.factor);
      best = middle;
      if (std::abs(value) < 1e-4 || gain < 1e-7 * std::abs(middle.factor)) break;
      if (value * low.value > 0) {
        low = {arc, value};
        high.value *= 0.5;
      } else {
        high = {arc, value};
        low.value *= 0.5;
      }
    }
    if (best.state.position.empty()) return Found::missed;
    note_critical(best);
    best.negative_pivots = negatives_before;  // at the turn itself rounding would decide
    record(best, PathEvent::limit_point, step_, iterations, 0);
    if (negatives_before == 0 && result_.first_loss < 0) result_.first_loss = last_index();
    if (is_peak && !result_.peak_is_limit_point) {
      result_.peak = last_index();
      result_.peak_is_limit_point = true;
      result_.peak_load_factor = best.factor;
    }
    return Found::found;
  }

  int last_index() const { return static_cast<int>(result_.increments.size()) - 1; }
  void note_critical(const Point& point) {
    if (result_.critical_shape.size() == 0) result_.critical_shape = equilibrium_.softest_direction(point);
  }

  /// An end of the stretch in which the number of negative pivots changes.
  struct Side {
    double way = 0;
    Point point;
    double softest = 0;  ///< eigenvalue of the tangent nearest to zero
    double turn = 0;     ///< load part of the unit tangent
  };
  Side side_at(double way, Point point) {
    const double softest = equilibrium_.softest_value(soft_);
    const double turn = equilibrium_.tangent(point, direction_).factor;
    return {way, std::move(point), softest, turn};
  }

  /// All changes of inertia on the way to `next`, one after the other; the first four at most of those that come while
  /// the structure is unstable already.
  bool locate_changes(const Point& next, double reach, const Direction& after, bool smallest) {
    Point start = now_;
    if (!equilibrium_.refresh(start)) return false;
    soft_.resize(0);
    Side low = side_at(0, std::move(start));
    for (int events = 0; events < 4 && low.point.negative_pivots != next.negative_pivots; ++events) {
      Point end_point = next;
      if (!equilibrium_.refresh(end_point)) return false;
      Side high = side_at(reach, std::move(end_point));
      high.turn = after.factor;
      const bool narrow = narrow_down(low, high);
      if (ended_) return true;
      if (!narrow && !smallest) return false;
      const int before = low.point.negative_pivots;
      const bool is_limit = by_arc() && low.turn * high.turn < 0 && std::abs(high.point.negative_pivots - before) == 1;
      if (is_limit) {
        if (locate_limit({low.way, low.turn}, {high.way, high.turn}, before) == Found::missed)
          return ended_ || smallest;
      } else {
        if (!equilibrium_.refresh(high.point)) return false;
        note_critical(high.point);
        record(high.point, PathEvent::bifurcation, high.way, 0, 0, std::abs(high.point.factor - low.point.factor));
        if (before == 0 && result_.first_loss < 0) result_.first_loss = last_index();
      }
      if (ended_) return true;
      low = std::move(high);
    }
    return true;
  }

  /// Moves both ends of a stretch together around the first change of inertia in it: by the eigenvalue nearest to zero
  /// (Illinois), or by halves where that does not help. The count of negative pivots alone decides which end moves.
  /// \return whether the load factors of the ends agree as closely as asked for, or a turn of the load lies between
  bool narrow_down(Side& low, Side& high) {
    const int before = low.point.negative_pivots;
    double value_low = low.softest, value_high = high.softest, width = high.way - low.way;
    const double whole = width;
    for (int trial = 0; trial < 60; ++trial) {
      const double scale = std::max({std::abs(high.point.factor), std::abs(low.point.factor), 1e-6 * highest_});
      const bool turns = low.turn * high.turn < 0, single = std::abs(high.point.negative_pivots - before) == 1;
      if (by_arc() && turns && single && high.way - low.way < 0.05 * whole) return true;
      if (!turns && std::abs(high.point.factor - low.point.factor) <= kPlace * scale) return true;
      if (high.way - low.way < 1e-9 * whole) return false;
      double share = 0.5;
      if (single && value_low * value_high < 0 && trial % 4 != 3) share = value_low / (value_low - value_high);
      share = std::clamp(share, 0.01, 0.99);
      const double way = low.way + share * (high.way - low.way);
      Point middle = now_;
      const AttemptReport report = attempt(middle, way);
      if (report.outcome == Attempt::stopped) return end(Ending::stopped_by_caller, "stopped on request"), false;
      if (report.outcome != Attempt::converged || !equilibrium_.refresh(middle)) return false;
      Side side = side_at(way, std::move(middle));
      if (side.point.negative_pivots == before) {
        low = std::move(side);
        value_low = low.softest;
        value_high *= 0.5;
      } else {
        high = std::move(side);
        value_high = high.softest;
        value_low *= 0.5;
      }
    }
    return false;
  }

  void record(const Point& point, PathEvent event, double step, int iterations, int cuts, double uncertainty = 0) {
    Increment increment;
    increment.number = static_cast<int>(result_.increments.size());
    increment.event = event;
    increment.load_factor = point.factor;
    increment.uncertainty = uncertainty;
    increment.step = step / (event == PathEvent::preload ? 1 : arc_per_factor_);
    increment.iterations = iterations;
    increment.cut_backs = cuts;
    increment.residual = point.residual;
    increment.negative_pivots = point.negative_pivots;
    const Eigen::VectorXd u = point.state.movement(system_.model());
    for (const auto& watch : options_.watch)
      increment.watched.push_back(u.segment<3>(model::row(watch.node)).dot(watch.direction.normalized()));
    for (Eigen::Index n = 0; n < u.size(); n += model::kNodeFreedoms)
      increment.largest_movement = std::max(increment.largest_movement, u.segment<3>(n).norm());
    if (options_.keep_states) increment.displacement = u;
    watch_yield(point, increment);
    result_.increments.push_back(std::move(increment));
    highest_ = std::max(highest_, point.factor);
    if (watcher_) {
      PathProgress progress;
      progress.increment = &result_.increments.back();
      progress.load_factor = point.factor;
      progress.residual = point.residual;
      if (watcher_(progress) == Next::stop_keep_result) end(Ending::stopped_by_caller, "stopped on request");
    }
  }

  /// Largest stress over yield stress, and the load factor at which it first reached one.
  void watch_yield(const Point& point, Increment& increment) {
    if (!yields_) return;
    const auto peaks = peaks_by_part(system_.model(), equilibrium_.forces(point));
    int part = -1;
    for (std::size_t p = 0; p < peaks.size(); ++p)
      if (peaks[p].utilisation() > increment.utilisation)
        increment.utilisation = peaks[p].utilisation(), part = static_cast<int>(p);
    auto& first = result_.first_yield;
    if (first.part < 0 && increment.utilisation >= 1) {
      first.part = part;
      first.place = peaks[static_cast<std::size_t>(part)].place;
      first.increment = increment.number;
      first.load_factor = increment.load_factor;
      if (!result_.increments.empty()) {
        const auto& before = result_.increments.back();
        const double share = (1 - before.utilisation) / (increment.utilisation - before.utilisation);
        first.load_factor = before.load_factor + share * (increment.load_factor - before.load_factor);
      }
    }
  }

  Next tell_cut_back() const {
    if (!watcher_) return Next::go_on;
    PathProgress progress;
    progress.attempt_number = static_cast<int>(result_.increments.size());
    progress.cutting_back = true;
    progress.load_factor = now_.factor;
    progress.step = step_ / arc_per_factor_;
    return watcher_(progress);
  }

  bool stopped() {
    if (ended_) return true;
    const Increment& last = result_.increments.back();
    if (options_.stop_load_factor > 0 && last.load_factor >= options_.stop_load_factor * (1 - 1e-12))
      end(Ending::done, fmt::format("load factor {:.6g} reached", options_.stop_load_factor));
    else if (options_.stop_watch >= 0 &&
             std::abs(last.watched[static_cast<std::size_t>(options_.stop_watch)]) >= std::abs(options_.stop_movement))
      end(Ending::done,
          fmt::format("movement of '{}' reached {:.6g}",
                      options_.watch[static_cast<std::size_t>(options_.stop_watch)].name, options_.stop_movement));
    else if (options_.stop_at_loss && result_.first_loss >= 0)
      end(Ending::done, fmt::format("the structure loses its stability at load factor {}",
                                    place_text(result_.increments[at(result_.first_loss)])));
    else if (options_.stop_after_peak > 0 && result_.peak_is_limit_point &&
             last.number >= result_.peak + options_.stop_after_peak)
      end(Ending::done, fmt::format("{} increments beyond the peak", options_.stop_after_peak));
    else if (options_.stop_drop > 0 && last.load_factor < options_.stop_drop * highest_)
      end(Ending::done, fmt::format("load factor fell below {:.3g} of the peak", options_.stop_drop));
    else if (last.number >= options_.stop_increments)
      end(Ending::done, fmt::format("{} increments done", options_.stop_increments));
    return ended_;
  }

  std::string stuck_message() const {
    return options_.control == PathControl::load
               ? fmt::format(
                     "no equilibrium was found beyond load factor {:.6g}: this may be a limit point; use arc length to "
                     "pass it",
                     now_.factor)
               : fmt::format("the path could not be followed beyond load factor {:.6g}, even with steps of {:.2g}",
                             now_.factor, step_ / arc_per_factor_);
  }

  int number() const { return static_cast<int>(result_.increments.size()); }

  PathResult finish() {
    if (!result_.peak_is_limit_point)
      for (std::size_t i = 0; i < result_.increments.size(); ++i)
        if (result_.peak < 0 ||
            result_.increments[i].load_factor > result_.increments[static_cast<std::size_t>(result_.peak)].load_factor)
          result_.peak = static_cast<int>(i);
    if (result_.peak >= 0)
      result_.peak_load_factor = result_.increments[static_cast<std::size_t>(result_.peak)].load_factor;
    if (!result_.increments.empty()) {
      result_.applied = equilibrium_.applied(now_);
      result_.reacted = equilibrium_.reacted(now_);
    }
    result_.factorisations = equilibrium_.factorisations();
    result_.unsymmetric = equilibrium_.unsymmetric();
    if (result_.ending == Ending::done) result_.message = "";
    return std::move(result_);
  }

  const System& system_;
  const PathOptions& options_;
  const PathWatcher& watcher_;
  Equilibrium equilibrium_;
  PathResult result_;
  Point now_;
  Direction direction_;
  double step_ = 0, arc_per_factor_ = 1, largest_ = 0, smallest_ = 0, highest_ = 0;
  Eigen::VectorXd soft_;  // last guess of the softest direction, free freedoms
  bool ended_ = false, yields_ = false;
};
}  // namespace

PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher) {
  if (const auto complaints = options.complaints(); !complaints.empty())
    throw base::InputError("path options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  return Walk(system, options, watcher).run();
}

}  // namespace archway::analysis
