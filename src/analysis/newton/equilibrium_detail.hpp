#pragma once
#include <chrono>
#include <cmath>
#include <optional>

#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/path_rules.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/surface_contact.hpp"
#include "newton/tangent_detail.hpp"

namespace archway::analysis::detail {

/// Unit tangent of the path in the scaled space of translations and load factor.
struct Direction {
  Eigen::VectorXd displacement;  // full
  double factor = 0;
};

/// A state of the path, converged or on the way there.
struct Point {
  State state;
  Eigen::VectorXd moved;                           // prescribed displacements in place, full
  std::shared_ptr<const elements::Memory> memory;  // of the last state that was accepted, or of this one once it is
  double factor = 0;                               // load factor
  double preload = 1;                              // share of the constant part
  double let_go = 1;                               // share of what was out of balance at the start that is gone
  Direction tangent;                               // of the path there, once it is settled
  std::map<int, Vec3> rotated;                     // rotation vectors of watched nodes, see KeptState
  int negative_pivots = 0;
  bool counted = false;  // by the factor of its own tangent
  ConvergenceTest::Balance balance;
};

/// Where a path goes on: its direction, and how that rotates with the way, at right angles to it.
struct Predictor {
  Direction direction, bend;
};

enum class Attempt { converged, failed, stopped };

struct AttemptReport {
  Attempt outcome = Attempt::failed;
  int iterations = 0;
  double foreseen = HUGE_VAL;  ///< residual of the predictor, before any correction
  double corrected = 0;        ///< how far corrections led from the predictor, as a share of the way
  double moved = HUGE_VAL;     ///< the same: largest displacement of a node
};

/// With which factor corrections begin.
enum class Begin { factorise, factor_at_hand };
/// How the negative pivots of a state are found.
enum class Count { if_needed, by_factor };

/// Rotation vector of a node in a state, counted on beyond half a revolution from the one that is remembered for it.
Vec3 rotation_at(const Point& point, int node);

/// Options for states beside a path that are differed: balanced to 1e-9, with patience, from where they are put.
PathOptions tight(PathOptions options);

/// Of a node, in a full step.
double largest_displacement(const Eigen::VectorXd& step);
/// Prescribed displacements as a kept state has them: without zeros.
inline Eigen::VectorXd kept_displacements(const Point& point) {
  return point.moved.isZero(0.0) ? Eigen::VectorXd() : point.moved;
}

/// One structure under one loading: residuals, corrections, tangents. Stepping strategy is left to the caller.
class Equilibrium {
 public:
  Equilibrium(const System& system, const PathOptions& options, const PathWatcher& watcher);

