#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/buckling.hpp"

namespace archway::analysis {

namespace {
using algebra::SymmetricMatrix;
using Eigen::VectorXd;

/// Tangent of a state under loads that stay.
SymmetricMatrix tangent_at(const System& system, const State& state, const std::vector<double>& loads) {
  SymmetricMatrix k(system.pattern());
  AssemblyRequest request;
  request.tangent = &k;
  (void)system.assemble(state, request);  // near a state that was accepted
  system.add_load_stiffness(loads, state, -1, k);
  return k;
}

void require_balance(const System& system, const State& state, const std::vector<double>& factors) {
  VectorXd internal;
  AssemblyRequest request;
  request.internal_force = &internal;
  const auto verdict = system.assemble(state, request);
  const VectorXd loads = system.loads(factors, state);
  const double gap = system.free_part(internal - loads).norm(), size = std::max(internal.norm(), loads.norm());
  if (verdict != base::Verdict::good || gap > 1e-3 * size)
    throw base::InputError(
        "state to buckle about",
        fmt::format("it is not in equilibrium: {:.2g} of its forces are left over", size > 0 ? gap / size : 0.0),
        "take a converged increment with the loads that are in place there");
}

/// Answer of the tangent, as it is factorised, to the growing loads and movements.
VectorXd answer_to(const System& system, const State& state, const std::vector<double>& growing,
                   algebra::Factorisation& factorisation) {
  VectorXd right = system.loads(growing, state);
  const VectorXd moved = system.movements(growing);
  if (!moved.isZero(0.0)) {
    const VectorXd pulled = system.to_full(VectorXd::Zero(system.free_count()), state, &moved);
    VectorXd pull;
    AssemblyRequest request;
    request.direction = &pulled;
    request.tangent_times = &pull;
    (void)system.assemble(state, request);
    right -= pull;
  }
  Eigen::MatrixXd u = system.free_part(right);
  factorisation.solve(u);
  return system.to_full(u.col(0), state, &moved);
}

/// Derivative of the tangent along a small displacement, by differences of the fourth order.
SymmetricMatrix derivative_along(const System& system, const State& state, const std::vector<double>& loads,
                                 const VectorXd& answer) {
  double move = 0, turn = 0;
  for (Eigen::Index n = 0; n < answer.size(); n += model::kNodeFreedoms) {
    move = std::max(move, answer.segment<3>(n).norm());
    turn = std::max(turn, answer.segment<3>(n + 3).norm());
  }
  const double step = std::min(1e-3 / std::max(turn, 1e-300), 1e-4 * system.model().size() / std::max(move, 1e-300));
  SymmetricMatrix sum(system.pattern());
  for (const auto& [places, weight] : {std::pair{1.0, 8.0}, {-1.0, -8.0}, {2.0, -1.0}, {-2.0, 1.0}}) {
    State moved = state;
    system.advance(moved, places * step * answer);
    sum = sum.plus(weight / (12 * step), tangent_at(system, moved, loads));
  }
  return sum;
}
}  // namespace

BucklingResult buckling_about(const System& system, const StateInPlace& base, const BucklingOptions& options,
                              const BucklingWatcher& watcher) {
  auto complaints = options.complaints();
  if (!options.held.terms.empty()) complaints.emplace_back("the loads in place belong to the state, not to 'held'");
  if (!complaints.empty())
    throw base::InputError("buckling options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  BucklingResult result;
  result.asked = options.mode_count;
  result.slack.assign(static_cast<std::size_t>(system.bars().size()), 0);
  State state = State::reference(system.model());
  system.advance(state, base.displacement);
  const auto loads = system.factors(base.loads), growing = system.factors(options.growing);
  require_balance(system, state, loads);
  const SymmetricMatrix stiffness = tangent_at(system, state, loads);
  algebra::Factorisation factorisation(system.pattern());
  const auto outcome = factorisation.factor(stiffness);
  if (!outcome.done || outcome.negative_pivots > 0) {
    result.proof.ending = algebra::PencilEnding::not_definite;
    result.proof.negatives_of_k = outcome.negative_pivots;
    detail::conclude(result);
    return result;
  }
  result.growing_displacement = answer_to(system, state, growing, factorisation);
  SymmetricMatrix change = derivative_along(system, state, loads, result.growing_displacement);
  system.add_load_stiffness(growing, state, -1, change);
  algebra::PencilOptions pencil = detail::pencil_options(options, watcher);
  pencil.k_is_factored = true;
  result.proof = algebra::smallest_positive(stiffness, change, factorisation, pencil);
  result.modes = detail::modes_of(system, state, result.proof.pairs, 1);
  detail::conclude(result);
  if (options.negative == Negative::show && result.ending == Ending::done) {
    for (double& value : change.values) value = -value;
    pencil.k_is_factored = false;
    pencil.lower = 0;
    pencil.upper = HUGE_VAL;
    auto reversed = algebra::smallest_positive(stiffness, change, factorisation, pencil);
    result.negative_modes = detail::modes_of(system, state, reversed.pairs, -1);
  }
  result.cost = factorisation.cost();
  return result;
}

}  // namespace archway::analysis
