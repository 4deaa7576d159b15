// Buckling of shells against formulas: pairs on round shells, pressures that rotate or keep their direction.
#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "archway/theory/formulas.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
analysis::BucklingResult buckle(const model::Model& m, int count) {
  analysis::BucklingOptions options;
  options.variable = m.load_named("load");
  options.mode_count = count;
  auto r = analysis::linear_buckling(analysis::System(m), options);
  INFO(r.message);
  REQUIRE(r.usable());
  return r;
}

/// Closed cylinder standing on z = 0 with round ends, its axis restrained at one height.
model::Model tube(double radius, double length, double thickness, int around, int along, double e, double nu) {
  model::Model m = test::with_material(e, nu);
  model::add_cylinder_strip(m, test::panel_part("tube", thickness), Vec3::Zero(), Vec3(0, 0, length),
                            Vec3(radius, 0, 0), 2 * M_PI, around, along);
  for (const char* rim : {"tube.left", "tube.right"}) test::hold(m, m.groups[rim], {0, 1});
  model::Selection middle;
  middle.plane[2] = length / 2;
  test::hold(m, model::select(m, middle), {2});
  return m;
}
}  // namespace

TEST_CASE("shell buckling: modes of a round tube under pressure come in whole pairs", "[analysis][fast]") {
  model::Model m = tube(180, 900, 2.4, 40, 24, 205000, 0.3);
  model::Action p;
  p.name = "load";
  for (std::size_t e = 0; e < m.shell_elements.size(); ++e)
    p.surface_pressures.push_back({static_cast<int>(e), 1, true});
  m.actions.push_back(p);
  const auto r = buckle(m, 3);  // cuts the second pair
  REQUIRE(r.complete());
  REQUIRE(r.modes.size() == 4);
  for (const auto& mode : r.modes) CHECK(mode.repeated);
  CHECK_DIGITS(r.modes[0].load_factor, r.modes[1].load_factor, 6, "a pair: the mesh is as round as the tube");
  CHECK(r.modes[0].load_factor ==
        Approx(0.80796).epsilon(0.03));  // energy equations of the shell, one circumferential half wave at ten elements
  CHECK(r.unsymmetric_load_share < 0.2);

  for (auto& load : m.actions[0].surface_pressures) load.follows = false;
  const auto fixed = buckle(m, 1);
  CHECK(fixed.modes[0].load_factor > 1.04 * r.modes[0].load_factor);  // n^2 / (n^2 - 1) with n = 4
  CHECK(fixed.modes[0].load_factor < 1.09 * r.modes[0].load_factor);
  CHECK(fixed.unsymmetric_load_share == 0.0);
}

TEST_CASE("shell buckling: order of convergence of a compressed plate is two or better", "[analysis][fast]") {
  const double b = 200, t = 2, e = 70000, nu = 0.3;
  std::vector<double> errors;
  for (const int n : {4, 8}) {
    model::Model m = test::with_material(e, nu);
    model::add_rectangle(m, test::panel_part("plate", t), Vec3::Zero(), Vec3(b, 0, 0), Vec3(0, b, 0), n, n);
    for (const char* edge : {"plate.start", "plate.end"}) test::hold(m, m.groups[edge], {2, 3});
    for (const char* edge : {"plate.left", "plate.right"}) test::hold(m, m.groups[edge], {2, 4});
    test::hold(m,
               {m.groups["plate.start"][static_cast<std::size_t>(n / 2)],
                m.groups["plate.end"][static_cast<std::size_t>(n / 2)]},
               {1});
    model::Selection centre;
    centre.near = Vec3(b / 2, b / 2, 0);
    test::hold(m, model::select(m, centre), {0});
    model::Action p;
    p.name = "load";
    for (const auto& [edge, sign] : {std::pair{"plate.start", 1.0}, {"plate.end", -1.0}})
      for (const auto& [i, j] : model::edges_among(m, m.groups[edge])) p.edge_loads.push_back({i, j, Vec3(sign, 0, 0)});
    m.actions.push_back(p);
    // Mindlin's plate is a little softer than Kirchhoff's: N / (1 + N / (5/6 G t))
    const double thin = theory::plate_load(4, e, nu, t, b), want = thin / (1 + thin / (5.0 / 6 * e / 2.6 * t));
    errors.push_back(std::abs(buckle(m, 1).modes[0].load_factor / want - 1));
  }
  CHECK(std::log2(errors[0] / errors[1]) > 1.9);
  CHECK(errors[1] < 0.03);
}

TEST_CASE("shell buckling: a ring of shells under following and fixed pressure", "[analysis][fast]") {
  const double radius = 210, width = 24, t = 5, e = 71000;
  for (const bool follows : {true, false}) {
    model::Model m = test::with_material(e, 0.0);
    model::add_cylinder_strip(m, test::panel_part("ring", t), Vec3::Zero(), Vec3(0, 0, width), Vec3(radius, 0, 0),
                              M_PI / 2, 24, 1);
    test::hold(m, m.groups["ring.start"], {1, 3, 5});  // two planes of symmetry
    test::hold(m, m.groups["ring.end"], {0, 4, 5});
    for (int n = 0; n < m.node_count(); ++n) test::hold(m, {n}, {2});
    model::Action p;
    p.name = "load";
    for (std::size_t k = 0; k < m.shell_elements.size(); ++k)
      p.surface_pressures.push_back({static_cast<int>(k), 1 / width, follows});
    m.actions.push_back(p);
    const double want = theory::ring_pressure(e * width * t * t * t / 12, radius, follows);
    CHECK(buckle(m, 1).modes[0].load_factor == Approx(want).epsilon(0.01));
  }
}

TEST_CASE("shell buckling: the caller can stop a large search and keeps a valid answer", "[analysis][fast]") {
  model::Model m = tube(100, 300, 1, 32, 16, 70000, 0.3);
  model::Action p;
  p.name = "load";
  for (const auto& [rim, sign] : {std::pair{"tube.left", 1.0}, {"tube.right", -1.0}})
    for (const auto& [i, j] : model::edges_among(m, m.groups[rim])) p.edge_loads.push_back({i, j, Vec3(0, 0, sign)});
  m.actions.push_back(p);
  analysis::BucklingOptions options;
  options.variable = m.load_named("load");
  options.mode_count = 12;
  int calls = 0;
  const auto stopped =
      analysis::linear_buckling(analysis::System(m), options, [&](const analysis::BucklingProgress& progress) {
        CHECK(progress.wanted == 12);
        return ++calls < 3 ? analysis::Next::go_on : analysis::Next::stop_keep_result;
      });
  CHECK(stopped.ending == analysis::Ending::stopped_by_caller);
  const auto whole = analysis::linear_buckling(analysis::System(m), options);
  CHECK(whole.complete());
  CHECK(whole.modes.size() >= 12);
  for (std::size_t i = 1; i < whole.modes.size(); ++i)
    CHECK(whole.modes[i].load_factor >= whole.modes[i - 1].load_factor);
  // the classical value, which a short tube with held rims stays near
  const double classical = theory::cylinder_axial_load(70000, 0.3, 100, 1);
  CHECK(whole.modes[0].load_factor > 0.8 * classical);
  CHECK(whole.modes[0].load_factor < 1.15 * classical);
}
