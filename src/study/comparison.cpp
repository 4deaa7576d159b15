#include "archway/study/comparison.hpp"

namespace archway::study {

double critical_factor(const StudyResult& result, const AnalysisSpec& spec) {
  const AnalysisOutcome* source = result.find(spec.from);
  if ((source == nullptr || !source->buckling) && !spec.imperfection.empty())
    source = result.find(result.spec.find_imperfection(spec.imperfection)->mode_of);
  return source != nullptr && source->buckling && !source->buckling->modes.empty()
             ? source->buckling->modes[0].load_factor
             : analysis::kUnset;
}

double total_load(const AnalysisOutcome& outcome, double load_factor) {
  if (outcome.growing_total.force.isZero(0)) return analysis::kUnset;
  return (outcome.held_total.force + load_factor * outcome.growing_total.force).norm();
}

double total_load(const AnalysisOutcome& outcome, double load_factor, int stage) {
  if (outcome.stage_totals.size() < 2) return total_load(outcome, load_factor);
  if (stage < 0) return analysis::kUnset;
  const auto& [held, growing] = outcome.stage_totals[static_cast<std::size_t>(stage)];
  const double size = (held.force + load_factor * growing.force).norm();
  return held.force.isZero(0) && growing.force.isZero(0) ? analysis::kUnset : size;
}

std::vector<ComparisonRow> comparison(const StudyResult& result) {
  std::vector<ComparisonRow> rows;
  for (const auto& outcome : result.outcomes) outcome.spec.kind->compare(result, outcome, rows);
  return rows;
}

}  // namespace archway::study
