#include <cmath>
#include <optional>
#include <set>

#include <fmt/format.h>

#include "analyses/linear_buckling_detail.hpp"
#include "archway/base/index.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/likeness.hpp"
#include "archway/study/limits.hpp"
#include "archway/study/second_order.hpp"
#include "archway/study/verdicts.hpp"
#include "archway/theory/knock_down.hpp"

namespace archway::study {

/// Options of a buckling analysis in the systems of a structure, which may be finer or coarser than the study's.
analysis::BucklingOptions in_systems_of(PreparedModel& stage, const AnalysisOutcome& outcome,
                                        analysis::BucklingOptions options) {
  const auto acting = Run::acting(outcome);
  options.constant_system = stage.alike({"constant"}, {"buckling"}) ? nullptr : &stage.system(acting, {"constant"});
  options.variable_system = stage.alike({"variable"}, {"buckling"}) ? nullptr : &stage.system(acting, {"variable"});
  return options;
}

const analysis::System& buckling_system(PreparedModel& stage, const AnalysisOutcome& outcome) {
  return stage.system(Run::acting(outcome), {"buckling"});
}

namespace {
/// A formula about the load reversed is compared with factors below zero: they are sought then, unless refused.
analysis::Negative negative_of(const StudySpec& study, const AnalysisSpec& spec) {
  const auto needs = [&](const HandCheckSpec& check) { return check.of == spec.name && check.at_factor_one < 0; };
  const bool needed = std::any_of(study.hand_checks.begin(), study.hand_checks.end(), needs);
  return needed && spec.negative == analysis::Negative::when_none ? analysis::Negative::show : spec.negative;
}

constexpr const char* kNegative[] = {"leave-out", "when-none", "show"};  // as analysis::Negative
/// A buckling analysis about a state of a path: finds the increment, what is in place there and its geometry.
bool stand_on_path(Run& run, AnalysisOutcome& outcome) {
  const auto* from = run.result.find(outcome.spec.source);
  if (from == nullptr || from->spec.kind->gives() != AnalysisKind::Gives::states) return true;
  const int wanted = outcome.spec.increment;
  const analysis::Increment* at = nullptr;
  if (from->path)
    for (const auto& i : from->path->increments) {
      // the last stable one, which the state of the loss itself is not: its tangent is singular
      const bool lost = i.negative_pivots > 0 || i.event == analysis::PathEvent::limit_point ||
                        i.event == analysis::PathEvent::bifurcation;
      if (wanted < 0 && lost) break;
      if (wanted < 0 || i.number == wanted) at = &i;
    }
  if (at == nullptr || !at->kept) {
    outcome.skipped = true;
    outcome.skip_reason = fmt::format("increment {} of '{}' does not exist, so nothing can buckle about it",
                                      wanted < 0 ? "0" : fmt::format("{}", wanted), outcome.spec.source);
    return false;
  }
  outcome.spec.increment = at->number;
  outcome.geometry = from->geometry;
  outcome.in_place = std::make_shared<analysis::StateInPlace>();
  outcome.in_place->state = at->kept->state;
  outcome.in_place->memory = at->kept->memory;
  const auto& stage = from->path->stages[static_cast<std::size_t>(at->stage)];
  outcome.constant = stage.constant;
  for (const auto& [action, factor] : stage.variable.terms)
    outcome.constant.terms.emplace_back(action, at->load_factor * factor);
  outcome.in_place->loads = outcome.constant;
  run.resolve_totals(outcome);
  return true;
}

/// What to say when buckling about a state of a path comes at another load than about the linear preload.
std::string where_bases_differ(Run& run, const AnalysisOutcome& outcome) {
  constexpr double told = 0.05;
  const auto& path = *run.result.find(outcome.spec.source);
  const double linear = critical_factor(run.result, path.spec);
  if (outcome.buckling->modes.empty() || !std::isfinite(linear) || outcome.variable.terms != path.variable.terms ||
      path.path->stages.size() > 1)
    return "";
  double at = 0;
  for (const auto& i : path.path->increments)
    if (i.number == outcome.spec.increment) at = i.load_factor;
  const double here = at + outcome.buckling->modes[0].load_factor;
  if (std::abs(here / linear - 1) < told) return "";
  return fmt::format(
      "about increment {} of '{}' the structure buckles at {:.5g} + {:.5g} = {:.5g} times the growing load, about "
      "the "
      "linear preload at {:.5g}: displacements before buckling matter here, trust the path",
      outcome.spec.increment, outcome.spec.source, at, here - at, here, linear);
}

void find_sensitivities(Run& run, AnalysisOutcome& outcome, const analysis::BucklingOptions& options) {
  const auto& model = *run.stage.model;
  std::vector<int> parts;
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].kind != model::PartKind::solid) parts.push_back(static_cast<int>(p));
  std::set<std::string> springs;
  for (const auto& spring : model.springs) springs.insert(spring.name);
  outcome.sensitivities = analysis::sensitivities(buckling_system(run.stage, outcome), options, *outcome.buckling,
                                                  parts, {springs.begin(), springs.end()});
}

