#include "archway/analysis/path.hpp"

#include <chrono>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "critical_points_detail.hpp"
#include "crossings_detail.hpp"
#include "first_yield_detail.hpp"
#include "measures_detail.hpp"
#include "path_lead_detail.hpp"

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
    case PathEvent::stage:
      return "stage begins";
    case PathEvent::contact:
      return "contact opens or closes";
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
  if (control == PathControl::movement &&
      (lead < 0 || lead >= static_cast<int>(watch.size()) || !watch[base::at(lead)].can_lead()))
    list.push_back("control by a movement needs a watch point that records one");
  if (wanted_iterations < 1 || max_iterations < wanted_iterations) list.push_back("iterations: 1 <= wanted <= most");
  return list;
}

std::string place_text(const Increment& increment) {
  const double f = std::abs(increment.load_factor);
  const double digits = increment.uncertainty > 0 && f > 0 ? -std::log10(increment.uncertainty / f) : 6;
  return fmt::format("{:.{}g}", increment.load_factor, std::clamp(static_cast<int>(std::floor(digits + 0.31)), 2, 6));
}

namespace {
using base::at;
using detail::Attempt;
using detail::AttemptReport;
using detail::Begin;
using detail::Count;
using detail::CriticalPoints;
using detail::CrossingWatch;
using detail::Direction;
using detail::Equilibrium;
using detail::Found;
using detail::Measures;
using detail::movement_between;
using detail::PathLead;
using detail::Point;
using detail::YieldSearch;

/// The stepping strategy: predict, correct, judge, commit, record.
class Walk {
 public:
  Walk(const System& system, const PathOptions& options, const PathWatcher& watcher)
      : system_(system), options_(options), watcher_(watcher), equilibrium_(system, options, watcher), steps_(options) {
    flows_ = system.geometry().flows();
  }

  PathResult run() {
    if (options_.start ? go_on_from_kept() : begin_from_nothing())
      while (!stopped() && advance()) {
      }
    PathResult result = finish();
    result_ = std::move(result);
    follow_branches();
    return std::move(result_);
  }

 private:
  // ---- the beginning ----

  bool begin_from_nothing() {
    if (!can_stand() || !put_held_part()) return false;
    step_ = options_.first_step * (by_arc() ? std::sqrt(2.0) : 1.0);
    arc_per_factor_ = step_ / options_.first_step;
    return true;
  }

  bool can_stand() {
    const Mechanism mechanism = equilibrium_.mechanism();
    if (mechanism.exists)
      end(Ending::mechanism,
          (options_.start ? "without the supports and couplings that are gone, " : "") + mechanism.description);
    return !mechanism.exists;
  }

  /// Held loads by load control from nothing to their full size, then increment 0.
  bool put_held_part() {
    now_ = equilibrium_.start();
    const bool none = options_.held.terms.empty();
    double share = 0, step = 1;
    int cuts = 0;
    AttemptReport report;
    while (share < 1) {
      Point next = now_;
      const double target = none ? 1.0 : std::min(1.0, share + step);
      report = equilibrium_.at_load(next, 0, target, step, 0, Begin::factorise);
      if (report.outcome == Attempt::stopped)
        return end(Ending::stopped_by_caller, "stopped on request while the held part was put on"), false;
      if (report.outcome == Attempt::converged) {
        share = target;
        now_ = std::move(next);
        equilibrium_.remember(now_);
        continue;
      }
      step *= 0.5;
      ++cuts;
      if (step < 1e-3)
        return end(Ending::preload_unstable,
                   fmt::format("the held part finds no equilibrium beyond {:.3g} of its size", share)),
               false;
    }
    if (!equilibrium_.set_scale(now_))
      return end(Ending::not_converged, "the tangent at the start of growth is singular"), false;
    if (now_.negative_pivots > 0)
      return end(Ending::preload_unstable,
                 fmt::format("the structure is unstable under the held part alone ({} unstable directions)",
                             now_.negative_pivots)),
             false;
    if (flows_) (void)yield_search_.at_start(now_, result_.first_yield);
    if (options_.stop_load_factor.value_or(1) < 0) lead_.fall();
    lead_.turn(now_.tangent);
    record(now_, PathEvent::preload, {0, report.iterations, cuts, 0});
    return true;
  }

