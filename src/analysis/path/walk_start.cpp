#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "path/walk_detail.hpp"

/// How a path begins.
namespace archway::analysis::detail {

using base::at;

bool Walk::begin_from_nothing() {
  if (!can_stand() || !put_constant_part()) return false;
  step_ = options_.steps.first * (by_arc() ? std::sqrt(2.0) : 1.0);
  arc_per_factor_ = step_ / options_.steps.first;
  return true;
}

bool Walk::can_stand() {
  const Mechanism mechanism = equilibrium_.mechanism();
  if (mechanism.exists)
    end(Ending::mechanism,
        (options_.start ? "without the supports and couplings that are gone, " : "") + mechanism.description);
  return !mechanism.exists;
}

/// Constant loads by load control from nothing to their full size, then increment 0.
bool Walk::put_constant_part() {
  now_ = equilibrium_.start();
  const bool none = options_.constant.terms.empty();
  double share = 0, step = 1;
  int cuts = 0;
  AttemptReport report;
  while (share < 1) {
    Point next = now_;
    const double target = none ? 1.0 : std::min(1.0, share + step);
    report = equilibrium_.at_load(next, 0, target, step, 0, Begin::factorise);
    if (report.outcome == Attempt::stopped)
      return end(Ending::stopped_by_caller, "stopped on request while the constant part was put on"), false;
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
                 fmt::format("the constant part finds no equilibrium beyond {:.3g} of its size", share)),
             false;
  }
  if (!equilibrium_.set_scale(now_) && !pull_a_little())
    return end(Ending::not_converged, "the tangent at the start of growth is singular"), false;
  if (now_.negative_pivots > 0)
    return end(Ending::preload_unstable,
               fmt::format("the structure is unstable under the constant part alone ({} unstable directions)",
                           now_.negative_pivots)),
           false;
  if (seeks_yield_) (void)yield_search_.at_start(now_, result_.first_yield);
  if (options_.stop.load_factor.value_or(1) < 0) lead_.fall();
  lead_.rotation(now_.tangent);
  record(now_, PathEvent::preload, {0, report.iterations, cuts, 0});
  visited_.add(last_index(), now_);
  return true;
}

/// What is by the tension that grows only, as nets do, begins with some of it.
bool Walk::pull_a_little() {
  Point next = now_;
  const auto report = equilibrium_.at_load(next, options_.steps.first, 1, options_.steps.first, 0, Begin::factorise);
  if (report.outcome != Attempt::converged) return false;
  now_ = std::move(next);
  equilibrium_.remember(now_);
  return equilibrium_.set_scale(now_);
}

bool Walk::go_on_from_kept() {
  if (options_.start->let_go && !can_stand()) return false;
  now_ = equilibrium_.resume(*options_.start->kept, options_.start->let_go);
  if (!let_go()) return false;
  if (!equilibrium_.set_scale(now_))
    return end(Ending::not_converged, "the tangent at the state to go on from is singular"), false;
  if (options_.stop.load_factor && *options_.stop.load_factor < now_.factor) lead_.fall();
  lead_.rotation(now_.tangent);
  highest_ = now_.factor;
  record(now_, PathEvent::none, {});
  visited_.add(last_index(), now_);
  const Increment& first = result_.increments[0];
  seeks_yield_ = seeks_yield_ && first.plastic_strain == 0.0 && first.utilisation < 1;
  step_ = options_.steps.first * (by_arc() ? std::sqrt(2.0) : 1.0);
  arc_per_factor_ = step_ / options_.steps.first;
  if (options_.start->direction.size() > 0) {
    const Direction asked{options_.start->direction, options_.start->direction_factor};
    const double size = equilibrium_.length(asked.displacement, asked.factor);
    if (!(size > 0)) throw base::InputError("path start", "the direction has no length", "give a displacement");
    now_.tangent = {asked.displacement / size, asked.factor / size};
  }
  return true;
}

/// What supports that are gone held is taken off bit by bit.
bool Walk::let_go() {
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

}  // namespace archway::analysis::detail
