#include "archway/analysis/linear_static.hpp"

#include <algorithm>

#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/bar.hpp"
#include "archway/elements/loads.hpp"
#include "recovery/element_strains_detail.hpp"

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
      return "constant part beyond its critical load";
  }
  return "?";
}

namespace detail {
namespace {
/// Loads less what the elements hold at a displacement.
Eigen::VectorXd left_over(const System& system, const std::vector<double>& factors, const std::vector<char>& slack,
                          const Eigen::VectorXd* displacement) {
  const State state = State::reference(system.model());
  const Eigen::VectorXd right = system.loads(factors, state);
  if (displacement == nullptr) return right;
  Eigen::VectorXd pull;
  AssemblyRequest request;
  request.direction = displacement;
  request.source.slack = &slack;
  request.tangent_times = &pull;
  (void)system.assemble(state, request);  // the reference state was checked: it cannot fold
  return right - pull;
}
}  // namespace

Eigen::VectorXd solve_linear(const System& system, algebra::Factorisation& factorisation,
                             const std::vector<double>& factors, const std::vector<char>& slack, bool refined) {
  const State state = State::reference(system.model());
  const Eigen::VectorXd moved = system.displacements(factors);
  const bool moves = !moved.isZero(0.0);
  const Eigen::VectorXd start =
      moves ? system.to_full(Eigen::VectorXd::Zero(system.free_count()), state, &moved) : Eigen::VectorXd();
  Eigen::MatrixXd u = system.free_part(left_over(system, factors, slack, moves ? &start : nullptr));
  factorisation.solve(u);
  if (refined) {
    const Eigen::VectorXd first = system.to_full(u.col(0), state, &moved);
    Eigen::MatrixXd more = system.free_part(left_over(system, factors, slack, &first));
    factorisation.solve(more);
    u += more;
  }
  return system.to_full(u.col(0), state, &moved);
}

SlackBars slack_bars(const System& system, const std::vector<double>& factors, algebra::SymmetricMatrix& stiffness,
                     algebra::Factorisation& factorisation) {
  const auto& bars = system.bars();
  SlackBars result;
  auto& slack = result.out;
  slack.assign(static_cast<std::size_t>(bars.size()), 0);
  bool any = false;
  for (int b = 0; b < bars.size(); ++b) any = any || bars.tension_only(b);
  if (!any) return result;
  const State state = system.warmed_reference(factors);
  for (int round = 0; round < 30; ++round) {
    const Eigen::VectorXd u = solve_linear(system, factorisation, factors, slack);
    bool changed = false;
    for (int b = 0; b < bars.size(); ++b) {
      auto& out = slack[static_cast<std::size_t>(b)];
      const char now = bars.tension_only(b) && bars.axial_force(state, b, &u) < 0 ? 1 : 0;
      changed = changed || now != out;
      out = now;
    }
    result.settled = !changed;
    if (!changed) break;
    AssemblyRequest request;
    request.tangent = &stiffness;
    request.source.slack = &slack;
    (void)system.assemble(state, request);
    const auto outcome = factorisation.factor(stiffness);
    if (!outcome.regular() || outcome.negative_pivots > 0) break;  // a mechanism without them: reported by the caller
  }
  return result;
}
}  // namespace detail

bool detail::causes_no_forces(const System& system, const std::vector<double>& factors,
                              const Eigen::VectorXd& displacement, const std::vector<char>& slack) {
  constexpr double rounding = 1e-10;
  const auto& m = system.model();
  const double size = m.size();
  double scale = 0;
  const auto free = system.expansion(factors);
  for (std::size_t p = 0; p < free.size(); ++p)  // lengths of springs come behind the strains of parts
    scale = std::max(scale, std::abs(free[p]) / (p < m.parts.size() ? 1 : size));
  scale = std::max(scale, model::largest_translation(displacement) / size);
  const auto forces = recover_forces(system, factors, displacement, slack);
  double largest = 0;
  for (const auto& list : detail::strains_of(system, forces))
    for (const auto& one : list) largest = std::max(largest, one.strain);
  for (std::size_t k = 0; k < forces.spring_forces.size(); ++k)
    for (std::size_t i = 0; i < 6; ++i)
      if (std::abs(forces.spring_forces[k][i]) > rounding * scale * m.springs[k].stiffness[i] * (i < 3 ? size : 1.0))
        return false;
  return largest <= rounding * scale;
}