  bool go_on_from_kept() {
    if (options_.start->let_go && !can_stand()) return false;
    now_ = equilibrium_.resume(*options_.start->kept, options_.start->let_go);
    if (!let_go()) return false;
    if (!equilibrium_.set_scale(now_))
      return end(Ending::not_converged, "the tangent at the state to go on from is singular"), false;
    if (options_.stop_load_factor && *options_.stop_load_factor < now_.factor) lead_.fall();
    lead_.turn(now_.tangent);
    highest_ = now_.factor;
    record(now_, PathEvent::none, {});
    seeks_yield_ = result_.increments[0].plastic_strain == 0.0;
    step_ = options_.first_step * (by_arc() ? std::sqrt(2.0) : 1.0);
    arc_per_factor_ = step_ / options_.first_step;
    if (options_.start->direction.size() > 0) {
      const Direction asked{options_.start->direction, options_.start->direction_factor};
      const double size = equilibrium_.length(asked.displacement, asked.factor);
      if (!(size > 0)) throw base::InputError("path start", "the direction has no length", "give a movement");
      now_.tangent = {asked.displacement / size, asked.factor / size};
    }
    return true;
  }

  /// What supports that are gone held is taken off bit by bit.
  bool let_go() {
    double step = 1;
    while (now_.let_go < 1) {
      Point next = now_;
      const AttemptReport report = equilibrium_.let_go(next, std::min(1.0, now_.let_go + step), 0);
      if (report.outcome == Attempt::stopped)
        return end(Ending::stopped_by_caller, "stopped on request while supports let go"), false;
      if (report.outcome == Attempt::converged) {
        now_ = std::move(next);
        equilibrium_.remember(now_);
        continue;
      }
      step *= 0.5;
      if (step < 1e-3) {
        result_.stuck = equilibrium_.stuck();
        return end(Ending::not_converged,
                   fmt::format("with {:.3g} of what its supports held let go the structure finds no equilibrium: "
                               "without them it does not stand under its loads",
                               now_.let_go)),
               false;
      }
    }
    return true;
  }

  // ---- one increment ----

  /// Tries ever smaller steps until one is good.
  bool advance() {
    int cuts = 0;
    for (;;) {
      if (steps_.too_small(step_ / arc_per_factor_)) {
        if (lead_.next(now_, number())) {
          step_ = options_.first_step * arc_per_factor_;
          bend_ = {};
          continue;
        }
        result_.stuck = equilibrium_.stuck();
        return end(Ending::not_converged, stuck_message()), false;
      }
      equilibrium_.search_along_corrections(cuts > 0);
      Trial trial = predict();
      if (correct(trial) && judge(trial)) {
        commit(std::move(trial), cuts);
        return !ended_;
      }
      if (ended_) return false;
      step_ = steps_.cut(step_);
      ++cuts;
      if (tell_cut_back() == Next::stop_keep_result) return end(Ending::stopped_by_caller, "stopped on request"), false;
    }
  }

  struct Trial {
    Point point;  // as it is corrected
    double step = 0;
    Direction way;     // from the last state to this one
    double reach = 0;  // of that along the predictor
    int iterations = 0;
    bool smallest = false;
    std::optional<Point> branch;  // left here at a bifurcation
  };

  Trial predict() const {
    Trial trial;
    trial.point = now_;
    trial.step = step_;
    trial.smallest = steps_.is_smallest(step_ / arc_per_factor_);
    return trial;
  }

  bool correct(Trial& trial) {
    const AttemptReport report = reach(trial.point, trial.step, Begin::factorise);
    trial.iterations = report.iterations;
    if (report.outcome == Attempt::stopped) end(Ending::stopped_by_caller, "stopped on request");
    return report.outcome == Attempt::converged && near_enough(trial.point) && left_on_branch(trial.point) &&
           lead_.end_where_wanted(now_, trial.point, step_, number());
  }

  bool by_arc() const { return lead_.by_arc(); }
  AttemptReport reach(Point& point, double way, Begin begin) {
    return lead_.reach(now_, bend_, point, way, number(), begin);
  }

