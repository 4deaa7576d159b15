#include "archway/study/chain.hpp"

#include <cmath>
#include <map>
#include <optional>

#include <fmt/format.h>

#include "archway/study/advice.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/hand_checks.hpp"
#include "archway/study/likeness.hpp"
#include "archway/study/verdicts.hpp"
#include "build_model_detail.hpp"
#include "stage_detail.hpp"

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
/// A path without stop rules ends after a clear peak: so far down, or so many increments beyond it.
constexpr double kClearDrop = 0.85;
constexpr int kClearIncrements = 15;

constexpr double kSureMatch = 0.5;  ///< likeness from which on two modes of two meshes are one

/// Runs the analyses one after the other.
class Chain {
 public:
  Chain(const StudySpec& spec, const ChainWatcher& watcher) : watcher_(watcher) { result_.spec = spec; }

  StudyResult run() {
    if (auto list = complaints(result_.spec); !list.empty()) throw base::InputError(std::move(list));
    result_.model = std::make_shared<model::Model>(build_model(result_.spec));
    Stage base;
    base.threads = threads_;
    base.spec = result_.spec;
    base.model = result_.model;
    base.watch_nodes = watch_nodes(result_.spec, *result_.model);
    result_.check = check_model(result_.spec, *result_.model, true);
    if (result_.check.has_mechanism)
      throw base::InputError(
          result_.spec.file, result_.check.mechanism,
          "add supports that stop this movement; parts 1e12 times stiffer than others also hide what those resist");
    if (watcher_.checked) watcher_.checked(result_.check);
    stages_.emplace(Variant{}, std::move(base));
    for (const auto& spec : result_.spec.analyses) {
      if (watcher_.wants_stop && watcher_.wants_stop()) result_.stopped = true;
      if (result_.stopped) break;
      step(spec);
    }
    result_.hand_checks = hand_checks(result_);
    result_.comparison = comparison(result_);
    result_.shapes = compare_shapes(result_);
    return std::move(result_);
  }