/// The same analysis with more elements.
std::optional<OtherMesh> repeat_finer(Run& run, AnalysisOutcome& outcome, analysis::BucklingOptions options) {
  PreparedModel stage = run.variant(refined(outcome.spec.variant, outcome.spec.second_mesh));
  const auto& system = buckling_system(stage, outcome);
  if (system.free_count() == buckling_system(run.stage, outcome).free_count()) {
    outcome.warnings.push_back("mesh_check changes nothing here: a mesh from a file has the elements it has");
    return {};
  }
  auto second = std::make_shared<SecondMesh>();
  second->refine = outcome.spec.second_mesh;
  second->dofs = system.free_count();
  auto finer = modes_on(run, outcome, stage, std::move(options));
  second->modes = finer.matches;
  second->extrapolated = extrapolated(*run.stage.model, outcome.readings, *second);
  outcome.second_mesh = std::move(second);
  return finer;
}

/// With springs that are softer on one side the structure may buckle before the first of the modes that are listed.
RequirementVerdict with_one_sided(RequirementVerdict v, const RequirementSpec& required,
                                  const analysis::OneSidedResult* found) {
  if (found == nullptr || !found->found || !required.parts.empty()) return v;
  if (v.mode >= 0 && v.load_factor <= found->load_factor) return v;
  v.load_factor = found->load_factor;
  v.met = found->load_factor >= required.factor;
  v.shown = true;
  return v;
}

void solve(Run& run, AnalysisOutcome& outcome) {
  const auto& spec = outcome.spec;
  analysis::BucklingOptions options;
  if (!outcome.in_place) options.constant = outcome.constant;
  options.variable = outcome.variable;
  options.mode_count = spec.modes;
  options.lower = spec.above;
  options.upper = spec.below;
  options.residual_tolerance = spec.tolerance;
  options.negative = negative_of(run.result.spec, spec);
  if (outcome.in_place) {
    const auto own = run.stage.moved(*outcome.geometry, Run::acting(outcome), {"buckling"})
                         ->standing_at(outcome.in_place->state);  // with couplings that came on the way
    const analysis::System& system = *own;
    try {
      outcome.buckling = std::make_shared<analysis::BucklingResult>(
          analysis::buckling_about(system, *outcome.in_place, options, run.watch.buckling));
    } catch (const base::InputError& error) {  // supports of the path are not there in the buckling step
      outcome.skipped = true;
      outcome.skip_reason = fmt::format("with the supports of the buckling step the state of '{}' does not stand: {}",
                                        spec.source, error.what());
      return;
    }
    outcome.readings = analysis::read_modes_about(system, *outcome.in_place, *outcome.buckling);
    if (!outcome.buckling->modes.empty() && !system.geometry().flows()) {
      outcome.base = std::make_shared<analysis::BaseState>(
          analysis::base_state_about(system, *outcome.in_place, *outcome.buckling));
      read_pressed_members(run.result.spec, *run.stage.model, outcome);
    }
    if (const auto text = where_bases_differ(run, outcome); !text.empty()) outcome.warnings.push_back(text);
  } else {
    options = in_systems_of(run.stage, outcome, options);
    outcome.buckling = std::make_shared<analysis::BucklingResult>(
        analysis::linear_buckling(buckling_system(run.stage, outcome), options, run.watch.buckling));
    const auto& system = buckling_system(run.stage, outcome);
    if (options.constant_system == nullptr && options.variable_system == nullptr)
      outcome.one_sided =
          std::make_shared<analysis::OneSidedResult>(analysis::one_sided_buckling(system, options, *outcome.buckling));
    if (outcome.one_sided && !outcome.one_sided->found && outcome.one_sided->message.empty()) outcome.one_sided.reset();
    if (const auto text = mean_stiffness_text(system, nullptr); !text.empty())
      outcome.warnings.push_back(text +
                                 ": the modes listed are of the mean, the row \"one-sided supports\" of the "
                                 "springs as they are");
  }
  const auto& result = *outcome.buckling;
  if (!result.modes.empty() && !outcome.in_place) {
    const auto& system = buckling_system(run.stage, outcome);
    outcome.base = std::make_shared<analysis::BaseState>(analysis::base_state(system, options, result));
    outcome.readings = analysis::read_modes(system, options, result);
    read_pressed_members(run.result.spec, *run.stage.model, outcome);
  }
  for (const auto& required : spec.required)
    outcome.verdicts.push_back(with_one_sided(verdict_on(required, *run.stage.model, result, outcome.readings),
                                              required, outcome.one_sided.get()));
  if (result.modes.empty() || outcome.in_place) return;
  judge_mesh(run, outcome, options,
             spec.second_mesh > 0 ? repeat_finer(run, outcome, options) : std::optional<OtherMesh>());
  const bool one_system = options.constant_system == nullptr && options.variable_system == nullptr;
  if (spec.sensitivities && one_system) find_sensitivities(run, outcome, options);
  if (spec.sensitivities && !one_system)
    outcome.warnings.push_back(
        "sensitivities are not offered where supports, couplings or bonds come and go: there "
        "are none");
}