  /// A correction that went much further than the predictor has found another path.
  bool near_enough(const Point& next) const {
    if (!by_arc()) return true;
    return equilibrium_.length(movement_between(now_, next), next.factor - now_.factor) < 2 * step_;
  }

  /// The first state of a branch lies along the null vector; a state of the path that is left does not.
  bool left_on_branch(const Point& next) const {
    if (!just_branched_) return true;
    const Direction way{movement_between(now_, next), next.factor - now_.factor};
    constexpr double kAlong = 0.7;
    return equilibrium_.dot(way, now_.tangent) > kAlong * equilibrium_.length(way.displacement, way.factor);
  }

  /// Whether a corrected state can be taken over, after the critical points on the way to it have been found.
  bool judge(Trial& trial) {
    trial.way = {movement_between(now_, trial.point), trial.point.factor - now_.factor};
    trial.reach = lead_.way_between(now_, trial.point, trial.way);
    // contact that opens takes stiffness away where soft directions of before do not look
    const Count count = equilibrium_.touch_alike(now_, trial.point) ? Count::if_needed : Count::by_factor;
    if (!equilibrium_.settle(trial.point, trial.way, count)) return false;
    if (!find_first_yield(trial)) return false;
    // the first state of a branch lies beside the bifurcation, not on a way that passes it
    if (!options_.locate_critical_points || just_branched_) return true;
    CriticalPoints points(
        equilibrium_,
        {now_, trial.point, now_.tangent, trial.reach, !lead_.by_load(), highest_, options_.residual_tolerance},
        [this](Point& point, double way, Begin begin) { return reach(point, way, begin); });
    const auto search = points.find([&](Found& found) {
      take(found, trial);
      return !ended_ && !trial.branch;
    });
    if (ended_ || trial.branch) return true;
    if (search == CriticalPoints::Search::stopped) end(Ending::stopped_by_caller, "stopped on request");
    return search == CriticalPoints::Search::done || (search == CriticalPoints::Search::unclear && trial.smallest);
  }

  /// False: a state on the way is not found.
  bool find_first_yield(const Trial& trial) {
    if (!flows_ || !seeks_yield_ || result_.first_yield.part >= 0) return true;
    const auto reach_on = [this](Point& point, double way, Begin begin) { return reach(point, way, begin); };
    return yield_search_.find(now_, trial.point, trial.reach, number(), reach_on, result_.first_yield) !=
           YieldSearch::Outcome::lost;
  }

  /// A critical point becomes an increment of its own.
  void take(Found& found, Trial& trial) {
    equilibrium_.remember(found.point);
    record(found.point, found.event, {found.way, found.iterations, 0, found.uncertainty});
    found.null.increment = last_index();
    result_.critical_points.push_back(found.null);
    const bool first = found.negatives_before == 0 && result_.first_loss < 0;
    if (first) result_.first_loss = last_index();
    if (found.is_peak && !result_.peak_is_limit_point) {
      result_.peak = last_index();
      result_.peak_is_limit_point = true;
      result_.peak_load_factor = found.point.factor;
    }
    if (first && found.event == PathEvent::bifurcation && options_.at_bifurcation != Branching::primary && by_arc())
      trial.branch = branch_from(found, 0, options_.at_bifurcation == Branching::branch ? 1 : -1);
    if (options_.branch_increments > 0 && found.event == PathEvent::bifurcation && by_arc()) note_branches(found);
  }

  /// A way that leaves this path, to be followed when it is done.
  struct Leaving {
    PathBranch branch;
    Point point;
    double step = 0;
  };
  void note_branches(const Found& found) {
    for (Eigen::Index mode = 0; mode < found.null.shapes.cols(); ++mode)
      for (const int sense : {1, -1})
        if (auto point = branch_from(found, mode, sense))
          leaving_.push_back({{last_index(), static_cast<int>(mode), sense, nullptr}, std::move(*point), branch_step_});
  }

  PathOptions branch_options() const {
    PathOptions own = options_;
    own.at_bifurcation = Branching::primary;
    own.stop_increments = options_.branch_increments;
    own.branch_depth = options_.branch_depth - 1;
    if (own.branch_depth <= 0) own.branch_increments = 0;
    own.stop_at_loss = false;
    own.stop_after_peak = 0;
    own.stop_drop = own.stop_flat = 0;
    own.start = nullptr;
    return own;
  }