detail::Balance detail::balance_of(const System& system, const Eigen::VectorXd& displacement,
                                   const std::vector<double>& factors, const std::vector<char>& slack) {
  Balance balance;
  Eigen::VectorXd internal;
  AssemblyRequest request;
  request.direction = &displacement;
  request.source.slack = &slack;
  request.tangent_times = &internal;
  (void)system.assemble(State::reference(system.model()), request);
  const auto& nodes = system.model().nodes;
  const State reference = State::reference(system.model());
  balance.reactions = system.constant_part(internal - system.loads(factors, reference));
  balance.applied = system.resultant(factors, reference);
  balance.reacted =
      elements::resultant(nodes, balance.reactions + system.ground_reactions(reference, &displacement), Vec3::Zero());
  // of loads that balance each other, what acts at single nodes is the scale
  const Eigen::VectorXd nodal = system.nodal_loads(factors, reference);
  const double size = std::max(system.model().size(), 1e-300);
  double scale = std::max(balance.applied.force.norm(), balance.reacted.force.norm());
  for (const Eigen::VectorXd* forces :
       {static_cast<const Eigen::VectorXd*>(&nodal), static_cast<const Eigen::VectorXd*>(&balance.reactions),
        static_cast<const Eigen::VectorXd*>(&internal)})
    for (Eigen::Index n = 0; n < forces->size(); n += model::kNodeDofs)
      scale = std::max(
          {scale, forces->segment<3>(n).cwiseAbs().maxCoeff(), forces->segment<3>(n + 3).cwiseAbs().maxCoeff() / size});
  balance.no_forces = causes_no_forces(system, factors, displacement, slack);
  balance.imbalance =
      scale > 0 && !balance.no_forces ? (balance.applied.force + balance.reacted.force).norm() / scale : 0.0;
  return balance;
}

namespace {
void recover(const System& system, const std::vector<double>& factors, LinearStaticResult& result) {
  auto balance = detail::balance_of(system, result.displacement, factors, result.slack);
  result.reactions = std::move(balance.reactions);
  result.applied = balance.applied;
  result.reacted = balance.reacted;
  result.imbalance = balance.imbalance;
  elements::StressSource source;
  source.linear = &result.displacement;
  source.slack = &result.slack;
  result.couplings = coupling_forces(system, factors, system.warmed_reference(factors), nullptr, source);
  static_cast<ElementForces&>(result) = recover_forces(system, factors, result.displacement, result.slack);
}
}  // namespace

LinearStaticResult linear_static(const System& system, const model::Combination& combination) {
  LinearStaticResult result;
  const State state = State::reference(system.model());
  algebra::SymmetricMatrix stiffness(system.pattern());
  AssemblyRequest request;
  request.tangent = &stiffness;
  (void)system.assemble(state, request);
  const auto lease = system.factorisation();
  algebra::Factorisation& factorisation = *lease;
  if (system.free_count() > 0) {
    const Mechanism mechanism = find_mechanism(system, stiffness, factorisation);
    if (mechanism.exists) {
      result.ending = Ending::mechanism;
      result.message = mechanism.description;
      return result;
    }
  }
  const auto factors = system.factors(combination);
  result.loads = system.nodal_loads(factors, state);
  const auto slack = detail::slack_bars(system, factors, stiffness, factorisation);
  result.slack = slack.out;
  if (std::count(result.slack.begin(), result.slack.end(), 1) > 0)
    if (const Mechanism mechanism = find_mechanism(system, stiffness, factorisation); mechanism.exists) {
      result.ending = Ending::mechanism;
      result.message = "with its slack bars omitted, " + mechanism.description;
      return result;
    }
  if (!slack.settled) {
    result.ending = Ending::not_converged;
    result.message = detail::SlackBars::kUnsettled;
    return result;
  }
  result.displacement = detail::solve_linear(system, factorisation, factors, result.slack, true);
  recover(system, factors, result);
  result.ending = Ending::done;
  result.message = "";
  return result;
}

}  // namespace archway::analysis
