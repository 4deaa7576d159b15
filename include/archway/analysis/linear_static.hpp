#pragma once
#include <string>

#include "archway/analysis/coupling_forces.hpp"
#include "archway/analysis/element_forces.hpp"
#include "archway/elements/internal_forces.hpp"

namespace archway::algebra {
class Factorisation;
struct SymmetricMatrix;
}  // namespace archway::algebra

namespace archway::analysis {

struct LinearStaticResult : ElementForces {
  Ending ending = Ending::not_run;
  std::string message = "linear static analysis was not run";
  Eigen::VectorXd displacement;          ///< full: kNodeFreedoms values a node
  Eigen::VectorXd loads;                 ///< full, consistent nodal loads
  Eigen::VectorXd reactions;             ///< full, non-zero at held degrees of freedom only
  elements::Resultant applied, reacted;  ///< about the origin; reacted: supports and ground springs
  std::vector<CouplingForce> couplings;
  double imbalance = kUnset;  ///< |applied + reacted| / largest of the two, forces
  std::vector<char> slack;    ///< tension-only bars that were omitted, one entry a bar
  bool usable() const { return ending == Ending::done; }
};

/// LA: first-order elastic analysis of the undeformed structure under sum factor x action.
/// Numerical trouble (a mechanism) is reported in the result, bad input is thrown by System.
LinearStaticResult linear_static(const System& system, const model::Combination& combination);

/// Parts of LA that the buckling analysis shares.
namespace detail {
/// Displacements (full) for given factors; the factorisation must hold the stiffness without the slack bars.
/// \param refined  once more with what the elements themselves leave over: digits that the sums of the matrix lost
/// (thin walls off their nodes) come back
Eigen::VectorXd solve_linear(const System& system, algebra::Factorisation& factorisation,
                             const std::vector<double>& factors, const std::vector<char>& slack, bool refined = false);
/// Finds the tension-only bars that the loads would press: leaves them out, takes back those that would be in tension,
/// until nothing changes. Leaves stiffness and factorisation without them.
struct SlackBars {
  std::vector<char> out;  ///< one entry a bar
  bool settled = true;    ///< false: some come and go for ever
  static constexpr const char* kUnsettled =
      "tension-only bars did not settle: omitting those that are in compression presses others, round after round; give "
      "the "
      "structure some other bracing, or follow a path, where bars slacken one by one";
};
SlackBars slack_bars(const System& system, const std::vector<double>& factors, algebra::SymmetricMatrix& stiffness,
                     algebra::Factorisation& factorisation);
/// Loads move the structure or warm it, but strain nothing, to rounding. \param displacement  of the linear solution
bool causes_no_forces(const System& system, const std::vector<double>& factors, const Eigen::VectorXd& displacement,
                      const std::vector<char>& slack);
/// Loads against reactions of a linear solution.
struct Balance {
  Eigen::VectorXd reactions;  ///< full, non-zero at held degrees of freedom only
  elements::Resultant applied, reacted;
  double imbalance = kUnset;
  bool no_forces = false;  ///< the loads cause no forces
};
Balance balance_of(const System& system, const Eigen::VectorXd& displacement, const std::vector<double>& factors,
                   const std::vector<char>& slack);
}  // namespace detail

}  // namespace archway::analysis
