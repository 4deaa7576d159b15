#include "archway/analysis/buckling.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/tie.hpp"
#include "system/mode_signs_detail.hpp"

namespace archway::analysis {

std::vector<std::string> BucklingOptions::complaints() const {
  std::vector<std::string> list;
  if (mode_count < 1) list.push_back(fmt::format("mode_count is {}, it must be at least 1", mode_count));
  if (variable.terms.empty()) list.push_back("nothing grows: name the combination that the load factor multiplies");
  if (!(lower >= 0)) list.push_back("the lower bound of the factors must not be below zero");
  if (!(upper > lower)) list.push_back(fmt::format("the window of factors from {:g} to {:g} is empty", lower, upper));
  if (!(residual_tolerance > 0)) list.push_back("residual_tolerance must be above zero");
  return list;
}

algebra::SymmetricMatrix detail::geometric_of(const System& system, const std::vector<double>& factors,
                                              const Eigen::VectorXd& displacement, const std::vector<char>& slack) {
  algebra::SymmetricMatrix g(system.pattern());
  const State reference = State::reference(system.model());
  AssemblyRequest request;
  request.geometric = &g;
  request.source.linear = &displacement;
  request.source.slack = &slack;
  (void)system.assemble(reference, request);
  system.add_load_stiffness(factors, reference, -1, g);
  return g;
}

namespace {
/// Modes from the pairs of a pencil at a state; takes the shapes out of the pairs.
std::vector<Mode> modes_of(const System& system, const State& state, std::vector<algebra::PencilPair>& pairs,
                           double sign) {
  std::vector<Mode> modes;
  const detail::ModeSigns signs(system, state);
  signs.settle_groups(pairs);
  for (auto& pair : pairs) {
    Mode mode;
    mode.load_factor = sign * pair.factor;
    mode.residual = pair.residual;
    mode.shape = signs.settled(system.to_full(pair.shape, state));
    pair.shape.resize(0);
    modes.push_back(std::move(mode));
  }
  for (std::size_t i = 0; i + 1 < modes.size(); ++i) {
    const double gap = std::abs(modes[i + 1].load_factor - modes[i].load_factor) / std::abs(modes[i].load_factor);
    modes[i].close_to_next = gap < 0.01;
    if (gap < 1e-4) modes[i].repeated = modes[i + 1].repeated = true;
  }
  return modes;
}

}  // namespace

void detail::find_modes(const System& system, const State& state, const Stiffness& stiffness,
                        algebra::SymmetricMatrix& geometric, const BucklingOptions& options,
                        const BucklingWatcher& watcher, algebra::Factorisation& factorisation, BucklingResult& result) {
  algebra::PencilOptions pencil;
  pencil.count = options.mode_count;
  pencil.lower = options.lower;
  pencil.upper = options.upper;
  pencil.residual_tolerance = options.residual_tolerance;
  pencil.k_is_factored = stiffness.factored;
  pencil.executor = &system.executor();
  if (watcher) pencil.go_on = [&](int converged) { return watcher({converged, options.mode_count}) == Next::go_on; };
  result.proof = algebra::smallest_positive(stiffness.matrix, geometric, factorisation, pencil);
  result.modes = modes_of(system, state, result.proof.pairs, 1);
  result.empty_window =
      result.modes.empty() && result.complete() && (options.lower > 0 || std::isfinite(options.upper));
  if (options.negative != Negative::show || result.proof.ending == algebra::PencilEnding::stopped ||
      result.proof.ending == algebra::PencilEnding::not_definite)
    return;
  find_reversed(system, state, stiffness, geometric, pencil, factorisation, result);
}

void detail::find_reversed(const System& system, const State& state, const Stiffness& stiffness,
                           algebra::SymmetricMatrix& geometric, algebra::PencilOptions pencil,
                           algebra::Factorisation& factorisation, BucklingResult& result) {
  result.sought_negative = true;
  for (double& value : geometric.values) value = -value;
  pencil.k_is_factored = false;
  pencil.lower = 0;
  pencil.upper = HUGE_VAL;
  auto reversed = algebra::smallest_positive(stiffness.matrix, geometric, factorisation, pencil);
  result.negative_modes = modes_of(system, state, reversed.pairs, -1);
}

namespace {
/// A system with its stiffness factorised, tension-only bars that would be in compression omitted.
class Preload {
 public:
  /// \param together  what the slack bars are found for \param result  reported what is wrong, when something is
  Preload(const System& system, const std::vector<double>& together, BucklingResult& result)
      : system_(system), stiffness_(system.pattern()), lease_(system.factorisation()) {
    AssemblyRequest request;
    request.tangent = &stiffness_;
    (void)system.assemble(State::reference(system.model()), request);
    if (const Mechanism mechanism = find_mechanism(system, stiffness_, *lease_); mechanism.exists) {
      result.ending = Ending::mechanism;
      result.message = mechanism.description;
      return;
    }
    const auto slack = detail::slack_bars(system, together, stiffness_, *lease_);
    slack_ = slack.out;
    sound_ = slack.settled;
    if (sound_) return;
    result.ending = Ending::not_converged;
    result.message = detail::SlackBars::kUnsettled;
  }
  bool sound() const { return sound_; }
  const System& system() const { return system_; }
  const std::vector<char>& slack() const { return slack_; }
  algebra::SymmetricMatrix& stiffness() { return stiffness_; }
  algebra::Factorisation& factorisation() { return *lease_; }
  Eigen::VectorXd displacement(const std::vector<double>& factors) {
    return detail::solve_linear(system_, *lease_, factors, slack_);
  }
  /// Displacements of every growing action by itself, and their sum.
  void solve_terms(const model::Combination& variable, BucklingResult& result) {
    result.variable_displacement = Eigen::VectorXd::Zero(system_.full_size());
    for (const auto& [action, factor] : variable.terms) {
      std::vector<double> alone(system_.model().actions.size(), 0.0);
      alone[static_cast<std::size_t>(action)] = 1;
      result.term_displacements.push_back(displacement(alone));
      result.variable_displacement += factor * result.term_displacements.back();
    }
  }

