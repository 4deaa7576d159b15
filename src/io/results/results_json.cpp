#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "archway/analysis/record_fields.hpp"
#include "archway/elements/kernels.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/study/outcome_fields.hpp"
#include "archway/study/summary.hpp"
#include "archway/study/verdicts.hpp"
#include "results/check_json_detail.hpp"
#include "results/imperfection_json_detail.hpp"
#include "results/path_json_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io {

namespace {
using base::Vec3;
using detail::check_part;
using detail::json_of;
using detail::number;
using detail::provenance;
using detail::resultant;
using detail::vector;
using nlohmann::ordered_json;

ordered_json combination(const model::Model& model, const model::Combination& c) {
  ordered_json terms = ordered_json::object();
  for (const auto& [action, factor] : c.terms) terms[model.actions[static_cast<std::size_t>(action)].name] = factor;
  return terms;
}

class Writer {
 public:
  Writer(const study::StudyResult& result, const model::Model& model) : result_(result), model_(model) {}

  ordered_json all() const {
    ordered_json root;
    root["archway"] = {{"version", program_version()}, {"schema", 2}, {"kernels", elements::machine_kernels()}};
    root["study"] = provenance(result_.spec);
    root["stopped"] = result_.stopped;
    root["complete"] = result_.complete();
    root["model"] = check_part(result_.check);
    root["analyses"] = ordered_json::object();
    for (const auto& outcome : result_.outcomes)
      root["analyses"][outcome.spec.name] = Writer(result_, *outcome.model).analysis(outcome);
    root["comparison"] = ordered_json::array();
    for (const auto& row : result_.comparison) root["comparison"].push_back(json_of(study::comparison_fields(), row));
    root["carried"] = study::to_text(study::carried(result_));
    root["summary"] = ordered_json::array();
    for (const auto& line : study::summary(result_))
      root["summary"].push_back({{"carried", study::to_text(line.carried)},
                                 {"analysis", line.analysis},
                                 {"kind", line.kind},
                                 {"text", line.text}});
    root["load_as_given"] = ordered_json::array();
    for (const auto& f : result_.load_findings)
      root["load_as_given"].push_back(
          {{"analysis", f.analysis}, {"part", f.part}, {"finding", f.text}, {"use", number(f.use)}});
    if (!result_.hand_checks.empty()) root["hand_checks"] = hand_checks();
    if (!result_.shapes.empty()) root["shapes"] = shapes();
    const auto& cost = result_.cost;
    root["cost"] = {{"orderings", cost.orderings},
                    {"symbolic_analyses", cost.analyses},
                    {"factorisations", cost.factorisations},
                    {"right_hand_sides", cost.right_hand_sides}};
    return root;
  }

 private:
  ordered_json analysis(const study::AnalysisOutcome& o) const {
    ordered_json a;
    a["kind"] = o.spec.kind->word();
    a["constant"] = combination(model_, o.constant);
    a["variable"] = combination(model_, o.variable);
    a["constant_resultant"] = resultant(o.constant_total);
    a["variable_resultant"] = resultant(o.variable_total);
    if (o.imperfection) a["imperfection"] = detail::imperfection_json(o);
    if (!o.spec.like.empty()) a["like"] = o.spec.like;
    if (!o.spec.variant.is_base())
      a["variant"] = {{"set", o.spec.variant.parameters}, {"refine", o.spec.variant.refine}};
    a["ending"] = o.skipped ? o.skip_reason : "not run";
    if (o.linear) linear(a, o, *o.linear);
    if (o.buckling) buckling(a, o, *o.buckling);
    if (o.path) path(a, o, *o.path);
    detail::add_sensitivity(a, o);
    a["warnings"] = o.warnings;
    return a;
  }

