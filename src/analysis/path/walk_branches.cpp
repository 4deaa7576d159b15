#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "critical/crossroads_detail.hpp"
#include "path/walk_detail.hpp"

/// Ways that leave a path.
namespace archway::analysis::detail {

using base::at;
using Eigen::VectorXd;

namespace {
constexpr double kPure = 1e-3;  ///< share of the other mode that is none

PathBranch of_mix(int increment, const Eigen::Vector2d& mix) {
  // of equal shares the first, whatever rounding says
  const int mode = std::abs(mix[1]) > std::abs(mix[0]) * (1 + 1e-3) ? 1 : 0;
  PathBranch branch{increment, mode, mix[mode] > 0 ? 1 : -1, {}, nullptr};
  if (std::abs(mix[1 - mode]) > kPure) branch.mix = mix;
  return branch;
}
}  // namespace

void Walk::note_branches(const Found& found) {
  const auto leave = [&](const VectorXd& shape, PathBranch branch) {
    if (auto point = branch_from(found, shape, 1))
      leaving_.push_back({std::move(branch), std::move(*point), branch_step_});
  };
  const auto& shapes = found.null.shapes;
  if (shapes.cols() == 2) {
    if (same_crossroads(found)) return;
    Crossroads crossroads(system_, options_, found.point, shapes);
    crossed_ = {found.point.factor, crossroads.axes()};
    const auto list = crossroads.branches();
    for (const auto& mix : list) leave(crossroads.axes() * mix, of_mix(last_index(), mix));
    if (!list.empty()) return;
  }
  for (Eigen::Index mode = 0; mode < shapes.cols(); ++mode)
    for (const int sense : {1, -1})
      leave(sense * shapes.col(mode), {last_index(), static_cast<int>(mode), sense, {}, nullptr});
}

/// The same two modes that lost their stability together have a bifurcation each, close to each other: what leaves
/// there has been noted at the first.
bool Walk::same_crossroads(const Found& found) const {
  constexpr double kClose = 0.02, kAlike = 0.99;
  const auto& [factor, axes] = crossed_;
  if (axes.size() == 0 || std::abs(found.point.factor - factor) > kClose * std::abs(factor)) return false;
  const Eigen::MatrixXd shapes = found.null.shapes.colwise().normalized(), known = axes.colwise().normalized();
  return ((known.transpose() * shapes).colwise().norm().array() > kAlike).all();
}

PathOptions Walk::branch_options() const {
  PathOptions own = options_;
  own.branches.at_bifurcation = Branching::primary;
  own.stop.increments = options_.branches.increments;
  own.branches.depth = options_.branches.depth - 1;
  if (own.branches.depth <= 0) own.branches.increments = 0;
  own.stop.at_loss = false;
  own.stop.after_peak = 0;
  own.stop.drop = own.stop.flat = 0;
  own.start = nullptr;
  return own;
}

void Walk::follow_branches() {
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

/// From a bifurcation of another path, whose measures of length it takes over.
PathResult Walk::run_branch(const Walk& primary, Point point, double step) {
  now_ = std::move(point);
  equilibrium_.take_scale(primary.equilibrium_);
  arc_per_factor_ = primary.arc_per_factor_;
  highest_ = now_.factor;
  step_ = step;
  steps_.largest = HUGE_VAL;
  record(now_, PathEvent::bifurcation, {});
  visited_.add(last_index(), now_);
  just_branched_ = result_.branched = true;
  equilibrium_.mind_budget();
  while (!stopped() && advance()) {
  }
  return finish();
}

/// A path that came here from a bifurcation goes on where a structure would, a branch beside another path has been
/// followed to its end.
void Walk::meet(const Found& found, Trial& trial) {
  if (!result_.branched || !by_arc()) return;
  if (options_.branches.at_bifurcation == Branching::primary)
    return end(Ending::done, fmt::format("it meets another path at load factor {:.6g}; beyond it is its own mirror "
                                         "image",
                                         found.point.factor));
  // well away from where the two cross, of which the place is known to a thousandth of a step or so
  branch_step_ = 0.1 * std::max(steps_.first * arc_per_factor_, trial.step);
  trial.branch = stable_way(found);
}

/// Along the path that is met, whichever way is less unstable. None: neither is less so than this one.
std::optional<Point> Walk::stable_way(const Found& found) {
  constexpr double kClosely = 1e-10;
  Point middle = found.point;
  if (!equilibrium_.stand_at(middle) || !equilibrium_.settle(middle, {}, Count::by_factor, kClosely))
    return std::nullopt;
  const Direction null = equilibrium_.direction_along(found.null.shapes.col(0));
  Direction& way = middle.tangent;  // without what it has of the null vector, of which any amount solves as well
  way.displacement -= equilibrium_.dot(way, null) * null.displacement;
  const double size = equilibrium_.length(way.displacement, way.factor);
  if (!(size > 0)) return std::nullopt;
  std::optional<Point> best;
  int fewest = found.negatives_before;
  for (const double sense : {1.0, -1.0}) {
    Point from = middle;
    from.tangent = {sense / size * way.displacement, sense / size * way.factor};
    Point next = from;
    const auto report = equilibrium_.along(next, {from.tangent, {}}, branch_step_, number(), Begin::factorise);
    if (report.outcome != Attempt::converged || !equilibrium_.settle(next, from.tangent, Count::by_factor)) continue;
    if (next.negative_pivots < fewest) fewest = next.negative_pivots, best = from;
  }
  return best;
}

/// The bifurcation with the null vector for a tangent, at right angles to the path.
std::optional<Point> Walk::branch_from(const Found& found, const VectorXd& shape, double sense) {
  Direction away = equilibrium_.direction_along(shape);
  // where the tangent of the path is singular, what is solved for its direction has any share of the null vector: the
  // way from the state before reports the direction instead
  const Direction path{displacement_between(now_, found.point), found.point.factor - now_.factor};
  const double length = equilibrium_.length(path.displacement, path.factor);
  if (length > 0) {
    const double along = equilibrium_.dot(away, path) / (length * length);
    away.displacement -= along * path.displacement;
    away.factor -= along * path.factor;
  }
  const double size = equilibrium_.length(away.displacement, away.factor);
  if (!(size > 1e-6)) return std::nullopt;
  // far enough from the bifurcation that the stability of the branch is no matter of rounding
  branch_step_ = equilibrium_.length(3e-3 * system_.model().size() / largest_displacement(shape) * shape, 0);
  Point point = found.point;
  point.tangent = {sense / size * away.displacement, sense / size * away.factor};
  return point;
}

}  // namespace archway::analysis::detail
