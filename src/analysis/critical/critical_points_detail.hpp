#pragma once
#include <optional>

#include "newton/equilibrium_detail.hpp"

namespace archway::analysis::detail {

/// A critical point on the way of an increment.
struct Found {
  PathEvent event = PathEvent::none;
  Point point;
  double way = 0;
  int iterations = 0;
  double uncertainty = 0;  // of the load factor
  bool is_peak = false;    // of a limit point: the load rose before
  int negatives_before = 0;
  CriticalPoint null;
};

/// Finds the limit points and bifurcations between two states of a path.
class CriticalPoints {
 public:
  /// A converged state so far along the way of the increment from its beginning.
  using Reach = std::function<AttemptReport(Point& point, double way, Begin begin)>;
  struct Stretch {
    const Point& from;
    const Point& to;
    Direction direction;  // of the increment, at its beginning
    double reach = 0;     // way of `to`
    bool by_arc = true;
    double highest = 0;       // load factor of the path so far, for what counts as zero
    double tolerance = 1e-6;  // of the states
  };
  enum class Search {
    done,
    unclear,  ///< they cannot be reported apart with this step
    stopped   ///< by the caller
  };
  CriticalPoints(Equilibrium& equilibrium, Stretch stretch, Reach reach)
      : equilibrium_(equilibrium), stretch_(std::move(stretch)), reach_(std::move(reach)) {}

  /// Appends what it finds; `report` is called for each as soon as it is known, false ends the search.
  Search find(const std::function<bool(Found&)>& tell);

 private:
  /// An end of a stretch in which the number of negative pivots changes.
  struct Side {
    double way = 0;
    Point point;
    algebra::SoftPairs soft;  ///< of the tangent
  };
  double slope(const Point& point) const;
  PathPlace place(const Point& point, double way) const { return {way, point.factor, slope(point)}; }
  std::optional<Side> stand(double way, Point point);
  std::optional<Side> attempt(double way);
  Search rotation(PathPlace low, PathPlace high, int negatives_before, const std::function<bool(Found&)>& tell);
  bool alike_by_factor();
  Search changes(const std::function<bool(Found&)>& tell);
  Search narrow(Side& low, Side& high);
  static std::pair<double, double> crossing(const Side& low, const Side& high);

  Equilibrium& equilibrium_;
  Stretch stretch_;
  Reach reach_;
  bool stopped_ = false;
};

}  // namespace archway::analysis::detail
