#include "archway/study/chain.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/study/advice.hpp"
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
using base::Complaint;

using detail::names_of;

class ReferenceCheck {
 public:
  explicit ReferenceCheck(const StudySpec& spec) : spec_(spec) {}
  std::vector<Complaint> run() {
    for (const auto& member : spec_.members) name(member.name, "part", member.place, parts_);
    for (const auto& bar : spec_.bars) name(bar.name, "part", bar.place, parts_);
    for (const auto& panel : spec_.panels) name(panel.name, "part", panel.place, parts_);
    for (const auto& solid : spec_.solids) name(solid.name, "part", solid.place, parts_);
    for (const auto& coupling : spec_.couplings) name(coupling.name, "coupling", coupling.place, parts_);
    for (const auto& watch : spec_.watches) name(watch.name, "watch point", watch.at.place, watches_);
    for (const auto& pattern : spec_.patterns) name(pattern.name, "load pattern", pattern.place, loads_);
    for (const auto& combination : spec_.combinations) name(combination.name, "load", combination.place, loads_);
    for (const auto& analysis : spec_.analyses) {
      one(analysis);
      name(analysis.name, "analysis", analysis.place, before_);
    }
    for (const auto& imperfection : spec_.imperfections) one(imperfection);
    return std::move(list_);
  }

 private:
  void complain(const Place& place, std::string problem, std::string remedy) {
    list_.push_back(place.complaint(std::move(problem), std::move(remedy)));
  }
  /// Names become file names and keys: one of each, of letters, digits, '-' and '_'.
  void name(const std::string& word, const char* what, const Place& place, std::vector<std::string>& known) {
    if (std::find(known.begin(), known.end(), word) != known.end())
      complain(place, fmt::format("a second {} is named '{}'", what, word), "give each its own name");
    if (word.empty() ||
        word.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_") != std::string::npos)
      complain(place, fmt::format("'{}' cannot be the name of {} {}", word, *what == 'a' ? "an" : "a", what),
               "use letters, digits, - and _");
    known.push_back(word);
  }
  void load_exists(const Place& place, const std::string& name) {
    if (!name.empty() && std::find(loads_.begin(), loads_.end(), name) == loads_.end())
      complain(place, fmt::format("there is no load pattern or combination named '{}'", name),
               base::suggestion(name, loads_));
  }
  void one(const AnalysisSpec& a) {
    load_exists(a.place, a.load);
    load_exists(a.place, a.grow);
    if (a.kind == AnalysisKind::la) {
      if (a.load.empty())
        complain(a.place, fmt::format("analysis '{}' has no load", a.name),
                 "name a pattern or combination with load = \"...\"");
      return;
    }
    const AnalysisSpec* from = a.from.empty() ? nullptr : spec_.find_analysis(a.from);
    if (!a.from.empty() && std::find(before_.begin(), before_.end(), a.from) == before_.end())
      complain(a.place, fmt::format("analysis '{}' starts from '{}', which does not come before it", a.name, a.from),
               base::suggestion(a.from, before_));
    else if (from != nullptr && from->kind != AnalysisKind::la &&
             (a.kind == AnalysisKind::lba) == (from->kind == AnalysisKind::lba))
      complain(a.place, fmt::format("analysis '{}' cannot start from '{}', a {}", a.name, a.from, to_text(from->kind)),
               a.kind == AnalysisKind::lba
                   ? "start from an LA (its load is held), or from a path (its state at an increment)"
                   : "start from an LA (its load is held) or an LBA (same held and growing parts)");
    if (a.grow.empty() && (from == nullptr || from->kind == AnalysisKind::la))
      complain(a.place, fmt::format("nothing grows in analysis '{}'", a.name),
               "name a pattern or combination with grow = \"...\"");
    if (a.kind == AnalysisKind::gnia && spec_.find_imperfection(a.imperfection) == nullptr)
      complain(a.place,
               a.imperfection.empty() ? fmt::format("analysis '{}' is a GNIA without an imperfection", a.name)
                                      : fmt::format("there is no imperfection named '{}'", a.imperfection),
               a.imperfection.empty() ? "name one with imperfection = \"...\", or make it a GNA"
                                      : base::suggestion(a.imperfection, names_of(spec_.imperfections)));
    if (a.kind == AnalysisKind::gnia)
      if (const auto* i = spec_.find_imperfection(a.imperfection);
          i != nullptr && std::find(before_.begin(), before_.end(), i->mode_of) == before_.end())
        complain(i->place,
                 fmt::format("imperfection '{}' is made from '{}', which does not come before analysis '{}'", i->name,
                             i->mode_of, a.name),
                 base::suggestion(i->mode_of, before_));
    if (!a.stop.watch.empty()) {
      const auto watches = names_of(spec_.watches);
      if (std::find(watches.begin(), watches.end(), a.stop.watch) == watches.end())
        complain(a.place, fmt::format("there is no watch point named '{}'", a.stop.watch),
                 base::suggestion(a.stop.watch, watches));
    }
  }
  void one(const ImperfectionSpec& i) {
    const AnalysisSpec* source = spec_.find_analysis(i.mode_of);
    if (source == nullptr || source->kind != AnalysisKind::lba) {
      complain(i.place,
               fmt::format("imperfection '{}' is made from '{}', which is not a buckling analysis", i.name, i.mode_of),
               "name an LBA with mode_of = \"...\"");
      return;
    }
    for (const auto& [mode, factor] : i.modes)
      if (mode < 1 || (mode > source->modes && !std::isfinite(source->below)))
        complain(i.place,
                 fmt::format("imperfection '{}' wants mode {}, but '{}' computes {}", i.name, mode, source->name,
                             source->modes),
                 fmt::format("choose 1 to {}, or raise modes in '{}'", source->modes, source->name));
    if (i.amplitude_kind != AmplitudeKind::length) {
      const auto parts =
          i.amplitude_kind == AmplitudeKind::share_of_thickness ? names_of(spec_.panels) : names_of(spec_.members);
      if (std::find(parts.begin(), parts.end(), i.part) == parts.end())
        complain(i.place,
                 fmt::format("the amplitude of '{}' is a share of part '{}', which is not a {}", i.name, i.part,
                             i.amplitude_kind == AmplitudeKind::share_of_thickness ? "panel" : "member"),
                 base::suggestion(i.part, parts));
    }
  }

  const StudySpec& spec_;
  std::vector<Complaint> list_;
  std::vector<std::string> before_, loads_, parts_, watches_;
};

/// Runs the analyses one after the other.
class Chain {
 public:
  Chain(const StudySpec& spec, const ChainWatcher& watcher) : watcher_(watcher) { result_.spec = spec; }

