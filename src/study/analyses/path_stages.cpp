#include <algorithm>
#include <cmath>
#include <optional>

#include "analyses/path_detail.hpp"
#include "archway/analysis/small_movements.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/yielding.hpp"
#include "spec/names_detail.hpp"

namespace archway::study::detail {

namespace {
/// Share of the way of a stage that its first step takes, where nothing else is known.
constexpr double kShareOfStage = 0.1;

/// A first step of a quarter of what first yields by linear theory; where a critical load is known, of no more than a
/// tenth of that. Near a plastic limit load the steps stay such that the load still reports.
void begin_below_yield(Run& run, const AnalysisOutcome& outcome, bool is_known, analysis::PathOptions& options) {
  model::Combination acting = outcome.constant;
  acting.terms.insert(acting.terms.end(), options.variable.terms.begin(), options.variable.terms.end());
  const auto& system = run.stage.system(acting, {"variable"});
  const auto variable = analysis::linear_static(system, options.variable);
  if (!variable.usable()) return;
  const auto nothing = sum_of(variable, -1, variable);
  const auto held = outcome.constant.terms.empty()
                        ? nothing
                        : static_cast<analysis::ElementForces>(linear_static(system, outcome.constant));
  double yield = analysis::first_yield(*outcome.model, held, variable).load_factor;
  // where the constant part alone yields, the variable load is measured by itself
  if (!(yield > 0)) yield = analysis::first_yield(*outcome.model, nothing, variable).load_factor;
  if (!(yield > 0) || !std::isfinite(yield)) return;
  options.steps.first = is_known ? std::min(options.steps.first, 0.25 * yield) : 0.25 * yield;
}

bool hardens(const model::Model& model) {
  return std::any_of(model.materials.begin(), model.materials.end(), [](const auto& m) {
    return m.flow.isotropic > 0 || m.flow.kinematic > 0 || !m.flow.corners.empty();
  });
}

int watch_index(const StudySpec& spec, const std::string& name) {
  for (std::size_t i = 0; i < spec.watches.size(); ++i)
    if (spec.watches[i].name == name) return static_cast<int>(i);
  return -1;
}

void set_stop(const Run& run, const AnalysisOutcome& outcome, const StopSpec& stop, analysis::PathOptions& options) {
  options.stop.watch = watch_index(run.result.spec, stop.watch);
  options.stop.displacement = stop.displacement;
  if (stop.load_factor) options.stop.load_factor = stop.load_factor;
  options.stop.plastic_strain = stop.plastic_strain;
  options.stop.drop = stop.drop;
  options.stop.increments = stop.increments;
  options.stop.factorisations = stop.factorisations;
  options.stop.seconds = stop.seconds;
  options.stop.at_loss = stop.at_loss;
  if (stop.given) return;
  options.stop.drop = detail::kClearDrop;
  options.stop.after_peak = detail::kClearIncrements;
  if (!outcome.spec.kind->small_displacements()) return;
  options.stop.flat = kStandsStill;
  if (hardens(*outcome.geometry)) options.stop.plastic_strain = kLimitStrain;
}

void set_control(const Run& run, const ControlSpec& control, analysis::PathOptions& options) {
  options.steps.control = control.control;
  options.steps.change_control = control.change;
  options.steps.lead = watch_index(run.result.spec, control.lead);
  options.steps.largest = control.largest_step;
  if (control.first_step > 0) options.steps.first = control.first_step;
}

/// Critical factor that the analysis starts from, where it is one of this load.
double critical_of(const Run& run, const AnalysisOutcome& outcome, const model::Combination& variable) {
  const double critical = critical_factor(run.result, outcome.spec);
  const bool own = std::any_of(run.result.outcomes.begin(), run.result.outcomes.end(), [&](const auto& o) {
    return o.buckling && !o.buckling->modes.empty() && o.buckling->modes[0].load_factor == critical &&
           o.variable.terms == variable.terms;
  });
  return own || outcome.spec.stages.empty() ? critical : analysis::kUnset;
}

/// A tenth of the critical load factor by a buckling analysis of its own, where none has been asked for: the size of a
/// load may be anything. Where nothing buckles, or displacements are prescribed, the load that moves the structure by a
/// thousandth of its size.
std::optional<double> step_by_answer(Run& run, const AnalysisOutcome& outcome, const model::Combination& variable) {
  constexpr double kShare = 0.1, kMoved = 1e-3;
  model::Combination acting = outcome.constant;
  acting.terms.insert(acting.terms.end(), variable.terms.begin(), variable.terms.end());
  const auto& system = run.stage.system(acting, {"variable"});
  analysis::BucklingOptions options;
  options.constant = outcome.constant;
  options.variable = variable;
  options.mode_count = 1;
  // a displacement that is prescribed says itself how large a step is, through whatever springs it acts
  const bool prescribed = !system.displacements(system.factors(variable)).isZero(0.0);
  try {
    if (!prescribed) {
      const auto buckling = analysis::linear_buckling(system, options);
      if (buckling.usable() && !buckling.modes.empty()) return kShare * buckling.modes[0].load_factor;
    }
    const auto answer = analysis::linear_static(system, variable);
    const double most = model::largest_translation(answer.displacement);
    if (answer.usable() && most > 0) return kMoved * outcome.model->size() / most;
  } catch (const base::InputError&) {  // what is wrong with the loads the path itself says
  }
  return std::nullopt;
}

/// First step of a load by its own critical factor and yield: another load's factor has another size.
void set_first_step(Run& run, const AnalysisOutcome& outcome, const ControlSpec& control,
                    analysis::PathOptions& options) {
  constexpr double kUnknown = 0.1;
  const double critical = critical_of(run, outcome, options.variable);
  std::optional<double> known;
  if (std::isfinite(critical))
    known = 0.1 * critical;
  else if (control.first_step > 0)
    known = control.first_step;
  else
    known = step_by_answer(run, outcome, options.variable);
  options.steps.first = known.value_or(kUnknown);
  if (outcome.spec.kind->yields() && !(control.first_step > 0))
    begin_below_yield(run, outcome, known.has_value(), options);
}

/// What all stages of an analysis share.
analysis::PathOptions common_options(Run& run, const AnalysisOutcome& outcome) {
  const auto& spec = outcome.spec;
  analysis::PathOptions options;
  options.constant = outcome.constant;
  options.variable = outcome.variable;
  options.branches.at_bifurcation = spec.at_bifurcation;
  options.branches.increments = spec.branch_increments;
  options.branches.depth = spec.branch_depth;
  options.jumps.most = spec.jumps;
  options.jumps.damping = spec.jump_damping;
  options.jumps.stiffness_damping = spec.jump_stiffness_damping;
  options.record.stability = spec.watch_stability;
  options.newton.residual_tolerance = spec.tolerance;
  options.record.factors_wanted = spec.output_factors;
  options.watch = outcome.watch;
  for (const auto& [name, value] : spec.output_displacements)
    options.record.readings_wanted.emplace_back(watch_index(run.result.spec, name), value);
  return options;
}

/// The constant part under supports of its own, put on by load control before the load grows.
analysis::PathStage constant_stage(const AnalysisOutcome& outcome, const analysis::PathOptions& common) {
  analysis::PathStage stage;
  stage.name = "constant";
  stage.load = "the constant load";
  stage.options = common;
  stage.options.constant = {};
  stage.options.variable = outcome.constant;
  stage.options.stop.load_factor = 1;
  stage.options.record.factors_wanted.clear();
  stage.options.steps.first = 0.25;
  stage.must_arrive = true;
  return stage;
}

analysis::PathStage stage_of(Run& run, const AnalysisOutcome& outcome, const StageSpec& spec, double from,
                             const analysis::PathOptions& common) {
  analysis::PathStage stage;
  stage.name = spec.name;
  stage.load = spec.load;
  stage.options = common;
  stage.options.variable = run.stage.model->load_named(spec.load);
  set_first_step(run, outcome, spec.control, stage.options);
  if (spec.to) stage.options.stop.load_factor = spec.to;
  if (spec.to && std::abs(*spec.to - from) > 0)
    stage.options.steps.first = std::min(stage.options.steps.first, kShareOfStage * std::abs(*spec.to - from));
  set_control(run, spec.control, stage.options);
  set_stop(run, outcome, spec.stop, stage.options);
  stage.must_arrive = spec.to && !spec.stop.given;
  // on the way to a load factor the load may fall as it likes
  if (spec.to && !spec.stop.given) stage.options.stop.drop = 0, stage.options.stop.after_peak = 0;
  return stage;
}
}  // namespace

std::vector<analysis::PathStage> stages_of(Run& run, const AnalysisOutcome& outcome, const model::Model& geometry) {
  const auto& spec = outcome.spec;
  const auto common = common_options(run, outcome);
  std::vector<analysis::PathStage> stages;
  model::Combination acting = outcome.constant;  // everything whose prescribed displacements are in place by then
  During last;
  const auto add = [&](analysis::PathStage stage, const During& when) {
    const std::size_t before = acting.terms.size();
    const auto& terms = stage.options.variable.terms;
    acting.terms.insert(acting.terms.end(), terms.begin(), terms.end());
    if (!stages.empty() && run.stage.alike(last, when) && !run.stage.moves_more(acting, before))
      stage.system = stages.back().system;
    else
      stage.system = run.stage.moved(geometry, acting, when);
    last = when;
    stages.push_back(std::move(stage));
  };
  const During first = spec.stages.empty() ? During{"variable", kPath} : During{"variable", kPath, spec.stages[0].name};
  if (!outcome.constant.terms.empty() && !run.stage.alike({"constant", kPath}, first))
    add(constant_stage(outcome, common), {"constant", kPath});
  if (spec.stages.empty()) {
    analysis::PathStage only;
    only.load = spec.load;
    only.options = common;
    set_first_step(run, outcome, spec.control, only.options);
    set_control(run, spec.control, only.options);
    set_stop(run, outcome, spec.stop, only.options);
    only.name = stages.empty() ? "" : "variable";
    add(std::move(only), first);
  }
  std::map<std::string, double> factors;  // where the loads are
  for (const auto& stage : spec.stages) {
    add(stage_of(run, outcome, stage, factors[stage.load], common), {"variable", kPath, stage.name});
    factors[stage.load] = stage.to.value_or(factors[stage.load]);
  }
  return stages;
}

}  // namespace archway::study::detail