  ordered_json hand_checks() const {
    ordered_json list = ordered_json::array();
    for (const auto& h : result_.hand_checks)
      list.push_back({{"analysis", h.spec.of},
                      {"mode", h.spec.mode},
                      {"reversed_load", h.reversed},
                      {"formula", h.spec.formula},
                      {"title", h.title},
                      {"value", number(h.value)},
                      {"unit", h.unit},
                      {"load_factor", number(h.load_factor)},
                      {"design", number(h.design)},
                      {"design_load_factor", number(h.design_load_factor)},
                      {"design_meaning", h.design_meaning},
                      {"deviation", number(h.deviation)},
                      {"note", h.note},
                      {"warning", h.warning},
                      {"failed", h.failed},
                      {"assumes", h.assumes}});
    return list;
  }

  static ordered_json matches(const std::vector<study::ModeMatch>& modes) {
    ordered_json list = ordered_json::array();
    for (const auto& m : modes) list.push_back(json_of(study::match_fields(), m));
    return list;
  }

  ordered_json shapes() const {
    ordered_json list = ordered_json::array();
    for (const auto& c : result_.shapes)
      list.push_back(
          {{"analysis", c.analysis}, {"with", c.with}, {"same_loads", c.same_loads}, {"modes", matches(c.modes)}});
    return list;
  }

  static ordered_json watched(const study::AnalysisOutcome& o, const analysis::LinearStaticResult& r) {
    ordered_json list = ordered_json::object();
    for (const auto& watch : o.watch) list[watch.name] = number(analysis::reading_of(watch, *o.model, r));
    return list;
  }

  static ordered_json plies(const std::vector<study::PlyFailure>& of) {
    ordered_json list = ordered_json::array();
    for (const auto& p : of)
      list.push_back({{"part", p.part},
                      {"criterion", p.tsai_hill ? "Tsai-Hill" : "maximum stress"},
                      {"ply", p.ply},
                      {"use", number(p.use)},
                      {"load_factor", number(p.load_factor)},
                      {"at", vector(p.place)}});
    return list;
  }

  ordered_json watched(const analysis::Increment& i) const {
    ordered_json list = ordered_json::object();
    for (std::size_t w = 0; w < i.watched.size(); ++w) list[result_.spec.watches[w].name] = number(i.watched[w]);
    return list;
  }

  void linear(ordered_json& a, const study::AnalysisOutcome& o, const analysis::LinearStaticResult& r) const {
    a["ending"] = analysis::to_text(r.ending);
    if (!r.usable()) return;
    a["applied"] = resultant(r.applied);
    a["reacted"] = resultant(r.reacted);
    a["imbalance"] = number(r.imbalance);
    a["reactions"] = reactions(analysis::reactions_by_support(model_, r.reactions, r.spring_forces));
    if (!r.couplings.empty()) a["couplings"] = couplings(r.couplings);
    double largest = 0;
    int where = 0;
    for (int n = 0; n < model_.node_count(); ++n)
      if (const double size = r.displacement.segment<3>(model::row(n)).norm(); size > largest)
        largest = size, where = n;
    a["largest_displacement"] = {
        {"size", largest}, {"node", where}, {"position", vector(model_.nodes[static_cast<std::size_t>(where)])}};
    a["watch"] = watched(o, r);
    if (!o.plies.empty()) a["plies"] = plies(o.plies);
    if (!r.member_forces.empty()) a["member_forces"] = extremes(r);
    if (!r.shell_stresses.empty()) a["shell_stresses"] = shell_extremes(r);
    if (o.stresses) a["stresses"] = stress_extremes(*o.stresses);
    a["peaks"] = peaks(analysis::peaks_by_part(model_, r));
    if (!r.bar_forces.empty()) bars(a, r);
    for (std::size_t s = 0; s < r.spring_forces.size(); ++s)
      a["joint_forces"].push_back({{"name", model_.springs[s].name},
                                   {"forces", {r.spring_forces[s][0], r.spring_forces[s][1], r.spring_forces[s][2]}},
                                   {"moments", {r.spring_forces[s][3], r.spring_forces[s][4], r.spring_forces[s][5]}}});
  }

