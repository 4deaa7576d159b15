#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "analyses/path_detail.hpp"
#include "analyses/slopes_detail.hpp"
#include "archway/analysis/small_movements.hpp"
#include "archway/study/ply_failure.hpp"
#include "archway/study/second_order.hpp"
#include "archway/study/yielding.hpp"
#include "imperfections/imperfection_detail.hpp"
#include "judge/state_factors_detail.hpp"

namespace archway::study {

namespace {
bool none_flows(const StudySpec& spec) {
  return std::none_of(spec.materials.begin(), spec.materials.end(), [](const auto& m) { return m.flow.flows(); });
}

/// Some material of the study flows, and what is made of one that does can.
void check_yielding(const AnalysisSpec& a, References& references) {
  const auto& spec = references.spec;
  const auto flows = [&](const std::string& material) {
    return std::any_of(spec.materials.begin(), spec.materials.end(),
                       [&](const auto& m) { return m.material.name == material && m.flow.flows(); });
  };
  if (!a.kind->small_displacements() && none_flows(spec))
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

/// Rigid strains drown in displacements that are made as small as those of an MNA.
void check_rigid(const AnalysisSpec& a, References& references) {
  for (const auto& m : references.spec.members)
    if (m.rigid.axial || m.rigid.bending || m.rigid.torsion)
      references.complain(a.place, fmt::format("'{}' is an MNA, and member '{}' is rigid", a.name, m.name),
                          "rigid members are for all other analyses: give it a stiff profile here");
  for (const auto& b : references.spec.bars)
    if (b.rigid)
      references.complain(a.place, fmt::format("'{}' is an MNA, and bar '{}' is rigid", a.name, b.name),
                          "rigid bars are for all other analyses: give it a stiff profile here");
}

/// \param small  displacements are small, where both measures of stress are one: each curve is taken as it is given
std::vector<Yielding> flows_of(const StudySpec& spec, bool small) {
  std::vector<Yielding> flows;
  for (const auto& m : spec.materials)
    flows.push_back({small && m.given_as_true ? m.true_flow : m.flow, m.true_flow, m.given_as_true});
  return flows;
}

/// imperfection = "bow", or ["bow", "-0.5 * weld"].
void read_imperfections(Keys& keys, AnalysisSpec& a) {
  if (!keys.has("imperfection") && !a.imperfections.empty()) return;  // copied
  a.imperfections.clear();
  for (const auto& text : keys.texts("imperfection")) {
    const auto star = text.find('*');
    std::string name = star == std::string::npos ? text : text.substr(star + 1);
    double factor = 1;
    if (star != std::string::npos) {
      const char* begin = text.c_str();
      char* end = nullptr;
      factor = std::strtod(begin, &end);
      while (*end == ' ') ++end;
      if (end == begin || *end != '*')
        keys.complain(keys.place("imperfection"), fmt::format("'{}' is no number times an imperfection", text),
                      "write \"0.5 * bow\", for instance");
    } else if (!name.empty() && name[0] == '-') {
      factor = -1;
      name.erase(0, 1);
    }
    const auto first = name.find_first_not_of(' '), last = name.find_last_not_of(' ');
    a.imperfections.emplace_back(first == std::string::npos ? "" : name.substr(first, last - first + 1), factor);
  }
}

/// true, or { modes = 5 } of a cluster.
void read_post_buckling(Keys& keys, AnalysisSpec& a) {
  if (!keys.is_table("post_buckling")) {
    a.post_buckling = keys.flag("post_buckling", a.post_buckling);
    return;
  }
  a.post_buckling = true;
  keys.table("post_buckling", "this", "post_buckling = { modes = 5 }", [&](Keys& t) {
    a.branch_modes = t.whole("modes", 5);
    if (a.branch_modes < 1 || a.branch_modes > analysis::kMostReducedModes)
      t.complain(t.place("modes"), fmt::format("the model of a branch has 1 to {} modes", analysis::kMostReducedModes),
                 "modes = 5");
  });
}

/// Shapes of the buckling analysis that a path starts from.
std::vector<Eigen::VectorXd> modes_before(const Run& run, const AnalysisOutcome& outcome) {
  std::vector<Eigen::VectorXd> shapes;
  if (const auto* source = run.result.find(outcome.spec.source); source != nullptr && source->buckling)
    for (const auto& mode : source->buckling->modes) shapes.push_back(mode.shape);
  return shapes;
}

/// GNA, with an imperfection GNIA; GMNA and GMNIA, whose materials flow; MNA, with small displacements.
/// Forces and stresses in the last state of a path, as an LA has them; stresses of walls that flow are reported
/// elsewhere.
void tell_end(AnalysisOutcome& outcome, const analysis::System& system) {
  const auto& path = *outcome.path;
  if (path.increments.empty() || !path.increments.back().kept) return;
  const auto& last = path.increments.back();
  const auto factors = detail::factors_at(system, path, last);
  outcome.end_forces = std::make_shared<const analysis::ElementForces>(
      analysis::forces_at(system, factors, last.kept->state, last.kept->memory.get()));
  if (system.geometry().flows()) return;
  analysis::LinearStaticResult as_linear;
  static_cast<analysis::ElementForces&>(as_linear) = *outcome.end_forces;
  outcome.stresses = std::make_shared<const analysis::RecoveredStress>(analysis::recover_stresses(system, as_linear));
}

/// At the loads that were asked for and at the end.
void seek_other_states(AnalysisOutcome& outcome, const analysis::PathStage& stage, const analysis::PathWatcher& watch) {
  std::vector<double> factors = outcome.spec.output_factors;
  const auto& increments = outcome.path->increments;
  if (!increments.empty()) factors.push_back(increments.back().load_factor);
  std::sort(factors.begin(), factors.end());
  factors.erase(std::unique(factors.begin(), factors.end(),
                            [](double a, double b) { return std::abs(a - b) <= 1e-9 * std::abs(b); }),
                factors.end());
  const analysis::PathWatcher quiet = [&](analysis::PathProgress progress) {
    progress.increment = nullptr;  // they are no increments of the path
    return watch ? watch(progress) : analysis::Next::go_on;
  };
  outcome.other_states = std::make_shared<const analysis::OtherStates>(
      analysis::other_states(*stage.system, stage.options, *outcome.path, factors, outcome.spec.other_states, quiet));
}

class Path final : public VariableKind {
 public:
  Path(PathOf what, bool imperfect) : what_(what), imperfect_(imperfect) {}
  const char* word() const override {
    if (what_ == PathOf::small_displacements) return "MNA";
    return yields() ? imperfect_ ? "GMNIA" : "GMNA" : imperfect_ ? "GNIA" : "GNA";
  }
  const char* title() const override {
    if (what_ == PathOf::small_displacements) return "yielding structure, small displacements";
    if (yields())
      return imperfect_ ? "yielding imperfect structure, large displacements"
                        : "yielding perfect structure, large displacements";
    return imperfect_ ? "imperfect structure, large displacements" : "perfect structure, large displacements";
  }
  Gives gives() const override { return Gives::states; }
  bool yields() const override { return what_ != PathOf::elastic; }
  bool small_displacements() const override { return what_ == PathOf::small_displacements; }

  void read(Keys& keys, AnalysisSpec& a) const override {
    read_loads(keys, a);
    if (imperfect_) read_imperfections(keys, a);
    if (imperfect_ && !yields()) a.peak_slopes = keys.flag("peak_slopes", a.peak_slopes);
    if (!imperfect_ && !yields()) read_post_buckling(keys, a);
    detail::read_path(keys, a);
    read_tolerance(keys, a);
  }

  void check(const AnalysisSpec& a, References& references) const override {
    check_loads(a, references, Gives::states, "preload_of an LA (its load stays constant), or loads_of an LBA");
    if (imperfect_) check_imperfections_of(a, references);
    if (yields()) check_yielding(a, references);
    if (what_ == PathOf::small_displacements) check_rigid(a, references);
    detail::check_path(a, references);
  }

  bool prepare(Run& run, AnalysisOutcome& outcome) const override {
    resolve_loads(run, outcome);
    if (imperfect_ && !seed(run, outcome)) return false;
    if (yields())
      outcome.geometry = std::make_shared<const model::Model>(
          with_flow(*outcome.geometry, flows_of(run.stage.spec, small_displacements())));
    return true;
  }

  void carry_out(Run& run, AnalysisOutcome& outcome) const override {
    const bool small = what_ == PathOf::small_displacements;
    auto stages = detail::stages_of(run, outcome, small ? analysis::stiffened(*outcome.geometry) : *outcome.geometry);
    if (small && none_flows(run.stage.spec) && !outcome.spec.stop.given && outcome.spec.stages.empty())
      stages.back().options.stop.load_factor = 1;  // a straight line for ever: to the load as it is given
    analysis::PathWatcher watch;
    if (run.watch.path)
      watch = [&](const analysis::PathProgress& p) { return run.watch.path(outcome, stages.back().options, p); };
    outcome.path = std::make_shared<analysis::PathResult>(
        small ? analysis::follow_small_displacements(stages, *outcome.geometry, watch)
              : analysis::follow_stages(stages, watch));
    detail::total_stages(run, outcome);
    if (outcome.spec.other_states > 0) seek_other_states(outcome, stages.back(), watch);
    if (outcome.spec.post_buckling)
      outcome.post_buckling = std::make_shared<const analysis::PostBuckling>(
          analysis::post_buckling(*stages.front().system, stages.front().options, *outcome.path));
    if (outcome.spec.branch_modes > 0)
      outcome.reduced = std::make_shared<const analysis::ReducedModel>(
          analysis::reduced_model(*stages.front().system, stages.front().options, *outcome.path,
                                  outcome.spec.branch_modes, modes_before(run, outcome)));
    if (outcome.spec.peak_slopes) outcome.slopes = peak_slopes(run, outcome, stages.back());
    if (!small) tell_end(outcome, *stages.back().system);
    if (!small) outcome.second_order = second_order(run.result.outcomes, outcome, *stages.back().system);
    if (small && !outcome.geometry->line_elements.empty())
      outcome.second_order = second_order(run.result.outcomes, outcome, {outcome.geometry, run.stage.threads, nullptr});
    if (!small) outcome.plies = ply_failures(run.stage.spec, *stages.back().system, *outcome.path);
  }

  void advise(const StudySpec& spec, const AnalysisOutcome& outcome, std::vector<std::string>& list) const override {
    if (!yields() && !spec.residual_stresses.empty())
      list.push_back("residual stresses are omitted: this analysis is elastic");
    if (what_ == PathOf::small_displacements && none_flows(spec))
      list.push_back(
          "no material yields: this MNA is linear, finds no plastic limit load and ends at load factor 1 unless "
          "'stop' says otherwise; give a material "
          "yielding = { model = \"perfect\" }, for instance");
    if (outcome.path) detail::advise_on_path(outcome, list);
  }

  void compare(const StudyResult& result, const AnalysisOutcome& outcome,
               std::vector<ComparisonRow>& rows) const override {
    if (outcome.path) detail::compare_path(result, outcome, rows);
  }

 private:
  PathOf what_;
  bool imperfect_;
};
}  // namespace

const AnalysisKind& path_kind(PathOf what, bool imperfect) {
  static const Path small(PathOf::small_displacements, false), perfect(PathOf::elastic, false),
      seeded(PathOf::elastic, true), yielding(PathOf::yielding, false), yielding_seeded(PathOf::yielding, true);
  if (what == PathOf::small_displacements) return small;
  if (what == PathOf::elastic) return imperfect ? seeded : perfect;
  return imperfect ? yielding_seeded : yielding;
}

}  // namespace archway::study