  /// A displacement that nothing resists in the reference state.
  Mechanism mechanism();
  Point start() const;
  /// A kept state. \param let_go  what is out of balance there becomes a load that can be taken off, see let_go();
  /// false: it must be in equilibrium. \throws base::InputError when it is not
  Point resume(const KeptState& kept, bool let_go);
  /// Nothing was out of balance where the path resumed.
  bool balanced_at_start() const { return left_.size() == 0; }
  /// Scale of the forces of all states so far.
  double largest_force() const { return largest_force_; }
  /// How far a state is from another along two shapes, and what holds it there.
  struct Pinned {
    const Eigen::MatrixXd &planes, &shapes;  ///< full, one a column: what measures each, how it is gone to
    Eigen::Vector2d wanted;
    Eigen::VectorXd pushed;  ///< forces, full
    double push = 0;         ///< found: times that
  };
  /// Newton at two amplitudes; load factor and push adapt.
  AttemptReport at_mix(Point& point, const State& origin, Pinned& pinned);
  /// Newton with so large a share of what was out of balance gone, loads at rest.
  AttemptReport let_go(Point& point, double share, int number);
  /// Newton at fixed load factor and preload share.
  AttemptReport at_load(Point& point, double factor, double preload, double step, int number, Begin begin);
  /// Newton in the plane normal to the direction of a predictor, a distance `arc` along it.
  AttemptReport along(Point& point, const Predictor& predictor, double arc, int number, Begin begin);
  /// What a watch of single nodes records in a state.
  double reading(const WatchPoint& watch, const Point& point) const;
  /// Its derivative by displacements and spins, full. Of a rotation near full revolutions that of one about a fixed
  /// axis.
  Eigen::VectorXd gradient(const WatchPoint& watch, const Point& point) const;
  /// Newton with the load factor free until a watch reads `value`. \param direction  along which it is approached
  AttemptReport at_reading(Point& point, const WatchPoint& watch, double value, const Direction& direction, int number,
                           Begin begin);
  /// A damped way to a stable state at a load factor, from one where there is none near by; ends in balance without
  /// damping.
  AttemptReport jump(Point& point, double factor, int number);
  /// The same by the motion in time of a structure with mass, see JumpOptions::damping.
  AttemptReport swing(Point& point, double factor, int number, SwingRecord& record);
  /// Newton at fixed loads, led away from states that are known: see other_states(). \param known  displacements, full
  /// \param reach  norm of the displacements from which states are far from each other
  AttemptReport elsewhere(Point& point, const std::vector<Eigen::VectorXd>& known, double reach, int number);
  /// Newton with the load factor free until plane . (displacement since a state) is `value`, from there along a shape.
  AttemptReport at_amplitude(Point& point, const Eigen::VectorXd& plane, const State& origin, double value,
                             const Eigen::VectorXd& shape);
  /// The same nodes touch in two states.
  bool rubs() const { return system_.geometry().surfaces().rubs(); }
  /// The directions that have lost their stiffness, of the state that is.
  CriticalPoint null_at(const Point& point);
  bool touch_alike(const Point& a, const Point& b) const;
  /// Of one node at an obstacle, or one knot of parts.
  struct Touching {
    double gap = 0, force = 0;
    bool counts = true;  ///< something lies opposite
  };
  /// First those at obstacles, then the knots.
  std::vector<Touching> touching(const State& state, const elements::Memory& memory) const;
  /// What is remembered when one of them, by its place in the list above, lets go, or is restrained at the gap it has.
  std::shared_ptr<const elements::Memory> without_contact(const elements::Memory& memory, std::size_t which) const;
  std::shared_ptr<const elements::Memory> with_contact(const elements::Memory& memory, std::size_t which,
                                                       double gap) const;
  /// Where the last residual is largest.
  StuckAt stuck() const;
  /// Internal forces of a state, full: in equilibrium the loads and the reactions.
  Eigen::VectorXd outside(const Point& point) const;
  /// What supports give, full. \param outside  of the state
  Eigen::VectorXd reactions(const Point& point, const Eigen::VectorXd& outside) const;
  /// Unit tangent of the path, its sense along `way`, and the pivot count of a converged point. False when singular
  /// beyond use. \param way  empty: where the load factor rises
  /// \param tolerance  of the direction, relative
  bool settle(Point& point, const Direction& way, Count count, double tolerance = 1e-3);
  /// What the points of a converged state remember becomes what they come from.
  void remember(Point& point) const;
  /// That, of a state that has been evaluated and may not be gone to.
  elements::Memory memory_after(const Point& point) const;
  /// Assembles the tangent of a state that has converged.
  bool stand_at(Point& point);
  /// The lowest eigenvectors of the tangent at hand.
  algebra::SoftPairs softest() { return tangent_->softest(); }
  /// Free degrees of freedom as a full shape whose largest displacement of a node is 1.
  Eigen::VectorXd shape_of(const Eigen::VectorXd& free, const Point& point) const;
  /// The shape or its opposite, by the rule that modes are given their signs by; its largest displacement stays.
  Eigen::VectorXd settled_sign(const Eigen::VectorXd& shape, const Point& point) const;
  /// Work of the variable load along a shape, beside what it would be with all signs alike, or of its largest force
  /// where the shape moves most, if that is more: a dimple under a pressure has 1, a shape that sways past one force
  /// nothing.
  double load_share(const Eigen::VectorXd& shape, const Point& point);
  /// A unit direction along a shape, the load factor at rest.
  Direction direction_along(const Eigen::VectorXd& shape) const;
  /// Measures lengths by the first answer to the load; needs stand_at or a settled point before.
  bool set_scale(Point& first);
  /// Measures lengths as another does, on the same structure.
  void take_scale(const Equilibrium& other) { scale_ = other.scale_; }
  double length(const Eigen::VectorXd& displacement, double factor) const;
  /// What a displacement counts beside a load factor in such lengths.
  double displacement_weight() const { return std::sqrt(scale_); }
  double dot(const Direction& a, const Direction& b) const;
  elements::Resultant applied(const Point& point) const;
  /// \param outside  of the state
  elements::Resultant reacted(const Point& point, const Eigen::VectorXd& outside) const;
  ElementForces forces(const Point& point) const {
    return forces_at(system_, combined(point.factor, point.preload), point.state, point.memory.get());
  }
  std::vector<CouplingForce> couplings(const Point& point) const {
    return coupling_forces(system_, combined(point.factor, point.preload), point.state, point.memory.get());
  }
  /// Shorten corrections that leave more out of balance than they found (StepRule cut the increment already).
  void search_along_corrections(bool wanted) { searches_ = wanted; }
  bool unsymmetric() const { return skewed_; }
  /// Since it was made.
  double seconds() const;
  /// From here on corrections stop when what the path may take is used up; before there is nothing to keep.
  void mind_budget() { minds_budget_ = true; }
  int factorisations() const { return spent_ + tangent_->factorisations(); }

