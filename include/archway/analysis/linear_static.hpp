#pragma once
#include <functional>
#include <limits>
#include <string>

#include "archway/algebra/factorisation.hpp"
#include "archway/analysis/system.hpp"

namespace archway::analysis {

constexpr double kUnset = std::numeric_limits<double>::quiet_NaN();

/// What the caller's watcher may answer.
enum class Next { go_on, stop_keep_result };

enum class Ending {
  not_run,
  done,
  stopped_by_caller,  ///< what was computed is kept
  mechanism,          ///< the structure can move freely
  not_converged,
  preload_unstable  ///< the held part alone is beyond its critical load
};
const char* to_text(Ending ending);

/// Section forces of one beam element at its three Gauss points.
struct MemberForces {
  int element = -1;
  std::array<elements::SectionForces, 3> points;
};

struct LinearStaticResult {
  Ending ending = Ending::not_run;
  std::string message = "linear static analysis was not run";
  Eigen::VectorXd displacement;          ///< full: 6 values a node
  Eigen::VectorXd loads;                 ///< full, consistent nodal loads
  Eigen::VectorXd reactions;             ///< full, non-zero at held freedoms only
  elements::Resultant applied, reacted;  ///< about the origin
  double imbalance = kUnset;             ///< |applied + reacted| / largest of the two, forces
  std::vector<MemberForces> member_forces;
  std::vector<elements::ShellStress> shell_stresses;  ///< one a shell element
  bool usable() const { return ending == Ending::done; }
};

/// LA: first-order elastic analysis of the undeformed structure under sum factor x pattern.
/// Numerical trouble (a mechanism) is told in the result, bad input is thrown by System.
LinearStaticResult linear_static(const System& system, const model::Combination& combination);

/// Parts of LA that the buckling analysis shares.
namespace detail {
/// Displacements (full) for given full loads and movements; the factorisation must hold the stiffness.
Eigen::VectorXd solve_linear(const System& system, algebra::Factorisation& factorisation,
                             const std::vector<double>& factors);
/// Loads against reactions of a linear solution.
struct Balance {
  Eigen::VectorXd reactions;  ///< full, non-zero at held freedoms only
  elements::Resultant applied, reacted;
  double imbalance = kUnset;
};
Balance balance_of(const System& system, const Eigen::VectorXd& displacement, const Eigen::VectorXd& loads);
}  // namespace detail

}  // namespace archway::analysis