  /// Largest stress of every part, where, and its share of yield.
  ordered_json peaks(const std::vector<analysis::PartPeak>& list) const {
    ordered_json all = ordered_json::object();
    for (std::size_t p = 0; p < list.size(); ++p) {
      auto& one = all[part_name(static_cast<int>(p))];
      one = {{"stress", number(list[p].stress)}, {"at", vector(list[p].place)}};
      if (list[p].yield > 0) one["utilisation"] = number(list[p].utilisation());
      if (list[p].is_line) one["axial"] = {number(list[p].axial_low), number(list[p].axial_high)};
      if (model_.parts[p].kind != model::PartKind::member) continue;
      one["shear"] = number(list[p].shear);
      one["torque"] = number(list[p].torque);
      one["moments"] = {number(list[p].moment_y), number(list[p].moment_z)};
      if (model_.parts[p].warping) one["bimoment"] = number(list[p].bimoment);
    }
    return all;
  }

  static ordered_json reactions(const std::vector<analysis::SupportReaction>& of) {
    ordered_json list = ordered_json::object();
    for (const auto& s : of)
      list[s.name] = {{"force", vector(s.force)}, {"moment", vector(s.moment)}, {"nodes", s.nodes}};
    return list;
  }

  static ordered_json couplings(const std::vector<analysis::CouplingForce>& of) {
    ordered_json list = ordered_json::object();
    for (const auto& c : of)
      list[c.name] = {{"force", vector(c.force)}, {"moment", vector(c.moment)}, {"about", vector(c.about)}};
    return list;
  }

  ordered_json extremes(const analysis::LinearStaticResult& r) const {
    ordered_json parts = ordered_json::object();
    for (const auto& f : r.member_forces)
      for (const double place : {0.0, 0.25, 0.5, 0.75, 1.0}) {
        const auto p = elements::along_element(f.points, place);
        const std::string& name = part_name(model_.line_elements[static_cast<std::size_t>(f.element)].part);
        const std::pair<const char*, double> values[] = {
            {"axial", p.axial},       {"shear_y", p.shear_y},   {"shear_z", p.shear_z},  {"torque", p.torque},
            {"bimoment", p.bimoment}, {"moment_y", p.moment_y}, {"moment_z", p.moment_z}};
        for (const auto& [key, value] : values) {
          auto& range = parts[name][key];
          if (range.is_null()) range = {value, value};
          range[0] = std::min(range[0].get<double>(), value);
          range[1] = std::max(range[1].get<double>(), value);
        }
      }
    return parts;
  }

  ordered_json shell_extremes(const analysis::LinearStaticResult& r) const {
    ordered_json parts = ordered_json::object();
    for (std::size_t e = 0; e < r.shell_stresses.size(); ++e) {
      const auto& s = r.shell_stresses[e];
      const std::string& name = model_.parts[static_cast<std::size_t>(model_.shell_elements[e].part)].name;
      const std::pair<const char*, double> values[] = {{"equivalent_top", elements::equivalent_stress(s.top)},
                                                       {"equivalent_bottom", elements::equivalent_stress(s.bottom)}};
      for (const auto& [key, value] : values) {
        auto& largest = parts[name][key];
        if (largest.is_null() || largest.get<double>() < value) largest = value;
      }
    }
    return parts;
  }

  const std::string& part_name(int part) const { return model_.parts[static_cast<std::size_t>(part)].name; }