 private:
  /// What is assembled with stiffness.
  bool drift(Point& point, double damping, const Eigen::VectorXd& drag);
  AttemptReport descend(Point& point, double factor, int number);
  AttemptReport at_rest(Point& point, double factor, int number, AttemptReport report);
  double frequency(const Eigen::VectorXd& masses);
  struct Motion {
    Eigen::VectorXd velocity, acceleration, gap;  // free; gap: internal less external forces
    double residual = 0;
    int corrections = 0;
  };
  /// Rayleigh damping: of_mass M + of_stiffness K, K of the unloaded structure.
  struct Damping {
    double of_mass = 0, of_stiffness = 0;
    std::optional<algebra::SymmetricMatrix> stiffness;  // on the pattern of the tangent
  };
  bool refresh(Damping& damping) const;
  bool step_in_time(Point& point, Motion& motion, double dt, const Eigen::VectorXd& masses, Damping& damping);
  const System& coupled() const { return coupled_ ? *coupled_ : system_; }
  struct Residual {
    Eigen::VectorXd free, internal;
    ConvergenceTest::Balance balance;
  };
  bool evaluate(const Point& point, Residual& residual, const elements::StressSource& source = {});
  void weigh(const ConvergenceTest::Balance& balance, double size);
  void see_forces(double scale);
  Eigen::VectorXd load_direction(const Point& point);
  Tangent::Border border(const Point& point, const Direction& direction);
  Tangent::Border border_on(const Point& point, Eigen::VectorXd plane, double corner);
  bool over_budget() const;
  Next report(int number, int iteration, const Point& point, double residual, double step) const;
  std::vector<double> combined(double factor, double preload) const;
  /// The state before a step and the step itself, for the stresses that the next tangent is made with.
  struct Foresight {
    State state;
    Eigen::VectorXd step;
    elements::StressSource source() const { return {nullptr, &state, &step}; }
  };
  Foresight move(Point& point, const Eigen::VectorXd& step) const;
  struct Correction {
    Eigen::VectorXd free;
    double factor = 0;  // change of the load factor
  };
  /// Finds the correction for a residual; false: none is possible.
  using Corrector = std::function<bool(const Residual& residual, Correction& correction)>;
  /// Applies so large a share of a correction.
  Foresight apply(Point& point, const Correction& correction, double share) const;
  /// Applies a correction, or, where they are searched, the largest of its halves that brings the state nearer to
  /// balance. \return the step that was made
  Foresight correct_along(Point& point, const Correction& correction, const Residual& residual) const;
  /// Size of what is out of balance as the linear solver counts it.
  double out_of_balance(const Point& point) const;
  struct Effort {
    double step;
    int number;
    Begin begin;
    bool done_if_balanced;
  };
  /// Judges and corrects until the state is balanced, the iterations run out or the caller stops.
  AttemptReport iterate(Point& point, Foresight before, const Effort& effort, const Corrector& correct);
  AttemptReport correct_loads_at_rest(Point& point, Foresight before, const Effort& effort);
  bool goes_on(const Point& point, double preload) const;
  /// \param displacements  prescribed, full \param step  of the free degrees of freedom
  bool follow_pull(const Point& point, const Eigen::VectorXd& displacements, Begin begin, Eigen::VectorXd& step);
  /// When what lies opposite to what was found.
  struct Pairing {
    double moved = 0;  ///< largest displacement since then
    int times = 0;     ///< in this step
  };
  /// Where a step slides far over what lies opposite, that is looked for where the step is foreseen to lead.
  void foresee_pairs(Point& point, const Foresight& before) const;
  /// Takes the forces of contact of a balanced state for those to go on with, and what lies opposite to what there.
  /// \return something has changed
  bool improve_contact(Point& point, const ConvergenceTest::Balance& balance, int round, Pairing& pairing) const;
  std::shared_ptr<const elements::Memory> but_one_held(const Point& point,
                                                       std::shared_ptr<const elements::Memory> better) const;
  /// See elements::SurfaceContact.
  void keep_closed(Point& point) const;
  /// Where contact was sought as long as it may be, something still pulls.
  bool pulls(const Point& point, const ConvergenceTest::Balance& balance) const;
  bool improve_surfaces(const Point& point, double least, Pairing& pairing, elements::Memory& better) const;
  /// From here on matrices are on a pattern that holds the pairs of a point's memory.
  void follow_pairs(const Point& point);
  /// A correction that displacements have no digits for is kept beside the state, whose forces it balances.
  /// \param last  correction before, full \param way  since the increment began, full
  /// \return the state is in balance
  bool keep_beside(Point& point, const Correction& correction, Residual& residual, const Eigen::VectorXd& last,
                   const Eigen::VectorXd& way);
  bool pulls_beside(const Point& point, const ConvergenceTest::Balance& balance) const;
  bool is_untouched(const Point& point, const Residual& residual) const;
  double by_loads(const ConvergenceTest::Balance& balance) const;
  double tolerance_for(const ConvergenceTest::Balance& balance) const;
  bool energy_is_small(const Residual& residual, const Point& point, const Eigen::VectorXd& way);

  const System& system_;
  std::shared_ptr<const System> coupled_;  // the same on a pattern with the pairs that touch
  int spent_ = 0;                          // factorisations on patterns before
  const PathOptions& options_;
  const PathWatcher& watcher_;
  std::unique_ptr<Tangent> tangent_;
  ConvergenceTest test_;
  bool skewed_ = false;  // loads with an unsymmetric stiffness act
  bool minds_budget_ = false;
  bool searches_ = false;  // see search_along_corrections
  bool foreseen_ = false;  // the tangent at hand has stresses that are only nearly those of the state
  double linear_tolerance_ = 1e-6, largest_force_ = 0;
  std::vector<double> held_, variable_;
  Eigen::VectorXd constant_displacement_, variable_displacement_;
  Eigen::VectorXd weights_;   // of free degrees of freedom, as the test of convergence counts
  Eigen::VectorXd left_;      // out of balance where the path resumed, full; empty: nothing
  Eigen::VectorXd residual_;  // of the last state that was evaluated, full
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
  double scale_ = 1;  // weight of squared translations in the arc length
};

}  // namespace archway::analysis::detail