  void follow_branches() {
    const PathOptions own = branch_options();
    const PathWatcher quiet = [this](const PathProgress& progress) {
      if (!watcher_) return Next::go_on;
      PathProgress work = progress;
      work.increment = nullptr;  // those of branches are not increments of this path
      return watcher_(work);
    };
    for (auto& leaving : leaving_) {
      if (result_.ending == Ending::stopped_by_caller) return;
      Walk walk(system_, own, quiet);
      leaving.branch.path =
          std::make_shared<const PathResult>(walk.run_branch(*this, std::move(leaving.point), leaving.step));
      result_.factorisations += leaving.branch.path->factorisations;
      result_.branches.push_back(std::move(leaving.branch));
    }
  }

 public:
  /// From a bifurcation of another path, whose measures of length it takes over.
  PathResult run_branch(const Walk& primary, Point point, double step) {
    now_ = std::move(point);
    equilibrium_.take_scale(primary.equilibrium_);
    arc_per_factor_ = primary.arc_per_factor_;
    highest_ = now_.factor;
    step_ = step;
    steps_.largest = HUGE_VAL;
    record(now_, PathEvent::bifurcation, {});
    just_branched_ = result_.branched = true;
    while (!stopped() && advance()) {
    }
    return finish();
  }

 private:
  /// The bifurcation with the null vector for a tangent, at right angles to the path.
  std::optional<Point> branch_from(const Found& found, Eigen::Index mode, double sense) {
    Direction away = equilibrium_.direction_along(found.null.shapes.col(mode));
    const double along = equilibrium_.dot(away, found.point.tangent);
    away.displacement -= along * found.point.tangent.displacement;
    away.factor -= along * found.point.tangent.factor;
    const double size = equilibrium_.length(away.displacement, away.factor);
    if (!(size > 1e-6)) return std::nullopt;
    // far enough from the bifurcation that the stability of the branch is no matter of rounding
    branch_step_ = equilibrium_.length(3e-3 * system_.model().size() * found.null.shapes.col(mode), 0);
    Point point = found.point;
    point.tangent = {sense / size * away.displacement, sense / size * away.factor};
    return point;
  }

  void commit(Trial trial, int cuts) {
    if (trial.branch) {  // the state beyond the bifurcation is not gone to
      now_ = std::move(*trial.branch);
      parent_ = last_index();
      step_ = branch_step_;
      steps_.largest = HUGE_VAL;  // off the axis the steps of the axis are no measure
      just_branched_ = result_.branched = true;
      bend_ = {};
      return;
    }
    if (ended_) return;
    just_branched_ = false;
    // at a corner of the path, where something touches or lets go, directions before it say nothing
    const bool smooth = by_arc() && equilibrium_.touch_alike(now_, trial.point);
    bend_ = smooth ? bend_between(now_, trial.point, trial.reach) : Direction();
    now_ = std::move(trial.point);
    equilibrium_.remember(now_);
    widen(trial, cuts);
    step_ = arc_per_factor_ * steps_.after(trial.step / arc_per_factor_, trial.iterations);
    record(now_, PathEvent::none, {trial.step, trial.iterations, cuts, 0});
    parent_ = last_index();
  }

  /// The longest step is one of the beginning; where the structure has become softer and steps of that length are no
  /// work at all, it is no measure any more.
  void widen(const Trial& trial, int cuts) {
    const bool easy = trial.iterations <= 1 && cuts == 0 && trial.step / arc_per_factor_ > 0.99 * steps_.largest;
    easy_ = easy ? easy_ + 1 : 0;
    if (easy_ < 2 || options_.largest_step > 0) return;
    steps_.largest *= 2;
    easy_ = 0;
  }

  /// Turn of the direction from one state to the next, by the way between them, without its part along the path.
  Direction bend_between(const Point& from, const Point& to, double way) const {
    if (!(way > 0) || from.tangent.displacement.size() == 0) return {};
    Direction bend{(to.tangent.displacement - from.tangent.displacement) / way,
                   (to.tangent.factor - from.tangent.factor) / way};
    const double along = equilibrium_.dot(bend, to.tangent);
    bend.displacement -= along * to.tangent.displacement;
    bend.factor -= along * to.tangent.factor;
    return bend;
  }

