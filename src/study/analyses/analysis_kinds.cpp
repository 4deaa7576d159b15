#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include "archway/study/comparison.hpp"
#include "run/run_detail.hpp"

namespace archway::study {

const std::vector<const AnalysisKind*>& analysis_kinds() {
  static const std::vector<const AnalysisKind*> kinds = {&linear_static_kind(),
                                                         &linear_buckling_kind(),
                                                         &path_kind(PathOf::small_movements, false),
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
  const auto& own = stage.system(acting(outcome), {"growing"});
  const auto total = [&](const model::Combination& combination) {
    return own.resultant(own.factors(combination), state);
  };
  outcome.held_total = total(outcome.held);
  outcome.growing_total = total(outcome.growing);
}

std::string with_article(const AnalysisKind& kind) {
  const std::string word = kind.word();
  return (word[0] == 'G' ? "a " : "an ") + word;
}

void References::load_exists(const SourceLocation& place, const std::string& name) {
  if (!name.empty() && std::find(loads.begin(), loads.end(), name) == loads.end())
    complain(place, fmt::format("there is no action or combination named '{}'", name), base::suggestion(name, loads));
}

void GrowingKind::read_loads(Keys& keys, AnalysisSpec& spec) {
  spec.from = keys.text("from", spec.from);
  spec.grow = keys.text("grow", spec.grow);
}

void GrowingKind::read_tolerance(Keys& keys, AnalysisSpec& spec) {
  spec.tolerance = keys.number("tolerance", spec.tolerance);
  if (!(spec.tolerance >= 1e-12 && spec.tolerance < 0.1))
    keys.complain(keys.place("tolerance"), fmt::format("'tolerance' is {:g}", spec.tolerance),
                  "it must lie between 1e-12, which rounding allows, and 0.1");
}

void GrowingKind::check_loads(const AnalysisSpec& a, References& references, AnalysisKind::Gives unfit,
                              const char* remedy) const {
  references.load_exists(a.place, a.load);
  references.load_exists(a.place, a.grow);
  const AnalysisSpec* from = a.from.empty() ? nullptr : references.spec.find_analysis(a.from);
  if (!a.from.empty() && !references.comes_before(a.from))
    references.complain(a.place,
                        fmt::format("analysis '{}' starts from '{}', which does not come before it", a.name, a.from),
                        base::suggestion(a.from, references.before));
  else if (from != nullptr && from->kind->gives() == unfit)
    references.complain(
        a.place, fmt::format("analysis '{}' cannot start from '{}', {}", a.name, a.from, with_article(*from->kind)),
        remedy);
  const bool gives_load = from != nullptr && from->kind->gives() == Gives::load;
  if (from != nullptr && !gives_load && differ(a, *from))
    references.complain(a.place, fmt::format("analysis '{}' is done on another structure than '{}'", a.name, a.from),
                        "give both the same set = { ... } and refine");
  if (a.grow.empty() && (from == nullptr || gives_load))
    references.complain(a.place, fmt::format("nothing grows in analysis '{}'", a.name),
                        "name an action or combination with grow = \"...\"");
}

void GrowingKind::resolve_loads(Run& run, AnalysisOutcome& outcome) {
  const auto& spec = outcome.spec;
  if (const auto* from = run.result.find(spec.from)) {
    if (from->spec.kind->gives() == Gives::load) {
      outcome.held = from->growing;
    } else {
      outcome.held = from->held;
      outcome.growing = from->growing;
    }
  }
  if (!spec.grow.empty()) outcome.growing = run.stage.model->load_named(spec.grow);
  run.resolve_totals(outcome);
}

void read_surface(Keys& keys, AnalysisSpec& spec) {
  static const std::vector<std::string> surfaces = {"larger", "top", "middle", "bottom"};
  spec.surface =
      static_cast<StressSurface>(keys.choice("surface", surfaces, surfaces[static_cast<std::size_t>(spec.surface)]));
}

ComparisonRow row_of(const AnalysisOutcome& outcome) {
  ComparisonRow row;
  row.analysis = outcome.spec.name;
  row.kind = outcome.spec.kind->word();
  row.held_force = outcome.held_total.force.norm();
  row.growing_force = outcome.growing_total.force.norm();
  return row;
}

void add_row(const StudyResult& result, const AnalysisOutcome& outcome, ComparisonRow row,
             std::vector<ComparisonRow>& rows) {
  row.force = total_load(outcome, row.load_factor, row.stage);
  // what grows in a stage need not be what grew in the buckling analysis
  if (!std::isfinite(row.ratio) && !outcome.buckling && outcome.stage_totals.size() < 2)
    row.ratio = row.load_factor / critical_factor(result, outcome.spec);
  if (const auto other = to_text(outcome.spec.variant); !other.empty())
    row.note = other + (row.note.empty() ? "" : "; ") + row.note;
  rows.push_back(std::move(row));
}

}  // namespace archway::study
