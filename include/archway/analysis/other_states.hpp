#pragma once
#include "archway/analysis/path.hpp"

namespace archway::analysis {

/// A state of equilibrium that a path does not pass, at one of its load factors.
struct OtherState {
  int beside = -1;  ///< increment of the path at the same load factor
  /// What an increment reports; external_work and energy_gap are NaN: nothing leads there. kept holds the state.
  Increment state;
  /// Stored energy less the work that the loads would do from the unloaded structure to the state (dead loads, which
  /// have a potential). NaN where loads follow the structure or moments act.
  double potential = kUnset;
  double distance = 0;  ///< largest distance of a node from where it is in the nearest state of the path
  bool stable() const { return state.negative_pivots == 0; }
};

struct OtherStates {
  std::string message;             ///< why none was looked for; empty: they were
  std::vector<OtherState> states;  ///< by load factor as asked for, the lowest potential first
  std::vector<double> potentials;  ///< of the increments of the path themselves, one an increment; NaN: not asked for
  int starts = 0;                  ///< shapes from which states were sought
  int factorisations = 0;
};

/// Other states of equilibrium at given load factors of a path: the stable ones that a damped descent leads to, and
/// those that deflation finds: Newton's method for m(u) R(u) = 0, where
/// m = product of (1 + L^2 / |u - u_i|^2) over the states u_i that are known, is led away from each of them
/// ([FarrellBirkissonFunke2015]; its step is that of R times 1 / (1 - m' du / m), in which m' is the derivative of m).
/// L: the largest displacement of the known states as a norm over all nodes, no less than a hundredth of the size at
/// all nodes. From every increment of the path at the
/// load factor, moved along its lowest eigenvectors both ways, from its displacements reversed, and from other
/// increments of the path. Deflation finds unstable states of stout structures; of slender ones, whose corrections
/// stretch them, few. What is found need not be all: no method proves that.
///
/// Elastic structures without contact, whose states are functions of the load alone; for others the message says so.
/// \param factors  load factors at which the path has increments; others are omitted
/// \param most  states at each load factor, at most
OtherStates other_states(const System& system, const PathOptions& options, const PathResult& path,
                         const std::vector<double>& factors, int most, const PathWatcher& watcher = {});

}  // namespace archway::analysis
