// Accuracy per degree of freedom: classic problems on every element that can model them, over meshes of rising
// fineness.
//   accuracy --write docs    writes docs/accuracy.md and its charts
#include <cmath>
#include <filesystem>
#include <fstream>
#include <functional>
#include <iostream>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"
#include "archway/report/curves.hpp"
#include "archway/study/build_model.hpp"

namespace {
using namespace archway;
using model::Faces;
using model::Vec3;

enum class Kind { four, three, nine, solid8, solid20, beam };
const std::map<Kind, std::string> kNames = {{Kind::four, "four-node shell"},      {Kind::three, "three-node shell"},
                                            {Kind::nine, "nine-node shell"},      {Kind::solid8, "eight-node solid"},
                                            {Kind::solid20, "twenty-node solid"}, {Kind::beam, "beam"}};
bool is_shell(Kind k) {
  return k == Kind::four || k == Kind::three || k == Kind::nine;
}
Faces faces_of(Kind k) {
  return k == Kind::four ? Faces::four : k == Kind::three ? Faces::three : Faces::nine;
}
/// So many divisions of an element that has middles count half.
int divisions(Kind k, int n) {
  return k == Kind::nine || k == Kind::solid20 ? std::max(1, n / 2) : n;
}

struct Measured {
  int dofs = 0;
  double value = 0;
};

struct Problem {
  std::string name, title, quantity, literature;
  double published = 0;
  std::vector<Kind> kinds;
  std::vector<int> meshes;
  std::function<Measured(Kind, int)> run;
};

model::Model start(double e, double nu, double density = 0) {
  model::Model m;
  m.materials.push_back({"material", e, nu, density, 0});
  return m;
}
model::Part panel(double thickness) {
  model::Part p;
  p.name = "part";
  p.kind = model::PartKind::panel;
  p.material = 0;
  p.thickness = thickness;
  return p;
}
model::Part solid() {
  model::Part p = panel(0);
  p.kind = model::PartKind::solid;
  return p;
}
void hold(model::Model& m, const char* side, const std::vector<int>& dofs) {
  for (const int n : m.groups.at(std::string("part") + side))
    for (const int f : dofs) m.supports.push_back({n, f, side});
}
int nearest(const model::Model& m, const Vec3& x) {
  model::Selection s;
  s.near = x;
  return model::select(m, s).at(0);
}
Measured solve(model::Model& m, int node, int dof) {
  const analysis::System system(m);
  const auto r = analysis::linear_static(system, m.load_named("load"));
  if (!r.usable()) throw base::InputError("accuracy", r.message, "");
  return {system.free_count(), std::abs(r.displacement[model::row(node) + dof])};
}
model::Action& load(model::Model& m) {
  m.actions.emplace_back().name = "load";
  return m.actions.back();
}

Measured barrel_roof(Kind k, int n) {  // own weight, ends on diaphragms; a quarter
  model::Model m = start(4.32e8, 0);
  const double a = 40 * M_PI / 180;
  model::add_cylinder_strip(m, panel(0.25), Vec3::Zero(), Vec3(0, 25, 0), Vec3(0, 0, 25), a, divisions(k, n),
                            divisions(k, n), faces_of(k));
  hold(m, ".left", {1, 3, 5});   // middle of the length
  hold(m, ".right", {0, 2});     // diaphragm
  hold(m, ".start", {0, 4, 5});  // crown
  for (std::size_t e = 0; e < m.shell_elements.size(); ++e)
    (m.actions.empty() ? load(m) : m.actions[0]).surface_loads.push_back({static_cast<int>(e), Vec3(0, 0, -90), false});
  return solve(m, nearest(m, Vec3(25 * std::sin(a), 0, 25 * std::cos(a))), 2);
}

Measured pinched_cylinder(Kind k, int n) {  // an eighth, ends on diaphragms
  model::Model m = start(3e6, 0.3);
  model::add_cylinder_strip(m, panel(3), Vec3::Zero(), Vec3(0, 300, 0), Vec3(0, 0, 300), M_PI / 2, divisions(k, n),
                            divisions(k, n), faces_of(k));
  hold(m, ".left", {1, 3, 5});
  hold(m, ".right", {0, 2, 4});
  hold(m, ".start", {0, 4, 5});
  hold(m, ".end", {2, 3, 4});
  const int top = nearest(m, Vec3(0, 0, 300));
  const int quarter = nearest(m, Vec3(0, 150, 300));
  load(m).node_forces.push_back({top, Vec3(0, 0, -0.25), Vec3::Zero()});
  return solve(m, quarter, 2);
}

Measured hemisphere(Kind k, int n) {
  model::Model m = start(6.825e7, 0.3);
  const auto at = [](double degrees) -> Vec3 {
    return {10 * std::cos(degrees * M_PI / 180), 0, 10 * std::sin(degrees * M_PI / 180)};
  };
  model::add_revolution(m, panel(0.04), Vec3::Zero(), Vec3::UnitZ(), {at(0), at(72), at(36)}, M_PI / 2, divisions(k, n),
                        divisions(k, n), faces_of(k));
  hold(m, ".start", {1, 3, 5});
  hold(m, ".end", {0, 4, 5});
  const int x = nearest(m, Vec3(10, 0, 0)), y = nearest(m, Vec3(0, 10, 0));
  m.supports.push_back({x, 2, "height"});
  load(m).node_forces = {{x, Vec3(1, 0, 0), Vec3::Zero()}, {y, Vec3(0, -1, 0), Vec3::Zero()}};
  return solve(m, x, 0);
}

Measured clamped_plate(Kind k, int n) {  // uniform load, a quarter; span / thickness = 100
  model::Model m = start(1e4, 0.3);
  const double t = 1, half = 50;
  const int d = divisions(k, n);
  if (is_shell(k)) {
    model::add_rectangle(m, panel(t), Vec3::Zero(), Vec3(half, 0, 0), Vec3(0, half, 0), d, d, faces_of(k));
    for (std::size_t e = 0; e < m.shell_elements.size(); ++e)
      (m.actions.empty() ? load(m) : m.actions[0])
          .surface_loads.push_back({static_cast<int>(e), Vec3(0, 0, -0.01), false});
    hold(m, ".start", {0, 1, 2, 3, 4, 5});
    hold(m, ".left", {0, 1, 2, 3, 4, 5});
    hold(m, ".end", {0, 4, 5});
    hold(m, ".right", {1, 3, 5});
  } else {
    model::add_body(m, solid(), {d, d, 1}, false, k == Kind::solid20, [&](double r, double s, double u) -> Vec3 {
      return {half * r, half * s, t * (u - 0.5)};
    });
    for (std::size_t e = 0; e < m.solid_elements.size(); ++e)
      (m.actions.empty() ? load(m) : m.actions[0])
          .surface_loads.push_back({static_cast<int>(e), Vec3(0, 0, -0.01), false, 1});
    hold(m, ".start", {0, 1, 2});
    hold(m, ".left", {0, 1, 2});
    hold(m, ".end", {0});
    hold(m, ".right", {1});
  }
  return solve(m, nearest(m, Vec3(half, half, is_shell(k) ? 0 : 0.5 * t)), 2);
}

Measured tapered_membrane(Kind k, int n) {  // in its plane: corners (0,0), (48,44), (48,60), (0,44)
  model::Model m = start(1, 1. / 3);
  const auto at = [](double r, double s) -> Vec3 { return {48 * r, 44 * r + s * (44 - 28 * r), 0}; };
  const int d = divisions(k, n);
  if (is_shell(k)) {
    model::add_surface(m, panel(1), d, d, false, at, faces_of(k));
    for (int node = 0; node < m.node_count(); ++node)
      for (const int f : {2, 3, 4}) m.supports.push_back({node, f, "plane"});
    hold(m, ".start", {0, 1, 5});
    auto middles = model::edge_middles(m);
    load(m);
    for (const auto& [a, b] : model::edges_among(m, m.groups["part.end"]))
      m.actions[0].edge_loads.push_back({a, b, Vec3(0, 1. / 16, 0), middles.count({a, b}) ? middles[{a, b}] : -1});
  } else {
    model::add_body(m, solid(), {d, d, 1}, false, k == Kind::solid20,
                    [&](double r, double s, double u) -> Vec3 { return at(r, s) + Vec3(0, 0, u); });
    hold(m, ".start", {0, 1});
    hold(m, ".bottom", {2});  // free to thin on the other side: plane stress
    const std::set<int> end(m.groups["part.end"].begin(), m.groups["part.end"].end());
    load(m);
    for (std::size_t e = 0; e < m.solid_elements.size(); ++e)
      for (int f = 0; f < 6; ++f) {
        bool on = true;
        for (std::size_t c = 0; c < 4; ++c)
          on = on &&
               end.count(m.solid_elements[e]
                             .nodes[static_cast<std::size_t>(model::kSolidFaces[static_cast<std::size_t>(f)][c])]) > 0;
        if (on) m.actions[0].surface_loads.push_back({static_cast<int>(e), Vec3(0, 1. / 16, 0), false, f});
      }
  }
  return solve(m, nearest(m, at(1, 0.5)), 1);
}

Measured twisted_strip(Kind k, int n) {  // 12 x 1.1 x 0.32 twisted by 90 degrees, pushed sideways at its end
  model::Model m = start(2.9e7, 0.22);
  const auto rotated = [](double r, double s, double u) -> Vec3 {
    const double a = r * M_PI / 2, y = 1.1 * (s - 0.5), z = 0.32 * (u - 0.5);
    return {12 * r, y * std::cos(a) - z * std::sin(a), y * std::sin(a) + z * std::cos(a)};
  };
  const int d = divisions(k, n), across = 2 * std::max(1, d / 12);
  if (is_shell(k)) {
    model::add_surface(
        m, panel(0.32), d, across, false, [&](double r, double s) { return rotated(r, s, 0.5); }, faces_of(k));
    hold(m, ".start", {0, 1, 2, 3, 4, 5});
  } else {
    model::add_body(m, solid(), {d, across, 1}, false, k == Kind::solid20, rotated);
    hold(m, ".start", {0, 1, 2});
  }
  const auto& end = m.groups["part.end"];
  load(m);
  // spread over the end without stiffening it
  model::Tie tie;
  tie.kind = model::Tie::Kind::mean;
  tie.name = "end";
  m.nodes.push_back(Vec3(12, 0, 0));
  tie.follower = m.node_count() - 1;
  tie.leaders = end;
  tie.weights.assign(end.size(), 1.0 / static_cast<double>(end.size()));
  tie.rotations = false;
  if (is_shell(k)) tie.leaders = {nearest(m, Vec3(12, 0, 0))}, tie.weights = {1}, tie.kind = model::Tie::Kind::carried;
  m.ties.push_back(tie);
  m.actions[0].node_forces.push_back({tie.follower, Vec3(0, 0, 1), Vec3::Zero()});
  return solve(m, tie.follower, 2);
}

Measured column(Kind k, int n) {  // first three critical loads of a pinned strut: the third
  model::Model m = start(2e5, 0.3);
  const double width = 30, height = 10, length = 1000;
  const int d = divisions(k, n);
  load(m);
  if (k == Kind::beam) {
    m.profiles.push_back(
        study::to_profile("strut", theory::section_properties("rectangle", {{"width", width}, {"height", height}})));
    model::Part p = panel(0);
    p.kind = model::PartKind::member;
    p.profile = 0;
    model::add_member(m, p, {Vec3::Zero(), Vec3(length, 0, 0), {}}, d);
    hold(m, ".start", {0, 1, 2, 3, 5});
    hold(m, ".end", {1, 2, 3, 5});
    m.actions[0].node_forces.push_back({m.groups["part.end"][0], Vec3(-1, 0, 0), Vec3::Zero()});
  } else {
    model::add_rectangle(m, panel(height), Vec3::Zero(), Vec3(length, 0, 0), Vec3(0, width, 0), d, 1, faces_of(k));
    hold(m, ".start", {0, 2});
    hold(m, ".end", {2});
    hold(m, ".left", {1});
    auto middles = model::edge_middles(m);
    for (const auto& [a, b] : model::edges_among(m, m.groups["part.end"]))
      m.actions[0].edge_loads.push_back({a, b, Vec3(-1 / width, 0, 0), middles.count({a, b}) ? middles[{a, b}] : -1});
  }
  analysis::BucklingOptions options;
  options.variable = m.load_named("load");
  options.mode_count = 3;
  options.negative = analysis::Negative::leave_out;
  const analysis::System system(m);
  const auto r = analysis::linear_buckling(system, options);
  return {system.free_count(), r.modes.at(2).load_factor};
}

const std::vector<Kind> kShells = {Kind::four, Kind::three, Kind::nine};
const std::vector<Kind> kAll = {Kind::four, Kind::three, Kind::nine, Kind::solid8, Kind::solid20};
const std::vector<Problem> kProblems = {{"barrel-roof",
                                         "Barrel roof under its own weight",
                                         "displacement of the free edge's middle",
                                         "0.3024 (deep shell theory 0.3086)",
                                         0.3024,
                                         kShells,
                                         {4, 8, 16, 32, 64},
                                         barrel_roof},
                                        {"pinched-cylinder",
                                         "Pinched cylinder on diaphragms",
                                         "displacement of the loaded line halfway to the diaphragm",
                                         "6.2027e-6 (double series with shear, 320 x 320 terms; 6.1978e-6 without)",
                                         6.2027e-6,
                                         kShells,
                                         {4, 8, 16, 32, 64},
                                         pinched_cylinder},
                                        {"hemisphere",
                                         "Pinched hemisphere with a hole, R/t = 250",
                                         "displacement under the load",
                                         "0.0930 to 0.0940",
                                         0.0935,
                                         kShells,
                                         {4, 8, 16, 32, 64},
                                         hemisphere},
                                        {"clamped-plate",
                                         "Clamped square plate under uniform load, span/t = 100",
                                         "displacement of the middle",
                                         "0.001265 q a^4 / D (thin plate)",
                                         0.001265 * 0.01 * 1e8 / (1e4 / 12 / 0.91),
                                         kAll,
                                         {4, 8, 16, 32},
                                         clamped_plate},
                                        {"tapered-membrane",
                                         "Tapered panel bent in its plane",
                                         "displacement of the loaded edge's middle",
                                         "23.96",
                                         23.96,
                                         kAll,
                                         {4, 8, 16, 32},
                                         tapered_membrane},
                                        {"twisted-strip",
                                         "Strip twisted by 90 degrees, thick",
                                         "displacement of the end",
                                         "5.424e-3",
                                         5.424e-3,
                                         kAll,
                                         {6, 12, 24, 48},
                                         twisted_strip},
                                        {"column",
                                         "Pinned strut, third critical load",
                                         "load",
                                         "9 Euler loads less shear (beam series)",
                                         0,
                                         {Kind::beam, Kind::four, Kind::three, Kind::nine},
                                         {4, 8, 16, 32},
                                         column}};

/// The limit of a problem: what the two finest meshes of the best element (nine-node shell or beam) extrapolate to.
double limit_of(const Problem& p) {
  const Kind best = p.kinds.front() == Kind::beam ? Kind::beam : Kind::nine;
  const int n = p.meshes.back();
  const double a = p.run(best, n).value, b = p.run(best, 2 * n).value;
  return b + (b - a) / 7;  // error falls at least with the cube
}
}  // namespace