 private:
  void step(const AnalysisSpec& spec) {
    if (stages_.count(spec.variant) == 0) stages_.emplace(spec.variant, stage_of(result_.spec, spec.variant, threads_));
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
    const auto& system = stage_->system(outcome.held, outcome.growing);
    const auto total = [&](const model::Combination& combination) {
      return system.resultant(system.factors(combination), state);
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
    if (at == nullptr || !at->kept) {
      outcome.skipped = true;
      outcome.skip_reason = fmt::format("increment {} of '{}' does not exist, so nothing can buckle about it",
                                        wanted < 0 ? "0" : fmt::format("{}", wanted), outcome.spec.from);
      return false;
    }
    outcome.spec.increment = at->number;
    outcome.geometry = from->geometry;
    outcome.in_place = std::make_shared<analysis::StateInPlace>();
    outcome.in_place->state = at->kept->state;
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
    if (spec.each_mode) {
      for (auto& term : terms) term.factor *= amplitude(spec);
      outcome.imperfection =
          std::make_shared<imperfection::Imperfection>(imperfection::from_amplitudes(*stage_->model, terms));
    } else {
      outcome.imperfection = std::make_shared<imperfection::Imperfection>(
          imperfection::from_shapes(*stage_->model, terms, amplitude(spec)));
    }
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

  const analysis::System& system_of(const AnalysisOutcome& outcome) const {
    return stage_->system(outcome.held, outcome.growing);
  }

  void solve(AnalysisOutcome& outcome) const {
    switch (outcome.spec.kind) {
      case AnalysisKind::la:
        outcome.linear = std::make_shared<analysis::LinearStaticResult>(
            analysis::linear_static(system_of(outcome), outcome.growing));
        if (outcome.linear->usable())
          outcome.stresses = std::make_shared<analysis::RecoveredStress>(
              analysis::recover_stresses(system_of(outcome), *outcome.linear));
        return;
      case AnalysisKind::lba:
        return solve_buckling(outcome);
      case AnalysisKind::gna:
      case AnalysisKind::gnia: {
        const auto options = path_options(outcome);
        const auto moved = stage_->moved(*outcome.geometry, outcome.held, outcome.growing);
        analysis::PathWatcher watch;
        if (watcher_.path) watch = [&](const analysis::PathProgress& p) { return watcher_.path(outcome, options, p); };
        outcome.path = std::make_shared<analysis::PathResult>(analysis::follow_path(*moved, options, watch));
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
      const auto own = stage_->moved(*outcome.geometry, outcome.held, outcome.growing);
      const analysis::System& system = *own;
      outcome.buckling = std::make_shared<analysis::BucklingResult>(
          analysis::buckling_about(system, *outcome.in_place, options, watcher_.buckling));
      outcome.readings = analysis::read_modes_about(system, *outcome.in_place, *outcome.buckling);
      if (const auto text = where_bases_differ(outcome); !text.empty()) outcome.warnings.push_back(text);
    } else {
      outcome.buckling = std::make_shared<analysis::BucklingResult>(
          analysis::linear_buckling(system_of(outcome), options, watcher_.buckling));
    }
    const auto& result = *outcome.buckling;
    if (!result.modes.empty() && !outcome.in_place) {
      outcome.base = std::make_shared<analysis::BaseState>(analysis::base_state(system_of(outcome), options, result));
      outcome.readings = analysis::read_modes(system_of(outcome), options, result);
      outcome.lengths = analysis::effective_lengths(*stage_->model, *outcome.base, result, outcome.readings);
    }
    for (const auto& required : spec.required)
      outcome.verdicts.push_back(verdict_on(required, *stage_->model, result, outcome.readings));
    if (result.modes.empty() || outcome.in_place) return;
    judge_mesh(outcome, options);
    if (spec.sensitivities) find_sensitivities(outcome, options);
    if (spec.second_mesh > 0) repeat_finer(outcome, options);
  }

  /// What to say when buckling about a state of a path comes at another load than about the linear preload.
  std::string where_bases_differ(const AnalysisOutcome& outcome) const {
    constexpr double told = 0.05;
    const auto& path = *result_.find(outcome.spec.from);
    const double linear = critical_factor(result_, path.spec);
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
    outcome.sensitivities = analysis::sensitivities(system_of(outcome), options, *outcome.buckling, parts,
                                                    {springs.begin(), springs.end()});
  }

  /// The same structure with half the elements, held and loaded at the same places; nothing where that cannot be had.
  std::optional<Stage> coarser_stage(const AnalysisOutcome& outcome) const {
    Variant half = outcome.spec.variant;
    half.refine *= 0.5;
    if (!result_.spec.vary) return {};
    try {
      Stage stage = stage_of(result_.spec, half, threads_);
      const auto& system = stage.system(outcome.held, outcome.growing);
      if (system.free_count() < 6 || !same_problem(*stage_->model, *stage.model)) return {};
      if (system.free_count() > 0.9 * system_of(outcome).free_count()) return {};
      return stage;
    } catch (const base::InputError&) {
      return {};  // the coarser mesh has no nodes where the study wants some
    }
  }

  /// Two sources for the error of a factor: the stresses of the mode (in the reading already), and what half the
  /// elements change, which also knows the error of the preload and of curved surfaces. The larger one is told.
  void judge_mesh(AnalysisOutcome& outcome, analysis::BucklingOptions options) const {
    // measured on all verification cases: times these, either estimate is seldom below the true error
    constexpr double from_stresses = 1.3, from_stresses_alone = 3, from_coarser = 1.3;
    auto stage = coarser_stage(outcome);
    std::vector<ModeMatch> matches;
    if (stage) {
      options.negative = analysis::Negative::leave_out;
      options.mode_count += 2;
      const auto coarse =
          analysis::linear_buckling(stage->system(outcome.held, outcome.growing), options, watcher_.buckling);
      if (coarse.usable()) matches = match_modes(*stage_->model, outcome.buckling->modes, *stage->model, coarse.modes);
    }
    for (std::size_t m = 0; m < outcome.readings.size(); ++m) {
      auto& reading = outcome.readings[m];
      const bool found = m < matches.size() && matches[m].other >= 0 && matches[m].likeness > kSureMatch;
      reading.mesh_error *= found ? from_stresses : from_stresses_alone;
      if (!found) continue;
      const double change = std::abs(matches[m].other_load_factor / matches[m].load_factor - 1);
      const int order = std::min(4, analysis::error_order(*stage_->model, reading.leading_part));
      reading.mesh_error = std::max(reading.mesh_error, from_coarser * change / (std::pow(2.0, order) - 1));
    }
  }

  /// The same analysis with more elements.
  void repeat_finer(AnalysisOutcome& outcome, analysis::BucklingOptions options) const {
    Variant finer = outcome.spec.variant;
    finer.refine *= outcome.spec.second_mesh;
    Stage stage = stage_of(result_.spec, finer, threads_);
    const auto& system = stage.system(outcome.held, outcome.growing);
    if (system.free_count() == system_of(outcome).free_count()) {
      outcome.warnings.push_back("second_mesh changes nothing here: a mesh from a file has the elements it has");
      return;
    }
    options.negative = analysis::Negative::leave_out;
    options.mode_count += 2;  // modes that change places near the end of the list
    const auto fine = analysis::linear_buckling(system, options, watcher_.buckling);
    auto second = std::make_shared<SecondMesh>();
    second->refine = outcome.spec.second_mesh;
    second->freedoms = system.free_count();
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
    const double critical = critical_factor(result_, spec);
    options.first_step = spec.first_step > 0 ? spec.first_step : std::isfinite(critical) ? 0.1 * critical : 0.1;
    options.largest_step = spec.largest_step;
    options.at_bifurcation = spec.at_bifurcation;
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
    options.stop_at_loss = spec.stop.at_loss;
    if (!spec.stop.given) options.stop_drop = kClearDrop, options.stop_after_peak = kClearIncrements;
    return options;
  }

  const ChainWatcher& watcher_;
  Threads threads_ = base::make_executor();  ///< of all analyses of the chain
  StudyResult result_;
  std::map<Variant, Stage> stages_;
  Stage* stage_ = nullptr;  ///< of the analysis at hand
};
}  // namespace

StudyResult run_study(const StudySpec& spec, const ChainWatcher& watcher) {
  return Chain(spec, watcher).run();
}

}  // namespace archway::study
