#pragma once
#include "newton/equilibrium_detail.hpp"

namespace archway::analysis::detail {

/// Finds where on the way of an increment something first yields, see FirstYieldOnPath.
class YieldSearch {
 public:
  /// A converged state so far along the way of the increment from its beginning.
  using Reach = std::function<AttemptReport(Point& point, double way, Begin begin)>;
  /// \param flows  some material flows; if none does, the elastic stress is sought that reaches a yield stress
  YieldSearch(const System& system, const Equilibrium& equilibrium, bool flows)
      : system_(system), equilibrium_(equilibrium), flows_(flows) {}

  enum class Outcome { none, found, lost };  ///< lost: a state on the way is not found
  /// \param reach_of_to  way of `to` \param increment  its number \param yield  written when found
  Outcome find(const Point& from, const Point& to, double reach_of_to, int increment, const Reach& reach,
               FirstYieldOnPath& yield) const;
  /// Whether a state has yielded; then increment 0 at load factor 0 is reported.
  Outcome at_start(const Point& point, FirstYieldOnPath& yield) const;

 private:
  /// A state, as far as yield goes.
  struct Sample {
    double way = 0, factor = 0, used = 0;  // used: largest stress over yield stress
    bool flows = false;
    int part = -1;
    Vec3 place = Vec3::Zero();
    bool beyond() const { return flows || used >= 1; }
  };
  Sample sample(const Point& point, double way) const;

  const System& system_;
  const Equilibrium& equilibrium_;
  bool flows_;
};

}  // namespace archway::analysis::detail