int main(int argc, char** argv) {
  const std::string folder = argc > 2 && std::string(argv[1]) == "--write" ? argv[2] : "";
  std::string text =
      "# Accuracy per degree of freedom\n\nWritten by `accuracy --write docs`; do not edit. Classic problems on every element "
      "that can model them. Errors are "
      "relative to the limit that\nthe finest nine-node meshes (the beam for the strut) extrapolate to; the published "
      "value is next to it. Charts show the logarithm of the "
      "error over the\nlogarithm of the number of free degrees of freedom.\n";
  try {
    for (const auto& p : kProblems) {
      const double limit = limit_of(p);
      report::CurveSheet sheet{p.title,
                               fmt::format("error of the {}, relative to {:.6g}", p.quantity, limit),
                               "log10 of degrees of freedom",
                               "log10 of error",
                               {},
                               {{"1 %", -2}, {"0.1 %", -3}}};
      text += fmt::format(
          "\n## {}\n\nQuantity: {}. Published: {}. Limit here: {:.6g}{}.\n\n![{}](accuracy/{}.svg)\n\n| element | "
          "degrees of freedom: error |\n|---|---|\n",
          p.title, p.quantity, p.literature, limit,
          p.published > 0 ? fmt::format(" ({:+.2f} % of the published)", 100 * (limit / p.published - 1)) : "", p.title,
          p.name);
      for (const Kind k : p.kinds) {
        report::ChartCurve curve{kNames.at(k), {}};
        std::string row;
        for (const int n : p.meshes) {
          if (!is_shell(k) && k != Kind::beam && n > 32) continue;
          const Measured m = p.run(k, n);
          const double error = std::abs(m.value / limit - 1);
          row += fmt::format("{}{}: {:.2e}", row.empty() ? "" : ", ", m.dofs, error);
          if (error > 1e-6) curve.points.emplace_back(std::log10(m.dofs), std::log10(error));
          std::cout << fmt::format("{:<18} {:<18} {:>7} {:.6g}  {:.2e}", p.name, kNames.at(k), m.dofs, m.value, error)
                    << std::endl;
        }
        text += fmt::format("| {} | {} |\n", kNames.at(k), row);
        sheet.curves.push_back(std::move(curve));
      }
      if (folder.empty()) continue;
      std::filesystem::create_directories(folder + "/accuracy");
      const auto figure = report::curve_figure(p.name + ".svg", sheet);
      std::ofstream(folder + "/accuracy/" + figure.name) << figure.content;
    }
  } catch (const base::InputError& error) {
    std::cerr << error.what() << "\n";
    return 3;
  }
  if (!folder.empty()) std::ofstream(folder + "/accuracy.md") << text;
  return 0;
}
