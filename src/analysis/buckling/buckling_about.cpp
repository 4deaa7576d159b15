#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/bar.hpp"

namespace archway::analysis {

namespace {
using algebra::SymmetricMatrix;
using Eigen::VectorXd;

/// Tangent of a state, with its temperatures, under loads that stay.
SymmetricMatrix tangent_at(const System& system, const State& state, const elements::Memory* memory,
                           const std::vector<double>& loads) {
  SymmetricMatrix k(system.pattern());
  AssemblyRequest request;
  request.tangent = &k;
  request.committed = memory;
  (void)system.assemble(state, request);  // near a state that was accepted
  system.loading().add_load_stiffness(loads, state, -1, k, Warmth::in_state);
  return k;
}

void require_balance(const System& system, const State& state, const elements::Memory* memory,
                     const std::vector<double>& factors) {
  VectorXd internal;
  AssemblyRequest request;
  request.internal_force = &internal;
  request.committed = memory;
  const auto verdict = system.assemble(state, request);
  const VectorXd loads = system.loading().loads(factors, state, Warmth::in_state);
  const double gap = system.free_part(internal - loads).norm(), size = std::max(internal.norm(), loads.norm());
  if (verdict != base::Verdict::good || gap > 1e-3 * size)
    throw base::InputError(
        "state to buckle about",
        fmt::format("it is not in equilibrium: {:.2g} of its forces are left over", size > 0 ? gap / size : 0.0),
        "take a converged increment with the loads that are in place there");
}

/// Answer of the tangent, as it is factorised, to the variable loads and displacements.
VectorXd answer_to(const System& system, const State& state, const elements::Memory* memory,
                   const std::vector<double>& variable, algebra::Factorisation& factorisation) {
  VectorXd right = system.loads(variable, state);
  const VectorXd moved = system.displacements(variable);
  if (!moved.isZero(0.0)) {
    const VectorXd pulled = system.to_full(VectorXd::Zero(system.free_count()), state, &moved);
    VectorXd pull;
    AssemblyRequest request;
    request.direction = &pulled;
    request.committed = memory;
    request.tangent_times = &pull;
    (void)system.assemble(state, request);
    right -= pull;
  }
  Eigen::MatrixXd u = system.free_part(right);
  factorisation.solve(u);
  return system.to_full(u.col(0), state, &moved);
}

/// Geometric stiffness of the stresses that a small displacement adds, in the geometry of the state. The rotation of
/// the geometry itself is omitted on purpose: to first order alone it couples stiff and soft displacements (c in [a c;
/// c b]) without the second-order part of a that keeps the tangent definite, and slender members get factors near zero.
SymmetricMatrix added_stiffness(const System& system, State state, const VectorXd& answer) {
  state.expansion.clear();  // of what is in place; that of the variable part comes with its load stiffness
  SymmetricMatrix g(system.pattern());
  AssemblyRequest request;
  request.geometric = &g;
  request.source.linear = &answer;
  (void)system.assemble(state, request);  // the state was accepted before
  return g;
}
}  // namespace

BucklingResult buckling_about(const System& given, const StateInPlace& base, const BucklingOptions& options,
                              const BucklingWatcher& watcher) {
  const auto wider = given.coupled(base.state, base.memory.get());
  const System& system = wider ? *wider : given;
  auto complaints = options.complaints();
  if (!options.constant.terms.empty()) complaints.emplace_back("the loads in place belong to the state, not to 'held'");
  if (!complaints.empty())
    throw base::InputError("buckling options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  BucklingResult result;
  result.asked = options.mode_count;
  result.slack.assign(static_cast<std::size_t>(system.bars().size()), 0);
  const auto loads = system.factors(base.loads), variable = system.factors(options.variable);
  State state = base.state;
  state.expansion = system.expansion(loads);
  const elements::Memory* memory = base.memory.get();
  require_balance(system, state, memory, loads);
  const SymmetricMatrix stiffness = tangent_at(system, state, memory, loads);
  const auto lease = system.factorisation();
  algebra::Factorisation& factorisation = *lease;
  const auto outcome = factorisation.factor(stiffness);
  if (!outcome.regular() || outcome.negative_pivots > 0) {
    result.proof.ending = algebra::PencilEnding::not_definite;
    result.proof.negatives_of_k = outcome.negative_pivots;
    detail::conclude(result);
    return result;
  }
  result.variable_displacement = answer_to(system, state, memory, variable, factorisation);
  SymmetricMatrix change = added_stiffness(system, state, result.variable_displacement);
  system.add_load_stiffness(variable, state, -1, change);
  detail::find_modes(system, state, {stiffness, true}, change, options, watcher, factorisation, result);
  detail::conclude(result);
  result.cost = factorisation.cost();
  return result;
}

}  // namespace archway::analysis