  StudyResult run() {
    if (auto list = complaints(result_.spec); !list.empty()) throw base::InputError(std::move(list));
    result_.model = std::make_shared<model::Model>(build_model(result_.spec));
    watch_nodes_ = watch_nodes(result_.spec, *result_.model);
    result_.check = check_model(result_.spec, *result_.model, true);
    if (result_.check.has_mechanism)
      throw base::InputError(result_.spec.file, result_.check.mechanism, "add supports that stop this movement");
    if (watcher_.checked) watcher_.checked(result_.check);
    system_ = std::make_unique<analysis::System>(*result_.model);
    for (const auto& spec : result_.spec.analyses) {
      if (watcher_.wants_stop && watcher_.wants_stop()) result_.stopped = true;
      if (result_.stopped) break;
      step(spec);
    }
    compare();
    return std::move(result_);
  }

 private:
  void step(const AnalysisSpec& spec) {
    AnalysisOutcome outcome;
    outcome.spec = spec;
    outcome.geometry = result_.model;
    resolve_loads(outcome);
    const bool ready = outcome.spec.kind == AnalysisKind::gnia ? seed(outcome) : stand_on_path(outcome);
    if (watcher_.started) watcher_.started(spec, outcome);
    if (ready) solve(outcome);
    outcome.warnings = advice_on(result_.spec, *result_.model, outcome);
    if ((outcome.buckling && outcome.buckling->ending == analysis::Ending::stopped_by_caller) ||
        (outcome.path && outcome.path->ending == analysis::Ending::stopped_by_caller))
      result_.stopped = true;
    result_.outcomes.push_back(std::move(outcome));
    if (watcher_.finished) watcher_.finished(result_.outcomes.back());
  }

