#include "archway/study/chain.hpp"

#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/study/advice.hpp"
#include "archway/study/hand_checks.hpp"
#include "archway/study/likeness.hpp"
#include "archway/study/verdicts.hpp"
#include "build_model_detail.hpp"

namespace archway::study {

const char* to_text(AnalysisKind kind) {
  switch (kind) {
    case AnalysisKind::la:
      return "LA";
    case AnalysisKind::lba:
      return "LBA";
    case AnalysisKind::gna:
      return "GNA";
    case AnalysisKind::gnia:
      return "GNIA";
  }
  return "?";
}

std::string to_text(const Variant& variant) {
  std::string text;
  for (const auto& [name, value] : variant.parameters)
    text += fmt::format("{}{} = {:g}", text.empty() ? "" : ", ", name, value);
  if (variant.refine != 1) text += fmt::format("{}{:g} times the elements", text.empty() ? "" : ", ", variant.refine);
  return text;
}

bool AnalysisOutcome::usable() const {
  return (linear && linear->usable()) || (buckling && buckling->usable()) || (path && path->usable());
}

const AnalysisSpec* StudySpec::find_analysis(const std::string& name) const {
  for (const auto& analysis : analyses)
    if (analysis.name == name) return &analysis;
  return nullptr;
}
const ImperfectionSpec* StudySpec::find_imperfection(const std::string& name) const {
  for (const auto& imperfection : imperfections)
    if (imperfection.name == name) return &imperfection;
  return nullptr;
}
const AnalysisOutcome* StudyResult::find(const std::string& analysis) const {
  for (const auto& outcome : outcomes)
    if (outcome.spec.name == analysis) return &outcome;
  return nullptr;
}
bool StudyResult::complete() const {
  for (const auto& outcome : outcomes)
    if (!outcome.usable()) return false;
  return !stopped && outcomes.size() == spec.analyses.size();
}

namespace {
/// A structure ready for solving: the study's own, or a variant of it.
struct Stage {
  StudySpec spec;
  std::shared_ptr<const model::Model> model;
  std::vector<int> watch_nodes;
  std::unique_ptr<analysis::System> system;
};

Stage stage_of(const StudySpec& study, const Variant& variant) {
  if (!study.vary)
    throw base::InputError(study.file, "an analysis asks for a variant of a structure that was made by a program",
                           "give the study a function `vary`");
  Stage stage;
  stage.spec = study.vary(variant);
  stage.model = std::make_shared<model::Model>(build_model(stage.spec));
  stage.watch_nodes = watch_nodes(stage.spec, *stage.model);
  const auto check = check_model(stage.spec, *stage.model, true);
  if (check.has_mechanism)
    throw base::InputError(
        study.file, check.mechanism,
        "add supports that stop this movement; parts 1e12 times stiffer than others also hide what those resist");
  stage.system = std::make_unique<analysis::System>(*stage.model);
  return stage;
}

/// Runs the analyses one after the other.
class Chain {
 public:
  Chain(const StudySpec& spec, const ChainWatcher& watcher) : watcher_(watcher) { result_.spec = spec; }

  StudyResult run() {
    if (auto list = complaints(result_.spec); !list.empty()) throw base::InputError(std::move(list));
    result_.model = std::make_shared<model::Model>(build_model(result_.spec));
    Stage base;
    base.spec = result_.spec;
    base.model = result_.model;
    base.watch_nodes = watch_nodes(result_.spec, *result_.model);
    result_.check = check_model(result_.spec, *result_.model, true);
    if (result_.check.has_mechanism)
      throw base::InputError(
          result_.spec.file, result_.check.mechanism,
          "add supports that stop this movement; parts 1e12 times stiffer than others also hide what those resist");
    if (watcher_.checked) watcher_.checked(result_.check);
    base.system = std::make_unique<analysis::System>(*result_.model);
    stages_.emplace(Variant{}, std::move(base));
    for (const auto& spec : result_.spec.analyses) {
      if (watcher_.wants_stop && watcher_.wants_stop()) result_.stopped = true;
      if (result_.stopped) break;
      step(spec);
    }
    result_.hand_checks = hand_checks(result_);
    compare();
    result_.shapes = compare_shapes(result_);
    return std::move(result_);
  }

