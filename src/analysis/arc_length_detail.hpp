#pragma once
#include "archway/algebra/perturbed.hpp"
#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/path.hpp"

namespace archway::analysis::detail {

/// A converged state with its tangent direction.
struct Point {
  State state;
  Eigen::VectorXd moved;     // prescribed movements in place, full
  double factor = 0;         // load factor
  double preload = 1;        // share of the held part
  Eigen::VectorXd velocity;  // d displacement / d factor, full
  int negative_pivots = 0;
  double residual = 0;
};

/// Unit tangent of the path in the scaled space of translations and load factor.
struct Direction {
  Eigen::VectorXd displacement;  // full
  double factor = 0;
};

enum class Attempt { converged, failed, stopped };

struct AttemptReport {
  Attempt outcome = Attempt::failed;
  int iterations = 0;
};

/// One structure under one loading: residuals, corrections, tangents. Stepping strategy is left to the caller.
class Equilibrium {
 public:
  Equilibrium(const System& system, const PathOptions& options, const PathWatcher& watcher);

  /// A movement that nothing resists in the reference state.
  Mechanism mechanism();
  Point start() const;
  /// Newton at fixed load factor and preload share.
  AttemptReport at_load(Point& point, double factor, double preload, double step, int number);
  /// Newton in the plane normal to `direction`, a distance `arc` along it.
  AttemptReport along(Point& point, const Direction& direction, double arc, int number);
  /// Factorises the tangent at a converged point; fills velocity and the pivot count. False when singular beyond use.
  bool refresh(Point& point);
  /// Unit tangent, sense chosen so that it goes on along `last`.
  Direction tangent(const Point& point, const Direction& last) const;
  /// Null vector of the tangent factorised last, full, by inverse iteration.
  Eigen::VectorXd softest_direction(const Point& point);
  /// Eigenvalue nearest to zero of the tangent factorised last (units of stiffness, by inverse iteration on the free
  /// freedoms). \param guess  direction to start from, empty: any; improved
  double softest_value(Eigen::VectorXd& guess);
  void set_scale(const Point& first);
  double length(const Eigen::VectorXd& displacement, double factor) const;
  double dot(const Direction& a, const Direction& b) const;
  elements::Resultant applied(const Point& point) const;
  elements::Resultant reacted(const Point& point) const;
  ElementForces forces(const Point& point) const {
    return forces_at(system_, combined(point.factor, point.preload), point.state);
  }
  bool unsymmetric() const { return skewed_; }
  int factorisations() const { return factorisation_.cost().factorisations; }
  double load_work(const Eigen::VectorXd& shape, const Point& point) const;

 private:
  struct Residual {
    Eigen::VectorXd free;
    double measure = 0;
  };
  bool evaluate(const Point& point, Residual& residual, const elements::StressSource& source = {});
  Eigen::MatrixXd solve(Eigen::MatrixXd free, const State& state);
  double largest_diagonal() const;
  bool factorise();
  Eigen::VectorXd load_direction(const State& state);
  Next report(int number, int iteration, const Point& point, double residual, double step) const;
  std::vector<double> combined(double factor, double preload) const;
  /// The state before a step and the step itself, for the stresses that the next tangent is made with.
  struct Foresight {
    State state;
    Eigen::VectorXd step;
    elements::StressSource source() const { return {nullptr, &state, &step}; }
  };
  Foresight move(Point& point, const Eigen::VectorXd& step) const;
  /// Applies one correction for a residual and tells the step it made; false: no correction is possible.
  using Corrector = std::function<bool(const Residual& residual, Foresight& last)>;
  /// Judges and corrects until the residual is small, the iterations run out or the caller stops.
  AttemptReport iterate(Point& point, Foresight before, double step, int number, bool done_if_balanced,
                        const Corrector& correct);

  const System& system_;
  const PathOptions& options_;
  const PathWatcher& watcher_;
  algebra::Factorisation factorisation_;
  algebra::SymmetricMatrix tangent_;
  Eigen::SparseMatrix<double> skew_;  // what the symmetric tangent lacks, see System::skew_load_stiffness
  bool skewed_ = false;               // there is such a part
  std::vector<double> held_, growing_;
  Eigen::VectorXd held_movement_, growing_movement_;
  double scale_ = 1;  // weight of squared translations in the arc length
};

}  // namespace archway::analysis::detail
