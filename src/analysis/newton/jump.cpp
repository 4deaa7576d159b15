#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "newton/equilibrium_detail.hpp"

/// A damped way from where there is no equilibrium near by to one further off.
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;

constexpr int kMostSteps = 600;
constexpr double kLongest = 0.05;   ///< of the structure, that a node moves in one step
constexpr double kWeaker = 0.3;     ///< times the damping of the step before
constexpr double kStronger = 4;     ///< times the damping of a step that was too long
constexpr double kFollowed = 1e-3;  ///< of the forces of a step: less is no gap
constexpr double kMostDamping = 1e9;
constexpr int kMostCorrections = 8;
constexpr double kBalanced = 1e-12;  ///< at rest, even where it takes damping to hold the structure there
constexpr double kNearRest = 1e-6;   ///< steps of which may drown in rounding
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

/// One step of the damped motion, by the implicit Euler method: R(u) + damping D (u - u_before) = 0, so that a step may
/// be long although the structure can hardly be stretched. False: the step is too long, or the damping too weak.
/// \param drag  D, of the free degrees of freedom
bool Equilibrium::drift(Point& point, double damping, const VectorXd& drag) {
  VectorXd moved = VectorXd::Zero(system_.free_count());
  double last = HUGE_VAL;
  for (int k = 0; k < kMostCorrections; ++k) {
    Residual residual;
    if (!evaluate(point, residual)) return false;
    const VectorXd held = damping * drag.cwiseProduct(moved), gap = residual.free + held;
    const double size = gap.norm();
    if (k > 0 && size <= kFollowed * std::max(held.norm(), residual.free.norm())) return true;
    if (k > 1 && size > last) return false;
    last = size;
    for (int i = 0; i < system_.free_count(); ++i) tangent_->matrix().diagonal_entry(i) += damping * drag[i];
    tangent_->changed({});
    if (!tangent_->factorise() || tangent_->negative_pivots() > 0) return false;
    VectorXd way = -gap;
    if (!tangent_->solve(way, point.state, 1e-6) || !way.allFinite()) return false;
    moved += way;
    if (largest_displacement(system_.to_full(moved, point.state)) > kLongest * system_.model().size()) return false;
    (void)move(point, system_.to_full(way, point.state));
  }
  return false;
}

/// Ends in balance, stable or not.
AttemptReport Equilibrium::descend(Point& point, double factor, int number) {
  AttemptReport report;
  point.factor = factor;
  (void)move(point, VectorXd::Zero(system_.full_size()));
  VectorXd drag;
  double damping = 1, moved = 0;
  bool slower = false;  // the last step had to be made shorter
  for (int step = 0; step < kMostSteps; ++step) {
    Residual residual;
    if (!evaluate(point, residual)) return report;
    if (drag.size() == 0) {
      drag = tangent_->matrix().diagonal().cwiseAbs();
      drag = drag.cwiseMax(1e-6 * drag.mean());
      drag.tail(system_.pattern()->multipliers()).setZero();
    }
    // what pulls lets go at every step, and what touches is found anew
    Pairing pairing{moved, 0};
    if (step > 0 && improve_contact(point, residual.balance, 0, pairing) && !evaluate(point, residual)) return report;
    const double measure = residual.balance.residual;
    report.iterations = step;
    if (this->report(number, step, point, measure, 0) == Next::stop_keep_result) {
      report.outcome = Attempt::stopped;
      return report;
    }
    if (measure < kBalanced || (measure < 1e-3 && damping < kWeak)) break;
    if (step > 0 && !slower) damping *= kWeaker;  // after every step that went well ([KelleyKeyes1998])
    const Point before = point;
    slower = false;
    while (!drift(point, damping, drag)) {
      point = before;
      if (measure < kNearRest) return at_rest(point, factor, number, report);

      damping *= kStronger;
      slower = true;
      if (damping > kMostDamping) return report;
    }
    moved = 0;
    for (std::size_t n = 0; n < point.state.position.size(); ++n)
      moved = std::max(moved, (point.state.position[n] - before.state.position[n]).norm());
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
