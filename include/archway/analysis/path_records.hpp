#pragma once
#include <map>
#include <optional>

#include "archway/analysis/contact_forces.hpp"
#include "archway/analysis/coupling_forces.hpp"
#include "archway/analysis/element_forces.hpp"
#include "archway/analysis/plastic_flow.hpp"
#include "archway/analysis/reactions.hpp"

/// What a path is asked for and what is recorded of it; algorithms include this, and who reads results.
namespace archway::analysis {

/// What leads a path: the load factor, the way in the space of displacements and load factor, or what a watch records.
enum class PathControl { load, arc_length, displacement };

/// A number that is recorded at every increment.
struct WatchPoint {
  enum class Kind {
    displacement,     ///< of a node along a direction (normalised); less that of `other`, when given
    rotation,         ///< of a node about a direction: component of its rotation vector, radians, counted on beyond pi
    distance,         ///< by how much two nodes have come closer to each other
    reaction,         ///< force of a support on the structure along a direction
    reaction_moment,  ///< sum of its moments at its nodes about a direction
    normal_force,     ///< of a part (members, bars): the largest in size along it, tension positive
    stress,           ///< largest equivalent stress of a part
    plastic_strain,   ///< largest of a part
    shear_force,      ///< of a part (members): the largest in size along it
    moment_y,         ///< the same, about the local y axis
    moment_z,         ///< about the local z axis
    torque,           ///< about the axis
    volume,           ///< of a part (panels): between its unloaded and its displaced surface, positive along the normal
    stored_energy,    ///< of the whole structure, in the state
    dissipated_energy,  ///< by flow and slip since the path began
    external_work       ///< of loads and prescribed displacements since the path began
  };
  std::string name;
  int node = -1;
  Vec3 direction = Vec3::UnitZ();
  Kind kind = Kind::displacement;
  int other = -1;            ///< displacement, distance: the second node
  std::string support = {};  ///< reaction
  int part = -1;             ///< normal_force, stress, plastic_strain, shear_force, moments, torque, volume
  /// A function of the displacements of single nodes, whose value is a condition on them. Others depend on forces or on
  /// the whole structure; a state at a value of theirs is searched for along the path.
  bool of_nodes() const { return kind == Kind::displacement || kind == Kind::rotation || kind == Kind::distance; }
};

/// A state of a path as it is: rotations as quaternions, not one rotation vector a node, so that a path goes on from it
/// to the last bit, hinges included.
struct KeptState {
  State state;
  double load_factor = 0;
  double preload = 1;                              ///< share of the constant part that is in place
  Eigen::VectorXd moved;                           ///< prescribed displacements in place, full; empty: none
  std::shared_ptr<const elements::Memory> memory;  ///< of the points, after this state; nullptr: nothing remembers
  double largest_force = 0;          ///< that the path has seen so far: what an unloaded state is measured by
  std::map<int, Vec3> rotated = {};  ///< rotation vectors of watched nodes, counted on beyond half a revolution
};

/// Where a path begins, instead of the unloaded structure.
struct PathStart {
  std::shared_ptr<const KeptState> kept;  ///< in equilibrium, with the whole constant part in place
  Eigen::VectorXd direction;              ///< full: first displacement to try; empty: where the load factor rises
  double direction_factor = 0;            ///< change of the load factor that goes with it
  /// Supports or couplings have gone (or come) since: what is out of balance is let go bit by bit, loads at rest,
  /// before the path goes on.
  bool let_go = false;
};

/// What to do at the first bifurcation of a stable path.
enum class Branching {
  primary,         ///< go on as if nothing had happened
  branch,          ///< leave along the null vector
  branch_reversed  ///< leave the other way
};

/// How far an increment goes, and what is prescribed in it.
struct StepOptions {
  PathControl control = PathControl::arc_length;
  /// PathControl::displacement: index into PathOptions::watch of what leads. One that is not WatchPoint::of_nodes()
  /// leads by arcs whose ends are searched for: two to four times the work.
  int lead = -1;
  /// Where one control finds no way on, the next is tried: arc length, a displacement (of the watch that moves most
  /// along the path; without one of the node that does), load.
  bool change_control = false;
  /// First step as a change of load factor, > 0. The arc length is measured so that this step is the same at the start.
  double first = 0.1;
  /// Largest change of the load factor in an increment, all along the path; by a displacement: of that. At the start
  /// the arc is no longer than it would be for so much load. 0: 8 x first, twice that and on where steps are no work.
  double largest = 0;
  double smallest = 0;  ///< 0: first / 4096. A cut below it ends the analysis
  /// Iterations a step should take; the next step grows or shrinks by sqrt(wanted / taken).
  int wanted_iterations = 4;
};

/// When a state counts as one of equilibrium, see ConvergenceTest.
struct NewtonOptions {
  int max_iterations = 12;
  double residual_tolerance = 1e-6;
  double energy_tolerance = 1e-10;
};

struct BranchOptions {
  Branching at_bifurcation = Branching::primary;
  /// Follow the branches at every bifurcation on the way, both senses, by so many increments each; 0: do not.
  int increments = 0;
  int depth = 1;  ///< 2: those of branches too
};

struct JumpOptions {
  int most = 0;  ///< where no state is found near by, go on from one further off, so often at most
  /// Above 0: a jump is the motion in time of the structure with its mass, damped by this share of critical damping in
  /// the shape that the variable load gives the unloaded structure; see SwingRecord. 0: a damped descent without mass.
  double damping = 0;
  double stiffness_damping = 0;  ///< more of it, proportional to the stiffness of the unloaded structure
};

/// A path ends at the first of these that is met.
struct StopRules {
  /// Load factor to end at, exactly, from above or below as the start lies; none: no such rule
  std::optional<double> load_factor;
  int watch = -1;           ///< index into PathOptions::watch, whose reading ...
  double displacement = 0;  ///< ... reaches this value, its sign included: exactly, or to 1e-6 where it cannot lead
  double drop = 0;          ///< load factor falls below this share of the peak; 0: no such rule
  int increments = 100;
  int factorisations = 0;     ///< 0: no such rule
  double seconds = 0;         ///< 0: no such rule
  bool at_loss = false;       ///< at the first loss of stability, be it a limit point or a bifurcation
  int after_peak = 0;         ///< so many increments beyond the first limit point; 0: no such rule
  double plastic_strain = 0;  ///< largest equivalent plastic strain of any point reaches this; 0: no such rule
  /// The load stays constant: while the largest displacement grew by half, the load factor has changed by less than
  /// this share. 0: no such rule
  double flat = 0;
};

/// What is looked for and kept besides the increments themselves.
struct RecordOptions {
  std::vector<double> factors_wanted;                   ///< load factors at each of which an increment ends exactly
  std::vector<std::pair<int, double>> readings_wanted;  ///< the same of watches
  bool stability = false;  ///< the lowest eigenvector of the tangent stiffness of every state, see Increment::lowest
  bool crossings = true;   ///< where parts pass through each other
  bool states = true;      ///< the state of every increment
  bool critical_points = true;  ///< located
};

struct PathOptions {
  model::Combination constant;             ///< applied first, in full, then constant; may be empty
  model::Combination variable;             ///< times the load factor
  std::shared_ptr<const PathStart> start;  ///< nullptr: the unloaded structure
  std::vector<WatchPoint> watch;
  StepOptions steps;
  NewtonOptions newton;
  BranchOptions branches;
  JumpOptions jumps;
  StopRules stop;
  RecordOptions record;
  std::vector<std::string> complaints() const;
};

/// contact: nodes that touch or let go change the number of unstable directions, without a state between in which the
/// tangent is singular.
/// jump: a state further off, where none was found near by, or none that small steps under a given load lead to.
/// touch: something touches an obstacle, or another part, for the first time; located to 1e-5 of the increment.
enum class PathEvent { none, preload, limit_point, bifurcation, stage, contact, jump, touch };
const char* to_text(PathEvent event);

/// One converged state.
struct Increment {
  int number = 0;
  int parent = -1;  ///< the increment whose state this one was reached from; -1: none
  PathEvent event = PathEvent::none;
  double load_factor = 0;
  /// Of a bifurcation: it lies between load_factor less this and load_factor, by the counts of negative pivots there.
  double uncertainty = 0;
  double step = 0;  ///< arc length or change of load factor that led here
  int iterations = 0, cut_backs = 0;
  double residual = 0;  ///< unbalanced share of the forces, see ConvergenceTest
  /// Forces hold a last correction that displacements have no digits for, see elements::State::correction.
  bool forces_corrected = false;
  int negative_pivots = 0;  ///< unstable directions of the tangent
  bool counted = true;  ///< by a factorisation of this state's tangent; false: of one close by, checked (follow_path)
  /// Least eigenvalue of the tangent over that of the first state (displacements of nodes count alike): 1 at the
  /// beginning, 0 where stability is lost. NaN: not asked for
  double softest = kUnset;
  double given_off = 0;         ///< of a jump: work of the loads less what stored and dissipated energy grew by
  std::vector<double> watched;  ///< displacements of the watch points
  double largest_displacement = 0;
  int stage = 0;                 ///< of PathResult::stages
  double external_work = 0;      ///< of loads and moved supports since the path began, by the trapezoidal rule
  double stored_energy = 0;      ///< of all elements, in the state: what comes back when it is unloaded
  double dissipated_energy = 0;  ///< that flow and slip have used up until here; never falls
  /// What external_work is more than what the other two have grown by: errors of the steps (both are functions of the
  /// state, the work is a sum over increments). NaN where a temperature changes, which does work of its own.
  double energy_gap = 0;
  std::vector<PartPeak> peaks;  ///< extremes of forces and stresses, one a part of the model
  std::vector<SupportReaction> reactions;
  elements::Resultant applied, reacted;  ///< of all loads, of all supports and obstacles; about the origin
  std::vector<CouplingForce> couplings;
  std::vector<ContactForce> contacts;                ///< one an obstacle of the model
  std::vector<std::array<double, 6>> spring_forces;  ///< one a spring of the model
  double utilisation = 0;                 ///< largest stress over the yield stress of its material; 0: none is given
  double plastic_strain = 0;              ///< largest equivalent plastic strain of any point
  std::vector<PartFlow> flow;             ///< one a part of the model; empty where no material flows
  std::shared_ptr<const KeptState> kept;  ///< nullptr unless states are kept
  /// Displacements and rotation vectors, full. \param model  whose nodes the path began from
  Eigen::VectorXd displacement(const model::Model& model) const { return kept->state.displacement(model); }
};

/// Null vectors of the tangent at a limit point or bifurcation.
struct CriticalPoint {
  int increment = -1;
  int multiplicity = 1;    ///< how many directions lose their stability together
  Eigen::MatrixXd shapes;  ///< full, one a column; largest displacement of a node 1
  Eigen::VectorXd values;  ///< what is left of their eigenvalues, see algebra::SoftPairs
  Eigen::VectorXd residuals;
  /// The path meets another one there, and is its own mirror image beyond: the load reaches a limit point, but the null
  /// vector does no work with it.
  bool meets = false;
};

/// Load factor of a critical point with the digits that are known, at most six.
std::string place_text(const Increment& increment);

/// Where and when the stress of a path first reaches yield. Where materials flow, the way to the increment is searched
/// for the place where the outermost fibre of a member reaches it or any other point begins to flow, to a thousandth of
/// the step; else between two increments by interpolation of elastic stresses.
struct FirstYieldOnPath {
  int part = -1, increment = -1;  ///< part -1: it never does, or no yield stress is given; increment: the first beyond
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

/// A stretch of a path in which one load changes under the same supports.
struct StageRecord {
  std::string name, load;    ///< load: what the load factor multiplies
  int first = 0, last = -1;  ///< increments
  std::string reason;        ///< which rule ended it
  model::Combination constant, variable;
  int peak = -1;  ///< increment, as PathResult::peak
  bool peak_is_limit_point = false;
};

/// Where a path could not be continued: the largest force out of balance in the last attempt.
struct StuckAt {
  int node = -1, part = -1;  ///< -1: nothing was out of balance; what failed is the tangent
  Vec3 place = Vec3::Zero();
  double force = 0;          ///< out of balance there
  double share = 0;          ///< of it in all that is out of balance
  Eigen::VectorXd residual;  ///< full
};

/// Two parts, or two places of one, that have passed through each other since the path began.
struct Crossing {
  int increment = -1, part = -1, other = -1;
  Vec3 place = Vec3::Zero();  ///< in the state of that increment
};

/// The motion in time that a jump was, until the structure was at rest: generalised-alpha method, damping proportional
/// to mass and to the stiffness of the unloaded structure (Rayleigh).
struct SwingRecord {
  int increment = -1;    ///< the state at rest
  double seconds = 0;    ///< of the study's unit of time
  int steps = 0;         ///< of time
  double damping = 0;    ///< share of critical damping, at `frequency`, of mass and stiffness together
  double frequency = 0;  ///< of the unloaded structure in the shape that the variable load gives it, 1 / time
  double largest_displacement = 0;  ///< on the way, of a node from its unloaded place
};

struct PathResult;
struct PathBranch;
/// Which way a branch leaves, in words: "mode 1, one way", "0.71 of mode 1 and -0.71 of mode 2".
std::string way_text(const PathBranch& branch);
/// Where the control changed, see StepOptions::change_control.
struct ControlChange {
  int increment = 0;  ///< the first that the new control led to
  PathControl control = PathControl::arc_length;
  std::string lead;  ///< PathControl::displacement: what led
};
/// A path that leaves another at a bifurcation.
struct PathBranch {
  int increment = -1;       ///< of the path that it leaves
  int mode = 0, sense = 1;  ///< along which null vector there (from 0), which way; of a mix the largest share
  /// Where two directions lose their stability together and the branch leaves along neither: its shares of both null
  /// vectors, each of one size by the displacements of all nodes; the sum of their squares is 1. Empty: one alone.
  Eigen::VectorXd mix;
  std::shared_ptr<const PathResult> path;
};

struct PathResult {
  Ending ending = Ending::not_run;
  std::string message = "the path was not followed";
  std::string stop_reason;            ///< which rule ended it, in words
  std::vector<Increment> increments;  ///< increment 0 is the start of growth (constant part in place)
  int peak = -1;                      ///< index of the first limit point, or of the largest load factor
  bool peak_is_limit_point = false;
  double peak_load_factor = kUnset;
  /// Increment at which the structure first loses its stability: a bifurcation, or the limit point itself; -1: it does
  /// not. A peak that comes later is reached by states that the structure would have left.
  int first_loss = -1;
  /// Never said where `unsymmetric`: the sign of the symmetric part proves nothing about such loads. Nor of a branch,
  /// whose states the structure goes to.
  bool peak_is_unstable() const { return first_loss >= 0 && first_loss < peak && !unsymmetric && !branched; }
  bool levels_off = false;  ///< the load stays constant at the end, see StopRules::flat
  bool branched = false;    ///< it left the primary path at `first_loss`, see BranchOptions::at_bifurcation
  FirstYieldOnPath first_yield;
  int factorisations = 0;
  /// Load factor at which a first attempt could not be continued; this path was found by shorter steps. NaN: none.
  double first_attempt = kUnset;
  /// Loads with an unsymmetric stiffness act (moments that keep their axes, pressure at free edges): counts of negative
  /// pivots, and so losses of stability, are those of the symmetric part.
  bool unsymmetric = false;
  std::vector<StageRecord> stages;  ///< at least one
  std::vector<ControlChange> control_changes;
  std::vector<SwingRecord> swings;             ///< see JumpOptions::damping
  StuckAt stuck;                               ///< where ending is not_converged
  std::vector<CriticalPoint> critical_points;  ///< those that were located, in order
  std::vector<Crossing> crossings;             ///< the first of each pair of parts
  std::vector<PathBranch> branches;            ///< see BranchOptions::increments
  elements::Resultant applied, reacted;        ///< at the last increment, about the origin
  bool usable() const { return ending == Ending::done || ending == Ending::stopped_by_caller; }
};

}  // namespace archway::analysis
