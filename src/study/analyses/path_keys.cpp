#include <algorithm>

#include <fmt/format.h>

#include "analyses/path_detail.hpp"
#include "spec/names_detail.hpp"

namespace archway::study::detail {

namespace {
void read_branching(Keys& keys, AnalysisSpec& a) {
  using analysis::Branching;
  static const std::vector<std::string> words = {"continue", "branch", "branch-reversed"};
  static const std::vector<Branching> ways = {Branching::primary, Branching::branch, Branching::branch_reversed};
  if (keys.has("at_bifurcation")) a.at_bifurcation = ways[keys.choice("at_bifurcation", words, "")];
  a.jumps = keys.whole("jumps", a.jumps);
  if (a.jumps < 0) keys.complain(keys.place("jumps"), fmt::format("'jumps' is {}", a.jumps), "give zero or more");
  a.jump_damping = keys.number("jump_damping", a.jump_damping);
  a.jump_stiffness_damping = keys.number("jump_stiffness_damping", a.jump_stiffness_damping);
  for (const auto& [key, value] :
       {std::pair("jump_damping", a.jump_damping), std::pair("jump_stiffness_damping", a.jump_stiffness_damping)}) {
    if (value < 0 || value > 1)
      keys.complain(keys.place(key), fmt::format("'{}' is {}", key, value),
                    "a share of critical damping, between 0 and 1");
    if (value > 0 && a.jumps == 0)
      keys.complain(keys.place(key), fmt::format("'{}' is for jumps, and none is allowed", key), "add jumps = 1");
  }
  a.other_states = keys.whole("other_states", a.other_states);
  if (a.other_states < 0 || a.other_states > 50)
    keys.complain(keys.place("other_states"), fmt::format("'other_states' is {}", a.other_states),
                  "so many states at each load, at most: 1 to 50");
  a.watch_stability = keys.flag("record_lowest_eigenvalue", a.watch_stability);
  if (keys.has("branches"))
    keys.table("branches", "these branches", "branches = { increments = 8 }", [&](Keys& b) {
      a.branch_increments = b.whole("increments", 8);
      a.branch_depth = b.whole("depth", 1);
      if (a.branch_increments < 1 || a.branch_depth < 1 || a.branch_depth > 4)
        b.complain(b.place(), "branches are followed by one increment or more, and to a depth of 1 to 4",
                   "branches = { increments = 8, depth = 1 }");
    });
  if (a.branch_increments > 0 && a.control.control != analysis::PathControl::arc_length)
    keys.complain(keys.place("branches"), "branches are followed by arc length only", "omit control");
  if (a.at_bifurcation != Branching::primary && a.control.control != analysis::PathControl::arc_length)
    keys.complain(keys.place("at_bifurcation"), "a branch is followed by arc length only",
                  "leave out control = \"load\"");
}

void read_control(Keys& keys, ControlSpec& control) {
  using analysis::PathControl;
  static const std::vector<std::string> words = {"arc-length", "load", "displacement", "automatic"};
  if (keys.has("control")) {
    const auto word = keys.choice("control", words, "");
    control.change = word == 3;
    control.control = word == 1 ? PathControl::load : word == 2 ? PathControl::displacement : PathControl::arc_length;
  }
  control.lead = keys.text("control_watch", control.lead);
  if (control.control == PathControl::displacement && control.lead.empty())
    keys.complain(keys.place("control"), "control by a displacement needs the watch that leads",
                  "add control_watch = \"...\"");
  control.first_step = keys.number("first_step", control.first_step);
  control.largest_step = keys.number("largest_step", control.largest_step);
  if (control.first_step < 0 || control.largest_step < 0) keys.complain(keys.place(), "steps must not be negative", "");
}

void read_stop(Keys& s, StopSpec& stop) {
  stop = {};
  stop.given = true;
  if (s.has("load_factor")) stop.load_factor = s.number("load_factor");
  stop.watch = s.text("watch", "");
  stop.plastic_strain = s.number("plastic_strain", 0.0);
  stop.displacement = stop.watch.empty() ? 0 : s.number("value");
  stop.seconds = s.number("seconds", 0.0);
  stop.factorisations = s.whole("factorisations", 0);
  if (s.has("value") && stop.watch.empty())
    s.complain(s.place("value"), "'value' needs the watch that reads it", "add watch = \"...\"");
  for (const auto& [key, value] :
       {std::pair("load_factor", stop.load_factor.value_or(1)), std::pair("value", stop.displacement),
        std::pair("plastic_strain", stop.plastic_strain), std::pair("seconds", stop.seconds),
        std::pair("factorisations", static_cast<double>(stop.factorisations))})
    if (s.has(key) && !(value > 0)) {
      const bool has_sign = std::string(key) == "load_factor" || std::string(key) == "value";
      if (has_sign && value < 0) continue;
      s.complain(s.place(key), fmt::format("'{}' is {}", key, value),
                 has_sign ? "a stop rule must not be zero" : "a stop rule must be above zero");
    }
  stop.at_loss = s.flag("first_loss", false);
  stop.drop = s.number("below_peak_ratio", 0.0);
  if (stop.drop < 0 || stop.drop >= 1)
    s.complain(s.place("below_peak_ratio"), "'below_peak_ratio' is a share of the peak",
               "give a number between 0 and 1");
  stop.increments = s.whole("increments", 100);
  if (stop.increments < 1) s.complain(s.place("increments"), "'increments' must be at least 1", "");
}

void stop_of(Keys& keys, StopSpec& stop) {
  keys.table("stop", "'stop'", "for instance { below_peak_ratio = 0.7, increments = 80 }",
             [&](Keys& s) { read_stop(s, stop); });
}

void read_stage(Keys& keys, AnalysisSpec& a) {
  StageSpec stage;
  stage.place = keys.place();
  stage.name = keys.text("name", fmt::format("stage-{}", a.stages.size() + 1));
  const bool off = keys.has("unload");
  if (off && (keys.has("load") || keys.has("to_load_factor")))
    keys.complain(keys.place("unload"), "'unload' means load and to_load_factor = 0", "omit these");
  stage.load = keys.text(off ? "unload" : "load");
  if (off) stage.to = 0;
  if (keys.has("to_load_factor")) stage.to = keys.number("to_load_factor");
  stage.control = a.control;
  read_control(keys, stage.control);
  stop_of(keys, stage.stop);
  if (stage.to && stage.stop.load_factor)
    keys.complain(keys.place("to_load_factor"), "'to_load_factor' and stop = { load_factor } say the same",
                  "omit one of them");
  if (stage.stop.load_factor) stage.to = stage.stop.load_factor;
  a.stages.push_back(std::move(stage));
}
}  // namespace

void read_path(Keys& keys, AnalysisSpec& a) {
  read_control(keys, a.control);
  read_branching(keys, a);
  read_surface(keys, a);
  stop_of(keys, a.stop);
  if (keys.has("output_load_factors")) a.output_factors = keys.number_list("output_load_factors");
  if (keys.has("output_values")) a.output_displacements.clear();
  keys.tables("output_values", "this output",
              [&](Keys& o) { a.output_displacements.emplace_back(o.text("watch"), o.number("value")); });
  if (keys.has("strain_limits")) a.strain_limits.clear();
  keys.tables("strain_limits", "this limit", [&](Keys& l) {
    StrainLimitSpec limit;
    if (l.has("parts")) limit.parts = l.texts("parts");
    limit.plastic_strain = l.number("plastic_strain", limit.plastic_strain);
    limit.required_factor = l.number("factor", 0.0);
    if (!(limit.plastic_strain > 0) || limit.required_factor < 0)
      l.complain(l.place(), "a strain limit is above zero, and so is its load factor", "for instance 0.05");
    a.strain_limits.push_back(std::move(limit));
  });
  if (keys.has("stages")) a.stages.clear();
  keys.tables("stages", "this stage", [&](Keys& s) { read_stage(s, a); });
  if (keys.has("stages") && a.stages.empty())
    keys.complain(keys.place("stages"), "there is no stage", "give at least one, with load");
  if (a.stages.empty()) return;
  if (keys.has("load") || keys.has("stop"))
    keys.complain(keys.place(keys.has("load") ? "load" : "stop"),
                  "with stages every stage says the variable load and when it ends",
                  "write load and stop in the stages");
  a.stop = {};
  a.load = a.stages[0].load;
}

namespace {
void check_watch(const std::string& name, const SourceLocation& place, References& references) {
  if (name.empty()) return;
  const auto names = names_of(references.spec.watches);
  if (std::find(names.begin(), names.end(), name) == names.end())
    references.complain(place, fmt::format("there is no watch point named '{}'", name), base::suggestion(name, names));
}
}  // namespace

void check_path(const AnalysisSpec& a, References& references) {
  check_watch(a.stop.watch, a.place, references);
  check_watch(a.control.lead, a.place, references);
  for (const auto& [watch, value] : a.output_displacements) check_watch(watch, a.place, references);
  if (a.other_states > 0 && (a.kind->yields() || !a.stages.empty()))
    references.complain(a.place,
                        fmt::format("'{}' {}, and other states of equilibrium are sought at loads that decide "
                                    "alone what the state is",
                                    a.name, a.kind->yields() ? "yields" : "has stages"),
                        "ask for other_states in a GNA or GNIA without stages");
  if (!a.strain_limits.empty() && !a.kind->yields())
    references.complain(a.place, fmt::format("'{}' is elastic: no strain limit can be reached", a.name),
                        "ask for MNA, GMNA or GMNIA");
  std::vector<std::string> names;
  for (const auto& stage : a.stages) {
    references.load_exists(stage.place, stage.load);
    check_watch(stage.stop.watch, stage.place, references);
    check_watch(stage.control.lead, stage.place, references);
    if (std::find(names.begin(), names.end(), stage.name) != names.end())
      references.complain(stage.place, fmt::format("a second stage is named '{}'", stage.name),
                          "give each its own name");
    if (stage.name == "constant" || stage.name == "variable" || stage.name == "buckling" || stage.name == kPath)
      references.complain(stage.place, fmt::format("a stage cannot be named '{}'", stage.name),
                          "supports use this word for a part of every analysis");
    names.push_back(stage.name);
  }
}

}  // namespace archway::study::detail
