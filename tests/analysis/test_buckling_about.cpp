#include <fmt/format.h>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
/// Two bars that lean on each other, in compression down at their crown: snaps through.
model::Model toggle(double rise) {
  model::Model m = test::with_material(70000, 0.3);
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 6}})));
  auto part = test::member_part("left");
  part.kind = model::PartKind::bar;
  model::add_bar(m, part, {Vec3(-320, 0, 0), Vec3(0, 0, rise), {}}, 1);
  part.name = "right";
  model::add_bar(m, part, {Vec3(0, 0, rise), Vec3(320, 0, 0), {}}, 1);
  model::merge_coincident_nodes(m, 1e-6);
  test::hold(m, m.groups["left.start"], {0, 1, 2});
  test::hold(m, m.groups["right.end"], {0, 1, 2});
  test::hold(m, m.groups["left.end"], {1});
  m.actions.emplace_back().name = "press";
  m.actions[0].node_forces.push_back({m.groups["left.end"][0], Vec3(0, 0, -1), Vec3::Zero()});
  return m;
}

analysis::BucklingOptions one_mode(const model::Model& m, const std::string& variable) {
  analysis::BucklingOptions options;
  options.variable = m.load_named(variable);
  options.mode_count = 1;
  return options;
}
}  // namespace

TEST_CASE("buckling about a state: closer to the limit point it reports the limit load better", "[analysis][fast]") {
  const auto m = toggle(30);
  const analysis::System system(m);
  analysis::PathOptions path;
  path.variable = m.load_named("press");
  path.steps.first = 500;
  path.steps.largest = 600;
  path.stop.drop = 0.9;
  const auto result = analysis::follow_path(system, path);
  REQUIRE(result.peak_is_limit_point);
  std::vector<double> errors;
  for (const auto& i : result.increments) {
    if (i.event == analysis::PathEvent::limit_point) break;
    analysis::StateInPlace base{i.kept->state, m.load_named("press")};
    base.loads.terms[0].second = i.load_factor;
    const auto about = analysis::buckling_about(system, base, one_mode(m, "press"));
    REQUIRE(about.complete());
    REQUIRE(!about.modes.empty());
    errors.push_back(std::abs((i.load_factor + about.modes[0].load_factor) / result.peak_load_factor - 1));
  }
  REQUIRE(errors.size() >= 4);
  INFO(fmt::format("{:.3g}", fmt::join(errors, " ")));
  for (std::size_t k = 1; k < errors.size(); ++k) CHECK(errors[k] < errors[k - 1] + 1e-3);
  CHECK(errors.back() < 0.1);
  // the everyday analysis leaves the displacements before buckling out and is far off here
  const double everyday = analysis::linear_buckling(system, one_mode(m, "press")).modes.at(0).load_factor;
  CHECK(everyday > 1.2 * result.peak_load_factor);

  analysis::StateInPlace beyond{result.increments.back().kept->state, m.load_named("press")};
  beyond.loads.terms[0].second = result.increments.back().load_factor;
  CHECK(analysis::buckling_about(system, beyond, one_mode(m, "press")).ending == analysis::Ending::preload_unstable);
  beyond.loads.terms[0].second *= 2;
  CHECK_THROWS_WITH(analysis::buckling_about(system, beyond, one_mode(m, "press")),
                    Catch::Contains("not in equilibrium"));
}

TEST_CASE("buckling about a state: a in compression column agrees with the everyday analysis, constant part or none",
          "[analysis][fast]") {
  model::Model m = test::pinned_column(1000, 20, 10, 8);
  m.actions.push_back(m.actions[0]);
  m.actions[1].name = "held";
  m.actions[1].node_forces[0].force *= 1000;
  const analysis::System system(m);
  const double euler = analysis::linear_buckling(system, one_mode(m, "press")).modes.at(0).load_factor;
  analysis::StateInPlace base{analysis::State::reference(m), {}};
  CHECK(analysis::buckling_about(system, base, one_mode(m, "press")).modes.at(0).load_factor ==
        Approx(euler).epsilon(1e-6));  // nothing in place: the same thing
  analysis::PathOptions path;
  path.constant = m.load_named("held");
  path.variable = m.load_named("press");
  path.steps.control = analysis::PathControl::load;
  path.steps.first = 1;
  path.stop.increments = 1;
  const auto result = analysis::follow_path(system, path);
  base = {result.increments.at(0).kept->state, m.load_named("held")};
  CHECK(analysis::buckling_about(system, base, one_mode(m, "press")).modes.at(0).load_factor ==
        Approx(euler - 1000).epsilon(1e-3));
}

TEST_CASE("buckling about a state: slender members that rotated before do not get factors near zero",
          "[analysis][fast]") {
  // a stable state of a lopsided arch: what is stable here and a little further on has no factor a little further on
  model::Model m = test::with_material(11000, 0.3);
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 45}, {"height", 30}})));
  model::add_member(m, test::member_part("rib"), {Vec3(0, 0, 0), Vec3(3600, 0, 0), Vec3(1800, 0, 1300)}, 12);
  for (const auto& end : {"rib.start", "rib.end"}) test::hold(m, m.groups[end], {0, 2});
  for (int n = 0; n < m.node_count(); ++n) test::hold(m, {n}, {1, 3, 5});
  m.actions.emplace_back().name = "press";
  m.actions[0].node_forces.push_back({m.groups["rib"][9], Vec3(0, 0, -300), Vec3::Zero()});
  const analysis::System system(m);
  analysis::PathOptions path;
  path.variable = m.load_named("press");
  path.steps.first = 0.4;
  path.stop.increments = 8;
  const auto result = analysis::follow_path(system, path);
  REQUIRE(result.usable());
  const auto &here = result.increments.at(4), &further = result.increments.at(8);
  REQUIRE(further.negative_pivots == 0);
  REQUIRE(further.load_factor > here.load_factor);
  analysis::StateInPlace base{here.kept->state, m.load_named("press")};
  base.loads.terms[0].second = here.load_factor;
  const auto about = analysis::buckling_about(system, base, one_mode(m, "press"));
  REQUIRE(about.complete());
  CHECK(here.load_factor + about.modes.at(0).load_factor > further.load_factor);
}
