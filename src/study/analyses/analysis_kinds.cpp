#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include "archway/study/comparison.hpp"
#include "run/run_detail.hpp"

namespace archway::study {

const std::vector<const AnalysisKind*>& analysis_kinds() {
  static const std::vector<const AnalysisKind*> kinds = {&linear_static_kind(),
                                                         &linear_buckling_kind(),
                                                         &path_kind(PathOf::small_displacements, false),
                                                         &path_kind(PathOf::elastic, false),
                                                         &path_kind(PathOf::yielding, false),
                                                         &path_kind(PathOf::elastic, true),
                                                         &path_kind(PathOf::yielding, true)};
  return kinds;
}

const AnalysisKind& analysis_kind(const std::string& word) {
  for (const auto* kind : analysis_kinds())
    if (kind->word() == word) return *kind;
  throw std::out_of_range("there is no kind of analysis '" + word + "'");
}

void Run::resolve_totals(AnalysisOutcome& outcome) {
  const auto state = elements::State::reference(*stage.model);
  const auto& own = stage.system(acting(outcome), {"variable"});
  const auto total = [&](const model::Combination& combination) {
    return own.resultant(own.factors(combination), state);
  };
  outcome.constant_total = total(outcome.constant);
  outcome.variable_total = total(outcome.variable);
}

std::string with_article(const AnalysisKind& kind) {
  const std::string word = kind.word();
  return (word[0] == 'G' ? "a " : "an ") + word;
}

void References::load_exists(const SourceLocation& place, const std::string& name) {
  if (!name.empty() && std::find(loads.begin(), loads.end(), name) == loads.end())
    complain(place, fmt::format("there is no action or combination named '{}'", name), base::suggestion(name, loads));
}

namespace {
/// What a key takes from another analysis is what that analysis gives: one key for each kind of result.
const char* source_key(AnalysisKind::Gives gives) {
  if (gives == AnalysisKind::Gives::load) return "preload_of";
  return gives == AnalysisKind::Gives::modes ? "loads_of" : "state_of";
}
}  // namespace

void VariableKind::read_loads(Keys& keys, AnalysisSpec& spec) const {
  std::string given;
  for (const char* const key : {"preload_of", "loads_of", "state_of"}) {
    // a buckling analysis has no loads of modes to take, a path does not go on from the state of another
    if (std::string(key) == (gives() == Gives::modes ? "loads_of" : "state_of") || !keys.has(key)) continue;
    if (!given.empty())
      keys.complain(keys.place(key), fmt::format("'{}' and '{}' both say what the analysis starts from", given, key),
                    "omit one of them");
    given = key;
    spec.source = keys.text(key);
    spec.source_key = key;
    spec.preload.clear();
  }
  if (keys.has("preload")) {
    if (!given.empty())
      keys.complain(keys.place("preload"), fmt::format("'{}' and 'preload' both give the constant load", given),
                    "omit one of them");
    spec.preload = keys.text("preload");
    if (given.empty()) spec.source.clear();
  }
  spec.load = keys.text("load", spec.load);
}

void VariableKind::read_tolerance(Keys& keys, AnalysisSpec& spec) {
  spec.tolerance = keys.number("tolerance", spec.tolerance);
  if (!(spec.tolerance >= 1e-12 && spec.tolerance < 0.1))
    keys.complain(keys.place("tolerance"), fmt::format("'tolerance' is {:g}", spec.tolerance),
                  "it must lie between 1e-12, which rounding allows, and 0.1");
}

void VariableKind::check_loads(const AnalysisSpec& a, References& references, AnalysisKind::Gives unfit,
                               const char* remedy) const {
  references.load_exists(a.place, a.load);
  references.load_exists(a.place, a.preload);
  const AnalysisSpec* from = a.source.empty() ? nullptr : references.spec.find_analysis(a.source);
  if (!a.source.empty() && !references.comes_before(a.source))
    references.complain(a.place,
                        fmt::format("analysis '{}' starts from '{}', which does not come before it", a.name, a.source),
                        base::suggestion(a.source, references.before));
  else if (from != nullptr && from->kind->gives() == unfit)
    references.complain(
        a.place, fmt::format("analysis '{}' cannot start from '{}', {}", a.name, a.source, with_article(*from->kind)),
        remedy);
  else if (from != nullptr && a.source_key != source_key(from->kind->gives()))
    references.complain(
        a.place, fmt::format("'{}' of '{}' names '{}', {}", a.source_key, a.name, a.source, with_article(*from->kind)),
        fmt::format("write {} = \"{}\"", source_key(from->kind->gives()), a.source));
  const bool gives_load = from != nullptr && from->kind->gives() == Gives::load;
  if (from != nullptr && !gives_load && differ(a, *from))
    references.complain(a.place, fmt::format("analysis '{}' is done on another structure than '{}'", a.name, a.source),
                        "give both the same set = { ... } and refine");
  if (a.load.empty() && (from == nullptr || gives_load))
    references.complain(a.place, fmt::format("analysis '{}' has no variable load", a.name),
                        "name an action or combination with load = \"...\"");
}

void VariableKind::resolve_loads(Run& run, AnalysisOutcome& outcome) {
  const auto& spec = outcome.spec;
  if (const auto* from = run.result.find(spec.source)) {
    if (from->spec.kind->gives() == Gives::load) {
      outcome.constant = from->variable;
    } else {
      outcome.constant = from->constant;
      outcome.variable = from->variable;
    }
  }
  if (!spec.preload.empty()) outcome.constant = run.stage.model->load_named(spec.preload);
  if (!spec.load.empty()) outcome.variable = run.stage.model->load_named(spec.load);
  run.resolve_totals(outcome);
}

void read_surface(Keys& keys, AnalysisSpec& spec) {
  static const std::vector<std::string> surfaces = {"larger", "top", "middle", "bottom"};
  spec.surface = static_cast<StressSurface>(
      keys.choice("result_face", surfaces, surfaces[static_cast<std::size_t>(spec.surface)]));
}

ComparisonRow row_of(const AnalysisOutcome& outcome) {
  ComparisonRow row;
  row.analysis = outcome.spec.name;
  row.kind = outcome.spec.kind->word();
  row.constant_force = outcome.constant_total.force.norm();
  row.variable_force = outcome.variable_total.force.norm();
  return row;
}

void add_row(const StudyResult& result, const AnalysisOutcome& outcome, ComparisonRow row,
             std::vector<ComparisonRow>& rows) {
  row.force = total_load(outcome, row.load_factor, row.stage);
  // the variable load in a stage need not be what grew in the buckling analysis
  if (!std::isfinite(row.ratio) && !outcome.buckling && outcome.stage_totals.size() < 2)
    row.ratio = row.load_factor / critical_factor(result, outcome.spec);
  if (const auto other = to_text(outcome.spec.variant); !other.empty())
    row.note = other + (row.note.empty() ? "" : "; ") + row.note;
  rows.push_back(std::move(row));
}

}  // namespace archway::study
