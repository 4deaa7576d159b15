#include <cmath>

#include "critical/critical_points_detail.hpp"
#include "critical/critical_thresholds_detail.hpp"

namespace archway::analysis::detail {

namespace {
constexpr int kMostChanges = 4;  ///< in one increment; more come only where the structure is unstable already
}  // namespace

/// Change of the load factor with the way along the direction of the increment.
double CriticalPoints::slope(const Point& point) const {
  return point.tangent.factor / std::max(equilibrium_.dot(point.tangent, stretch_.direction), 1e-3);
}

std::optional<CriticalPoints::Side> CriticalPoints::attempt(double way) {
  Point middle = stretch_.from;
  const AttemptReport report = reach_(middle, way, Begin::factor_at_hand);
  stopped_ = report.outcome == Attempt::stopped;
  if (report.outcome != Attempt::converged || !equilibrium_.settle(middle, stretch_.direction, Count::by_factor))
    return std::nullopt;
  return Side{way, std::move(middle), equilibrium_.softest()};
}

std::optional<CriticalPoints::Side> CriticalPoints::stand(double way, Point point) {
  if (!equilibrium_.stand_at(point)) return std::nullopt;
  return Side{way, std::move(point), equilibrium_.softest()};
}

/// The eigenvalue that changes its sign between two sides: of those of opposite sign the two whose directions are most
/// alike. No such two: both zero.
std::pair<double, double> CriticalPoints::crossing(const Side& low, const Side& high) {
  const Eigen::MatrixXd alike =
      (low.soft.shapes.colwise().normalized().transpose() * high.soft.shapes.colwise().normalized()).cwiseAbs();
  std::pair<double, double> values{0, 0};
  double best = 0.5;
  for (Eigen::Index i = 0; i < alike.rows(); ++i)
    for (Eigen::Index j = 0; j < alike.cols(); ++j)
      if (low.soft.values[i] * high.soft.values[j] < 0 && alike(i, j) > best)
        best = alike(i, j), values = {low.soft.values[i], high.soft.values[j]};
  return values;
}

CriticalPoints::Search CriticalPoints::find(const std::function<bool(Found&)>& tell) {
  const Point &from = stretch_.from, &to = stretch_.to;
  // a load that changes by less than it is known to does not rotate
  const double change = stretch_.reach * std::max(std::abs(slope(from)), std::abs(slope(to)));
  const bool rotated = stretch_.by_arc && from.tangent.factor * to.tangent.factor < 0 &&
                       change > stretch_.tolerance * std::max(std::abs(from.factor), std::abs(to.factor));
  const int crossed = std::abs(to.negative_pivots - from.negative_pivots);
  if (rotated && crossed < 2) return rotation(place(from, 0), place(to, stretch_.reach), from.negative_pivots, tell);
  return crossed > 0 ? changes(tell) : Search::done;
}

/// Where the load factor rotations: the rotation of the cubic through two places and their slopes, again and again.
CriticalPoints::Search CriticalPoints::rotation(PathPlace low, PathPlace high, int negatives_before,
                                                const std::function<bool(Found&)>& tell) {
  Found best;
  best.event = PathEvent::limit_point;
  best.negatives_before = negatives_before;
  best.is_peak = low.slope > 0;
  bool any = false, flat = false;
  for (int trial = 0; trial < 12; ++trial) {
    const double way = rotation_between(low, high);
    Point middle = stretch_.from;
    const AttemptReport report = reach_(middle, way, trial == 0 ? Begin::factorise : Begin::factor_at_hand);
    if (report.outcome == Attempt::stopped) return Search::stopped;
    if (report.outcome != Attempt::converged ||
        !equilibrium_.settle(middle, stretch_.direction, Count::if_needed, 0.01 * kFlat))
      break;
    const double gain = any ? std::abs(middle.factor - best.point.factor) : HUGE_VAL;
    best.point = middle;
    best.way = way;
    best.iterations = report.iterations;
    any = true;
    const PathPlace here = place(middle, way);
    // a state far beside the path is not its rotation
    flat = std::abs(middle.tangent.factor) < kNearlyFlat;
    if (std::abs(middle.tangent.factor) < kFlat || gain < 1e-7 * std::abs(middle.factor)) break;
    (here.slope * low.slope > 0 ? low : high) = here;
  }
  // where materials begin to flow again the load reaches a limit point in a corner, which is not flat, but has its
  // sides on the path
  const double steep = 3 * std::max(std::abs(slope(stretch_.from)), std::abs(slope(stretch_.to))),
               jump = std::max(std::abs(best.point.factor - low.factor), std::abs(best.point.factor - high.factor));
  if (!any || !(flat || jump < steep * (high.way - low.way))) return Search::unclear;
  best.null = equilibrium_.null_at(best.point);
  // where another path crosses, symmetry alone rotations the load: nothing is lost or won beyond
  best.null.meets = equilibrium_.load_share(best.null.shapes.col(0), best.point) < kNoWork && alike_by_factor();
  if (best.null.meets) best.event = PathEvent::bifurcation;
  best.point.negative_pivots = negatives_before;  // at the rotation itself rounding would decide
  return tell(best) ? Search::done : Search::stopped;
}

/// Both ends have as many negative pivots, each by the factor of its own tangent.
bool CriticalPoints::alike_by_factor() {
  const auto count = [&](Point point) {
    return equilibrium_.stand_at(point) && equilibrium_.settle(point, stretch_.direction, Count::by_factor)
               ? point.negative_pivots
               : -1;
  };
  const int before = count(stretch_.from);
  return before >= 0 && before == count(stretch_.to);
}

/// All changes of inertia on the way, one after the other; the first few at most of those that come while the structure
/// is unstable already.
CriticalPoints::Search CriticalPoints::changes(const std::function<bool(Found&)>& tell) {
  auto low = stand(0, stretch_.from);
  if (!low) return Search::unclear;
  for (int events = 0; events < kMostChanges && low->point.negative_pivots != stretch_.to.negative_pivots; ++events) {
    auto high = stand(stretch_.reach, stretch_.to);
    if (!high) return Search::unclear;
    if (const Search search = narrow(*low, *high); search != Search::done) return search;
    const int before = low->point.negative_pivots;
    const PathPlace near = place(low->point, low->way), far = place(high->point, high->way);
    if (stretch_.by_arc && near.slope * far.slope < 0 && std::abs(high->point.negative_pivots - before) == 1) {
      if (const Search search = rotation(near, far, before, tell); search != Search::done) return search;
    } else {
      if (!equilibrium_.stand_at(high->point)) return Search::unclear;
      Found found;
      found.event = equilibrium_.touch_alike(low->point, high->point) ? PathEvent::bifurcation : PathEvent::contact;
      found.negatives_before = before;
      found.way = high->way;
      found.uncertainty = std::abs(high->point.factor - low->point.factor);
      found.null = equilibrium_.null_at(high->point);
      found.point = high->point;
      if (!tell(found)) return Search::stopped;
    }
    low = std::move(high);
  }
  return Search::done;
}

/// Moves both ends of a stretch together around the first change of inertia in it: by the eigenvalue nearest to zero
/// (Illinois), or by halves where that does not help. The count of negative pivots alone decides which end moves. Done
/// when the load factors of the ends agree as closely as asked for, or a rotation of the load lies between.
CriticalPoints::Search CriticalPoints::narrow(Side& low, Side& high) {
  const int before = low.point.negative_pivots;
  auto [value_low, value_high] = crossing(low, high);
  const double whole = high.way - low.way;
  for (int trial = 0; trial < 60; ++trial) {
    const double scale = std::max({std::abs(high.point.factor), std::abs(low.point.factor), 1e-6 * stretch_.highest});
    const bool rotations = stretch_.by_arc && slope(low.point) * slope(high.point) < 0,
               single = std::abs(high.point.negative_pivots - before) == 1;
    if (rotations && single && high.way - low.way < 0.05 * whole) return Search::done;
    if (!rotations && std::abs(high.point.factor - low.point.factor) <= kPlace * scale) return Search::done;
    if (high.way - low.way < 1e-9 * whole) return Search::unclear;
    double share = 0.5;
    if (single && value_low * value_high < 0 && trial % 4 != 3) share = value_low / (value_low - value_high);
    share = std::clamp(share, 0.01, 0.99);
    auto side = attempt(low.way + share * (high.way - low.way));
    // where the eigenvalue is a straight line the secant meets its zero, and the tangent there cannot be factorised
    if (!side && !stopped_)
      side = attempt(low.way + (share > 0.5 ? share - 0.01 : share + 0.01) * (high.way - low.way));
    if (!side) return stopped_ ? Search::stopped : Search::unclear;
    const bool below = side->point.negative_pivots == before;
    (below ? low : high) = std::move(*side);
    const auto [next_low, next_high] = crossing(low, high);
    // the end that stays counts half, so that it does not stay for ever
    value_low = below ? next_low : 0.5 * (value_low == 0.0 ? next_low : value_low);
    value_high = below ? 0.5 * (value_high == 0.0 ? next_high : value_high) : next_high;
  }
  return Search::unclear;
}

}  // namespace archway::analysis::detail
