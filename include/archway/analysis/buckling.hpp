#pragma once
#include "archway/algebra/eigen_pairs.hpp"
#include "archway/analysis/linear_static.hpp"
#include "archway/base/chosen.hpp"

namespace archway::analysis {

/// Strain at a mode's own critical load above which linear buckling says nothing where it occurs.
inline const double kSenselessStrain = base::chosen("senseless-strain", 0.1);

struct BucklingOptions {
  /// Part that is restrained constant; no terms: the unloaded structure.
  model::Combination constant;
  /// Part that grows with the load factor.
  model::Combination variable;
  /// Number of smallest positive load factors wanted. At least 1.
  int mode_count = 4;
  /// Only factors above this, not below zero.
  double lower = 0;
  /// When finite: all factors below it, whatever mode_count says.
  double upper = std::numeric_limits<double>::infinity();
  Negative negative = Negative::leave_out;
  /// A mode is accepted when |K x + f G x| <= residual_tolerance * |K x|, or when no more than rounding is left.
  double residual_tolerance = 1e-6;
  /// Systems in which the constant and variable part are put on, where supports or ties are others then: same nodes and
  /// elements. nullptr: the system that buckles.
  const System *constant_system = nullptr, *variable_system = nullptr;
  std::vector<std::string> complaints() const;  ///< empty when all is well
};

struct Mode {
  double load_factor = kUnset;
  double residual = kUnset;    ///< measured again at the end
  bool close_to_next = false;  ///< within 1 % of the next factor
  bool repeated = false;       ///< within 0.01 % of a neighbour: one mode of a pair
  /// Strain of the linear preload at the mode's own critical load where the mode lives: the one above which half of the
  /// mode's strain energy lies. It does not grow with refinement, as the largest strain at a corner or a point load
  /// does. Above kSenselessStrain the factor is not an answer. NaN: about a state of a path.
  double strain = kUnset;
  /// Full; largest displacement of elements::Outline 1. Of the nodes that move nine tenths of the most or more, at the
  /// one with the largest x, then y, then z (to 2 % of the size of the structure) the first component that is nine
  /// tenths of the largest there or more is positive. Modes whose factors agree to 1e-5 are those mixes of which the
  /// first has all of the group's displacement along such a component at such a place (to 1e-6 of the size), and the
  /// others none.
  Eigen::VectorXd shape;
};

struct BucklingResult {
  Ending ending = Ending::not_run;
  std::string message = "buckling analysis was not run";
  std::vector<Mode> modes;           ///< rising positive factors
  bool sought_negative = false;      ///< whether factors of the load reversed were computed
  std::vector<Mode> negative_modes;  ///< factors below zero, nearest to zero first; only when asked
  /// Factors that are no modes of a in compression structure: they need strains above kSenselessStrain in places that
  /// nothing presses (a bar that is in tension has one near its shear rigidity). By rising size.
  std::vector<Mode> left_out;
  std::vector<Mode> left_out_reversed;  ///< the same below zero
  bool no_forces = false;               ///< the variable part causes no forces: there is nothing to buckle
  bool no_compression = false;  ///< no positive factor exists: the variable part never makes the structure unstable
  bool empty_window = false;    ///< a window of factors was asked for, and none lies in it
  int asked = 0;
  algebra::PencilResult proof;  ///< shift, cut, inertia counts (shapes are moved out into modes)
  algebra::FactorCost cost;
  elements::Resultant variable_applied, variable_reacted;  ///< of the variable part at factor 1, about the origin
  double variable_imbalance = kUnset;                      ///< as LinearStaticResult::imbalance
  std::vector<char> slack;  ///< tension-only bars omitted, since held + growing would press them; one entry a bar
  Eigen::VectorXd constant_displacement, variable_displacement;  ///< full, of the linear preload
  std::vector<Eigen::VectorXd> term_displacements;               ///< full, of every action that grows, at factor 1
  double unsymmetric_load_share = 0;                             ///< see elements::unsymmetric_share
  bool complete() const {
    return proof.ending == algebra::PencilEnding::proved || proof.ending == algebra::PencilEnding::fewer_exist;
  }
  bool usable() const { return ending == Ending::done || ending == Ending::stopped_by_caller; }
};

struct BucklingProgress {
  int converged = 0, wanted = 0;
};
using BucklingWatcher = std::function<Next(const BucklingProgress&)>;

namespace detail {
/// Geometric stiffness of a linear preload, with the load stiffness of what follows.
algebra::SymmetricMatrix geometric_of(const System& system, const std::vector<double>& factors,
                                      const Eigen::VectorXd& displacement, const std::vector<char>& slack);
struct Stiffness {
  const algebra::SymmetricMatrix& matrix;
  bool factored = false;  ///< the factorisation holds it, known to be definite
};
/// Modes of stiffness + f geometric at a state, and those of the load reversed when asked for; fills in modes and
/// proof.
void find_modes(const System& system, const State& state, const Stiffness& stiffness,
                algebra::SymmetricMatrix& geometric, const BucklingOptions& options, const BucklingWatcher& watcher,
                algebra::Factorisation& factorisation, BucklingResult& result);
/// Modes of the load reversed; rotations the sign of the geometric stiffness. \param pencil  how many, how exactly
void find_reversed(const System& system, const State& state, const Stiffness& stiffness,
                   algebra::SymmetricMatrix& geometric, algebra::PencilOptions pencil,
                   algebra::Factorisation& factorisation, BucklingResult& result);
/// Strains of all modes; moves those that are none of a in compression structure to left_out.
void judge_strains(const System& system, const BucklingOptions& options, BucklingResult& result);
/// Ending and words from what the search for pairs came to.
void conclude(BucklingResult& result);
}  // namespace detail

/// LBA: (K + K_geo(held) + f K_geo(growing)) x = 0 on the undeformed structure, stresses by linear theory:
/// answer = constant part + f x variable part. Load stiffness of following pressures is part of both geometric terms.
/// The initial-displacement terms are omitted, as is usual: where displacements before buckling are not small, follow
/// the path.
BucklingResult linear_buckling(const System& system, const BucklingOptions& options,
                               const BucklingWatcher& watcher = {});

/// A state that was reached with large displacements, for instance an increment of a path.
struct StateInPlace {
  State state;
  model::Combination loads;                             ///< in place there
  std::shared_ptr<const elements::Memory> memory = {};  ///< of contact: what touches there stays closed
};
/// Buckling about such a state: (K_T + f K_geo) x = 0 with the tangent of the state under its loads and the geometric
/// stiffness of the stresses that the tangent's answer to the variable loads adds, in the geometry of the state; load
/// stiffness of the variable loads included. Answer = loads in place + f x variable part: exact where the geometry
/// changes little from the state to buckling, and the closer the state is to it the better. \param options  held:
/// left empty. The result has no term_displacements, no slack bars and no balance of the variable loads. \throws
/// base::InputError when the state is not in equilibrium under its loads
BucklingResult buckling_about(const System& system, const StateInPlace& base, const BucklingOptions& options,
                              const BucklingWatcher& watcher = {});

}  // namespace archway::analysis