 private:
  void step(const AnalysisSpec& spec) {
    if (stages_.count(spec.variant) == 0) stages_.emplace(spec.variant, stage_of(result_.spec, spec.variant));
    stage_ = &stages_.at(spec.variant);
    AnalysisOutcome outcome;
    outcome.spec = spec;
    outcome.model = outcome.geometry = stage_->model;
    outcome.watch_nodes = stage_->watch_nodes;
    resolve_loads(outcome);
    const bool ready = outcome.spec.kind == AnalysisKind::gnia ? seed(outcome) : stand_on_path(outcome);
    if (watcher_.started) watcher_.started(spec, outcome);
    if (ready) solve(outcome);
    const auto advice = advice_on(stage_->spec, *stage_->model, outcome);
    outcome.warnings.insert(outcome.warnings.end(), advice.begin(), advice.end());
    if ((outcome.buckling && outcome.buckling->ending == analysis::Ending::stopped_by_caller) ||
        (outcome.path && outcome.path->ending == analysis::Ending::stopped_by_caller))
      result_.stopped = true;
    result_.outcomes.push_back(std::move(outcome));
    if (watcher_.finished) watcher_.finished(result_.outcomes.back());
  }

  void resolve_loads(AnalysisOutcome& outcome) const {
    const auto& spec = outcome.spec;
    const auto& model = *stage_->model;
    if (spec.kind == AnalysisKind::la) {
      outcome.growing = model.load_named(spec.load);
    } else {
      if (const auto* from = result_.find(spec.from)) {
        if (from->spec.kind == AnalysisKind::la) {
          outcome.held = from->growing;
        } else {
          outcome.held = from->held;
          outcome.growing = from->growing;
        }
      }
      if (!spec.grow.empty()) outcome.growing = model.load_named(spec.grow);
    }
    resolve_totals(outcome);
  }

  void resolve_totals(AnalysisOutcome& outcome) const {
    const auto& model = *stage_->model;
    const auto state = elements::State::reference(model);
    const auto total = [&](const model::Combination& combination) {
      return stage_->system->resultant(stage_->system->factors(combination), state);
    };
    outcome.held_total = total(outcome.held);
    outcome.growing_total = total(outcome.growing);
  }

  /// A buckling analysis about a state of a path: finds the increment, what is in place there and its geometry.
  bool stand_on_path(AnalysisOutcome& outcome) const {
    const auto* from = result_.find(outcome.spec.from);
    if (outcome.spec.kind != AnalysisKind::lba || from == nullptr ||
        (from->spec.kind != AnalysisKind::gna && from->spec.kind != AnalysisKind::gnia))
      return true;
    const int wanted = outcome.spec.increment;
    const analysis::Increment* at = nullptr;
    if (from->path)
      for (const auto& i : from->path->increments) {
        if (wanted < 0 && i.negative_pivots > 0) break;  // the last stable one
        if (wanted < 0 || i.number == wanted) at = &i;
      }
    if (at == nullptr || at->displacement.size() == 0) {
      outcome.skipped = true;
      outcome.skip_reason = fmt::format("increment {} of '{}' does not exist, so nothing can buckle about it",
                                        wanted < 0 ? "0" : fmt::format("{}", wanted), outcome.spec.from);
      return false;
    }
    outcome.spec.increment = at->number;
    outcome.geometry = from->geometry;
    outcome.in_place = std::make_shared<analysis::StateInPlace>();
    outcome.in_place->displacement = at->displacement;
    outcome.held = from->held;
    for (const auto& [action, factor] : from->growing.terms)
      outcome.held.terms.emplace_back(action, at->load_factor * factor);
    outcome.in_place->loads = outcome.held;
    resolve_totals(outcome);
    return true;
  }