  /// Largest equivalent and outer principal stresses of every part, of single elements and averaged at nodes.
  ordered_json stress_extremes(const analysis::RecoveredStress& r) const {
    ordered_json parts = ordered_json::object();
    const auto widen = [](ordered_json& range, double low, double high) {
      if (range.is_null()) range = {low, high};
      range[0] = std::min(range[0].get<double>(), low);
      range[1] = std::max(range[1].get<double>(), high);
    };
    const auto take = [&](const std::string& part, const std::string& how, const analysis::Stress& s) {
      const auto p = analysis::principal_stresses(s);
      widen(parts[part]["principal" + how], p[2], p[0]);
      auto& largest = parts[part]["equivalent" + how];
      const double e = elements::equivalent_stress(s);
      if (largest.is_null() || largest.get<double>() < e) largest = e;
    };
    for (std::size_t e = 0; e < r.shells.size(); ++e) {
      const std::string& name = part_name(model_.shell_elements[e].part);
      take(name, "_top", r.shells[e].top);
      take(name, "_middle", r.shells[e].middle);
      take(name, "_bottom", r.shells[e].bottom);
    }
    for (std::size_t e = 0; e < r.solids.size(); ++e)
      for (const auto& s : r.solids[e]) take(part_name(model_.solid_elements[e].part), "_corners", s);
    for (const auto& n : r.nodes)
      for (const auto* s : {&n.stress.top, &n.stress.bottom}) take(part_name(n.part), "_averaged", *s);
    return parts;
  }

  void bars(ordered_json& a, const analysis::LinearStaticResult& r) const {
    for (std::size_t b = 0; b < r.bar_forces.size(); ++b) {
      auto& range = a["bar_forces"][part_name(model_.bar_elements[b].part)];
      if (range.is_null()) range = {r.bar_forces[b], r.bar_forces[b]};
      range[0] = std::min(range[0].get<double>(), r.bar_forces[b]);
      range[1] = std::max(range[1].get<double>(), r.bar_forces[b]);
    }
    a["slack_bars"] = std::count(r.slack.begin(), r.slack.end(), 1);
  }

  ordered_json modes(const study::AnalysisOutcome& o, const std::vector<analysis::Mode>& list) const {
    ordered_json all = ordered_json::array();
    for (const auto& m : list) {
      all.push_back(json_of(analysis::mode_fields(), m));
      all.back()["critical_force"] = vector(o.constant_total.force + m.load_factor * o.variable_total.force);
    }
    return all;
  }

  /// Names of parts with their shares, those below a thousandth omitted; the last share is of joints.
  ordered_json by_part(const std::vector<double>& shares) const {
    ordered_json all = ordered_json::object();
    for (std::size_t p = 0; p < shares.size(); ++p)
      if (std::abs(shares[p]) >= 1e-3)
        all[p + 1 < shares.size() ? part_name(static_cast<int>(p)) : "joints"] = shares[p];
    return all;
  }

  void readings(ordered_json& a, const study::AnalysisOutcome& o) const {
    for (std::size_t m = 0; m < o.readings.size(); ++m) {
      const auto& r = o.readings[m];
      auto& mode = a["modes"][m];
      for (std::size_t t = 0; t < r.load_shares.size(); ++t)
        mode["load_shares"][model_.actions[static_cast<std::size_t>(o.variable.terms[t].first)].name] =
            number(r.load_shares[t]);
      mode["energy"] = by_part(r.energy);
      mode["work"] = by_part(r.work);
      mode.update(json_of(analysis::reading_fields(), r));
      for (const auto& w : r.waves)
        for (const auto& line : w.lines)
          mode["waves"][part_name(w.part)].push_back({{"half_waves", line.half_waves},
                                                      {"closed", line.closed},
                                                      {"length", number(line.length)},
                                                      {"elements_per_half_wave", number(line.elements_per_half_wave)}});
      mode["words"] = study::mode_in_words(model_, r);
    }
    if (o.base) {
      a["at_critical_load"] = peaks(o.base->at_critical);
      if (std::isfinite(o.base->yield.load_factor))
        a["first_yield"] = {{"load_factor", o.base->yield.load_factor},
                            {"part", o.base->yield.part < 0 ? "" : part_name(o.base->yield.part)},
                            {"at", vector(o.base->yield.place)}};
    }
    const auto member = [&](const analysis::EffectiveLength& e) {
      auto j = json_of(analysis::effective_length_fields(), e);
      for (const int part : e.parts)
        if (e.parts.size() > 1) j["pieces"].push_back(part_name(part));
      return j;
    };
    for (const auto& e : o.lengths) a["effective_lengths"][e.member] = member(e);
    for (const auto& e : o.lengths_by_mode) a["effective_lengths_by_mode"][e.member].push_back(member(e));
    for (const auto& s : o.sensitivities)
      for (const double value : s.relative)
        a[s.part < 0 ? "spring_sensitivities" : "sensitivities"][s.part < 0 ? s.springs : part_name(s.part)].push_back(
            number(value));
    if (o.second_mesh) {
      a["second_mesh"] = {
          {"refine", o.second_mesh->refine}, {"dofs", o.second_mesh->dofs}, {"modes", matches(o.second_mesh->modes)}};
      for (const double value : o.second_mesh->extrapolated) a["second_mesh"]["extrapolated"].push_back(number(value));
    }
    for (const auto& v : o.verdicts) a["verdicts"].push_back(json_of(study::verdict_fields(), v));
  }

