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

namespace {
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
    largest_ = options.largest_step > 0 ? options.largest_step : 8 * options.first_step;
    smallest_ = options.smallest_step > 0 ? options.smallest_step : options.first_step / 4096;
  }

  PathResult run() {
    if (!can_stand() || !put_held_part()) return finish();
    equilibrium_.set_scale(now_);
    direction_ = equilibrium_.tangent(now_, {});
    step_ = options_.first_step * (options_.control == PathControl::arc_length ? std::sqrt(2.0) : 1.0);
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
      if (step_ < smallest_ * arc_per_factor_) return end(Ending::not_converged, stuck_message()), false;
      Point next = now_;
      const AttemptReport report = options_.control == PathControl::arc_length
                                       ? equilibrium_.along(next, direction_, step_, number())
                                       : equilibrium_.at_load(next, load_target(), 1, step_, number());
      if (report.outcome == Attempt::stopped) return end(Ending::stopped_by_caller, "stopped on request"), false;
      if (report.outcome == Attempt::converged && acceptable(next) && end_at_load(next) && equilibrium_.refresh(next)) {
        accept(std::move(next), report.iterations, cuts);
        return !ended_;
      }
      step_ *= 0.5;
      ++cuts;
      if (tell_cut_back() == Next::stop_keep_result) return end(Ending::stopped_by_caller, "stopped on request"), false;
    }
  }

  /// A step that passes the load factor asked for ends on it.
  bool end_at_load(Point& next) {
    const double wanted = options_.stop_load_factor;
    if (options_.control == PathControl::load || wanted <= 0 || next.factor <= wanted || now_.factor >= wanted)
      return true;
    return equilibrium_.at_load(next, wanted, 1, step_, number()).outcome == Attempt::converged;
  }

  double load_target() const {
    const double target = now_.factor + step_;
    return options_.stop_load_factor > 0 ? std::min(target, options_.stop_load_factor) : target;
  }

  /// A correction that went much further than the predictor has found another path.
  bool acceptable(const Point& next) const {
    if (options_.control == PathControl::load) return true;
    const double way = equilibrium_.length(movement_between(now_, next), next.factor - now_.factor);
    return way < 2 * step_;
  }

  Eigen::VectorXd movement_between(const Point& from, const Point& to) const {
    Eigen::VectorXd d = Eigen::VectorXd::Zero(system_.full_size());
    for (std::size_t n = 0; n < from.state.position.size(); ++n)
      d.segment<3>(model::row(n)) = to.state.position[n] - from.state.position[n];
    return d;
  }

  void accept(Point next, int iterations, int cuts) {
    Direction way{movement_between(now_, next), next.factor - now_.factor};
    const Direction after = equilibrium_.tangent(next, way);
    const bool turned = options_.control == PathControl::arc_length && direction_.factor * after.factor < 0;
    const int crossed = std::abs(next.negative_pivots - now_.negative_pivots);
    const double taken = step_;
    if (options_.locate_critical_points && turned)
      locate_limit(next, after);
    else if (options_.locate_critical_points && crossed > 0 && options_.control == PathControl::arc_length)
      locate_bifurcation(next);
    if (ended_) return;
    direction_ = after;
    now_ = std::move(next);
    const double growth = std::sqrt(static_cast<double>(options_.wanted_iterations) / std::max(1, iterations));
    step_ = std::min(taken * std::clamp(growth, 0.5, 1.5), largest_ * arc_per_factor_);
    record(now_, PathEvent::none, taken, iterations, cuts);
  }

  /// Secant (Illinois) on the load part of the unit tangent between the last two states.
  void locate_limit(const Point& next, const Direction& after) {
    double low = 0, high = step_, value_low = direction_.factor, value_high = after.factor;
    Point best;
    int iterations = 0;
    for (int trial = 0; trial < 6; ++trial) {
      const double arc = std::clamp(low + (high - low) * value_low / (value_low - value_high),
                                    low + 0.02 * (high - low), high - 0.02 * (high - low));
      Point middle = now_;
      const AttemptReport report = equilibrium_.along(middle, direction_, arc, number());
      if (report.outcome == Attempt::stopped) return end(Ending::stopped_by_caller, "stopped on request");
      if (report.outcome != Attempt::converged || !equilibrium_.refresh(middle)) break;
      iterations = report.iterations;
      const double value = equilibrium_.tangent(middle, direction_).factor;
      const double gain = best.state.position.empty() ? HUGE_VAL : std::abs(middle.factor - best.factor);
      best = middle;
      if (std::abs(value) < 1e-4 || gain < 1e-7 * std::abs(middle.factor)) break;
      if (value * value_low > 0) {
        low = arc;
        value_low = value;
        value_high *= 0.5;
      } else {
        high = arc;
        value_high = value;
        value_low *= 0.5;
      }
    }
    if (best.state.position.empty()) return;
    if (result_.critical_shape.size() == 0) result_.critical_shape = equilibrium_.softest_direction(best);
    const bool is_peak = direction_.factor > 0;
    record(best, PathEvent::limit_point, step_, iterations, 0);
    if (is_peak && !result_.peak_is_limit_point) {
      result_.peak = static_cast<int>(result_.increments.size()) - 1;
      result_.peak_is_limit_point = true;
      result_.peak_load_factor = best.factor;
    }
    (void)next;
  }

  /// Halves the increment by inertia; the state just past the change is recorded.
  void locate_bifurcation(const Point& next) {
    double low = 0, high = step_;
    Point best = next;
    for (int trial = 0; trial < 4; ++trial) {
      Point middle = now_;
      const double arc = 0.5 * (low + high);
      const AttemptReport report = equilibrium_.along(middle, direction_, arc, number());
      if (report.outcome == Attempt::stopped) return end(Ending::stopped_by_caller, "stopped on request");
      if (report.outcome != Attempt::converged || !equilibrium_.refresh(middle)) break;
      if (middle.negative_pivots == now_.negative_pivots) {
        low = arc;
      } else {
        high = arc;
        best = std::move(middle);
      }
    }
    if (!equilibrium_.refresh(best)) return;
    const Eigen::VectorXd shape = equilibrium_.softest_direction(best);
    if (result_.critical_shape.size() == 0) result_.critical_shape = shape;
    record(best, PathEvent::bifurcation, high, 0, 0);
  }

  void record(const Point& point, PathEvent event, double step, int iterations, int cuts) {
    Increment increment;
    increment.number = static_cast<int>(result_.increments.size());
    increment.event = event;
    increment.load_factor = point.factor;
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
  bool ended_ = false;
};
}  // namespace

PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher) {
  if (const auto complaints = options.complaints(); !complaints.empty())
    throw base::InputError("path options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  return Walk(system, options, watcher).run();
}

}  // namespace archway::analysis
