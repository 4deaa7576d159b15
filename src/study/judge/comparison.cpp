#include "archway/study/comparison.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/load_as_given.hpp"

namespace archway::study {

double critical_factor(const StudyResult& result, const AnalysisSpec& spec) {
  const AnalysisOutcome* source = result.find(spec.source);
  for (const auto& [name, factor] : spec.imperfections) {
    if (source != nullptr && source->buckling) break;
    const auto* imperfection = result.spec.find_imperfection(name);
    if (imperfection == nullptr || imperfection->modes.empty()) continue;
    source = result.find(imperfection->made_from + spec.suffix);
    if (source == nullptr) source = result.find(imperfection->made_from);
  }
  return source != nullptr && source->buckling && !source->buckling->modes.empty()
             ? source->buckling->modes[0].load_factor
             : analysis::kUnset;
}

double total_load(const AnalysisOutcome& outcome, double load_factor) {
  if (outcome.variable_total.force.isZero(0)) return analysis::kUnset;
  return (outcome.constant_total.force + load_factor * outcome.variable_total.force).norm();
}

double total_load(const AnalysisOutcome& outcome, double load_factor, int stage) {
  if (outcome.stage_totals.size() < 2) return total_load(outcome, load_factor);
  if (stage < 0) return analysis::kUnset;
  const auto& [held, variable] = outcome.stage_totals[static_cast<std::size_t>(stage)];
  const double size = (held.force + load_factor * variable.force).norm();
  return held.force.isZero(0) && variable.force.isZero(0) ? analysis::kUnset : size;
}

std::vector<ComparisonRow> comparison(const StudyResult& result) {
  std::vector<ComparisonRow> rows;
  for (const auto& outcome : result.outcomes) outcome.spec.kind->compare(result, outcome, rows);
  // designs stand beside the study's own structure
  for (auto& row : rows) {
    const auto* outcome = result.find(row.analysis);
    if (outcome == nullptr || outcome->spec.design.empty()) continue;
    const auto name = row.analysis.substr(0, row.analysis.size() - outcome->spec.suffix.size());
    const auto base = std::find_if(rows.begin(), rows.end(),
                                   [&](const auto& r) { return r.analysis == name && r.meaning == row.meaning; });
    if (base == rows.end() || !std::isfinite(base->load_factor) || base->load_factor == 0.0) continue;
    row.note +=
        fmt::format("{}{:.4g} of '{}'", row.note.empty() ? "" : "; ", row.load_factor / base->load_factor, name);
  }
  return rows;
}

std::vector<std::string> advice_on(const StudySpec& spec, const AnalysisOutcome& outcome) {
  std::vector<std::string> list;
  if (outcome.skipped) list.push_back(outcome.skip_reason);
  outcome.spec.kind->advise(spec, outcome, list);
  if (auto bars = bars_before_mode(spec.units, outcome); !bars.empty()) list.push_back(std::move(bars));
  if (auto ropes = ropes_before_mode(outcome); !ropes.empty()) list.push_back(std::move(ropes));
  return list;
}

}  // namespace archway::study