/// Obstacles as supports that only push: the other modes are those of the structure without them.
ComparisonRow one_sided_row(const AnalysisOutcome& outcome) {
  const auto& r = *outcome.one_sided;
  ComparisonRow row = row_of(outcome);
  row.meaning = "critical, one-sided supports";
  row.load_factor = r.load_factor;
  row.note = r.found ? fmt::format("lowest found from {} start shapes; contact at {} of {} places", r.starts,
                                   r.touching, r.constraints)
                     : "not found: " + r.message;
  return row;
}

ComparisonRow first_mode(const AnalysisOutcome& outcome) {
  const auto& r = *outcome.buckling;
  ComparisonRow row = row_of(outcome);
  row.meaning = "critical, mode 1";
  if (!r.modes.empty()) row.load_factor = r.modes[0].load_factor, row.ratio = 1;
  if (r.no_forces)
    row.note = "nothing to buckle";
  else if (r.no_compression)
    row.note = "no positive factor";
  else if (r.empty_window)
    row.note = "none in the window";
  else if (!r.usable())
    row.note = analysis::to_text(r.ending);
  else if (!r.complete())
    row.note = "not proved complete";
  return row;
}

ComparisonRow verdict_row(const AnalysisOutcome& outcome, const RequirementVerdict& v) {
  ComparisonRow row = row_of(outcome);
  row.meaning = fmt::format("required for {}", v.group);
  row.load_factor = v.required;
  if (!outcome.buckling->modes.empty()) row.ratio = v.required / outcome.buckling->modes[0].load_factor;
  row.note = v.met ? "passed" : v.shown ? fmt::format("FAILED: {:.6g}", v.load_factor) : "FAILED: not shown";
  return row;
}

ComparisonRow hand_check_row(const AnalysisOutcome& outcome, const HandCheck& h) {
  ComparisonRow row = row_of(outcome);
  row.kind = "theory";
  row.meaning = fmt::format("{}, mode {}{}", h.spec.formula, h.spec.mode, h.reversed ? " of the reversed load" : "");
  row.load_factor = h.load_factor;
  row.ratio = 1 / (1 + h.deviation);
  row.note = !h.note.empty()                       ? "not comparable"
             : h.failed                            ? fmt::format("FAILED: LBA is {:.4g} times that", 1 + h.deviation)
             : std::abs(100 * h.deviation) < 0.005 ? "LBA is the same"  // to the digits reported
                                                   : fmt::format("LBA is {:+.2f} %", 100 * h.deviation);
  return row;
}

/// What a formula allows for imperfection, in the words that decide it.
ComparisonRow design_row(const AnalysisOutcome& outcome, const HandCheck& h) {
  ComparisonRow row = row_of(outcome);
  row.kind = "theory";
  std::vector<std::string> words;
  for (const auto& [name, word] : h.spec.words) words.push_back(word);
  row.meaning = fmt::format("{}, design{}{}", h.spec.formula, words.empty() ? "" : ", ", fmt::join(words, ", "));
  row.load_factor = h.design_load_factor;
  if (!outcome.buckling->modes.empty()) row.ratio = row.load_factor / outcome.buckling->modes[0].load_factor;
  row.note = h.design_meaning;
  return row;
}

