#include "measure_command.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "archway/elements/loads.hpp"
#include "archway/model/panel_area.hpp"
#include "archway/model/selection.hpp"
#include "show_command.hpp"

namespace archway::app {

namespace {
using base::Vec3;

/// A coordinate that is zero but for rounding is zero.
Vec3 cleaned(const model::Model& model, Vec3 v) {
  for (int k = 0; k < 3; ++k)
    if (std::abs(v[k]) < 1e-9 * model.size()) v[k] = 0;
  return v;
}
std::string text(const model::Model& model, const Vec3& x) {
  const Vec3 v = cleaned(model, x);
  return fmt::format("({:.6g}, {:.6g}, {:.6g})", v.x(), v.y(), v.z());
}

const char* unit_power(model::PartKind kind) {
  return kind == model::PartKind::panel ? "^2" : kind == model::PartKind::solid ? "^3" : "";
}

void tell_parts(const WhatStands& study, const std::string& only, Console& console) {
  static const char* const measures[] = {"length", "area", "length", "volume"};
  const auto& u = study.spec.units;
  std::size_t width = 4;
  for (const auto& part : study.model.parts) width = std::max(width, part.name.size());
  double all = 0;
  for (std::size_t p = 0; p < study.model.parts.size(); ++p) {
    const auto& part = study.model.parts[p];
    if (!only.empty() && part.name != only) continue;
    const auto mass = elements::mass_of(study.model, static_cast<int>(p));
    all += mass.mass;
    console.out << fmt::format("  {:<{}}  {} {:.6g} {}{}, mass {:.6g} {}, centre {} {}\n", part.name, width,
                               measures[static_cast<int>(part.kind)], mass.measure, u.length, unit_power(part.kind),
                               mass.mass, u.mass(), text(study.model, mass.centre), u.length);
  }
  if (only.empty())
    console.out << fmt::format("  {:<{}}  mass {:.6g} {}, centre {} {}\n", "all", width, all, u.mass(),
                               text(study.model, elements::mass_of(study.model, -1).centre), u.length);
}

/// Total length of the pieces of lines between caught nodes; where they make one chain, it is its length.
double line_length(const model::Model& model, const std::set<int>& caught) {
  double length = 0;
  const auto x = [&](int n) { return model.nodes[static_cast<std::size_t>(n)]; };
  for (const auto& e : model.line_elements)
    if (caught.count(e.nodes[0]) > 0 && caught.count(e.nodes[3]) > 0)
      for (std::size_t k = 0; k < 3; ++k) length += (x(e.nodes[k + 1]) - x(e.nodes[k])).norm();
  for (const auto& e : model.bar_elements)
    if (caught.count(e.nodes[0]) > 0 && caught.count(e.nodes[1]) > 0) length += (x(e.nodes[1]) - x(e.nodes[0])).norm();
  return length;
}

void tell_nodes(const WhatStands& study, const std::string& what, const std::vector<int>& nodes, Console& console) {
  const auto& model = study.model;
  const auto& unit = study.spec.units.length;
  const auto x = [&](int n) { return model.nodes[static_cast<std::size_t>(n)]; };
  Vec3 low = x(nodes[0]), high = low;
  for (const int n : nodes) low = low.cwiseMin(x(n)), high = high.cwiseMax(x(n));
  console.out << fmt::format("  {}: {} node{}\n", what, nodes.size(), nodes.size() == 1 ? "" : "s");
  if (nodes.size() == 1)
    console.out << fmt::format("  at {} {}\n", text(model, low), unit);
  else
    console.out << fmt::format("  from {} to {}, extent {} {}\n", text(model, low), text(model, high),
                               text(model, high - low), unit);
  const std::set<int> caught(nodes.begin(), nodes.end());
  if (const double length = line_length(model, caught); length > 0)
    console.out << fmt::format("  members and bars between them: length {:.6g} {}\n", length, unit);
  double edges = 0, area = 0;
  for (const auto& [a, b] : model::edges_among(model, nodes)) edges += (x(a) - x(b)).norm();
  for (const auto& e : model.shell_elements)
    if (std::all_of(e.begin(), e.begin() + e.corners(), [&](int n) { return caught.count(n) > 0; }))
      area += model::area(model, e);
  if (edges > 0) console.out << fmt::format("  panel edges between them: length {:.6g} {}\n", edges, unit);
  if (area > 0) console.out << fmt::format("  panel elements between them: area {:.6g} {}^2\n", area, unit);
}

void tell_distance(const WhatStands& study, const std::vector<int>& first, const std::vector<int>& second,
                   Console& console) {
  const auto x = [&](int n) { return study.model.nodes[static_cast<std::size_t>(n)]; };
  double least = HUGE_VAL, most = 0;
  Vec3 way = Vec3::Zero(), from = way, to = way;
  for (const int a : first)
    for (const int b : second) {
      const double d = (x(b) - x(a)).norm();
      most = std::max(most, d);
      // of pairs that are as near the first: rounding is not to choose
      if (d < least * (1 - 1e-9) || least == HUGE_VAL) least = d, way = x(b) - x(a), from = x(a), to = x(b);
    }
  const auto& unit = study.spec.units.length;
  console.out << fmt::format("  distance {:.6g} {}, by {}\n  from {} to {}\n", least, unit, text(study.model, way),
                             text(study.model, from), text(study.model, to));
  if (first.size() > 1 || second.size() > 1)
    console.out << fmt::format("  that is the nearest pair; the farthest is {:.6g} {} apart\n", most, unit);
}
}  // namespace

int command_measure(const MeasureOptions& options, const std::map<std::string, double>& overrides, Console& console) {
  const auto study = what_stands(options.study, overrides);
  if (study.wrong > 0)
    console.err << "the study has errors (archway check lists them): only its valid parts are measured\n";
  if (options.what.empty()) {
    tell_parts(study, "", console);
    return done;
  }
  std::vector<std::vector<int>> nodes;
  std::vector<std::string> words;
  for (const auto& what : options.what) {
    words.emplace_back();
    nodes.push_back(caught(study, what, words.back()));
  }
  if (nodes.size() == 2) {
    tell_distance(study, nodes[0], nodes[1], console);
    return done;
  }
  const auto& parts = study.model.parts;
  if (std::any_of(parts.begin(), parts.end(), [&](const auto& p) { return p.name == options.what[0]; }))
    tell_parts(study, options.what[0], console);
  tell_nodes(study, words[0], nodes[0], console);
  return done;
}

}  // namespace archway::app