  void buckling(ordered_json& a, const study::AnalysisOutcome& o, const analysis::BucklingResult& r) const {
    a["ending"] = analysis::to_text(r.ending);
    a["message"] = r.message;
    a["no_positive_factor"] = r.no_compression;
    a["no_forces"] = r.no_forces;
    a["left_out"] = modes(o, r.left_out);
    if (!r.left_out_reversed.empty()) a["left_out_reversed"] = modes(o, r.left_out_reversed);
    a["asked_modes"] = r.asked;
    a["variable_applied"] = resultant(r.variable_applied);
    a["variable_reacted"] = resultant(r.variable_reacted);
    a["variable_imbalance"] = number(r.variable_imbalance);
    a["modes"] = modes(o, r.modes);
    if (o.one_sided) {
      const auto& s = *o.one_sided;
      a["one_sided"] = {{"found", s.found},      {"message", s.message}, {"load_factor", number(s.load_factor)},
                        {"starts", s.starts},    {"converged", s.ended}, {"constraints", s.constraints},
                        {"touching", s.touching}};
    }
    a["negative_sought"] = r.sought_negative;
    a["negative_modes"] = modes(o, r.negative_modes);
    readings(a, o);
    a["proof"] = {{"complete", r.complete()},
                  {"counted_below_cut", r.proof.counted_below_cut},
                  {"cut", number(r.proof.cut)},
                  {"shift", number(r.proof.shift)},
                  {"negative_pivots_at_shift", r.proof.negatives_at_shift},
                  {"block_steps", r.proof.block_steps}};
    a["cost"] = {{"factorisations", r.cost.factorisations}, {"right_hand_sides", r.cost.right_hand_sides}};
    a["solver"] = {{"method", "block Lanczos in the stiffness inner product, inertia checked"},
                   {"residual_tolerance", o.spec.tolerance}};
  }

  static const char* control_text(const study::ControlSpec& control) {
    static const char* const words[] = {"load", "arc-length", "displacement"};
    return control.change ? "automatic" : words[static_cast<int>(control.control)];
  }