 private:
  const System& system_;
  algebra::SymmetricMatrix stiffness_;
  Topology::Lease lease_;
  std::vector<char> slack_;
  bool sound_ = false;
};

/// Forces of a part of the load by itself, as the system it is put on in gives them.
void solve_variable(Preload& preload, const std::vector<double>& variable, const BucklingOptions& options,
                    BucklingResult& result, bool& no_forces) {
  preload.solve_terms(options.variable, result);
  const auto balance = detail::balance_of(preload.system(), result.variable_displacement, variable, preload.slack());
  result.variable_applied = balance.applied;
  result.variable_reacted = balance.reacted;
  result.variable_imbalance = balance.imbalance;
  no_forces = balance.no_forces;
}

}  // namespace

namespace {
/// Loads that supports take through rigid arms stress no element, but their moments change as the arms rotation.
bool acts_through_arms(const System& system, const std::vector<double>& variable, const algebra::SymmetricMatrix& g) {
  constexpr double kDigits = 1e-10;
  const Eigen::VectorXd loads = system.nodal_loads(variable, State::reference(system.model()));
  const double load = loads.cwiseAbs().maxCoeff();
  double most = 0;
  for (const double value : g.values) most = std::max(most, std::abs(value));
  return load > 0 && !system.ties().empty() && most > kDigits * load * system.model().size();
}
}  // namespace

void detail::conclude(BucklingResult& result) {
  using algebra::PencilEnding;
  if (result.no_forces || (result.modes.empty() && result.complete() && !result.empty_window))
    result.proof.ending = PencilEnding::none;
  if (result.empty_window) {
    result.ending = Ending::done;
    result.message = "no load factor lies in the window that was asked for, by inertia at its ends";
    return;
  }
  switch (result.proof.ending) {
    case PencilEnding::none:
      result.no_compression = true;
      result.ending = Ending::done;
      result.message =
          result.no_forces ? "the variable loads cause no forces in the structure: there is nothing to buckle"
          : result.left_out.empty()
              ? "no positive load factor exists: the variable load does not make the structure unstable"
              : fmt::format(
                    "no positive load factor exists where parts are in compression; omitted: {} from {:.4g} on, at strains "
                    "of {:.2g} and more in parts that are only in tension",
                    result.left_out.size() == 1 ? "1 factor" : fmt::format("{} factors", result.left_out.size()),
                    result.left_out[0].load_factor, result.left_out[0].strain);
      break;
    case PencilEnding::not_definite:
      result.ending = Ending::preload_unstable;
      result.message = fmt::format("the constant part alone is beyond its critical load ({} unstable directions)",
                                   result.proof.negatives_of_k);
      break;
    case PencilEnding::stopped:
      result.ending = Ending::stopped_by_caller;
      result.message = "stopped on request";
      break;
    case PencilEnding::incomplete:
      result.ending = Ending::not_converged;
      result.message = result.proof.message;
      break;
    default:
      result.ending = Ending::done;
      result.message = "";
  }
}
BucklingResult linear_buckling(const System& system, const BucklingOptions& options, const BucklingWatcher& watcher) {
  if (const auto complaints = options.complaints(); !complaints.empty())
    throw base::InputError("buckling options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  BucklingResult result;
  result.asked = options.mode_count;
  const State reference = State::reference(system.model());
  const auto held = system.factors(options.constant), variable = system.factors(options.variable);
  std::vector<double> together = variable;
  for (std::size_t p = 0; p < held.size(); ++p) together[p] += held[p];
  Preload own(system, together, result);
  if (!own.sound()) return result;
  result.slack = own.slack();
  // where supports differ, each part of the load is put on in a structure of its own
  const auto put_on = [&](const System* other, const auto& use) {
    if (other == nullptr || other == &system) return use(own), true;
    Preload preload(*other, together, result);
    if (preload.sound()) use(preload);
    return preload.sound();
  };
  bool no_forces = false;
  if (!put_on(options.variable_system,
              [&](Preload& preload) { solve_variable(preload, variable, options, result, no_forces); }))
    return result;
  algebra::SymmetricMatrix& stiffness = own.stiffness();
  algebra::SymmetricMatrix g = detail::geometric_of(system, variable, result.variable_displacement, result.slack);
  const bool has_held = !options.constant.terms.empty();
  if (has_held) {
    if (!put_on(options.constant_system,
                [&](Preload& preload) { result.constant_displacement = preload.displacement(held); }))
      return result;
    stiffness = stiffness.plus(1, detail::geometric_of(system, held, result.constant_displacement, result.slack));
  }
  for (std::size_t p = 0; p < system.model().actions.size(); ++p)
    if (held[p] != 0.0 || variable[p] != 0.0)
      result.unsymmetric_load_share =
          std::max(result.unsymmetric_load_share,
                   elements::unsymmetric_share(system.model(), system.model().actions[p], reference));

  result.no_forces = no_forces && !acts_through_arms(system, variable, g);
  if (!result.no_forces)
    detail::find_modes(system, reference, {stiffness, !has_held}, g, options, watcher, own.factorisation(), result);
  detail::judge_strains(system, options, result);
  // no mode of a structure in compression: the load may have been given the wrong sense
  const bool whole = result.complete() || result.proof.ending == algebra::PencilEnding::none;
  if (options.negative == Negative::when_none && !result.no_forces && result.modes.empty() && whole &&
      !result.empty_window) {
    algebra::PencilOptions pencil;
    pencil.count = options.mode_count;
    pencil.residual_tolerance = options.residual_tolerance;
    pencil.executor = &system.executor();
    detail::find_reversed(system, reference, {stiffness, false}, g, pencil, own.factorisation(), result);
    detail::judge_strains(system, options, result);
  }
  detail::conclude(result);
  result.cost = own.factorisation().cost();
  return result;
}

}  // namespace archway::analysis