  bool seed(AnalysisOutcome& outcome) const {
    const ImperfectionSpec& spec = *result_.spec.find_imperfection(outcome.spec.imperfection);
    const AnalysisOutcome* source = result_.find(spec.mode_of);
    std::vector<imperfection::ShapeTerm> terms;
    for (const auto& [mode, factor] : spec.modes) {
      if (source == nullptr || !source->buckling || static_cast<int>(source->buckling->modes.size()) < mode) {
        outcome.skipped = true;
        outcome.skip_reason = fmt::format("mode {} of '{}' does not exist, so imperfection '{}' cannot be made", mode,
                                          spec.mode_of, spec.name);
        return false;
      }
      terms.push_back({&source->buckling->modes[static_cast<std::size_t>(mode - 1)].shape, factor});
    }
    outcome.imperfection =
        std::make_shared<imperfection::Imperfection>(imperfection::from_shapes(*stage_->model, terms, amplitude(spec)));
    outcome.geometry = std::make_shared<model::Model>(imperfection::apply(*stage_->model, *outcome.imperfection));
    return true;
  }

  double amplitude(const ImperfectionSpec& spec) const {
    if (spec.amplitude_kind == AmplitudeKind::length) return spec.amplitude;
    for (const auto& panel : stage_->spec.panels)
      if (spec.amplitude_kind == AmplitudeKind::share_of_thickness && panel.name == spec.part)
        return spec.amplitude * panel.thickness;
    for (const auto& member : stage_->spec.members)
      if (member.name == spec.part) return spec.amplitude * member.line.length();
    return 0;
  }

  void solve(AnalysisOutcome& outcome) const {
    switch (outcome.spec.kind) {
      case AnalysisKind::la:
        outcome.linear =
            std::make_shared<analysis::LinearStaticResult>(analysis::linear_static(*stage_->system, outcome.growing));
        if (outcome.linear->usable())
          outcome.stresses =
              std::make_shared<analysis::RecoveredStress>(analysis::recover_stresses(*stage_->system, *outcome.linear));
        return;
      case AnalysisKind::lba:
        return solve_buckling(outcome);
      case AnalysisKind::gna:
      case AnalysisKind::gnia: {
        const auto options = path_options(outcome);
        const analysis::System moved(*outcome.geometry);
        analysis::PathWatcher watch;
        if (watcher_.path) watch = [&](const analysis::PathProgress& p) { return watcher_.path(outcome, options, p); };
        outcome.path = std::make_shared<analysis::PathResult>(analysis::follow_path(moved, options, watch));
        return;
      }
    }
  }

  void solve_buckling(AnalysisOutcome& outcome) const {
    const auto& spec = outcome.spec;
    analysis::BucklingOptions options;
    if (!outcome.in_place) options.held = outcome.held;
    options.growing = outcome.growing;
    options.mode_count = spec.modes;
    options.lower = spec.above;
    options.upper = spec.below;
    options.residual_tolerance = spec.tolerance;
    options.negative = spec.show_negative ? analysis::Negative::show : analysis::Negative::leave_out;
    if (outcome.in_place) {
      const analysis::System system(*outcome.geometry);
      outcome.buckling = std::make_shared<analysis::BucklingResult>(
          analysis::buckling_about(system, *outcome.in_place, options, watcher_.buckling));
      outcome.readings = analysis::read_modes_about(system, *outcome.in_place, *outcome.buckling);
      if (const auto text = where_bases_differ(outcome); !text.empty()) outcome.warnings.push_back(text);
    } else {
      outcome.buckling = std::make_shared<analysis::BucklingResult>(
          analysis::linear_buckling(*stage_->system, options, watcher_.buckling));
    }
    const auto& result = *outcome.buckling;
    if (!result.modes.empty() && !outcome.in_place) {
      outcome.base = std::make_shared<analysis::BaseState>(analysis::base_state(*stage_->system, options, result));
      outcome.readings = analysis::read_modes(*stage_->system, options, result);
      outcome.lengths = analysis::effective_lengths(*stage_->model, *outcome.base, result, outcome.readings);
    }
    for (const auto& required : spec.required)
      outcome.verdicts.push_back(verdict_on(required, *stage_->model, result, outcome.readings));
    if (result.modes.empty() || outcome.in_place) return;
    if (spec.sensitivities) find_sensitivities(outcome, options);
    if (spec.second_mesh > 0) repeat_finer(outcome, options);
  }