  // ---- what is told ----

  struct Work {
    double step = 0;
    int iterations = 0, cuts = 0;
    double uncertainty = 0;
  };
  void record(const Point& point, PathEvent event, const Work& work) {
    Increment increment;
    increment.number = number();
    increment.parent = parent_;
    increment.event = event;
    increment.load_factor = point.factor;
    increment.uncertainty = work.uncertainty;
    increment.step = work.step / (event == PathEvent::preload ? 1 : arc_per_factor_);
    increment.iterations = work.iterations;
    increment.cut_backs = work.cuts;
    increment.residual = point.balance.whole;
    increment.rounding = point.balance.rounding;
    increment.negative_pivots = point.negative_pivots;
    increment.counted = point.counted;
    measures_.measure(point, increment);
    if (!flows_ && result_.first_yield.part < 0)
      result_.first_yield =
          Measures::first_reached(result_.increments.empty() ? nullptr : &result_.increments.back(), increment);
    if (options_.keep_states)
      increment.kept = std::make_shared<const KeptState>(
          KeptState{point.state, point.factor, point.preload, point.moved, point.memory});
    if (options_.look_for_crossings)
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
    std::string reason = reason_to_stop(options_, result_, highest_);
    if (reason.empty()) reason = budget_spent();
    if (reason.empty()) return false;
    result_.levels_off = options_.stop_flat > 0 && stands_still(result_, options_.stop_flat);
    end(Ending::done, reason);
    return true;
  }

  std::string budget_spent() const {
    if (options_.stop_factorisations > 0 && equilibrium_.factorisations() >= options_.stop_factorisations)
      return fmt::format("{} factorisations done", equilibrium_.factorisations());
    const std::chrono::duration<double> spent = std::chrono::steady_clock::now() - began_;
    if (options_.stop_seconds > 0 && spent.count() >= options_.stop_seconds)
      return fmt::format("the {:.4g} seconds it may take are over", options_.stop_seconds);
    return "";
  }

  void end(Ending ending, const std::string& message) {
    result_.ending = ending;
    (ending == Ending::done ? result_.stop_reason : result_.message) = message;
    ended_ = true;
  }

  std::string stuck_message() const {
    if (lead_.by_load() && !options_.change_control)
      return fmt::format(
          "no equilibrium was found beyond load factor {:.6g}: this may be a limit point; use arc length to pass it",
          now_.factor);
    std::string text =
        fmt::format("the path could not be followed beyond load factor {:.6g}, even with steps of {:.2g}", now_.factor,
                    step_ / arc_per_factor_);
    if (options_.control == PathControl::movement)
      text += fmt::format(", led by '{}': does that move as the load grows?", options_.watch[at(options_.lead)].name);
    return text;
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
    result_.stages = {{"", "", 0, last_index(), result_.stop_reason, options_.held, options_.growing, result_.peak,
                       result_.peak_is_limit_point}};
    result_.factorisations = equilibrium_.factorisations();
    result_.unsymmetric = equilibrium_.unsymmetric();
    if (result_.ending == Ending::done) result_.message = "";
    return std::move(result_);
  }

  int last_index() const { return number() - 1; }

  const System& system_;
  const PathOptions& options_;
  const PathWatcher& watcher_;
  Equilibrium equilibrium_;
  YieldSearch yield_search_{system_, equilibrium_};
  Measures measures_{system_, options_, equilibrium_};
  PathLead lead_{system_, options_, equilibrium_};
  CrossingWatch crossings_{system_.model()};
  StepRule steps_;
  PathResult result_;
  std::vector<Leaving> leaving_;
  Point now_;       // with the direction in which the path goes on
  Direction bend_;  // how that turns, from the last two directions
  double step_ = 0, arc_per_factor_ = 1, highest_ = 0, branch_step_ = 0;
  int parent_ = -1, easy_ = 0;
  bool ended_ = false, just_branched_ = false, flows_ = false, seeks_yield_ = true;
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
};
}  // namespace

PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher) {
  if (const auto complaints = options.complaints(); !complaints.empty())
    throw base::InputError("path options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  return Walk(system, options, watcher).run();
}

}  // namespace archway::analysis
