#include <cmath>
#include <set>

#include <fmt/format.h>

#include "analyses/path_detail.hpp"
#include "archway/study/comparison.hpp"

/// What happened on a path beside yield, loss of stability and peak: rows of the closing table.
namespace archway::study::detail {

namespace {
using analysis::Increment;

ComparisonRow row_at(const AnalysisOutcome& outcome, const Increment& i, std::string meaning, std::string note) {
  ComparisonRow row = row_of(outcome);
  row.meaning = std::move(meaning);
  row.note = std::move(note);
  row.load_factor = i.load_factor;
  row.displacement = i.largest_displacement;
  row.stage = i.stage;
  return row;
}

/// The first increment in which something touches each obstacle, or another part, that did not from the beginning.
void add_first_contact(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& list = outcome.path->increments;
  std::set<std::string> seen;
  for (std::size_t k = 0; k < list.size(); ++k)
    for (const auto& c : list[k].contacts) {
      const std::string where = analysis::name_of(*outcome.model, c);
      if (c.touching == 0 || !seen.insert(where).second || k == 0) continue;
      const bool is_located = list[k - 1].event == analysis::PathEvent::touch;
      add_row(result, outcome,
              row_at(outcome, list[is_located ? k - 1 : k], "first contact",
                     is_located ? fmt::format("'{}'", where)
                                : fmt::format("'{}', between load factors {:.5g} and {:.5g}", where,
                                              list[k - 1].load_factor, list[k].load_factor)),
              rows);
    }
}

void add_first_slack(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& parts = outcome.model->parts;
  const auto& list = outcome.path->increments;
  for (std::size_t k = 1; k < list.size(); ++k)
    for (std::size_t p = 0; p < parts.size(); ++p)
      if (parts[p].tension_only && list[k - 1].peaks[p].axial_high > 0 && !(list[k].peaks[p].axial_high > 0)) {
        add_row(result, outcome,
                row_at(outcome, list[k], "first slack", fmt::format("tension-only bar '{}'", parts[p].name)), rows);
        return;
      }
}

/// How the structure got there, where it was a motion in time.
std::string motion_text(const AnalysisOutcome& outcome, const Increment& i) {
  for (const auto& swing : outcome.path->swings)
    if (swing.increment == i.number)
      return fmt::format(
          "; at rest after {:.3g} s in {} steps of time, {:.3g} of critical damping at {:.3g} Hz, largest "
          "displacement on the way {:.4g}",
          swing.seconds, swing.steps, swing.damping, swing.frequency, swing.largest_displacement);
  return "";
}

/// States that the path did not reach by small steps.
void add_jumps(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& list = outcome.path->increments;
  for (std::size_t k = 1; k < list.size(); ++k)
    if (list[k].event == analysis::PathEvent::jump)
      add_row(result, outcome,
              row_at(outcome, list[k], "jump",
                     fmt::format("to another state, from load factor {:.5g} (increment {}){}", list[k - 1].load_factor,
                                 list[k - 1].number, motion_text(outcome, list[k]))),
              rows);
}

/// States of equilibrium beside the path, the one of lowest potential first at each load.
void add_other_states(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  if (!outcome.other_states) return;
  const auto& found = *outcome.other_states;
  const auto& units = result.spec.units;
  if (found.states.empty()) {
    ComparisonRow row = row_of(outcome);
    row.meaning = "other states";
    row.note =
        found.message.empty() ? fmt::format("none found from {} starts", found.starts) : "not sought: " + found.message;
    return add_row(result, outcome, std::move(row), rows);
  }
  for (const auto& other : found.states) {
    const auto& own = outcome.path->increments[static_cast<std::size_t>(other.beside)];
    const double path_has = found.potentials[static_cast<std::size_t>(other.beside)];
    std::string note = fmt::format("{}; {:.4g} {} from increment {}",
                                   other.stable() ? "stable"
                                                  : fmt::format("{} unstable direction{}", other.state.negative_pivots,
                                                                other.state.negative_pivots == 1 ? "" : "s"),
                                   other.distance, units.length, own.number);
    if (std::isfinite(other.potential) && std::isfinite(path_has))
      note += fmt::format("; potential energy {:.5g}, there {:.5g} {} {}", other.potential, path_has, units.force,
                          units.length);
    add_row(result, outcome, row_at(outcome, other.state, "other state", std::move(note)), rows);
  }
}

/// The peak of a reaction that is watched: of paths led by a displacement it is the load that the structure carries.
void add_largest_reactions(const StudyResult& result, const AnalysisOutcome& outcome,
                           std::vector<ComparisonRow>& rows) {
  using Kind = analysis::WatchPoint::Kind;
  const auto& list = outcome.path->increments;
  const auto& units = result.spec.units;
  for (std::size_t w = 0; w < outcome.watch.size(); ++w) {
    const bool moment = outcome.watch[w].kind == Kind::reaction_moment;
    if (outcome.watch[w].kind != Kind::reaction && !moment) continue;
    const Increment* most = nullptr;
    for (const auto& i : list)
      if (most == nullptr || std::abs(i.watched[w]) > std::abs(most->watched[w]) * (1 + 1e-9)) most = &i;
    if (most == nullptr || most->watched[w] == 0.0) continue;
    add_row(result, outcome,
            row_at(outcome, *most,
                   fmt::format("{} of '{}'", most == &list.back() ? "largest" : "peak", outcome.watch[w].name),
                   fmt::format("{:.5g} {}", most->watched[w], moment ? units.moment() : units.force)),
            rows);
  }
}
}  // namespace

void add_path_events(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  add_first_contact(result, outcome, rows);
  add_first_slack(result, outcome, rows);
  add_jumps(result, outcome, rows);
  add_other_states(result, outcome, rows);
  add_largest_reactions(result, outcome, rows);
}

}  // namespace archway::study::detail
