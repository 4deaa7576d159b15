#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/analysis/small_movements.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/yielding.hpp"
#include "imperfections/imperfection_detail.hpp"
#include "names_detail.hpp"
#include "run_detail.hpp"

namespace archway::study {

namespace {
/// An MNA without stop rules ends where the load changes by so little while the structure moves on by half.
constexpr double kStandsStill = 1e-4;
/// ... or where hardening would carry it on for ever: the strain limit of EN 1993-1-5 C.8.
constexpr double kLimitStrain = 0.05;
/// Strain up to which stresses of walls and solids, whose strains are not the engineering ones, stay within some four
/// per cent of the curve.
constexpr double kLargeStrain = 0.02;

/// A path without stop rules ends after a clear peak: so far down, or so many increments beyond it.
constexpr double kClearDrop = 0.85;
constexpr int kClearIncrements = 15;

void read_branching(Keys& keys, AnalysisSpec& a) {
  using analysis::Branching;
  static const std::vector<std::string> words = {"go-on", "branch", "branch-reversed"};
  static const std::vector<Branching> ways = {Branching::primary, Branching::branch, Branching::branch_reversed};
  if (keys.has("at_bifurcation")) a.at_bifurcation = ways[keys.choice("at_bifurcation", words, "")];
  if (a.at_bifurcation != Branching::primary && !a.arc_length)
    keys.complain(keys.place("at_bifurcation"), "a branch is followed by arc length only",
                  "leave out control = \"load\"");
}

void read_stop(Keys& s, StopSpec& stop) {
  stop = {};
  stop.given = true;
  stop.load_factor = s.number("load_factor", 0.0);
  stop.watch = s.text("watch", "");
  stop.plastic_strain = s.number("plastic_strain", 0.0);
  stop.movement = stop.watch.empty() ? 0 : s.number("movement");
  if (s.has("movement") && stop.watch.empty())
    s.complain(s.place("movement"), "'movement' needs the point that moves", "add watch = \"...\"");
  for (const auto& [key, value] : {std::pair("load_factor", stop.load_factor), std::pair("movement", stop.movement),
                                   std::pair("plastic_strain", stop.plastic_strain)})
    if (s.has(key) && !(value > 0))
      s.complain(s.place(key), fmt::format("'{}' is {}", key, value), "a stop rule must be above zero");
  stop.at_loss = s.flag("first_loss", false);
  stop.drop = s.number("drop", 0.0);
  if (stop.drop < 0 || stop.drop >= 1)
    s.complain(s.place("drop"), "'drop' is a share of the peak", "give a number between 0 and 1");
  stop.increments = s.whole("increments", 100);
  if (stop.increments < 1) s.complain(s.place("increments"), "'increments' must be at least 1", "");
}

/// A first step of a quarter of what first yields by linear theory; where a critical load is known, of no more than a
/// tenth of that. Near a plastic limit load the steps stay such that the load still tells.
void begin_below_yield(Run& run, const AnalysisOutcome& outcome, double critical, analysis::PathOptions& options) {
  const auto& system = run.system(outcome);
  const auto growing = analysis::linear_static(system, outcome.growing);
  if (!growing.usable()) return;
  const auto nothing = sum_of(growing, -1, growing);
  const auto held =
      outcome.held.terms.empty() ? nothing : static_cast<analysis::ElementForces>(linear_static(system, outcome.held));
  double yield = analysis::first_yield(*outcome.model, held, growing).load_factor;
  // where the held part alone yields, what grows is measured by itself
  if (!(yield > 0)) yield = analysis::first_yield(*outcome.model, nothing, growing).load_factor;
  if (!(yield > 0) || !std::isfinite(yield)) return;
  options.first_step = std::isfinite(critical) ? std::min(options.first_step, 0.25 * yield) : 0.25 * yield;
}

analysis::PathOptions path_options(Run& run, const AnalysisOutcome& outcome) {
  const auto& spec = outcome.spec;
  analysis::PathOptions options;
  options.held = outcome.held;
  options.growing = outcome.growing;
  options.control = spec.arc_length ? analysis::PathControl::arc_length : analysis::PathControl::load;
  const double critical = critical_factor(run.result, spec);
  options.first_step = spec.first_step > 0 ? spec.first_step : std::isfinite(critical) ? 0.1 * critical : 0.1;
  if (spec.kind->yields() && !(spec.first_step > 0)) begin_below_yield(run, outcome, critical, options);
  options.largest_step = spec.largest_step;
  options.at_bifurcation = spec.at_bifurcation;
  options.residual_tolerance = spec.tolerance;
  for (std::size_t i = 0; i < run.result.spec.watches.size(); ++i) {
    const auto& watch = run.result.spec.watches[i];
    options.watch.push_back({watch.name, run.stage.watch_nodes[i], watch.direction});
    if (watch.name == spec.stop.watch) options.stop_watch = static_cast<int>(i);
  }
  options.stop_movement = spec.stop.movement;
  options.stop_load_factor = spec.stop.load_factor;
  options.stop_plastic_strain = spec.stop.plastic_strain;
  options.stop_drop = spec.stop.drop;
  options.stop_increments = spec.stop.increments;
  options.stop_at_loss = spec.stop.at_loss;
  if (!spec.stop.given) options.stop_drop = kClearDrop, options.stop_after_peak = kClearIncrements;
  return options;
}

double most_used(const analysis::PathResult& r) {
  double most = 0;
  for (const auto& i : r.increments) most = std::max(most, i.utilisation);
  return most;
}

/// Where the floor of rounding decided that a state counts as balanced.
void advise_on_rounding(const analysis::PathResult& r, double tolerance, bool small_movements,
                        std::vector<std::string>& list) {
  constexpr double much = 1e-3;
  int rounded = 0;
  double most = 0;
  for (const auto& i : r.increments)
    if (i.rounding) ++rounded, most = std::max(most, i.residual);
  // what an MNA leaves over by its way of keeping movements small is below what its limit load is told to
  if (rounded == 0 || (small_movements && most < much)) return;
  list.push_back(fmt::format(
      "in {} of {} increments up to {:.1g} of the largest force is left over, more than the tolerance of {:.0e}: no "
      "more than the rounding of stiff parts leaves, so it counts as balanced{}",
      rounded, r.increments.size(), most, tolerance, most > much ? ". Make what is very stiff less so" : ""));
}

/// Largest plastic strain where the curve is not that of the strain measure: in walls and solids.
double strain_of_walls(const analysis::Increment& i, const model::Model& model) {
  double most = 0;
  for (std::size_t p = 0; p < i.flow.size(); ++p)
    if (model.parts[p].kind == model::PartKind::panel || model.parts[p].kind == model::PartKind::solid)
      most = std::max(most, i.flow[p].plastic_strain);
  return most;
}

void advise_on_flow(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& increments = outcome.path->increments;
  const auto beyond = std::find_if(increments.begin(), increments.end(),
                                   [&](const auto& i) { return strain_of_walls(i, *outcome.model) > kLargeStrain; });
  if (beyond != increments.end())
    list.push_back(fmt::format(
        "from load factor {:.5g} on (increment {}) plastic strains of walls or solids are above {:.0f} %: engineering "
        "stresses and strains are taken as those of their own strain measure, which may be some {:.0f} % of the stress "
        "off by then",
        beyond->load_factor, beyond->number, 100 * kLargeStrain, 200 * kLargeStrain));
}

void advise_on_path(const AnalysisOutcome& outcome, std::vector<std::string>& list) {
  const auto& r = *outcome.path;
  if (outcome.imperfection) {
    constexpr double large = 0.05;
    const auto& model = *outcome.model;
    if (outcome.imperfection->largest > large * model.size())
      list.push_back(
          fmt::format("the imperfection is {:.3g} times as large as the structure: is its amplitude in another unit?",
                      outcome.imperfection->largest / model.size()));
  }
  if (outcome.spec.kind->yields()) {
    if (!outcome.spec.kind->small_movements()) advise_on_flow(outcome, list);
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
  advise_on_rounding(r, outcome.spec.tolerance, outcome.spec.kind->small_movements(), list);
  for (const auto& point : r.critical_points)
    if (point.multiplicity > 1)
      list.push_back(fmt::format(
          "at load factor {} {} directions lose their stability together: which of them the "
          "structure takes hangs on its imperfections",
          analysis::place_text(r.increments[static_cast<std::size_t>(point.increment)]), point.multiplicity));
  if (r.usable() && !r.peak_is_limit_point && !r.levels_off && (r.first_loss < 0 || r.unsymmetric))
    list.push_back(
        "no peak was passed: the largest load factor reached is where the analysis stopped, not a collapse load");
  if (!r.usable()) list.push_back(r.message);
}

/// First yield, and the first loss of stability where it comes before the peak.
void add_losses(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows) {
  const auto& r = *outcome.path;
  if (r.first_yield.part >= 0) {
    ComparisonRow row = row_of(outcome);
    row.meaning = outcome.spec.kind->yields() ? "first yield" : "first yield (elastic stress)";
    row.load_factor = r.first_yield.load_factor;
    row.note = fmt::format("in '{}'", outcome.model->parts[static_cast<std::size_t>(r.first_yield.part)].name);
    add_row(result, outcome, std::move(row), rows);
  }
  if (r.first_loss < 0 || (r.peak_is_limit_point && r.first_loss == r.peak)) return;
  const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
  ComparisonRow row = row_of(outcome);
  row.meaning = r.unsymmetric ? "stability not proved from here"
                              : fmt::format("first loss of stability ({})", analysis::to_text(loss.event));
  if (r.unsymmetric) row.note = "loads make the tangent unsymmetric";
  row.load_factor = loss.load_factor;
  row.movement = loss.largest_movement;
  add_row(result, outcome, std::move(row), rows);
}

/// Some material of the study flows, and what is made of one that does can.
void check_yielding(const AnalysisSpec& a, References& references) {
  const auto& spec = references.spec;
  const auto flows = [&](const std::string& material) {
    return std::any_of(spec.materials.begin(), spec.materials.end(),
                       [&](const auto& m) { return m.material.name == material && m.flow.flows(); });
  };
  if (std::none_of(spec.materials.begin(), spec.materials.end(), [](const auto& m) { return m.flow.flows(); }))
    references.complain(
        a.place, fmt::format("no material yields, so '{}' is no {}", a.name, a.kind->word()),
        "give a material yielding = { model = \"perfect\" }, for instance, or ask for the elastic kind");
  for (const auto& m : spec.members) {
    const auto profile =
        std::find_if(spec.profiles.begin(), spec.profiles.end(), [&](const auto& p) { return p.name == m.profile; });
    if (flows(m.material) && profile != spec.profiles.end() && profile->shape == "given")
      references.complain(m.place,
                          fmt::format("the material of member '{}' yields, but its profile '{}' is given by properties "
                                      "only and has no fibres to yield",
                                      m.name, m.profile),
                          "give the profile by its shape or its walls, or the member an elastic material");
  }
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
  if (r.peak >= 0) row.movement = r.increments[static_cast<std::size_t>(r.peak)].largest_movement;
  if (past) row.note = "the structure has left this path before";
  if (!r.usable()) row.note = analysis::to_text(r.ending);
  return row;
}

std::vector<material::Flow> flows_of(const StudySpec& spec) {
  std::vector<material::Flow> flows;
  for (const auto& m : spec.materials) flows.push_back(m.flow);
  return flows;
}

bool hardens(const model::Model& model) {
  return std::any_of(model.materials.begin(), model.materials.end(), [](const auto& m) {
    return m.flow.isotropic > 0 || m.flow.kinematic > 0 || !m.flow.corners.empty();
  });
}

/// GNA, with an imperfection GNIA; GMNA and GMNIA, whose materials flow; MNA, with small movements.
class Path final : public GrowingKind {
 public:
  Path(PathOf what, bool imperfect) : what_(what), imperfect_(imperfect) {}
  const char* word() const override {
    if (what_ == PathOf::small_movements) return "MNA";
    return yields() ? imperfect_ ? "GMNIA" : "GMNA" : imperfect_ ? "GNIA" : "GNA";
  }
  const char* title() const override {
    if (what_ == PathOf::small_movements) return "yielding structure, small displacements";
    if (yields())
      return imperfect_ ? "yielding imperfect structure, large displacements"
                        : "yielding perfect structure, large displacements";
    return imperfect_ ? "imperfect structure, large displacements" : "perfect structure, large displacements";
  }
  Gives gives() const override { return Gives::states; }
  bool yields() const override { return what_ != PathOf::elastic; }
  bool small_movements() const override { return what_ == PathOf::small_movements; }

  void read(Keys& keys, AnalysisSpec& a) const override {
    read_loads(keys, a);
    if (imperfect_)
      a.imperfection = a.imperfection.empty() ? keys.text("imperfection") : keys.text("imperfection", a.imperfection);
    a.arc_length = keys.choice("control", {"arc-length", "load"}, a.arc_length ? "arc-length" : "load") == 0;
    read_branching(keys, a);
    a.first_step = keys.number("first_step", a.first_step);
    a.largest_step = keys.number("largest_step", a.largest_step);
    read_tolerance(keys, a);
    if (a.first_step < 0 || a.largest_step < 0) keys.complain(keys.place(), "steps must not be negative", "");
    keys.table("stop", "'stop'", "for instance { drop = 0.7, increments = 80 }",
               [&](Keys& s) { read_stop(s, a.stop); });
  }

  void check(const AnalysisSpec& a, References& references) const override {
    check_loads(a, references, Gives::states,
                "start from an LA (its load is held) or an LBA (same held and growing parts)");
    if (imperfect_) check_imperfection_of(a, references);
    if (yields()) check_yielding(a, references);
    if (!a.stop.watch.empty()) {
      const auto watches = detail::names_of(references.spec.watches);
      if (std::find(watches.begin(), watches.end(), a.stop.watch) == watches.end())
        references.complain(a.place, fmt::format("there is no watch point named '{}'", a.stop.watch),
                            base::suggestion(a.stop.watch, watches));
    }
  }

  bool prepare(Run& run, AnalysisOutcome& outcome) const override {
    resolve_loads(run, outcome);
    if (imperfect_ && !seed(run, outcome)) return false;
    if (yields())
      outcome.geometry = std::make_shared<const model::Model>(with_flow(*outcome.geometry, flows_of(run.stage.spec)));
    return true;
  }

  void carry_out(Run& run, AnalysisOutcome& outcome) const override {
    auto options = path_options(run, outcome);
    const bool small = what_ == PathOf::small_movements;
    if (small && !outcome.spec.stop.given) {
      options.stop_flat = kStandsStill;
      if (hardens(*outcome.geometry)) options.stop_plastic_strain = kLimitStrain;
    }
    analysis::PathWatcher watch;
    if (run.watch.path) watch = [&](const analysis::PathProgress& p) { return run.watch.path(outcome, options, p); };
    if (small) {
      const auto stiff = run.stage.moved(analysis::stiffened(*outcome.geometry), outcome.held, outcome.growing);
      outcome.path = std::make_shared<analysis::PathResult>(
          analysis::follow_small_movements(*stiff, *outcome.geometry, options, watch));
    } else {
      const auto moved = run.moved_system(outcome);
      outcome.path = std::make_shared<analysis::PathResult>(analysis::follow_path(*moved, options, watch));
    }
  }

  void advise(const StudySpec&, const AnalysisOutcome& outcome, std::vector<std::string>& list) const override {
    if (outcome.path) advise_on_path(outcome, list);
  }

  void compare(const StudyResult& result, const AnalysisOutcome& outcome,
               std::vector<ComparisonRow>& rows) const override {
    if (!outcome.path) return;
    add_losses(result, outcome, rows);
    add_row(result, outcome, peak_row(outcome), rows);
  }

 private:
  PathOf what_;
  bool imperfect_;
};
}  // namespace

const AnalysisKind& path_kind(PathOf what, bool imperfect) {
  static const Path small(PathOf::small_movements, false), perfect(PathOf::elastic, false),
      seeded(PathOf::elastic, true), yielding(PathOf::yielding, false), yielding_seeded(PathOf::yielding, true);
  if (what == PathOf::small_movements) return small;
  if (what == PathOf::elastic) return imperfect ? seeded : perfect;
  return imperfect ? yielding_seeded : yielding;
}

}  // namespace archway::study
