#pragma once
#include "newton/equilibrium_detail.hpp"

namespace archway::analysis::detail {

/// Measures the states of a path one after the other: what an increment reports besides how it was found.
class Measures {
 public:
  Measures(const System& system, const PathOptions& options, Equilibrium& equilibrium);

  /// Fills in what is measured; work goes on from the state measured before.
  void measure(const Point& point, Increment& increment);
  /// Elastic stresses that first reach yield, between the increment before and this one; part -1: not yet.
  /// What a watch records in a state that the path has not gone to. \param point  its memory is that of its own state
  double read_ahead(std::size_t watch, const Point& point) const;
  static FirstYieldOnPath first_reached(const Increment* before, const Increment& increment);

 private:
  double read(const WatchPoint& watch, const Point& point, const Increment& increment) const;
  void add_work(const Point& point, const Eigen::VectorXd& forces, Increment& increment);
  void add_energy(const Point& point, Increment& increment);
  Vec3 moved(const Point& point, int node) const;

  const System& system_;
  const PathOptions& options_;
  Equilibrium& equilibrium_;
  State before_;
  Eigen::VectorXd forces_before_;
  double work_ = 0, energy_at_start_ = 0, given_off_ = 0, gap_before_ = 0;
  bool warms_ = false;  // temperatures have changed on the way
};

/// Volume between the unloaded and the displaced surface of a part of panels, positive along the normal: swept on the
/// straight ways of its points. \param model  whose nodes are unloaded
double displaced_volume(const model::Model& model, int part, const State& state);

}  // namespace archway::analysis::detail
