#pragma once
#include <optional>

#include "archway/analysis/path.hpp"
#include "newton/equilibrium_detail.hpp"

namespace archway::analysis::detail {

/// The states that a path has passed, so that one that it passes again is noticed.
///
/// Of every state a few random projections of displacement and load factor are kept ([JohnsonLindenstrauss1984]): what
/// is near in all of them is near in the space of the path, which a confirmation by an equilibrium state on the plane
/// through the earlier state then proves.
class VisitedStates {
 public:
  VisitedStates(const System& system, const Equilibrium& equilibrium) : system_(system), equilibrium_(equilibrium) {}

  struct Return {
    std::size_t entry = 0;  ///< the end of the stretch that is nearer
    int increment = -1;
    bool backward = false;  ///< against the sense in which the stretch was passed
  };
  /// \param leap  nothing lies between the state before and this one
  void add(int increment, const Point& point, bool leap = false);
  /// The stretch between two earlier states on which the end of a step lies, with the step along it in either sense.
  std::optional<Return> passed_again(const Point& from, const Point& to, double step) const;
  /// Direction of the path at an earlier state and how far beyond it along that a state lies; full states are those of
  /// the increments.
  struct Plane {
    Direction direction;
    double beyond = 0;
  };
  std::optional<Plane> plane_at(const Return& found, const Point& to, const std::vector<Increment>& increments) const;

 private:
  static constexpr int kProjections = 6;
  using Signature = Eigen::Matrix<double, kProjections, 1>;
  Signature signature_of(const Point& point) const;

  const System& system_;
  const Equilibrium& equilibrium_;
  struct Entry {
    int increment;
    Signature place;
    bool leap;
  };
  std::vector<Entry> entries_;
};

}  // namespace archway::analysis::detail
