#include <algorithm>
#include <cmath>
#include <optional>

#include <fmt/format.h>

#include "analyses/path_detail.hpp"
#include "archway/analysis/path_rules.hpp"

namespace archway::study::detail {

namespace {
/// Plastic strain up to which thicknesses, taken as they were at first, leave bending within some per cent.
constexpr double kLargeStrain = 0.1;

double most_used(const analysis::PathResult& r) {
  double most = 0;
  for (const auto& i : r.increments) most = std::max(most, i.utilisation);
  return most;
}

void advise_on_flow(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& increments = outcome.path->increments;
  const auto beyond =
      std::find_if(increments.begin(), increments.end(), [](const auto& i) { return i.plastic_strain > kLargeStrain; });
  if (beyond != increments.end())
    list.push_back(fmt::format(
        "from load factor {:.5g} on (increment {}) plastic strains are above {:.0f} %: walls bend as thick and "
        "sections "
        "as large as they were at first, and few materials go so far: take what comes later as a sign, not as a number",
        beyond->load_factor, beyond->number, 100 * kLargeStrain));
}

/// Where a path could not go on.
std::string stuck_text(const analysis::StuckAt& stuck, const model::Model& model) {
  if (stuck.node < 0) return "";
  Vec3 x = stuck.place;
  for (int k = 0; k < 3; ++k)
    if (std::abs(x[k]) < 1e-9 * model.size()) x[k] = 0;  // rounding is no place
  std::string text = fmt::format("; the residual is is largest at ({:.5g}, {:.5g}, {:.5g})", x.x(), x.y(), x.z());
  if (stuck.part >= 0) text += fmt::format(" in '{}'", model.parts[static_cast<std::size_t>(stuck.part)].name);
  return text + fmt::format(", {:.2g}, which is {:.2g} % of all of it", stuck.force, 100 * stuck.share);
}
/// Parts that pass through each other, on the path and on the branches that leave it.
void advise_on_crossings(const AnalysisOutcome& outcome, const analysis::PathResult& r, const std::string& of,
                         std::vector<std::string>& list) {
  for (const auto& c : r.crossings) {
    const auto name = [&](int part) {
      return part < 0 ? std::string("springs") : outcome.model->parts[static_cast<std::size_t>(part)].name;
    };
    list.push_back(fmt::format(
        "at increment {}{} (load factor {:.4g}) {} near ({:.4g}, {:.4g}, {:.4g}), which nothing keeps apart: beyond "
        "that "
        "the "
        "path is not that of a real structure{}",
        c.increment, of, r.increments[static_cast<std::size_t>(c.increment)].load_factor,
        c.part == c.other ? fmt::format("'{}' passes through itself", name(c.part))
                          : fmt::format("'{}' and '{}' pass through each other", name(c.part), name(c.other)),
        c.place.x(), c.place.y(), c.place.z(), c.increment <= r.peak ? ", its peak among it" : ""));
  }
  for (const auto& branch : r.branches)
    advise_on_crossings(outcome, *branch.path, fmt::format(" of the branch from increment {}{}", branch.increment, of),
                        list);
}

/// What contact took for touching although it lay inside of each other.
void advise_on_overlaps(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& increments = outcome.path->increments;
  for (std::size_t c = 0; !increments.empty() && c < increments.front().contacts.size(); ++c) {
    double most = 0;
    const analysis::Increment* where = nullptr;
    for (const auto& i : increments)
      if (i.contacts[c].overlap > most * (1 + 1e-9)) most = i.contacts[c].overlap, where = &i;
    if (where == nullptr) continue;
    list.push_back(
        fmt::format("contact '{}': faces came into view of each other that lay inside of one another by up to {:.2g} "
                    "(increment {}, "
                    "load factor {:.5g}): from the side, or in a fold that is tighter than its walls are thick. They "
                    "touch there as "
                    "they are, and that much is missing between them; with a finer mesh it is less",
                    analysis::name_of(*outcome.model, where->contacts[c]), most, where->number, where->load_factor));
  }
}
/// Tension-only bars that lose their tension on the way, or never have any.
void advise_on_slack(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& parts = outcome.model->parts;
  std::vector<std::string> going, never;
  for (std::size_t p = 0; p < parts.size(); ++p) {
    if (!parts[p].tension_only) continue;
    const analysis::Increment* slack = nullptr;
    bool taut = false;
    for (const auto& i : outcome.path->increments) {
      const bool carries = i.peaks[p].axial_high > 0;
      if (taut && !carries && slack == nullptr) slack = &i;
      taut = taut || carries;
    }
    if (slack != nullptr)
      going.push_back(
          fmt::format("'{}' at load factor {:.4g} (increment {})", parts[p].name, slack->load_factor, slack->number));
    else if (!taut)
      never.push_back(fmt::format("'{}'", parts[p].name));
  }
  constexpr std::size_t kMost = 6;
  const auto some = [](std::vector<std::string> names) {
    const std::size_t more = names.size() > kMost ? names.size() - kMost : 0;
    names.resize(names.size() - more);
    return fmt::format("{}{}", fmt::join(names, ", "), more > 0 ? fmt::format(" and {} more", more) : "");
  };
  if (!going.empty()) list.push_back("tension-only bars go slack: " + some(going));
  if (!never.empty()) list.push_back("tension-only bars are slack all along the path: " + some(never));
}

/// A stop rule of a displacement has a sign.
void advise_on_sense(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& r = *outcome.path;
  const auto say = [&](const StopSpec& stop) {
    for (std::size_t w = 0; w < outcome.watch.size() && !r.increments.empty(); ++w) {
      if (outcome.watch[w].name != stop.watch || stop.displacement == 0.0) continue;
      const double last = r.increments.back().watched[w];
      if (last / stop.displacement < -1)
        list.push_back(
            fmt::format("'{}' was to stop the path at {:.5g} and has moved in the opposite direction, to {:.5g}: give "
                        "value = {:.5g}, or reverse its direction",
                        stop.watch, stop.displacement, last, -stop.displacement));
    }
  };
  if (outcome.spec.stages.empty()) say(outcome.spec.stop);
  for (const auto& stage : outcome.spec.stages) say(stage.stop);
}

/// Work of the loads beside what is stored and dissipated: what is left are errors of the steps.
void advise_on_energy(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  constexpr double kShare = 0.05;
  const auto& r = *outcome.path;
  if (r.increments.empty()) return;
  double most = 0;
  for (const auto& i : r.increments) most = std::max({most, std::abs(i.external_work), i.dissipated_energy});
  const double gap = std::abs(r.increments.back().energy_gap);
  if (std::isfinite(gap) && gap > kShare * most)
    list.push_back(
        fmt::format("the work of the loads and the energy of the structure differ by {:.2g} % at the end: "
                    "the steps were too large for the path; give a smaller largest_step",
                    100 * gap / most));
}
}  // namespace

void advise_on_path(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& r = *outcome.path;
  if (std::isfinite(r.first_attempt))
    list.push_back(fmt::format(
        "a first attempt could not be continued beyond load factor {:.5g}: this path was followed with steps "
        "an eighth as long, from its beginning",
        r.first_attempt));
  if (outcome.imperfection) {
    constexpr double large = 0.05;
    const auto& model = *outcome.model;
    if (outcome.imperfection->largest > large * model.size())
      list.push_back(
          fmt::format("the imperfection is {:.3g} times as large as the structure: is its amplitude in another unit?",
                      outcome.imperfection->largest / model.size()));
  }
  if (outcome.spec.kind->yields()) {
    if (!outcome.spec.kind->small_displacements()) advise_on_flow(outcome, list);
  } else if (r.first_yield.part >= 0 && !r.increments.empty() && std::isfinite(r.peak_load_factor)) {
    list.push_back(
        fmt::format("the elastic stress of '{}' reaches yield at load factor {:.5g}: beyond it this path, which "
                    "is elastic, is too strong (largest stress so far {:.3g} times yield)",
                    outcome.model->parts[static_cast<std::size_t>(r.first_yield.part)].name, r.first_yield.load_factor,
                    most_used(r)));
  }
  if (r.first_loss >= 0) {
    const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
    if (r.unsymmetric)
      list.push_back(fmt::format(
          "moments that keep their axes (or pressure at free edges) make the tangent unsymmetric: at load factor {} "
          "its "
          "symmetric part stops being positive, which neither proves nor excludes a loss of stability under such loads",
          analysis::place_text(loss)));
    else if (r.branched)
      list.push_back(fmt::format(
          "at the bifurcation at load factor {} the path left the primary way along the mode that loses its stability "
          "there: one of the ways that the structure may take, the other has the signs reversed",
          analysis::place_text(loss)));
    else if (loss.event == analysis::PathEvent::bifurcation)
      list.push_back(fmt::format(
          "the path passed a bifurcation at load factor {} and went on along the primary path, which is unstable "
          "from there: the structure would leave it. Seed an imperfection to see where it goes, or give at_bifurcation "
          "= \"branch\"",
          analysis::place_text(loss)));
  }
  for (const auto& point : r.critical_points)
    if (point.meets && r.branched) {
      const auto at = static_cast<std::size_t>(point.increment);
      list.push_back(fmt::format(
          "at load factor {} (increment {}) the path meets another one and went on along {}",
          analysis::place_text(r.increments[at]), point.increment,
          at + 1 < r.increments.size() && r.increments[at + 1].negative_pivots < r.increments[at].negative_pivots
              ? "that, which is stable or less unstable"
              : "its own mirror image, since neither way of the other is less unstable"));
    }
  advise_on_crossings(outcome, r, "", list);
  advise_on_overlaps(outcome, list);
  advise_on_slack(outcome, list);
  advise_on_sense(outcome, list);
  for (const auto& change : r.control_changes)
    list.push_back(fmt::format(
        "from increment {} on the path is controlled by {}: the control before found no further equilibrium",
        change.increment,
        change.control == analysis::PathControl::arc_length ? "arc length"
        : change.control == analysis::PathControl::load     ? "the load"
                                                            : fmt::format("a displacement ('{}')", change.lead)));
  advise_on_energy(outcome, list);
  for (const auto& point : r.critical_points)
    if (point.multiplicity > 1)
      list.push_back(fmt::format(
          "at load factor {} {} directions lose their stability together: which of them the "
          "structure takes hangs on its imperfections",
          analysis::place_text(r.increments[static_cast<std::size_t>(point.increment)]), point.multiplicity));
  const auto& stages = outcome.spec.stages;
  const bool led_to = !stages.empty() && stages.back().to;
  if (r.usable() && !led_to && !r.peak_is_limit_point && !r.levels_off && (r.first_loss < 0 || r.unsymmetric))
    list.push_back(
        "no peak was passed: the largest load factor reached is where the analysis stopped, not a collapse load");
  if (!r.usable()) list.push_back(r.message + stuck_text(r.stuck, *outcome.model));
}

namespace {
int stage_of(const AnalysisOutcome& outcome, int increment) {
  return outcome.path->increments[static_cast<std::size_t>(increment)].stage;
}

/// First yield, and the first loss of stability where it comes before the peak.
void add_losses(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& r = *outcome.path;
  if (r.first_yield.part >= 0) {
    ComparisonRow row = row_of(outcome);
    row.meaning = outcome.spec.kind->yields() ? "first yield" : "first yield (elastic stress)";
    row.load_factor = r.first_yield.load_factor;
    row.note = fmt::format("in '{}'", outcome.model->parts[static_cast<std::size_t>(r.first_yield.part)].name);
    row.stage = stage_of(outcome, r.first_yield.increment);
    add_row(result, outcome, std::move(row), rows);
  }
  if (r.first_loss < 0 || (r.peak_is_limit_point && r.first_loss == r.peak)) return;
  const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
  ComparisonRow row = row_of(outcome);
  row.meaning = r.unsymmetric ? "stability not proved from here"
                              : fmt::format("first loss of stability ({})", analysis::to_text(loss.event));
  if (r.unsymmetric) row.note = "loads make the tangent unsymmetric";
  row.load_factor = loss.load_factor;
  row.displacement = loss.largest_displacement;
  row.stage = loss.stage;
  add_row(result, outcome, std::move(row), rows);
}

/// Why a peak, or the largest load reached, may not be the load at which the structure collapses.
std::string doubt_about_peak(const analysis::PathResult& r) {
  if (!r.usable()) return analysis::to_text(r.ending);
  if (r.peak_is_unstable()) return "the structure has left this path before";
  constexpr double kHigher = 1e-3;
  double highest = r.peak_load_factor;
  for (const auto& i : r.increments) highest = std::max(highest, i.load_factor);
  if (r.peak_is_limit_point && highest > r.peak_load_factor + kHigher * std::abs(r.peak_load_factor))
    return fmt::format("local: the path reaches {:.5g} later", highest);
  if (!r.peak_is_limit_point && r.stop_reason.find("seconds it may take") != std::string::npos)
    return "ended by its time limit, not by a peak";
  return "";
}

ComparisonRow peak_row(const AnalysisOutcome& outcome) {
  const auto& r = *outcome.path;
  ComparisonRow row = row_of(outcome);
  const bool past = r.peak_is_unstable();
  row.meaning = r.levels_off            ? "plastic limit load"
                : r.peak_is_limit_point ? past ? "peak of the unstable path" : "peak (limit point)"
                : past                  ? "largest reached, unstable"
                                        : "largest reached";
  row.load_factor = r.peak_load_factor;
  if (r.peak >= 0) row.displacement = r.increments[static_cast<std::size_t>(r.peak)].largest_displacement;
  row.note = doubt_about_peak(r);
  return row;
}

}  // namespace

namespace {
/// What every stage came to, where there are several.
void add_stages(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& r = *outcome.path;
  for (const auto& stage : r.stages) {
    if (stage.last < stage.first) continue;
    const bool peaks = stage.peak_is_limit_point && stage.peak >= 0;
    for (const int number : peaks ? std::vector<int>{stage.peak, stage.last} : std::vector<int>{stage.last}) {
      const auto& i = r.increments[static_cast<std::size_t>(number)];
      ComparisonRow row = row_of(outcome);
      row.meaning = fmt::format("stage {}: {}", stage.name, number == stage.last ? "end" : "peak (limit point)");
      row.load_factor = i.load_factor;
      row.displacement = i.largest_displacement;
      row.note = fmt::format("of '{}'", stage.load);
      row.stage = i.stage;
      add_row(result, outcome, std::move(row), rows);
    }
  }
}

void add_strain_limits(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  for (const auto& limit : outcome.spec.strain_limits) {
    const auto check = check_strain_limit(outcome, limit);
    ComparisonRow row = row_of(outcome);
    row.meaning = fmt::format("plastic strain {:.3g} % in {}", 100 * limit.plastic_strain,
                              limit.parts.empty() ? "any part" : fmt::format("{}", fmt::join(limit.parts, ", ")));
    if (check.increment >= 0) {
      const auto& here = outcome.path->increments[static_cast<std::size_t>(check.increment)];
      row.load_factor = check.load_factor;
      row.displacement = here.largest_displacement;
      row.stage = here.stage;
    }
    row.note = check.increment >= 0
                   ? outcome.path->peak >= 0 && check.increment > outcome.path->peak ? "beyond the peak" : ""
                   : fmt::format("not reached: at most {:.3g} %", 100 * check.largest);
    if (limit.required_factor > 0)
      row.note += fmt::format("{}{} for load factor {:.5g}", row.note.empty() ? "" : "; ",
                              check.met ? "passed" : "FAILED", limit.required_factor);
    add_row(result, outcome, std::move(row), rows);
  }
}

/// Where a displacement that was asked for is first reached.
void add_displacements(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  for (const auto& [name, value] : outcome.spec.output_displacements)
    for (std::size_t w = 0; w < outcome.watch.size(); ++w) {
      if (outcome.watch[w].name != name) continue;
      ComparisonRow row = row_of(outcome);
      row.meaning = fmt::format("'{}' {} {:.5g}", name, outcome.watch[w].of_nodes() ? "moves" : "reads", value);
      row.note = "not reached";
      for (const auto& i : outcome.path->increments) {
        if (std::abs(i.watched[w] - value) > 2 * analysis::kLocated * std::abs(value)) continue;
        row.load_factor = i.load_factor;
        row.displacement = i.largest_displacement;
        row.stage = i.stage;
        row.note = "";
        break;
      }
      add_row(result, outcome, std::move(row), rows);
    }
}

/// Where the tangent stiffness of the load against a watch has fallen to half of its first value, by the chords between
/// increments: nothing that comes later moves it. Load factor and displacement of the watch; none: it does not.
std::optional<std::pair<double, double>> half_stiffness(const analysis::PathResult& r, std::size_t watch) {
  constexpr double kMoves = 1e-6;  // of the displacement at the peak: less at first is no stiffness
  const auto at = [&](int k) { return r.increments[static_cast<std::size_t>(k)].watched[watch]; };
  const auto load = [&](int k) { return r.increments[static_cast<std::size_t>(k)].load_factor; };
  if (r.peak < 3 || !(std::abs(at(1) - at(0)) > kMoves * std::abs(at(r.peak)))) return std::nullopt;
  const auto chord = [&](int k) { return (load(k) - load(k - 1)) / (at(k) - at(k - 1)); };
  const auto middle_of = [&](int k) { return 0.5 * (at(k) + at(k - 1)); };
  // at the start by the first two chords, in a straight line: the first is of its middle
  const double bend = (chord(2) - chord(1)) / (middle_of(2) - middle_of(1));
  const double first = at(2) != at(1) ? chord(1) - bend * (middle_of(1) - at(0)) : chord(1);
  double before = chord(1) / first, place = middle_of(1);
  for (int k = 2; k <= r.peak; ++k) {
    const double moved = at(k) - at(k - 1);
    if (moved == 0.0) continue;
    const double now = chord(k) / first, middle = middle_of(k);
    if (now <= 0.5) {
      const double there = place + (before - 0.5) / (before - now) * (middle - place);
      const int from = (there - at(k - 1)) * moved < 0 ? k - 2 : k - 1;
      const double share = (there - at(from)) / (at(from + 1) - at(from));
      return std::pair(load(from) + share * (load(from + 1) - load(from)), there);
    }
    before = now, place = middle;
  }
  return std::nullopt;
}

/// The knee of the first watch that has one.
void add_knee(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& r = *outcome.path;
  if (r.stages.size() > 1) return;
  for (std::size_t w = 0; w < outcome.watch.size(); ++w) {
    if (!outcome.watch[w].of_nodes()) continue;  // of displacements, rotations and distances
    const auto knee = half_stiffness(r, w);
    if (!knee) continue;
    ComparisonRow row = row_of(outcome);
    row.meaning = fmt::format("knee of '{}'", outcome.watch[w].name);
    row.load_factor = knee->first;
    row.displacement = std::abs(knee->second);
    row.note = "tangent stiffness half of the first";
    add_row(result, outcome, std::move(row), rows);
    return;
  }
}
}  // namespace

void total_stages(Run& run, AnalysisOutcome& outcome) {
  if (outcome.path->stages.size() < 2) return;
  const auto state = elements::State::reference(*run.stage.model);
  const auto& system = run.system(outcome, "variable");
  for (const auto& stage : outcome.path->stages)
    outcome.stage_totals.emplace_back(system.resultant(system.factors(stage.constant), state),
                                      system.resultant(system.factors(stage.variable), state));
}

void compare_path(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  add_losses(result, outcome, rows);
  add_knee(result, outcome, rows);
  if (outcome.path->stages.size() > 1)
    add_stages(result, outcome, rows);
  else {
    add_row(result, outcome, peak_row(outcome), rows);
    // where a path was stopped says nothing of what the structure carries: no share of the linear load
    if (!outcome.path->peak_is_limit_point && !outcome.path->levels_off) rows.back().ratio = analysis::kUnset;
  }
  add_path_events(result, outcome, rows);
  for (const auto& p : outcome.plies) {
    ComparisonRow row = row_of(outcome);
    row.meaning = fmt::format("first ply failure ({})", p.tsai_hill ? "Tsai-Hill" : "maximum stress");
    row.load_factor = p.load_factor;
    row.note = fmt::format("in '{}', ply {}{}", p.part, p.ply,
                           std::isfinite(p.load_factor) ? "" : fmt::format(": not reached, used to {:.3g}", p.use));
    add_row(result, outcome, std::move(row), rows);
  }
  add_strain_limits(result, outcome, rows);
  add_displacements(result, outcome, rows);
}

}  // namespace archway::study::detail
