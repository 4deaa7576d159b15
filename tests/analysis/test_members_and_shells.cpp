#include <map>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/model/selection.hpp"
#include "archway/theory/formulas.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
void push(model::Model& m, int node, const Vec3& force, const char* action = "load") {
  if (m.action_index(action) < 0) m.actions.emplace_back().name = action;
  m.actions[static_cast<std::size_t>(m.action_index(action))].node_forces.push_back({node, force, Vec3::Zero()});
}

void press_edges(model::Model& m, const std::string& edge, const Vec3& force) {
  if (m.actions.empty()) m.actions.emplace_back().name = "load";
  auto middles = model::edge_middles(m);
  for (const auto& [a, b] : model::edges_among(m, m.groups[edge]))
    m.actions[0].edge_loads.push_back({a, b, force, middles.count({a, b}) ? middles[{a, b}] : -1});
}

double first_factor(const model::Model& m) {
  analysis::BucklingOptions options;
  options.variable = m.load_named("load");
  options.mode_count = 1;
  options.negative = analysis::Negative::leave_out;
  const auto r = analysis::linear_buckling(analysis::System(m), options);
  REQUIRE(r.complete());
  return r.modes.at(0).load_factor;
}

/// Cantilever of an I section with restrained warping, tip load downwards.
model::Model slender_cantilever() {
  model::Model m = test::with_material(70000, 0.3);
  m.profiles.push_back(test::profile_of(
      "i", theory::section_properties("i", {{"width", 40}, {"height", 120}, {"flange", 4}, {"web", 3}})));
  model::Part part = test::member_part("arm");
  part.warping = true;
  model::add_member(m, part, {Vec3::Zero(), Vec3(2400, 0, 0), {}}, 8);
  test::hold(m, m.groups["arm.start"], {0, 1, 2, 3, 4, 5, model::warp});
  push(m, m.groups["arm.end"][0], Vec3(0, 0, -1));
  return m;
}
}  // namespace

TEST_CASE("member: lateral-torsional path of an imperfect cantilever bends away near the critical load",
          "[analysis][fast]") {
  model::Model m = slender_cantilever();
  const double critical = first_factor(m);
  const int tip = m.groups["arm.end"][0];
  push(m, tip, Vec3(0, 0.01 * critical, 0), "disturbing");
  analysis::PathOptions options;
  options.constant = m.load_named("disturbing");
  options.variable = m.load_named("load");
  options.steps.first = 0.1 * critical;
  options.watch = {{"sideways", tip, Vec3::UnitY()}};
  options.stop.watch = 0;
  options.stop.displacement = 250;
  const auto r = analysis::follow_path(analysis::System(m), options);
  REQUIRE(r.usable());
  double at_half = 0;
  for (const auto& i : r.increments)
    if (i.load_factor < 0.5 * critical) at_half = i.watched[0];
  CHECK(r.increments.back().watched[0] >= 250);
  CHECK(at_half < 50);
  CHECK(r.increments.back().load_factor > 0.85 * critical);
  CHECK(r.increments.back().load_factor < 1.6 * critical);  // bending sideways it goes on carrying
}

TEST_CASE("member: a load above the shear centre lowers the factor, below raises it", "[analysis][fast]") {
  const auto at_height = [](double height) {
    model::Model m = slender_cantilever();
    m.actions[0].node_forces[0].arm = Vec3(0, 0, height);
    return first_factor(m);
  };
  CHECK(at_height(60) < 0.9 * at_height(0));
  CHECK(at_height(-60) > 1.1 * at_height(0));
}

TEST_CASE("shell: the plate's coefficient with every kind of element", "[analysis][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  model::Model m = test::with_material(70000, 0.3);
  const int n = faces == model::Faces::nine ? 6 : 12;
  model::add_rectangle(m, test::panel_part("plate", 1), Vec3::Zero(), Vec3(300, 0, 0), Vec3(0, 300, 0), n, n, faces);
  for (const char* edge : {"plate.start", "plate.end"}) test::hold(m, m.groups[edge], {2, 3});
  for (const char* edge : {"plate.left", "plate.right"}) test::hold(m, m.groups[edge], {2, 4});
  test::hold(m, m.groups["plate.left"], {1});
  test::hold(m, {m.groups["plate.left"][0]}, {0});
  press_edges(m, "plate.end", Vec3(-1, 0, 0));
  press_edges(m, "plate.start", Vec3(1, 0, 0));
  CHECK(first_factor(m) == Approx(theory::plate_load(4, 70000, 0.3, 1, 300)).epsilon(0.02));
}

TEST_CASE("shell: nodes off the middle surface bend it by the couple of the pull", "[analysis][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  model::Model m = test::with_material(70000, 0);
  model::Part part = test::panel_part("strip", 2);
  part.offset_z = 3;
  model::add_rectangle(m, part, Vec3::Zero(), Vec3(200, 0, 0), Vec3(0, 20, 0), 10, 1, faces);
  test::hold(m, m.groups["strip.start"], {0, 1, 2, 3, 4, 5});
  press_edges(m, "strip.end", Vec3(5, 0, 0));
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("load"));
  REQUIRE(r.usable());
  const double couple = 5 * 3, rigidity = 70000 * 8 / 12.0;
  CHECK(std::abs(r.displacement[model::row(m.groups["strip.end"][0]) + 2]) ==
        Approx(couple * 200 * 200 / (2 * rigidity)).epsilon(1e-3));
  CHECK(r.imbalance < 1e-9);
}

TEST_CASE("shell: three plates on one line share a moment by their stiffness", "[analysis][fast]") {
  model::Model m = test::with_material(70000, 0);
  const Vec3 across(0, 40, 0);
  const std::vector<std::pair<std::string, Vec3>> arms = {
      {"a", Vec3(100, 0, 0)}, {"b", Vec3(0, 0, 100)}, {"c", Vec3(-60, 0, -80)}};
  for (const auto& [name, along] : arms)
    model::add_rectangle(m, test::panel_part(name, 3), Vec3::Zero(), along, across, 8, 3);
  model::merge_coincident_nodes(m, 1e-6);
  for (const auto& [name, along] : arms) test::hold(m, m.groups[name + ".end"], {0, 1, 2, 3, 4, 5});
  m.actions.emplace_back().name = "load";
  const auto& line = m.groups["a.start"];
  for (const int n : line) {
    const bool end = n == line.front() || n == line.back();
    m.actions[0].node_forces.push_back({n, Vec3::Zero(), Vec3(0, (end ? 0.5 : 1.0) * 1000 / 3, 0)});
  }
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("load"));
  REQUIRE(r.usable());
  // each arm clamped at its far end takes 4 E I / L of the rotation, almost all of it (the joint hardly moves)
  const double rotation = r.displacement[model::row(line[1]) + 4];
  CHECK(rotation == Approx(1000 / (3 * 4 * 70000 * 40 * 27 / 12.0 / 100)).epsilon(0.02));
  CHECK(r.imbalance < 1e-6);
}