  void path(ordered_json& a, const study::AnalysisOutcome& o, const analysis::PathResult& r) const {
    a["ending"] = analysis::to_text(r.ending);
    a["message"] = r.message;
    a["stop_reason"] = r.stop_reason;
    a["peak"] = {{"load_factor", number(r.peak_load_factor)},
                 {"increment", r.peak},
                 {"limit_point", r.peak_is_limit_point},
                 {"on_unstable_path", r.peak_is_unstable()}};
    if (r.first_loss >= 0) {
      const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
      a["first_loss_of_stability"] = {{"load_factor", number(loss.load_factor)},
                                      {"uncertainty", number(loss.uncertainty)},
                                      {"increment", r.first_loss},
                                      {"event", analysis::to_text(loss.event)},
                                      {"proved", !r.unsymmetric}};
    }
    if (r.first_yield.part >= 0)
      a["first_yield"] = {{"load_factor", number(r.first_yield.load_factor)},
                          {"part", part_name(r.first_yield.part)},
                          {"increment", r.first_yield.increment}};
    for (const auto& s : o.second_order) {
      a["second_order"][s.member] = json_of(study::second_order_fields(), s);
      a["second_order"][s.member]["buckling"] = s.buckling;
    }
    if (!o.plies.empty()) a["plies"] = plies(o.plies);
    a["applied_at_end"] = resultant(r.applied);
    a["reacted_at_end"] = resultant(r.reacted);
    a["factorisations"] = r.factorisations;
    for (const auto& stage : r.stages) {
      if (stage.last < stage.first) continue;
      const auto& end = r.increments[static_cast<std::size_t>(stage.last)];
      a["stages"].push_back({{"name", stage.name},
                             {"load", stage.load},
                             {"first_increment", stage.first},
                             {"last_increment", stage.last},
                             {"peak_increment", stage.peak_is_limit_point ? ordered_json(stage.peak) : nullptr},
                             {"ended", stage.reason},
                             {"end", {{"load_factor", number(end.load_factor)}, {"watch", watched(end)}}}});
    }
    if (r.stuck.node >= 0)
      a["stuck_at"] = {{"place", vector(r.stuck.place)},
                       {"part", r.stuck.part >= 0 ? part_name(r.stuck.part) : ""},
                       {"force_out_of_balance", number(r.stuck.force)},
                       {"share_of_all", number(r.stuck.share)}};
    ordered_json list = ordered_json::array();
    for (const auto& i : r.increments) {
      list.push_back(json_of(analysis::increment_fields(), i));
      list.back()["watch"] = watched(i);
      list.back()["reactions"] = reactions(i.reactions);
      if (!i.couplings.empty()) list.back()["couplings"] = couplings(i.couplings);
      if (!i.contacts.empty()) list.back()["contacts"] = detail::contacts_json(i.contacts, model_);
      list.back()["peaks"] = peaks(i.peaks);
      for (std::size_t p = 0; p < i.flow.size(); ++p)
        if (i.flow[p].plastic_strain > 0)
          list.back()["flow_by_part"][part_name(static_cast<int>(p))] = {
              {"plastic_strain", number(i.flow[p].plastic_strain)}, {"yielded_share", number(i.flow[p].share)}};
    }
    a["critical_points"] = ordered_json::array();
    for (std::size_t i = 0; i < r.increments.size(); ++i)
      if (r.increments[i].event == analysis::PathEvent::limit_point ||
          r.increments[i].event == analysis::PathEvent::bifurcation)
        a["critical_points"].push_back(list[i]);
    a["increments"] = list;
    if (!r.crossings.empty()) a["passes_through"] = detail::crossings_json(r, model_);
    if (o.other_states) a["other_states"] = detail::other_states_json(*o.other_states, result_.spec);
    if (!r.branches.empty()) a["branches"] = detail::branches_json(r, result_.spec, model_);
    a["solver"] = {{"control", control_text(o.spec.control)},
                   {"residual_tolerance", o.spec.tolerance},
                   {"residual", "largest relative unbalanced force or moment"},
                   {"first_step", number(r.increments.size() > 1 ? r.increments[1].step : o.spec.control.first_step)},
                   {"tangent", "factorised at the first correction of an increment, then as needed"}};
  }

  const study::StudyResult& result_;
  const model::Model& model_;  ///< of the analysis at hand
};
}  // namespace

std::string results_json(const study::StudyResult& result) {
  return Writer(result, *result.model).all().dump(1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
}

}  // namespace archway::io
