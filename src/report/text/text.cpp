#include "archway/report/text.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/study/comparison.hpp"
#include "text/text_detail.hpp"

namespace archway::report {

namespace {
using base::Vec3;
using detail::heading;
using detail::number;
using detail::number_beside;
using detail::paragraph;
using detail::Table;
using detail::vector;
using detail::warnings_text;

std::string terms(const model::Model& model, const model::Combination& c) {
  std::vector<std::string> list;
  for (const auto& [action, factor] : c.terms)
    list.push_back(fmt::format("{:g} x {}", factor, model.actions[static_cast<std::size_t>(action)].name));
  return list.empty() ? "nothing" : fmt::format("{}", fmt::join(list, " + "));
}

/// Ranges of forces and largest stresses, one line a part.
std::string parts_text(const study::StudySpec& spec, const model::Model& model, const analysis::LinearStaticResult& r,
                       const TextStyle& style) {
  const auto peaks = analysis::peaks_by_part(model, r);
  const auto& u = spec.units;
  Table table(
      {"part", fmt::format("axial force [{}]", u.force), fmt::format("shear [{}]", u.force),
       fmt::format("moments y, z [{}]", u.moment()), fmt::format("largest stress [{}]", u.stress()), "of yield"},
      "lrrrrr");
  const std::size_t shown = std::min<std::size_t>(peaks.size(), 14);
  double forces = 0, moments = 0;
  for (const auto& peak : peaks) {
    forces = std::max({forces, std::abs(peak.axial_low), std::abs(peak.axial_high), peak.shear});
    moments = std::max({moments, peak.moment_y, peak.moment_z});
  }
  for (std::size_t p = 0; p < shown; ++p) {
    const auto& peak = peaks[p];
    const bool member = model.parts[p].kind == model::PartKind::member;
    table.row({model.parts[p].name,
               peak.is_line ? fmt::format("{} to {}", number_beside(peak.axial_low, forces, 4),
                                          number_beside(peak.axial_high, forces, 4))
                            : "",
               member ? number_beside(peak.shear, forces, 4) : "",
               member ? fmt::format("{}, {}", number_beside(peak.moment_y, moments, 4),
                                    number_beside(peak.moment_z, moments, 4))
                      : "",
               number(peak.stress, 4), peak.yield > 0 ? fmt::format("{:.1f} %", 100 * peak.utilisation()) : ""});
  }
  if (shown < peaks.size()) table.row({fmt::format("... {} more", peaks.size() - shown), "", "", "", "", ""});
  return table.text(style);
}

std::string reactions_text(const study::StudySpec& spec, const model::Model& model,
                           const analysis::LinearStaticResult& r, const TextStyle& style) {
  const auto list = analysis::reactions_by_support(model, r.reactions, r.spring_forces);
  if (list.size() < 2) return "";
  const auto clean = [&](Vec3 v, double scale) {  // rounding is no reaction
    for (int k = 0; k < 3; ++k)
      if (std::abs(v[k]) < 1e-9 * scale) v[k] = 0;
    return vector(v);
  };
  double force = 0, moment = 0;
  for (const auto& s : list) force = std::max(force, s.force.norm()), moment = std::max(moment, s.moment.norm());
  Table table({"support", "nodes", fmt::format("force [{}]", spec.units.force),
               fmt::format("moments at its nodes [{}]", spec.units.moment())},
              "lrll");
  for (const auto& s : list)
    table.row({s.name, fmt::format("{}", s.nodes), clean(s.force, force),
               clean(s.moment, std::max(moment, 1e-3 * force * model.size()))});
  return table.text(style);
}

/// Plies nearest to their first failure; the load factor is that of the load as a whole.
std::string plies_text(const std::vector<study::PlyFailure>& plies, const study::Units& units, const TextStyle& style) {
  Table table(
      {"part", "first ply failure by", "ply", "used to", "at load factor", fmt::format("place [{}]", units.length)},
      "llrrrl");
  for (const auto& p : plies)
    table.row({p.part, p.tsai_hill ? "Tsai-Hill" : "maximum stress", fmt::format("{}", p.ply),
               fmt::format("{:.4g}", p.use), fmt::format("{:.5g}", p.load_factor), vector(p.place)});
  return table.text(style);
}

std::string linear_text(const study::StudySpec& spec, const model::Model& model, const analysis::LinearStaticResult& r,
                        const TextStyle& style) {
  std::string out;
  const auto& u = spec.units;
  double largest = 0;
  std::size_t where = 0;
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    if (const double size = r.displacement.segment<3>(model::row(n)).norm(); size > largest) largest = size, where = n;
  out += fmt::format("  largest displacement {} {} at {}\n", number(largest), u.length, vector(model.nodes[where]));
  Table table({"", fmt::format("force [{}]", u.force), fmt::format("moment about origin [{}]", u.moment())}, "lll");
  table.row({"loads", vector(r.applied.force), vector(r.applied.moment)});
  table.row({"reactions", vector(r.reacted.force), vector(r.reacted.moment)});
  out += table.text(style);
  out += fmt::format("  loads and reactions agree to {:.1g} of the largest force\n", std::max(r.imbalance, 1e-16));
  out += reactions_text(spec, model, r, style);
  out += parts_text(spec, model, r, style);
  if (const auto slack = std::count(r.slack.begin(), r.slack.end(), 1); slack > 0)
    out +=
        fmt::format("  {} of {} bars are slack: tension-only, they would be in compression\n", slack, r.slack.size());
  return out;
}

/// When nodes first touch and last let go of obstacles and other parts, and what presses at the peak.
std::string contacts_text(const study::StudySpec& spec, const model::Model& model, const analysis::PathResult& r) {
  std::string out;
  for (std::size_t o = 0; o < model.obstacles.size() + model.contacts.size(); ++o) {
    const bool obstacle = o < model.obstacles.size();
    const auto name = fmt::format("{} '{}'", obstacle ? "obstacle" : "contact",
                                  obstacle ? model.obstacles[o].name : model.contacts[o - model.obstacles.size()].name);
    int before = 0;
    std::vector<std::string> events;
    std::size_t told = 0;
    for (const auto& i : r.increments) {
      if (i.contacts.size() <= o) continue;
      const int now = i.contacts[o].touching;
      if ((before == 0) != (now == 0)) {
        if (++told <= 6)
          events.push_back(fmt::format("{} by load factor {:.4g}", now > 0 ? "touched" : "free", i.load_factor));
      }
      before = now;
    }
    if (events.empty()) {
      out += fmt::format("  {}: nothing touches\n", name);
      continue;
    }
    const auto& at = r.increments[static_cast<std::size_t>(std::max(r.peak, 0))];
    out += fmt::format("  {}: {}{}; at load factor {:.4g} {} nodes press with {} {}\n", name, fmt::join(events, ", "),
                       told > 6 ? fmt::format(" and {} changes more", told - 6) : "", at.load_factor,
                       at.contacts[o].touching, number(at.contacts[o].pressed, 4), spec.units.force);
  }
  return out;
}

/// One line a branch: where it leaves, how far it was followed, whether the structure stays on it.
std::string branches_text(const analysis::PathResult& r, const study::StudySpec& spec, const std::string& indent) {
  std::string out;
  for (const auto& branch : r.branches) {
    const auto& own = branch.path->increments;
    if (own.size() < 2) {
      out += fmt::format("{}branch from increment {}, {}: not found ({})\n", indent, branch.increment,
                         analysis::way_text(branch), branch.path->message);
      continue;
    }
    const auto stable = std::all_of(own.begin() + 1, own.end(), [](const auto& i) { return i.negative_pivots == 0; });
    const auto& end = own.back();
    out += fmt::format(
        "{}branch from increment {} at {}, {}: load {}, to {} after {} increments (largest "
        "displacement {} {}); {}; ended: {}\n",
        indent, branch.increment, analysis::place_text(own.front()), analysis::way_text(branch),
        own[1].load_factor >= own[0].load_factor ? "rises" : "falls", number(end.load_factor), own.size() - 1,
        number(end.largest_displacement, 4), spec.units.length,
        stable ? "stable"
               : fmt::format("{} unstable directions at its beginning, {} at its end", own[1].negative_pivots,
                             end.negative_pivots),
        branch.path->stop_reason.empty() ? branch.path->message : branch.path->stop_reason);
    out += branches_text(*branch.path, spec, indent + "  ");
  }
  return out;
}

/// Moments of members in compression by linear theory, amplified, and by the path.
std::string second_order_text(const study::StudySpec& spec, const study::AnalysisOutcome& o, const TextStyle& style) {
  constexpr std::size_t most = 12;
  const auto& u = spec.units;
  std::vector<std::pair<double, std::vector<std::string>>> rows;
  for (const auto& s : o.second_order) {
    const double largest = std::max({s.linear_y, s.linear_z, s.nonlinear_y, s.nonlinear_z});
    const auto add = [&](const char* axis, double linear, double nonlinear) {
      if (std::max(linear, nonlinear) < 1e-3 * largest || !(largest > 0)) return;
      rows.push_back({nonlinear,
                      {s.member, axis, number(s.axial, 4), number(linear, 4), fmt::format("{:.3f}", s.amplification),
                       number(s.amplification * linear, 4), number(nonlinear, 4)}});
    };
    add("y", s.linear_y, s.nonlinear_y), add("z", s.linear_z, s.nonlinear_z);
  }
  if (rows.empty()) return "";
  std::stable_sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  Table table({"member", "axis", fmt::format("axial [{}]", u.force), fmt::format("linear moment [{}]", u.moment()),
               "1/(1-f/fcr)", "amplified", "by this path"},
              "llrrrrr");
  for (std::size_t k = 0; k < std::min(most, rows.size()); ++k) table.row(rows[k].second);
  return fmt::format("  moments of members in compression at load factor {}, fcr of '{}':\n",
                     number(o.second_order[0].load_factor), o.second_order[0].buckling) +
         table.text(style);
}

std::string path_text(const study::StudySpec& spec, const study::AnalysisOutcome& o, const analysis::PathResult& r,
                      const TextStyle& style) {
  std::string out;
  const auto in_total = [&](const analysis::Increment& i) {  // nothing for loads that balance each other
    const double total = study::total_load(o, i.load_factor, i.stage);
    return std::isfinite(total) ? fmt::format(" ({} {})", number(total), spec.units.force) : "";
  };
  if (r.peak >= 0) {
    const auto& peak = r.increments[static_cast<std::size_t>(r.peak)];
    if (r.first_loss >= 0 && r.first_loss != r.peak) {
      const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
      out += fmt::format("  {} at load factor {}{}\n",
                         r.unsymmetric ? "stability not proved (unsymmetric tangent) from"
                                       : fmt::format("first loss of stability: {}", analysis::to_text(loss.event)),
                         analysis::place_text(loss), in_total(loss));
    }
    out +=
        fmt::format("  {} at load factor {}{}, largest displacement {} {}\n",
                    r.levels_off ? "plastic limit load: it stays constant"
                    : r.peak_is_unstable()
                        ? r.peak_is_limit_point ? "limit point of the unstable path" : "largest load reached, unstable"
                    : r.peak_is_limit_point ? "peak: limit point"
                                            : "largest load reached",
                    number(r.peak_load_factor), in_total(peak), number(peak.largest_displacement), spec.units.length);
  }
  for (std::size_t k = 0; k < r.stages.size() && r.stages.size() > 1; ++k) {
    const auto& stage = r.stages[k];
    if (stage.last < stage.first) continue;
    const auto& end = r.increments[static_cast<std::size_t>(stage.last)];
    out += fmt::format("  stage '{}' ended at load factor {} of '{}'{}{}\n", stage.name, analysis::place_text(end),
                       stage.load, in_total(end), stage.reason.empty() ? "" : ": " + stage.reason);
  }
  if (!r.increments.empty() && std::isfinite(r.increments.back().softest)) {
    out += fmt::format("  the lowest eigenvalue of the tangent stiffness is {:.3g} of that at the beginning",
                       r.increments.back().softest);
    const double loss = analysis::foreseen_loss(r.increments);
    out += std::isfinite(loss) ? fmt::format(": critical at about {:.4g} by the last three increments\n", loss) : "\n";
  }
  out += branches_text(r, spec, "  ");
  out += second_order_text(spec, o, style);
  out += contacts_text(spec, *o.model, r);
  if (r.usable())
    out += fmt::format("  ended: {}; {} increments, {} factorisations\n",
                       r.stop_reason.empty() ? r.message : r.stop_reason, r.increments.size() - 1, r.factorisations);
  return out;
}
}  // namespace

namespace {
/// "12 beam and 40 shell elements": the kinds there are.
std::string counted(int number, const char* what) {
  return fmt::format("{} {}{}", number, what, number == 1 ? "" : "s");
}
std::string elements_text(const study::CheckReport& r) {
  std::vector<std::string> kinds;
  for (const auto& [count, name] :
       {std::pair(r.beam_elements, "beam"), std::pair(r.shell_elements, "shell"), std::pair(r.bar_elements, "bar"),
        std::pair(r.solid_elements, "solid"), std::pair(r.springs, "spring")})
    if (count > 0) kinds.push_back(fmt::format("{} {}", count, name));
  return fmt::format("{} elements", fmt::join(kinds, ", "));
}
std::string resultants_text(const std::string& what, const std::vector<study::ActionRow>& rows, bool with_mass,
                            const study::Units& u, const TextStyle& style) {
  if (rows.empty()) return "";
  std::vector<std::string> head = {what, fmt::format("total force [{}]", u.force),
                                   fmt::format("moment about origin [{}]", u.moment())};
  if (with_mass) head.emplace_back("about centre of mass");
  Table table(head, with_mass ? "llll" : "lll");
  for (const auto& p : rows) {
    std::vector<std::string> row = {p.name, vector(p.about_origin.force), vector(p.about_origin.moment)};
    if (with_mass) row.push_back(vector(p.about_mass.moment));
    table.row(row);
  }
  return table.text(style);
}
/// Members by the way their sections stand.
std::string stands_text(const study::CheckReport& r, const TextStyle& style) {
  std::map<std::string, std::vector<std::string>> groups;
  for (const auto& p : r.parts)
    if (!p.stands.empty()) groups[p.stands].push_back(p.name);
  std::string out;
  for (const auto& [how, names] : groups) {
    const std::size_t shown = std::min<std::size_t>(names.size(), 8);
    out += paragraph("-",
                     fmt::format("local {}: {}{}", how,
                                 fmt::join(names.begin(), names.begin() + static_cast<std::ptrdiff_t>(shown), ", "),
                                 shown < names.size() ? fmt::format(" and {} more", names.size() - shown) : ""),
                     style);
  }
  return out;
}
}  // namespace

std::string check_text(const study::StudySpec& spec, const study::CheckReport& r, const TextStyle& style) {
  const auto& u = spec.units;
  std::string out = heading(spec.title, style);
  out += fmt::format("  units {}, {}, s (mass in {}); {}, {}; {} nodes, {}, {} free degrees of freedom\n", u.force,
                     u.length, u.mass(), counted(r.members, "member"), counted(r.panels, "panel"), r.nodes,
                     elements_text(r), r.dofs);
  if (r.ties > 0) out += fmt::format("  {} nodes follow others in couplings, bonds and joints\n", r.ties);
  out += fmt::format("  extent {} to {} {}; {} nodes supported\n", vector(r.low), vector(r.high), u.length,
                     r.supported_nodes);
  if (!spec.overrides.empty())
    for (const auto& [name, value] : spec.overrides)
      out += fmt::format("  set from outside: {} = {}\n", name, number(value));
  out += "\n";
  Table parts({"part", "kind", "material", "size", "elements", fmt::format("length/area/volume [{}^1,2,3]", u.length),
               fmt::format("mass [{}]", u.mass()), "per half wave"},
              "llllrrrr");
  const std::size_t shown = std::min<std::size_t>(r.parts.size(), 14);
  for (std::size_t p = 0; p < shown; ++p)
    parts.row({r.parts[p].name, r.parts[p].kind, r.parts[p].material, r.parts[p].size,
               fmt::format("{}", r.parts[p].elements), number(r.parts[p].measure), number(r.parts[p].mass, 4),
               r.parts[p].fineness.half_wave > 0 ? fmt::format("{:.1f}", r.parts[p].fineness.elements) : ""});
  if (shown < r.parts.size())
    parts.row({fmt::format("... {} more", r.parts.size() - shown), "", "", "", "", "", "", ""});
  parts.row({"all", "", "", "",
             fmt::format("{}", r.beam_elements + r.shell_elements + r.bar_elements + r.solid_elements), "",
             number(r.mass, 4), ""});
  out += parts.text(style) + "\n";
  if (r.mass > 0) out += fmt::format("  centre of mass {} {}\n\n", vector(r.centre_of_mass), u.length);
  out += resultants_text("action", r.actions, r.mass > 0, u, style);
  if (!r.combinations.empty()) out += "\n" + resultants_text("combination", r.combinations, r.mass > 0, u, style);
  for (const auto& p : r.actions)
    for (const auto& note : p.notes) out += paragraph("-", p.name + ": " + note, style);
  for (const auto& remark : r.remarks) out += paragraph("-", remark, style);
  out += stands_text(r, style);
  if (r.has_mechanism) out += paragraph("!", r.mechanism, style);
  return detail::wrapped(out, style) + warnings_text(r.warnings, style) + "\n";
}

std::string start_text(const study::StudySpec& spec, const study::AnalysisOutcome& o, const TextStyle& style) {
  std::string out = heading(fmt::format("{}  {} ({})", o.spec.kind->word(), o.spec.name, o.spec.kind->title()), style);
  const auto& model = *o.geometry;
  const auto with_total = [&](const model::Combination& c, const elements::Resultant& total) {
    return c.terms.empty() ? terms(model, c)
                           : fmt::format("{} = {} {}", terms(model, c), vector(total.force), spec.units.force);
  };
  if (const auto other = study::to_text(o.spec.variant); !other.empty()) out += fmt::format("  structure: {}\n", other);
  if (o.spec.kind->gives() == study::AnalysisKind::Gives::load)
    out += fmt::format("  load: {}\n", terms(model, o.variable));
  else
    out += fmt::format("  {}: {};  variable load: {}\n",
                       o.in_place ? fmt::format("in place at increment {} of '{}', with large displacements",
                                                o.spec.increment, o.spec.source)
                                  : "constant load",
                       with_total(o.constant, o.constant_total), with_total(o.variable, o.variable_total));
  for (const auto& shape : o.seeded) out += imperfection_text(shape, spec);
  if (o.seeded.size() > 1)
    out += fmt::format("  together, {}: largest {} {}, rms {} {}\n", study::imperfections_text(o.spec),
                       number(o.imperfection->largest), spec.units.length, number(o.imperfection->root_mean_square),
                       spec.units.length);
  return detail::wrapped(out, style);
}

std::string outcome_text(const study::StudySpec& spec, const model::Model& model, const study::AnalysisOutcome& o,
                         const TextStyle& style) {
  std::string out;
  if (o.linear && o.linear->usable()) out += linear_text(spec, model, *o.linear, style);
  if (o.linear && !o.plies.empty()) out += plies_text(o.plies, spec.units, style);
  if (o.buckling) out += detail::modes_text(spec, o, *o.buckling, style);
  if (o.path) out += path_text(spec, o, *o.path, style);
  if (o.post_buckling) out += post_buckling_text(*o.post_buckling, spec.units);
  if (o.reduced) out += reduced_text(*o.reduced, spec.units);
  if (o.slopes) out += slopes_text(*o.slopes, model, spec.units);
  return detail::wrapped(out, style) + warnings_text(o.warnings, style) + "\n";
}

namespace detail {
/// Two or more linear analyses side by side: largest displacement, and stress (share of yield) of every part.
std::string preloads_text(const study::StudyResult& result, const TextStyle& style) {
  std::vector<const study::AnalysisOutcome*> list;
  for (const auto& o : result.outcomes)
    if (o.linear && o.linear->usable() && list.size() < 6) list.push_back(&o);
  if (list.size() < 2) return "";
  const auto& u = result.spec.units;
  std::vector<std::string> head = {""}, displacement = {fmt::format("largest displacement [{}]", u.length)};
  std::vector<std::vector<analysis::PartPeak>> peaks;
  for (const auto* o : list) {
    head.push_back(o->spec.name);
    const double most = model::largest_translation(o->linear->displacement);
    displacement.push_back(number(most, 4));
    peaks.push_back(analysis::peaks_by_part(*o->model, *o->linear));
  }
  Table table(head, "l" + std::string(list.size(), 'r'));
  table.row(displacement);
  // a variant may have other parts than the study's own structure: by their names
  std::vector<std::string> parts;
  for (const auto* o : list)
    for (const auto& part : o->model->parts)
      if (std::find(parts.begin(), parts.end(), part.name) == parts.end()) parts.push_back(part.name);
  for (std::size_t p = 0; p < std::min<std::size_t>(parts.size(), 20); ++p) {
    std::vector<std::string> row = {fmt::format("stress in {} [{}]", parts[p], u.stress())};
    for (std::size_t k = 0; k < list.size(); ++k) {
      const auto& own = list[k]->model->parts;
      const auto at = std::find_if(own.begin(), own.end(), [&](const auto& part) { return part.name == parts[p]; });
      if (at == own.end()) {
        row.emplace_back("-");
        continue;
      }
      const auto& peak = peaks[k][static_cast<std::size_t>(at - own.begin())];
      row.push_back(number(peak.stress, 4) +
                    (peak.yield > 0 ? fmt::format(" ({:.1f} %)", 100 * peak.utilisation()) : ""));
    }
    table.row(row);
  }
  return heading("Preloads side by side (share of yield)", style) + table.text(style) + "\n";
}
}  // namespace detail

namespace {
/// Watches whose columns fit.
std::size_t watches_shown(std::size_t all, bool flows, const TextStyle& style) {
  constexpr int others = 20 + 26 + 12, plastic = 10, one = 14;  // the last twelve: "limit point"
  const int room = style.width - others - (flows ? plastic : 0);
  return std::min(all, static_cast<std::size_t>(std::max(room / one, 1)));
}
}  // namespace

std::string path_head(const study::StudySpec& spec, const TextStyle& style, bool flows) {
  std::string line = "   inc   load factor", note;
  const std::size_t shown = watches_shown(spec.watches.size(), flows, style);
  for (std::size_t w = 0; w < shown; ++w) line += fmt::format("  {:>12}", spec.watches[w].name.substr(0, 12));
  if (shown < spec.watches.size())
    note =
        detail::wrapped(fmt::format("  {} of {} watches; all are in the tables\n", shown, spec.watches.size()), style);
  if (flows) line += "  plastic%";
  return note + line + "   iter       step  state\n";
}

std::string path_line(const analysis::Increment& i, const analysis::Increment* before, const TextStyle& style) {
  std::string line = fmt::format("  {:>4}  {:>12}", i.number, analysis::place_text(i));
  const std::size_t shown = watches_shown(i.watched.size(), !i.flow.empty(), style);
  for (std::size_t w = 0; w < shown; ++w) line += fmt::format("  {:>12.{}g}", i.watched[w], style.verbose ? 9 : 5);
  if (!i.flow.empty()) line += fmt::format("  {:>8.3g}", 100 * i.plastic_strain);
  std::string state = i.negative_pivots == 0 ? "stable" : fmt::format("unstable ({})", i.negative_pivots);
  if (i.event == analysis::PathEvent::limit_point)
    state = "limit point";  // neither stable nor unstable
  else if (i.event != analysis::PathEvent::none)
    state = fmt::format("{}, {}", analysis::to_text(i.event), state);
  else if (before != nullptr && i.load_factor < before->load_factor)
    state += ", load falling";
  if (i.cut_backs > 0) state += fmt::format(", {} cut back", i.cut_backs);
  line += fmt::format("  {:>5}  {:>9.3g}  ", i.iterations, i.step);
  const std::size_t used = detail::columns_of(line), room = static_cast<std::size_t>(std::max(style.width, 0));
  const auto words = detail::broken(state, room > used + 12 ? room - used : 12);
  for (std::size_t k = 0; k < words.size(); ++k) line += (k == 0 ? "" : "\n" + std::string(used, ' ')) + words[k];
  return line + "\n";
}

}  // namespace archway::report
