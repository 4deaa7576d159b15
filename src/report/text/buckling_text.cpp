#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/comparison.hpp"
#include "archway/study/summary.hpp"
#include "archway/study/verdicts.hpp"
#include "text/text_detail.hpp"

namespace archway::report {

namespace {
using base::Vec3;
using detail::heading;
using detail::number;
using detail::paragraph;
using detail::percent;
using detail::Table;
using detail::vector;

/// "+1.25 %"; what rounds to nothing is 0.
std::string change_of(double share, int digits) {
  if (std::abs(100 * share) < 0.5 * std::pow(10, -digits)) return "0 %";
  return fmt::format("{:+.{}f} %", 100 * share, digits);
}

/// Load factors on two meshes, and where they lead.
std::string second_mesh_text(const study::AnalysisOutcome& o, const TextStyle& style) {
  if (!o.second_mesh) return "";
  const auto& second = *o.second_mesh;
  Table table({"mode", "this mesh", fmt::format("{:g} times finer", second.refine), "change", "without end",
               "this mesh off by", "MAC (MAC)"},
              "rrrrrrr");
  for (std::size_t m = 0; m < second.modes.size(); ++m) {
    const auto& match = second.modes[m];
    const bool found = match.other >= 0;
    const double limit = second.extrapolated[m];
    table.row({fmt::format("{}", m + 1), number(match.load_factor), number(match.other_load_factor),
               found ? change_of(match.other_load_factor / match.load_factor - 1, 3) : "no match",
               found ? number(limit) : "", found ? change_of(match.load_factor / limit - 1, 3) : "",
               fmt::format("{:.2f}", match.likeness)});
  }
  return fmt::format("  second mesh with {} degrees of freedom:\n", second.dofs) + table.text(style);
}

namespace {
/// Effective lengths of members in the first mode that takes each along. An axis that the mode does not bend it about
/// is left empty.
std::string pressed_members_text(const study::Units& units, const study::AnalysisOutcome& o, const TextStyle& style) {
  const std::size_t most = style.verbose ? 100000 : 20;
  constexpr double bends = 0.02;  // of a member's bending energy
  std::vector<const analysis::EffectiveLength*> list;
  for (const auto& e : o.lengths)
    if (e.mode >= 0 && (e.about_y > 0 || e.about_z > 0)) list.push_back(&e);
  if (list.empty()) return "";
  const auto left = list.size() > most ? list.size() - most : 0;
  if (left > 0) {  // those that share most in the first mode
    std::stable_sort(list.begin(), list.end(), [](const auto* a, const auto* b) {
      return a->mode != b->mode ? a->mode < b->mode : a->share > b->share;
    });
    list.resize(most);
  }
  std::vector<std::string> head = {"member", "mode", fmt::format("axial force then [{}]", units.force),
                                   fmt::format("effective length about y [{}]", units.length), "about z"};
  const bool slender = std::any_of(o.lengths.begin(), o.lengths.end(), [](const auto& e) { return e.slenderness > 0; });
  if (slender) head.emplace_back("slenderness");  // relative: where there is a yield stress
  const bool curves = std::any_of(o.lengths.begin(), o.lengths.end(), [](const auto& e) { return e.resistance > 0; });
  if (curves) head.insert(head.end(), {fmt::format("resistance [{}]", units.force), "used at factor 1"});
  Table table(head, "l" + std::string(head.size() - 1, 'r'));
  for (const auto* e : list) {
    const bool any = e->bend_y + e->bend_z > 0;
    std::vector<std::string> row = {e->member, fmt::format("{}", e->mode + 1), number(-e->axial, 5),
                                    any && e->bend_y < bends ? "" : number(e->about_y, 4),
                                    any && e->bend_z < bends ? "" : number(e->about_z, 4)};
    if (slender) row.push_back(e->slenderness > 0 ? fmt::format("{:.2f}", e->slenderness) : "");
    if (curves && e->resistance > 0)
      row.insert(row.end(), {number(e->resistance, 4),
                             fmt::format("{:.0f} %", 100 * std::max(0.0, e->at_factor_one) / e->resistance)});
    else if (curves)
      row.insert(row.end(), {"", ""});
    table.row(row);
  }
  std::string out = table.text(style);
  std::vector<std::string> principal;
  for (const auto* e : list)
    if (e->principal) principal.push_back("'" + e->member + "'");
  if (!principal.empty())
    out += fmt::format("  about the major and the minor principal axis, not y and z: {}\n", fmt::join(principal, ", "));
  if (left > 0)
    out += fmt::format("  and {} more: all of them, in every mode, in tables/{}-members-in-compression.csv\n", left,
                       o.spec.name);
  return out;
}
}  // namespace

/// Where every mode lives and what drives it; effective lengths, sensitivities, verdicts.
std::string readings_text(const study::Units& units, const study::AnalysisOutcome& o, const TextStyle& style) {
  const auto& model = *o.geometry;
  std::string out;
  if (!o.readings.empty()) {
    std::vector<std::string> head = {"mode", "strain energy in; waves; what moves"};
    for (const auto& [action, factor] : o.variable.terms)
      if (o.variable.terms.size() > 1) head.push_back("by " + model.actions[static_cast<std::size_t>(action)].name);
    Table table(head, "rl" + std::string(head.size() - 2, 'r'));
    for (std::size_t m = 0; m < o.readings.size(); ++m) {
      std::vector<std::string> row = {fmt::format("{}", m + 1), study::mode_in_words(model, o.readings[m])};
      for (const double share : o.readings[m].load_shares)
        if (o.variable.terms.size() > 1) row.push_back(fmt::format("{:.0f} %", 100 * share));
      table.row(row);
    }
    out += table.text(style);
  }
  out += pressed_members_text(units, o, style);
  if (!o.sensitivities.empty()) {
    Table table({"factor 1 changes by, for 1 % more of", ""}, "lr");
    for (const auto& s : o.sensitivities)
      table.row({s.part < 0 ? "stiffness of " + s.springs : model.parts[static_cast<std::size_t>(s.part)].name,
                 fmt::format("{:+.3f} %", s.relative[0])});
    out += table.text(style);
  }
  out += second_mesh_text(o, style);
  for (const auto& v : o.verdicts)
    out +=
        fmt::format("  required {} for {}: {}{}\n", number(v.required), v.group, v.met ? "passed" : "FAILED",
                    v.mode < 0 ? "" : fmt::format(" ({} in mode {}, '{}')", number(v.load_factor), v.mode + 1, v.part));
  return out;
}

/// Hand formulas beside the analyses they belong to.
std::string hand_checks_text(const study::StudyResult& result, const TextStyle& style) {
  if (result.hand_checks.empty()) return "";
  Table table({"analysis", "mode", "formula", "critical by formula", "as load factor", "analysis is"}, "lrlrrr");
  for (const auto& h : result.hand_checks)
    table.row({h.spec.of, fmt::format("{}{}", h.reversed ? "reversed " : "", h.spec.mode), h.spec.formula,
               fmt::format("{} {}", number(h.value), h.unit), number(h.load_factor),
               !h.note.empty() ? "not comparable"
               : h.failed      ? fmt::format("{:.4g} times", 1 + h.deviation)
                               : change_of(h.deviation, 2)});
  std::string out = "\n" + heading("Beside hand formulas", style) + table.text(style);
  for (const auto& h : result.hand_checks)
    for (const auto* text : {&h.note, &h.warning})
      if (!text->empty())
        out += paragraph("!", fmt::format("{} beside {}: {}", h.spec.formula, h.spec.of, *text), style);
  std::vector<std::string> told;
  for (const auto& h : result.hand_checks) {
    if (std::find(told.begin(), told.end(), h.spec.formula) != told.end()) continue;
    told.push_back(h.spec.formula);
    out +=
        paragraph("-", fmt::format("{} ({}) assumes: {}", h.spec.formula, h.title, fmt::join(h.assumes, "; ")), style);
  }
  return out;
}

/// Buckling analyses side by side, modes matched by shape.
std::string shapes_text(const study::StudyResult& result, const TextStyle& style) {
  std::string out;
  for (const auto& c : result.shapes) {
    Table table({fmt::format("mode of {}", c.analysis), "load factor", fmt::format("mode of {}", c.with), "load factor",
                 "change", "MAC (MAC)"},
                "rrrrrr");
    for (const auto& m : c.modes) {
      const bool found = m.other >= 0;
      table.row({fmt::format("{}", m.mode + 1), number(m.load_factor), found ? fmt::format("{}", m.other + 1) : "none",
                 number(m.other_load_factor),
                 found && c.same_loads ? change_of(m.load_factor / m.other_load_factor - 1, 2) : "",
                 fmt::format("{:.2f}", m.likeness)});
    }
    out += "\n" +
           heading(fmt::format("{} beside {}, modes matched by shape{}", c.analysis, c.with,
                               c.same_loads ? "" : " (other loads: factors are not to be compared)"),
                   style) +
           table.text(style);
  }
  return out;
}
}  // namespace

namespace {
/// Modes from `first` on that are one and the same number to the digits that are reported.
std::size_t equal_from(const std::vector<analysis::Mode>& modes, std::size_t first, int digits) {
  std::size_t last = first;
  while (modes[first].repeated && last + 1 < modes.size() && modes[last + 1].repeated &&
         number(modes[last + 1].load_factor, digits) == number(modes[first].load_factor, digits))
    ++last;
  return last;
}

/// Digits of a factor that its mesh lets one believe, and one or two more to see it settle: six at most.
int believed_digits(const study::AnalysisOutcome& o, std::size_t mode) {
  const double error = mode < o.readings.size() ? o.readings[mode].mesh_error : 0;
  return error > 0 ? std::clamp(2 - static_cast<int>(std::floor(std::log10(error))), 3, 6) : 6;
}

/// Equal modes are one row, but not where all is wanted.
Table factors_table(const study::StudySpec& spec, const study::AnalysisOutcome& o, const analysis::BucklingResult& r,
                    bool balanced, const TextStyle& style) {
  std::vector<std::string> head = {"mode", "load factor", fmt::format("critical load [{}]", spec.units.force)};
  if (style.verbose) head.insert(head.end(), {fmt::format("as (x, y, z) [{}]", spec.units.force), "residual"});
  head.insert(head.end(), {"mesh error", ""});
  Table table(head, style.verbose ? "rrrlrrl" : "rrrrl");
  const auto add = [&](const std::vector<analysis::Mode>& modes, int sign) {
    for (std::size_t m = 0; m < modes.size(); ++m) {
      const int digits = style.verbose ? 10 : sign > 0 ? believed_digits(o, m) : 6;
      const std::size_t last = style.verbose ? m : equal_from(modes, m, 6);
      const Vec3 force = o.constant_total.force + modes[m].load_factor * o.variable_total.force;
      const char* minus = sign < 0 ? "-" : "";
      std::vector<std::string> row = {
          last > m ? fmt::format("{0}{1} .. {0}{2}", minus, m + 1, last + 1) : fmt::format("{}{}", minus, m + 1),
          number(modes[m].load_factor, digits), number(study::total_load(o, modes[m].load_factor), digits)};
      if (style.verbose)
        row.insert(row.end(), {balanced ? "-" : vector(force), fmt::format("{:.0e}", modes[m].residual)});
      row.push_back(sign > 0 ? m < o.readings.size() ? percent(o.readings[m].mesh_error) : "not known" : "");
      row.push_back(sign < 0                    ? "load reversed"
                    : last > m                  ? fmt::format("{} equal", last - m + 1)
                    : modes[m].repeated         ? "one of a pair"
                    : modes[last].close_to_next ? "close to next"
                                                : "");
      table.row(row);
      m = last;
    }
  };
  add(r.modes, 1);
  add(r.negative_modes, -1);
  return table;
}
}  // namespace

std::string detail::modes_text(const study::StudySpec& spec, const study::AnalysisOutcome& o,
                               const analysis::BucklingResult& r, const TextStyle& style) {
  if (!r.usable()) return "";
  std::string out;
  if (std::isfinite(r.variable_imbalance))
    out += fmt::format("  variable loads {} are met by reactions {} {}, to {:.1g} of the largest force\n",
                       vector(r.variable_applied.force), vector(r.variable_reacted.force), spec.units.force,
                       std::max(r.variable_imbalance, 1e-16));
  if (r.no_compression || r.empty_window) return out + fmt::format("  {}\n", r.message);
  // loads that balance each other have no resultant to read
  const bool balanced = o.variable_total.force.isZero(0);
  out += factors_table(spec, o, r, balanced, style).text(style);
  if (!o.constant.terms.empty())
    out += "  total load = constant load + load factor x variable load; the critical load is the resultant of both\n";
  if (balanced) out += "  the variable loads balance each other: their resultant is zero, read the load factor\n";
  out += r.complete()
             ? fmt::format("  complete: {} {}{} below {} by inertia, all of them {} ({} factorisations, {} solves)\n",
                           r.proof.counted_below_cut, r.proof.counted_below_cut == 1 ? "factor lies" : "factors lie",
                           o.spec.above > 0 ? fmt::format(" above {} and", number(o.spec.above)) : "",
                           number(r.proof.cut), r.left_out.empty() ? "listed" : "listed or omitted",
                           r.cost.factorisations, r.cost.right_hand_sides)
             : fmt::format("  NOT proved complete: {}\n", r.proof.message);
  if (!r.sought_negative && o.spec.negative == analysis::Negative::when_none)
    out += "  factors of the load reversed were not sought (reversed_load = \"show\" seeks them)\n";
  if (!o.readings.empty())
    out += "  mesh error: estimated from a mesh of half the elements, or of twice as many where that is too coarse\n";
  return out + readings_text(spec.units, o, style);
}

namespace {
/// The answer first: whether the load as given is carried, and what says so, the worst first.
std::string summary_text(const study::StudyResult& result, const TextStyle& style) {
  using study::Carried;
  const std::size_t most = style.verbose ? 100000 : 12;
  const auto lines = study::summary(result);
  if (lines.empty()) return "";
  const auto all = study::carried(result);
  std::string out =
      heading(all == Carried::no                 ? "The load as given is NOT carried"
              : all == Carried::not_contradicted ? "No analysis contradicts the load as given"
                                                 : "It is not answered whether the load as given is carried",
              style);
  for (std::size_t k = 0; k < std::min(most, lines.size()); ++k) {
    const auto& line = lines[k];
    const char* mark = line.carried == Carried::no ? "!" : line.carried == Carried::not_contradicted ? "-" : "?";
    out += paragraph(mark, fmt::format("{} ({}): {}", line.analysis, line.kind, line.text), style);
  }
  if (lines.size() > most)
    out += fmt::format("  and {} more: -v prints all of them; results.json, summary\n", lines.size() - most);
  return out + "\n";
}
}  // namespace

std::string comparison_text(const study::StudyResult& result, const TextStyle& style) {
  const std::string preloads = summary_text(result, style) + detail::preloads_text(result, style);
  if (result.comparison.empty()) return preloads;
  const auto& u = result.spec.units;
  Table table({"analysis", "kind", "what", "load factor", fmt::format("total load [{}]", u.force), "ratio to LBA",
               fmt::format("displacement [{}]", u.length), ""},
              "lllrrrrl");
  for (const auto& r : result.comparison)
    table.row({r.analysis, r.kind, r.meaning, number(r.load_factor), number(r.force),
               std::isfinite(r.ratio) ? fmt::format("{:.3f}", r.ratio) : "-", number(r.displacement, 4), r.note});
  std::string text = preloads + heading("Comparison", style) + table.text(style) + shapes_text(result, style) +
                     hand_checks_text(result, style);
  if (style.verbose)
    text += fmt::format(
        "  solver: {} orderings, {} symbolic analyses, {} factorisations, {} solutions, of checks and second meshes too\n",
        result.cost.orderings, result.cost.analyses, result.cost.factorisations, result.cost.right_hand_sides);
  return detail::wrapped(text, style);
}

}  // namespace archway::report
