#include "archway/analysis/linear_static.hpp"

#include "archway/analysis/mechanism.hpp"

namespace archway::analysis {

const char* to_text(Ending ending) {
  switch (ending) {
    case Ending::not_run:
      return "not run";
    case Ending::done:
      return "done";
    case Ending::stopped_by_caller:
      return "stopped on request";
    case Ending::mechanism:
      return "mechanism";
    case Ending::not_converged:
      return "not converged";
    case Ending::preload_unstable:
      return "held part beyond its critical load";
  }
  return "?";
}

namespace detail {
Eigen::VectorXd solve_linear(const System& system, algebra::Factorisation& factorisation,
                             const std::vector<double>& factors) {
  const State state = State::reference(system.model());
  Eigen::VectorXd right = system.loads(factors, state);
  const Eigen::VectorXd moved = system.movements(factors);
  if (!moved.isZero(0.0)) {
    Eigen::VectorXd pull;
    AssemblyRequest request;
    request.direction = &moved;
    request.tangent_times = &pull;
    (void)system.assemble(state, request);  // the reference state was checked: it cannot fold
    right -= pull;
  }
  Eigen::MatrixXd u = system.free_part(right);
  factorisation.solve(u);
  return system.to_full(u.col(0)) + moved;
}
}  // namespace detail

detail::Balance detail::balance_of(const System& system, const Eigen::VectorXd& displacement,
                                   const Eigen::VectorXd& loads) {
  Balance balance;
  Eigen::VectorXd internal;
  AssemblyRequest request;
  request.direction = &displacement;
  request.tangent_times = &internal;
  (void)system.assemble(State::reference(system.model()), request);
  balance.reactions = system.held_part(internal - loads);
  balance.applied = elements::resultant(system.model().nodes, loads, Vec3::Zero());
  balance.reacted = elements::resultant(system.model().nodes, balance.reactions, Vec3::Zero());
  const double scale = std::max({balance.applied.force.norm(), balance.reacted.force.norm(),
                                 balance.reactions.size() > 0 ? balance.reactions.cwiseAbs().maxCoeff() : 0.0});
  balance.imbalance = scale > 0 ? (balance.applied.force + balance.reacted.force).norm() / scale : 0.0;
  return balance;
}

namespace {
void recover(const System& system, LinearStaticResult& result) {
  auto balance = detail::balance_of(system, result.displacement, result.loads);
  result.reactions = std::move(balance.reactions);
  result.applied = balance.applied;
  result.reacted = balance.reacted;
  result.imbalance = balance.imbalance;
  const State state = State::reference(system.model());
  for (int e = 0; e < system.beams().size(); ++e)
    result.member_forces.push_back({e, system.beams().section_forces(state, e, &result.displacement)});
  for (int e = 0; e < system.shells().size(); ++e)
    result.shell_stresses.push_back(system.shells().stress(state, e, &result.displacement));
}
}  // namespace

LinearStaticResult linear_static(const System& system, const model::Combination& combination) {
  LinearStaticResult result;
  const State state = State::reference(system.model());
  algebra::SymmetricMatrix stiffness(system.pattern());
  AssemblyRequest request;
  request.tangent = &stiffness;
  (void)system.assemble(state, request);
  algebra::Factorisation factorisation(system.pattern());
  if (system.free_count() > 0) {
    const Mechanism mechanism = find_mechanism(system, stiffness, factorisation);
    if (mechanism.exists) {
      result.ending = Ending::mechanism;
      result.message = mechanism.description;
      return result;
    }
  }
  const auto factors = system.factors(combination);
  result.loads = system.loads(factors, state);
  result.displacement = detail::solve_linear(system, factorisation, factors);
  recover(system, result);
  result.ending = Ending::done;
  result.message = "";
  return result;
}

}  // namespace archway::analysis
