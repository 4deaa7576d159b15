#include "archway/study/summary.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/analysis_kind.hpp"
#include "archway/study/verdicts.hpp"

namespace archway::study {

namespace {
/// Three digits more than the error of the mesh has, three at least and five at most.
std::string by_error(double value, double error) {
  const int digits = error > 0 ? std::clamp(2 - static_cast<int>(std::floor(std::log10(error))), 3, 5) : 5;
  return fmt::format("{:.{}g}", value, digits);
}

class Summary {
 public:
  explicit Summary(const StudyResult& result) : result_(result) {}

  std::vector<SummaryLine> all() {
    for (const auto& f : result_.load_findings) add(Carried::no, f.analysis, f.text);
    for (const auto& o : result_.outcomes) {
      for (const auto& v : o.verdicts) requirement(o, v);
      outcome(o);
    }
    for (const auto& h : result_.hand_checks)
      if (h.failed)
        add(Carried::no, h.spec.of,
            fmt::format("hand check '{}': the analysis is {:.4g} times the formula", h.spec.formula, 1 + h.deviation));
    std::stable_sort(lines_.begin(), lines_.end(), [](const auto& a, const auto& b) { return a.carried < b.carried; });
    return std::move(lines_);
  }

 private:
  void add(Carried carried, const std::string& analysis, std::string text) {
    const auto* o = result_.find(analysis);
    lines_.push_back({carried, analysis, o == nullptr ? "" : o->spec.kind->word(), std::move(text)});
  }

  /// An analysis whose load is refuted above says its numbers without a mark of its own being better than that.
  Carried at_best(const AnalysisOutcome& o) const {
    for (const auto& f : result_.load_findings)
      if (f.analysis == o.spec.name) return Carried::no;
    return Carried::not_contradicted;
  }

  void requirement(const AnalysisOutcome& o, const RequirementVerdict& v) {
    const std::string found = v.mode < 0 ? "no mode found below it"
                                         : fmt::format("{:.4g} in mode {} of '{}'", v.load_factor, v.mode + 1, v.part);
    add(v.met ? Carried::not_contradicted : Carried::no, o.spec.name,
        fmt::format("required critical load factor {:.4g} for {}: {}", v.required, v.group, found));
  }

  void outcome(const AnalysisOutcome& o) {
    if (o.skipped) return add(Carried::not_answered, o.spec.name, "not done: " + o.skip_reason);
    if (o.buckling) return buckling(o);
    if (o.path) return path(o);
    if (o.linear && !o.linear->usable()) add(Carried::not_answered, o.spec.name, o.linear->message);
  }

  void buckling(const AnalysisOutcome& o) {
    const auto& r = *o.buckling;
    if (!r.usable()) return add(Carried::not_answered, o.spec.name, r.message);
    if (r.modes.empty()) return add(at_best(o), o.spec.name, "no positive critical load factor");
    const double error = o.readings.empty() ? 0 : o.readings[0].mesh_error;
    std::string text = fmt::format("lowest critical load factor {}", by_error(r.modes[0].load_factor, error));
    if (error > 0) text += fmt::format(" (mesh error {:.1g} %)", 100 * error);
    if (o.in_place) text += fmt::format(", beyond increment {} of '{}'", o.spec.increment, o.spec.source);
    if (!o.readings.empty()) text += fmt::format(": {}", mode_in_words(*o.geometry, o.readings[0]));
    if (o.one_sided && o.one_sided->found)
      text += fmt::format("; with one-sided supports {:.4g}", o.one_sided->load_factor);
    if (!r.complete()) text += "; not proved that no lower mode exists";
    // elastic theory says nothing of a load at which the material has yielded
    const bool yields = o.base && o.base->yield.part >= 0 && o.base->yield.load_factor < 1;
    if (yields)
      text += fmt::format("; but the stress of '{}' reaches yield at {:.4g}, below the load as given",
                          o.model->parts[static_cast<std::size_t>(o.base->yield.part)].name, o.base->yield.load_factor);
    add(r.complete() && !yields ? at_best(o) : std::min(at_best(o), Carried::not_answered), o.spec.name,
        std::move(text));
  }

  void path(const AnalysisOutcome& o) {
    std::string peak, before;
    bool certain = o.path->usable();
    double reached = -HUGE_VAL;
    for (const auto& row : result_.comparison) {
      if (row.analysis != o.spec.name) continue;
      const bool is_peak = row.meaning.find("peak") == 0 || row.meaning == "plastic limit load" ||
                           row.meaning.find("largest reached") == 0;
      if (is_peak && peak.empty()) {
        peak = fmt::format("{} at load factor {:.5g}", row.meaning, row.load_factor);
        if (std::isfinite(row.ratio)) peak += fmt::format(", {:.3g} of the critical load", row.ratio);
        if (!row.note.empty()) peak += fmt::format(" ({})", row.note);
        certain = certain && row.note.empty();
        reached = row.load_factor;
      } else if (row.meaning.find("first yield") == 0 || row.meaning.find("first loss") == 0) {
        before += fmt::format("; {} at {:.5g}{}", row.meaning, row.load_factor, row.note.empty() ? "" : " " + row.note);
      }
    }
    if (peak.empty()) peak = certain ? "ended: " + o.path->stop_reason : o.path->message;
    const auto& first = o.path->first_yield;
    if (!o.spec.kind->yields() && first.part >= 0 && first.load_factor < 1) {
      certain = false;  // an elastic path beyond yield is too strong
      before += ", below the load as given: an elastic path is too strong beyond it";
    }
    // a path that was stopped below the load as given answers nothing
    const bool answers = certain && (reached >= 1 || o.path->peak_is_limit_point || o.stage_totals.size() > 1);
    add(answers ? at_best(o) : std::min(at_best(o), Carried::not_answered), o.spec.name, peak + before);
  }

  const StudyResult& result_;
  std::vector<SummaryLine> lines_;
};
}  // namespace

std::vector<SummaryLine> summary(const StudyResult& result) {
  return Summary(result).all();
}

Carried carried(const StudyResult& result) {
  auto worst = Carried::not_contradicted;
  bool any = false;
  for (const auto& line : summary(result)) {
    worst = std::min(worst, line.carried);
    any = true;
  }
  return any ? worst : Carried::not_answered;
}

const char* to_text(Carried carried) {
  switch (carried) {
    case Carried::no:
      return "no";
    case Carried::not_answered:
      return "not answered";
    case Carried::not_contradicted:
      return "not contradicted";
  }
  return "";
}

}  // namespace archway::study
