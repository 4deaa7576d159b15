#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "equilibrium_detail.hpp"

/// A damped way from where there is no equilibrium near by to one further off.
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

constexpr int kMostSteps = 600;
constexpr double kLongest = 0.02;  ///< of the structure, that a node moves in one step
constexpr double kWeaker = 0.6;    ///< times the damping of the step before
constexpr double kWorse = 3;       ///< times as far from balance: the step was too long
constexpr double kMostDamping = 1e9;
constexpr double kBalanced = 1e-12;  ///< at rest, even where it takes damping to hold the structure there
constexpr double kWeak = 1e-9;       ///< damping beside the stiffness that is none any more
}  // namespace

AttemptReport Equilibrium::jump(Point& point, double factor, int number) {
  // a perfect structure may come to rest where symmetry holds it, on a state that it would leave: it is pushed off
  constexpr double kPush = 1e-3;
  constexpr int kPushes = 3;
  Point end = point;
  AttemptReport report = descend(end, factor, number);
  for (int push = 0; push < kPushes && report.outcome == Attempt::converged && end.negative_pivots > 0; ++push) {
    const VectorXd shape = shape_of(softest().shapes.col(0), end);
    (void)move(end, kPush * system_.model().size() * shape);
    const int before = report.iterations;
    report = descend(end, factor, number);
    report.iterations += before;
  }
  if (report.outcome == Attempt::converged && end.negative_pivots > 0) report.outcome = Attempt::failed;
  if (report.outcome == Attempt::converged) point = std::move(end);
  return report;
}

/// Ends in balance, stable or not.
AttemptReport Equilibrium::descend(Point& point, double factor, int number) {
  AttemptReport report;
  point.factor = factor;
  (void)move(point, VectorXd::Zero(system_.full_size()));
  VectorXd drag;
  double damping = 1, last = HUGE_VAL, moved = 0;
  Point before = point;
  for (int step = 0; step < kMostSteps; ++step) {
    Residual residual;
    const bool found = evaluate(point, residual);
    if (!found || (std::isfinite(last) && residual.balance.residual > kWorse * last)) {  // back, and slower
      point = before;
      damping *= 10;
      if (damping > kMostDamping || !evaluate(point, residual)) return report;
    }
    if (drag.size() == 0) {
      drag = tangent_->matrix().diagonal().cwiseAbs();
      drag = drag.cwiseMax(1e-6 * drag.mean());
      drag.tail(system_.pattern()->multipliers()).setZero();
    }
    // what pulls lets go at every step, and what touches is found anew: a force that jumps by that is no step too long
    Pairing pairing{moved, 0};
    if (step > 0 && improve_contact(point, residual.balance, 0, pairing)) {
      if (!evaluate(point, residual)) return report;
      last = HUGE_VAL;
    }
    const double measure = residual.balance.residual;
    report.iterations = step;
    if (this->report(number, step, point, measure, 0) == Next::stop_keep_result) {
      report.outcome = Attempt::stopped;
      return report;
    }
    // weaker after every step that went well; near balance in proportion to what is left ([KelleyKeyes1998])
    if (std::isfinite(last)) damping *= std::clamp(measure / last, 0.2, kWeaker);
    last = measure;
    if (measure < kBalanced || (measure < 1e-3 && damping < kWeak)) break;
    for (;;) {
      for (int i = 0; i < system_.free_count(); ++i) tangent_->matrix().diagonal_entry(i) += damping * drag[i];
      tangent_->changed({});
      if (tangent_->factorise() && tangent_->negative_pivots() == 0) break;
      if (damping > kMostDamping) return report;
      if (!evaluate(point, residual)) return report;
      damping *= 4;
    }
    VectorXd way = -residual.free;
    if (!tangent_->solve(way, point.state, 1e-6)) return report;
    const VectorXd full = system_.to_full(way, point.state);
    double longest = 0;
    for (Eigen::Index n = 0; n < full.size(); n += model::kNodeFreedoms)
      longest = std::max(longest, full.segment<3>(n).norm());
    const double share = std::min(1.0, kLongest * system_.model().size() / std::max(longest, 1e-300));
    moved = share * longest;
    before = point;
    (void)move(point, system_.to_full(share * way, point.state));
  }
  return at_rest(point, factor, number, report);
}

/// What is left is balanced without any damping, and must stand by itself.
AttemptReport Equilibrium::at_rest(Point& point, double factor, int number, AttemptReport report) {
  Point balanced = point;
  const AttemptReport last_report = at_load(balanced, factor, point.preload, 0, number, Begin::factorise);
  if (last_report.outcome != Attempt::converged) return {last_report.outcome, report.iterations};
  if (!settle(balanced, {}, Count::by_factor)) return report;
  point = std::move(balanced);
  report.outcome = Attempt::converged;
  return report;
}

}  // namespace archway::analysis::detail