  /// What to say when buckling about a state of a path comes at another load than about the linear preload.
  std::string where_bases_differ(const AnalysisOutcome& outcome) const {
    constexpr double told = 0.05;
    const auto& path = *result_.find(outcome.spec.from);
    const double linear = critical_factor(path.spec);
    if (outcome.buckling->modes.empty() || !std::isfinite(linear) || outcome.growing.terms != path.growing.terms)
      return "";
    double at = 0;
    for (const auto& i : path.path->increments)
      if (i.number == outcome.spec.increment) at = i.load_factor;
    const double here = at + outcome.buckling->modes[0].load_factor;
    if (std::abs(here / linear - 1) < told) return "";
    return fmt::format(
        "about increment {} of '{}' the structure buckles at {:.5g} + {:.5g} = {:.5g} times the growing load, about "
        "the "
        "linear preload at {:.5g}: movements before buckling matter here, trust the path",
        outcome.spec.increment, outcome.spec.from, at, here - at, here, linear);
  }

  void find_sensitivities(AnalysisOutcome& outcome, const analysis::BucklingOptions& options) const {
    const auto& model = *stage_->model;
    std::vector<int> parts;
    for (std::size_t p = 0; p < model.parts.size(); ++p)
      if (model.parts[p].kind != model::PartKind::solid && model.parts[p].laminate < 0)
        parts.push_back(static_cast<int>(p));
    std::set<std::string> springs;
    for (const auto& spring : model.springs) springs.insert(spring.name);
    outcome.sensitivities =
        analysis::sensitivities(*stage_->system, options, *outcome.buckling, parts, {springs.begin(), springs.end()});
  }

  /// The same analysis with more elements.
  void repeat_finer(AnalysisOutcome& outcome, analysis::BucklingOptions options) const {
    Variant finer = outcome.spec.variant;
    finer.refine *= outcome.spec.second_mesh;
    const Stage stage = stage_of(result_.spec, finer);
    if (stage.system->free_count() == stage_->system->free_count()) {
      outcome.warnings.push_back("second_mesh changes nothing here: a mesh from a file has the elements it has");
      return;
    }
    options.negative = analysis::Negative::leave_out;
    options.mode_count += 2;  // modes that change places near the end of the list
    const auto fine = analysis::linear_buckling(*stage.system, options, watcher_.buckling);
    auto second = std::make_shared<SecondMesh>();
    second->refine = outcome.spec.second_mesh;
    second->freedoms = stage.system->free_count();
    second->modes = match_modes(*stage_->model, outcome.buckling->modes, *stage.model, fine.modes);
    second->extrapolated = extrapolated(*stage_->model, outcome.readings, *second);
    outcome.second_mesh = std::move(second);
  }

  analysis::PathOptions path_options(const AnalysisOutcome& outcome) const {
    const auto& spec = outcome.spec;
    analysis::PathOptions options;
    options.held = outcome.held;
    options.growing = outcome.growing;
    options.control = spec.arc_length ? analysis::PathControl::arc_length : analysis::PathControl::load;
    const double critical = critical_factor(spec);
    options.first_step = spec.first_step > 0 ? spec.first_step : std::isfinite(critical) ? 0.1 * critical : 0.1;
    options.largest_step = spec.largest_step;
    options.residual_tolerance = spec.tolerance;
    for (std::size_t i = 0; i < result_.spec.watches.size(); ++i) {
      const auto& watch = result_.spec.watches[i];
      options.watch.push_back({watch.name, stage_->watch_nodes[i], watch.direction});
      if (watch.name == spec.stop.watch) options.stop_watch = static_cast<int>(i);
    }
    options.stop_movement = spec.stop.movement;
    options.stop_load_factor = spec.stop.load_factor;
    options.stop_drop = spec.stop.drop;
    options.stop_increments = spec.stop.increments;
    return options;
  }

