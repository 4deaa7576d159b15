#pragma once
#include "archway/analysis/linear_static.hpp"

namespace archway::analysis {

enum class PathControl { load, arc_length };

/// A point whose movement is recorded.
struct WatchPoint {
  std::string name;
  int node = -1;
  Vec3 direction = Vec3::UnitZ();  ///< recorded: movement . direction (normalised)
};

struct PathOptions {
  model::Combination held;     ///< applied first, in full, then constant; may be empty
  model::Combination growing;  ///< times the load factor
  PathControl control = PathControl::arc_length;
  /// First step as a change of load factor, > 0. The arc length is measured so that this step is the same at the start.
  double first_step = 0.1;
  double largest_step = 0;   ///< in the same measure; 0: 8 x first_step
  double smallest_step = 0;  ///< 0: first_step / 4096. A cut below it ends the analysis
  /// Iterations a step should take; the next step grows or shrinks by sqrt(wanted / taken).
  int wanted_iterations = 4;
  int max_iterations = 12;
  /// Converged when |residual| <= residual_tolerance * largest of |external|, |internal|, |reaction|, separately for
  /// forces and moments (least scales: moments / model size, and forces x model size / 1000), or
  /// when what is left is rounding: 4e-15 x largest stiffness x model size.
  double residual_tolerance = 1e-6;
  std::vector<WatchPoint> watch;
  // stop rules
  double stop_load_factor = 0;  ///< reached from below; 0: no such rule
  int stop_watch = -1;          ///< index into watch whose movement ...
  double stop_movement = 0;     ///< ... reaches this size
  double stop_drop = 0;         ///< load factor falls below this share of the peak; 0: no such rule
  int stop_increments = 100;
  bool stop_at_loss = false;  ///< end at the first loss of stability, be it a limit point or a bifurcation
  int stop_after_peak = 0;    ///< end so many increments beyond the first limit point; 0: no such rule
  bool keep_states = true;    ///< keep the displacements of every increment
  bool locate_critical_points = true;
  std::vector<std::string> complaints() const;
};

enum class PathEvent { none, preload, limit_point, bifurcation };
const char* to_text(PathEvent event);

/// One converged state.
struct Increment {
  int number = 0;
  PathEvent event = PathEvent::none;
  double load_factor = 0;
  /// Of a bifurcation: it lies between load_factor less this and load_factor, by the counts of negative pivots there.
  double uncertainty = 0;
  double step = 0;  ///< arc length or change of load factor that led here
  int iterations = 0, cut_backs = 0;
  double residual = 0;          ///< of the criterion above
  int negative_pivots = 0;      ///< unstable directions of the tangent
  std::vector<double> watched;  ///< movements of the watch points
  double largest_movement = 0;
  double utilisation = 0;        ///< largest stress over the yield stress of its material; 0: none is given
  Eigen::VectorXd displacement;  ///< full; empty unless kept
};

/// Load factor of a critical point with the digits that are known, at most six.
std::string place_text(const Increment& increment);

/// Where and when the stress of a path first reaches yield, by elastic stresses: between two increments by
/// interpolation.
struct FirstYieldOnPath {
  int part = -1, increment = -1;  ///< part -1: it never does, or no yield stress is given
  double load_factor = kUnset;
  Vec3 place = Vec3::Zero();  ///< middle of the element in the unloaded structure
};

/// What a watcher sees: after every iteration and every increment.
struct PathProgress {
  const Increment* increment = nullptr;  ///< set when an increment was accepted
  int attempt_number = 0, iteration = 0;
  double load_factor = 0, residual = 0, step = 0;
  bool cutting_back = false;
};
using PathWatcher = std::function<Next(const PathProgress&)>;

struct PathResult {
  Ending ending = Ending::not_run;
  std::string message = "the path was not followed";
  std::string stop_reason;            ///< which rule ended it, in words
  std::vector<Increment> increments;  ///< increment 0 is the start of growth (held part in place)
  int peak = -1;                      ///< index of the first limit point, or of the largest load factor
  bool peak_is_limit_point = false;
  double peak_load_factor = kUnset;
  /// Increment at which the structure first loses its stability: a bifurcation, or the limit point itself; -1: it does
  /// not. A peak that comes later is reached by states that the structure would have left.
  int first_loss = -1;
  /// Never said where `unsymmetric`: the sign of the symmetric part proves nothing about such loads.
  bool peak_is_unstable() const { return first_loss >= 0 && first_loss < peak && !unsymmetric; }
  FirstYieldOnPath first_yield;
  int factorisations = 0;
  /// Loads with an unsymmetric stiffness act (moments that keep their axes, pressure at free edges): counts of negative
  /// pivots, and so losses of stability, are those of the symmetric part.
  bool unsymmetric = false;
  Eigen::VectorXd critical_shape;        ///< full; null vector of the tangent at the first critical point, when located
  elements::Resultant applied, reacted;  ///< at the last increment, about the origin
  bool usable() const { return ending == Ending::done || ending == Ending::stopped_by_caller; }
};

/// GNA / GNIA: equilibrium path of held + f x growing with large displacements and rotations, from the model as it is
/// given (an imperfect model is one whose nodes were moved; its start is free of stress).
///
/// Load control with Newton's method and automatic cut-back, or arc length with the corrections kept in the plane
/// normal to the predictor ([Riks1979], [Ramm1981]); the sense of travel follows the last increment, not the
/// determinant. The tangent is factorised anew at every iteration and at every accepted state, whose negative pivots
/// are counted. A limit point (turn of the load factor) is refined by a secant on the load part of the unit tangent;
/// every other change of inertia is a bifurcation, narrowed down by the eigenvalue of the tangent nearest to zero until
/// the load factors on both sides of it agree to 2e-6. An increment with several changes has each of them found in
/// turn; one in which they cannot be told apart is cut back. The same by load control, which sees no turns.
PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher = {});

}  // namespace archway::analysis