class LinearBuckling final : public VariableKind {
 public:
  const char* word() const override { return "LBA"; }
  const char* title() const override { return "linear buckling analysis"; }
  Gives gives() const override { return Gives::modes; }

  void read(Keys& keys, AnalysisSpec& a) const override {
    read_loads(keys, a);
    a.modes = keys.whole("modes", a.modes);
    if (a.modes < 1) keys.complain(keys.place("modes"), fmt::format("'modes' is {}", a.modes), "ask for at least 1");
    a.negative = static_cast<analysis::Negative>(keys.choice("reversed_load", {"leave-out", "when-none", "show"},
                                                             kNegative[static_cast<std::size_t>(a.negative)]));
    a.increment = keys.whole("increment", a.increment);
    a.above = keys.number("above", a.above);
    if (keys.has("below")) a.below = keys.number("below");
    if (!(a.above >= 0 && a.below > a.above))
      keys.complain(keys.place(keys.has("below") ? "below" : "above"), "the window of load factors is empty",
                    "give 'above' (0 or more) and 'below' (more than that)");
    if (keys.has("required_factor") || keys.has("required")) a.required.clear();
    if (keys.has("required_factor")) a.required.push_back({{}, keys.number("required_factor")});
    keys.tables("required", "this requirement", [&](Keys& q) {
      RequirementSpec one;
      one.factor = q.number("factor");
      if (q.has("parts")) one.parts = q.texts("parts");
      a.required.push_back(one);
    });
    a.second_mesh = keys.number("mesh_check", a.second_mesh);
    if (a.second_mesh != 0 && !(a.second_mesh > 1 && a.second_mesh <= 8))
      keys.complain(keys.place("mesh_check"), "'mesh_check' says how many times the elements",
                    "give a number above 1, for instance 2");
    read_tolerance(keys, a);
    a.sensitivities = keys.flag("sensitivities", a.sensitivities);
  }

  void check(const AnalysisSpec& a, References& references) const override {
    check_loads(a, references, Gives::modes,
                "preload_of an LA (its load stays constant), or state_of a path (its state at an increment)");
    if (const auto* from = references.spec.find_analysis(a.source); from != nullptr && from->kind->yields())
      references.complain(a.place,
                          fmt::format("analysis '{}' cannot start from '{}', {}: buckling about a state that has "
                                      "yielded is not offered",
                                      a.name, a.source, with_article(*from->kind)),
                          "its own path reports where it loses its stability; start from an elastic analysis");
    if (a.modes > kMostModes)
      references.complain(a.place,
                          fmt::format("analysis '{}' asks for {} modes, the limit is {}", a.name, a.modes, kMostModes),
                          "ask for fewer");
  }

  bool prepare(Run& run, AnalysisOutcome& outcome) const override {
    resolve_loads(run, outcome);
    return stand_on_path(run, outcome);
  }

  void carry_out(Run& run, AnalysisOutcome& outcome) const override { solve(run, outcome); }

  void advise(const StudySpec& spec, const AnalysisOutcome& outcome, std::vector<std::string>& list) const override {
    if (!outcome.buckling) return;
    if (!outcome.buckling->usable())
      list.push_back(outcome.buckling->message);
    else
      advise_on_modes(spec, outcome, list);
  }

  void compare(const StudyResult& result, const AnalysisOutcome& outcome,
               std::vector<ComparisonRow>& rows) const override {
    if (!outcome.buckling) return;
    add_row(result, outcome, first_mode(outcome), rows);
    if (outcome.one_sided) add_row(result, outcome, one_sided_row(outcome), rows);
    for (const auto& v : outcome.verdicts) add_row(result, outcome, verdict_row(outcome, v), rows);
    for (const auto& h : result.hand_checks)
      if (h.spec.of == outcome.spec.name) {
        add_row(result, outcome, hand_check_row(outcome, h), rows);
        if (std::isfinite(h.design_load_factor)) add_row(result, outcome, design_row(outcome, h), rows);
      }
  }
};
}  // namespace

const AnalysisKind& linear_buckling_kind() {
  static const LinearBuckling kind;
  return kind;
}

}  // namespace archway::study
