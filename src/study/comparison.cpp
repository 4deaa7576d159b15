#include "archway/study/comparison.hpp"

#include <cmath>

#include <fmt/format.h>

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

namespace {
class Table {
 public:
  explicit Table(const StudyResult& result) : result_(result) {}

  ComparisonRow row_of(const AnalysisOutcome& outcome) const {
    ComparisonRow row;
    row.analysis = outcome.spec.name;
    row.kind = to_text(outcome.spec.kind);
    row.held_force = outcome.held_total.force.norm();
    row.growing_force = outcome.growing_total.force.norm();
    return row;
  }

  /// Adds what follows from the load factor.
  void add(const AnalysisOutcome& outcome, ComparisonRow row) {
    row.force = total_load(outcome, row.load_factor);
    if (!std::isfinite(row.ratio))
      row.ratio = row.load_factor / (outcome.buckling ? row.load_factor : critical_factor(result_, outcome.spec));
    if (const auto other = to_text(outcome.spec.variant); !other.empty())
      row.note = other + (row.note.empty() ? "" : "; ") + row.note;
    rows_.push_back(std::move(row));
  }

  std::vector<ComparisonRow> run() {
    for (const auto& outcome : result_.outcomes) {
      if (!outcome.buckling && !outcome.path) continue;
      if (outcome.path) add_losses(outcome, *outcome.path);
      ComparisonRow row = row_of(outcome);
      if (outcome.buckling)
        fill(row, *outcome.buckling);
      else
        fill(row, *outcome.path);
      add(outcome, std::move(row));
      if (outcome.buckling) add_verdicts(outcome);
      for (const auto& h : result_.hand_checks)
        if (h.spec.of == outcome.spec.name) add_hand_check(outcome, h);
    }
    return std::move(rows_);
  }

  /// First yield, and the first loss of stability where it comes before the peak.
  void add_losses(const AnalysisOutcome& outcome, const analysis::PathResult& r) {
    if (r.first_yield.part >= 0) {
      ComparisonRow row = row_of(outcome);
      row.meaning = "first yield (elastic stress)";
      row.load_factor = r.first_yield.load_factor;
      row.note = fmt::format("in '{}'", outcome.model->parts[static_cast<std::size_t>(r.first_yield.part)].name);
      add(outcome, std::move(row));
    }
    if (r.first_loss < 0 || (r.peak_is_limit_point && r.first_loss == r.peak)) return;
    const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
    ComparisonRow row = row_of(outcome);
    row.meaning = r.unsymmetric ? "stability not proved from here"
                                : fmt::format("first loss of stability ({})", analysis::to_text(loss.event));
    if (r.unsymmetric) row.note = "loads make the tangent unsymmetric";
    row.load_factor = loss.load_factor;
    row.movement = loss.largest_movement;
    add(outcome, std::move(row));
  }

  void add_verdicts(const AnalysisOutcome& outcome) {
    for (const auto& v : outcome.verdicts) {
      ComparisonRow row = row_of(outcome);
      row.meaning = fmt::format("required for {}", v.group);
      row.load_factor = v.required;
      row.note = v.met ? "passed" : v.shown ? fmt::format("FAILED: {:.6g}", v.load_factor) : "FAILED: not shown";
      add(outcome, std::move(row));
    }
  }

  void add_hand_check(const AnalysisOutcome& outcome, const HandCheck& h) {
    ComparisonRow row = row_of(outcome);
    row.kind = "theory";
    row.meaning = fmt::format("{}, mode {}", h.spec.formula, h.spec.mode);
    row.load_factor = h.load_factor;
    row.ratio = 1 / (1 + h.deviation);
    row.note = h.note.empty() ? fmt::format("LBA is {:+.2f} %", 100 * h.deviation) : "not comparable";
    add(outcome, std::move(row));
  }

  static void fill(ComparisonRow& row, const analysis::BucklingResult& r) {
    row.meaning = "critical, mode 1";
    if (!r.modes.empty()) row.load_factor = r.modes[0].load_factor;
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
  }

  static void fill(ComparisonRow& row, const analysis::PathResult& r) {
    const bool past = r.peak_is_unstable();
    row.meaning = r.peak_is_limit_point ? past ? "peak of the unstable path" : "peak (limit point)"
                  : past                ? "largest reached, unstable"
                                        : "largest reached";
    row.load_factor = r.peak_load_factor;
    if (r.peak >= 0) row.movement = r.increments[static_cast<std::size_t>(r.peak)].largest_movement;
    if (past) row.note = "the structure has left this path before";
    if (!r.usable()) row.note = analysis::to_text(r.ending);
  }

  const StudyResult& result_;
  std::vector<ComparisonRow> rows_;
};
}  // namespace

std::vector<ComparisonRow> comparison(const StudyResult& result) {
  return Table(result).run();
}

}  // namespace archway::study