  void resolve_loads(AnalysisOutcome& outcome) const {
    const auto& spec = outcome.spec;
    const auto& model = *result_.model;
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
    const auto& model = *result_.model;
    const auto state = elements::State::reference(model);
    const auto total = [&](const model::Combination& combination) {
      return elements::resultant(model.nodes, system_->loads(system_->factors(combination), state), Vec3::Zero());
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
    for (const auto& [pattern, factor] : from->growing.terms)
      outcome.held.terms.emplace_back(pattern, at->load_factor * factor);
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
        std::make_shared<imperfection::Imperfection>(imperfection::from_shapes(*result_.model, terms, amplitude(spec)));
    outcome.geometry = std::make_shared<model::Model>(imperfection::apply(*result_.model, *outcome.imperfection));
    return true;
  }

  double amplitude(const ImperfectionSpec& spec) const {
    if (spec.amplitude_kind == AmplitudeKind::length) return spec.amplitude;
    for (const auto& panel : result_.spec.panels)
      if (spec.amplitude_kind == AmplitudeKind::share_of_thickness && panel.name == spec.part)
        return spec.amplitude * panel.thickness;
    for (const auto& member : result_.spec.members)
      if (member.name == spec.part) return spec.amplitude * member.line.length();
    return 0;
  }

  void solve(AnalysisOutcome& outcome) const {
    switch (outcome.spec.kind) {
      case AnalysisKind::la:
        outcome.linear =
            std::make_shared<analysis::LinearStaticResult>(analysis::linear_static(*system_, outcome.growing));
        if (outcome.linear->usable())
          outcome.stresses =
              std::make_shared<analysis::RecoveredStress>(analysis::recover_stresses(*system_, *outcome.linear));
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
    options.negative = spec.show_negative ? analysis::Negative::show : analysis::Negative::leave_out;
    outcome.buckling = std::make_shared<analysis::BucklingResult>(
        outcome.in_place ? analysis::buckling_about(analysis::System(*outcome.geometry), *outcome.in_place, options,
                                                    watcher_.buckling)
                         : analysis::linear_buckling(*system_, options, watcher_.buckling));
    const auto& result = *outcome.buckling;
    if (!result.modes.empty() && !outcome.in_place) {
      outcome.base = std::make_shared<analysis::BaseState>(analysis::base_state(*system_, options, result));
      outcome.readings = analysis::read_modes(*system_, options, result);
      outcome.lengths = analysis::effective_lengths(*result_.model, *outcome.base, result, outcome.readings);
    }
    for (const auto& required : spec.required)
      outcome.verdicts.push_back(verdict_on(required, *result_.model, result, outcome.readings));
    if (!spec.sensitivities || result.modes.empty() || outcome.in_place) return;
    std::vector<int> parts;
    for (std::size_t p = 0; p < result_.model->parts.size(); ++p)
      if (result_.model->parts[p].kind != model::PartKind::solid) parts.push_back(static_cast<int>(p));
    outcome.sensitivities = analysis::sensitivities(*system_, options, result, parts);
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
      options.watch.push_back({watch.name, watch_nodes_[i], watch.direction});
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
      result_.comparison.push_back(std::move(row));
    }
  }

  static void fill(ComparisonRow& row, const analysis::BucklingResult& r) {
    row.meaning = "critical, mode 1";
    if (!r.modes.empty()) row.load_factor = r.modes[0].load_factor;
    if (r.no_compression)
      row.note = "no positive factor";
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
  std::unique_ptr<analysis::System> system_;
  std::vector<int> watch_nodes_;
};
}  // namespace

std::vector<base::Complaint> complaints(const StudySpec& spec) {
  return ReferenceCheck(spec).run();
}

StudyResult run_study(const StudySpec& spec, const ChainWatcher& watcher) {
  return Chain(spec, watcher).run();
}

}  // namespace archway::study