  /// Lowest positive factor of the buckling analysis a path belongs to, or of its imperfection's; NaN when there is
  /// none.
  double critical_factor(const AnalysisSpec& spec) const {
    const AnalysisOutcome* source = result_.find(spec.from);
    if ((source == nullptr || !source->buckling) && !spec.imperfection.empty())
      source = result_.find(result_.spec.find_imperfection(spec.imperfection)->mode_of);
    return source != nullptr && source->buckling && !source->buckling->modes.empty()
               ? source->buckling->modes[0].load_factor
               : analysis::kUnset;
  }

  void compare() {
    for (const auto& outcome : result_.outcomes) {
      ComparisonRow row;
      row.analysis = outcome.spec.name;
      row.kind = to_text(outcome.spec.kind);
      row.held_force = outcome.held_total.force.norm();
      row.growing_force = outcome.growing_total.force.norm();
      if (outcome.buckling)
        fill(row, *outcome.buckling);
      else if (outcome.path)
        fill(row, *outcome.path);
      else
        continue;
      row.force = (outcome.held_total.force + row.load_factor * outcome.growing_total.force).norm();
      const double critical = outcome.buckling ? row.load_factor : critical_factor(outcome.spec);
      row.ratio = row.load_factor / critical;
      if (const auto other = to_text(outcome.spec.variant); !other.empty())
        row.note = other + (row.note.empty() ? "" : "; ") + row.note;
      result_.comparison.push_back(std::move(row));
      for (const auto& h : result_.hand_checks)
        if (h.spec.of == outcome.spec.name) add_hand_check(outcome, h);
    }
  }

  void add_hand_check(const AnalysisOutcome& outcome, const HandCheck& h) {
    ComparisonRow row;
    row.analysis = outcome.spec.name;
    row.kind = "theory";
    row.meaning = fmt::format("{}, mode {}", h.spec.formula, h.spec.mode);
    row.load_factor = h.load_factor;
    row.held_force = outcome.held_total.force.norm();
    row.growing_force = outcome.growing_total.force.norm();
    row.force = (outcome.held_total.force + row.load_factor * outcome.growing_total.force).norm();
    row.ratio = 1 / (1 + h.deviation);
    row.note = fmt::format("LBA is {:+.2f} %", 100 * h.deviation);
    result_.comparison.push_back(std::move(row));
  }

  static void fill(ComparisonRow& row, const analysis::BucklingResult& r) {
    row.meaning = "critical, mode 1";
    if (!r.modes.empty()) row.load_factor = r.modes[0].load_factor;
    if (r.no_compression)
      row.note = "no positive factor";
    else if (r.empty_window)
      row.note = "none in the window";
    else if (!r.usable())
      row.note = analysis::to_text(r.ending);
    else if (!r.complete())
      row.note = "not proved complete";
  }

  static void fill(ComparisonRow& row, const analysis::PathResult& r) {
    row.meaning = r.peak_is_limit_point ? "peak (limit point)" : "largest reached";
    row.load_factor = r.peak_load_factor;
    if (r.peak >= 0) row.movement = r.increments[static_cast<std::size_t>(r.peak)].largest_movement;
    for (const auto& increment : r.increments)
      if (increment.event == analysis::PathEvent::bifurcation) {
        row.note = fmt::format("bifurcation passed at {:.6g}", increment.load_factor);
        break;
      }
    if (!r.usable()) row.note = analysis::to_text(r.ending);
  }

  const ChainWatcher& watcher_;
  StudyResult result_;
  std::map<Variant, Stage> stages_;
  const Stage* stage_ = nullptr;  ///< of the analysis at hand
};
}  // namespace

StudyResult run_study(const StudySpec& spec, const ChainWatcher& watcher) {
  return Chain(spec, watcher).run();
}

}  // namespace archway::study
