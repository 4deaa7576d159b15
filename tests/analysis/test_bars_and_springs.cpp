#include "archway/analysis/buckling.hpp"
#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/stress_recovery.hpp"
#include "archway/analysis/system.hpp"
#include "archway/model/joints.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
model::Part bar_part(const std::string& name, bool tension_only = false) {
  model::Part part = test::member_part(name);
  part.kind = model::PartKind::bar;
  part.tension_only = tension_only;
  return part;
}

void push(model::Model& m, const std::string& action, int node, const Vec3& force) {
  if (m.action_index(action) < 0) m.actions.emplace_back().name = action;
  m.actions[static_cast<std::size_t>(m.action_index(action))].node_forces.push_back({node, force, Vec3::Zero()});
}

/// A stiff upright bar of length l on the x-z plane, free to lean in it, in compression at its head.
model::Model upright(double l) {
  model::Model m = test::with_material(2e5, 0.3);
  m.profiles.push_back(
      test::profile_of("stiff", theory::section_properties("rectangle", {{"width", 60}, {"height", 60}})));
  model::add_member(m, test::member_part("post", Vec3::UnitX()), {Vec3::Zero(), Vec3(0, 0, l), {}}, 1);
  for (int n = 0; n < m.node_count(); ++n) test::hold(m, {n}, {1, 3, 5});
  test::hold(m, m.groups["post.start"], {0, 2});
  push(m, "press", m.groups["post.end"][0], Vec3(0, 0, -1));
  return m;
}

analysis::PathResult follow(const model::Model& m, double first_step, double displacement,
                            const std::string& held = "") {
  analysis::PathOptions options;
  options.variable = m.load_named("press");
  if (!held.empty()) options.constant = m.load_named(held);
  options.steps.first = first_step;
  options.steps.largest = first_step;
  options.watch = {{"head", m.groups.at("post.end")[0], Vec3::UnitX()}};
  options.stop.watch = 0;
  options.stop.displacement = displacement;
  options.stop.increments = 300;
  return analysis::follow_path(analysis::System(m), options);
}
}  // namespace

TEST_CASE("bars: a steep truss leans sideways at the linear factor", "[analysis][fast]") {
  model::Model m = test::with_material(210000);
  m.profiles.push_back(test::profile_of("rod", theory::section_properties("rectangle", {{"width", 5}, {"height", 5}})));
  model::add_bar(m, bar_part("left"), {Vec3(-150, 0, 0), Vec3(0, 0, 900), {}}, 1);
  model::add_bar(m, bar_part("right"), {Vec3(150, 0, 0), Vec3(0, 0, 900), {}}, 1);
  model::merge_coincident_nodes(m, 1e-6);
  test::hold(m, {m.groups["left.start"][0], m.groups["right.start"][0]}, {0, 1, 2});
  const int apex = m.groups["left.end"][0];
  test::hold(m, {apex}, {1});
  push(m, "press", apex, Vec3(0, 0, -1));
  analysis::BucklingOptions options;
  options.variable = m.load_named("press");
  options.mode_count = 1;
  const auto r = analysis::linear_buckling(analysis::System(m), options);
  REQUIRE(r.complete());
  // 2 EA s^2 / L of sideways stiffness against 2 N c^2 / L, N = P / 2c
  const double length = std::hypot(150, 900), s = 150 / length, c = 900 / length;
  CHECK_DIGITS(r.modes[0].load_factor, 2 * 210000.0 * 25 * s * s / c, 8, "balance of the two stiffnesses");
}

TEST_CASE("springs: a stiff post on a rotational spring buckles and rises as the exact path", "[analysis][fast]") {
  model::Model m = upright(640);
  m.springs.push_back({"foot", m.groups["post.start"][0], -1, {0, 0, 0, 0, 540000, 0}, base::Mat3::Identity()});
  analysis::BucklingOptions options;
  options.variable = m.load_named("press");
  options.mode_count = 1;
  const auto lba = analysis::linear_buckling(analysis::System(m), options);
  REQUIRE(lba.complete());
  CHECK_DIGITS(lba.modes[0].load_factor, 540000.0 / 640, 3, "k / L, less the bending of the post");
  // a moment of k theta0 makes it lean at once: P = k (theta - theta0) / (L sin theta)
  m.actions.emplace_back().name = "lean";
  m.actions.back().node_forces.push_back({m.groups["post.start"][0], Vec3::Zero(), Vec3(0, 0.02 * 540000, 0)});
  const auto path = follow(m, 60, 500, "lean");
  REQUIRE(path.usable());
  for (const auto& i : path.increments) {
    const double theta = std::asin(i.watched[0] / 640);
    if (theta < 0.05) continue;
    CHECK(i.load_factor == Approx(540000 * (theta - 0.02) / (640 * std::sin(theta))).epsilon(2e-3));
  }
}

TEST_CASE("springs: a stiff post propped sideways falls as the exact path, its prop fixed in direction",
          "[analysis][fast]") {
  model::Model m = upright(730);
  m.springs.push_back({"prop", m.groups["post.end"][0], -1, {17.5, 0, 0, 0, 0, 0}, base::Mat3::Identity()});
  push(m, "lean", m.groups["post.end"][0], Vec3(std::sin(0.02) * 17.5 * 730, 0, 0));
  const auto path = follow(m, 1500, 450, "lean");
  REQUIRE(path.usable());
  REQUIRE(path.peak_is_limit_point);
  // P sin = (k L sin - F) cos: a push of F = k L sin(0.02) does what an initial lean of 0.02 does
  CHECK(path.peak_load_factor == Approx(11389.4914).epsilon(2e-3));
}

TEST_CASE("springs: two-sided stiffness works along rotated axes and keeps loads and reactions in balance",
          "[analysis][fast]") {
  model::Model m = upright(500);
  m.supports.clear();
  test::hold(m, m.groups["post.start"], {0, 1, 2, 3, 4, 5});
  m.nodes.push_back(Vec3(0, 0, 500));
  const int anchor = m.node_count() - 1;
  const double slope = 0.6;
  base::Mat3 axes;
  axes << std::cos(slope), 0, -std::sin(slope), 0, 1, 0, std::sin(slope), 0, std::cos(slope);
  m.springs.push_back({"tie", m.groups["post.end"][0], anchor, {1e9, 0, 0, 0, 0, 0}, axes});
  test::hold(m, {anchor}, {0, 1, 2, 3, 4, 5});
  push(m, "press", m.groups["post.end"][0], Vec3(40, 0, 0));
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("press"));
  REQUIRE(r.usable());
  const Vec3 moved = r.displacement.segment<3>(model::row(m.groups["post.end"][0]));
  CHECK(std::abs(moved.dot(axes.col(0))) < 1e-6);  // as good as rigid along its first axis
  CHECK(r.imbalance < 1e-9);
  CHECK((r.applied.moment + r.reacted.moment).norm() < 1e-6 * (1 + r.reacted.moment.norm()));
}

TEST_CASE("ties: a hanging arm on a hinge follows the resultant through a right angle", "[analysis][fast]") {
  model::Model m = test::with_material(2e5, 0.3);
  m.profiles.push_back(
      test::profile_of("arm", theory::section_properties("rectangle", {{"width", 40}, {"height", 40}})));
  model::add_member(m, test::member_part("post", Vec3::UnitX()), {Vec3::Zero(), Vec3(0, 0, -300), {}}, 1);
  model::EndJoint joint;
  joint.free_rotations = {Vec3::UnitY()};
  const int pin = model::join_end(m, 0, 0, joint, "pin");
  test::hold(m, {pin}, {0, 1, 2, 3, 4, 5});
  const int tip = m.groups["post.end"][0];
  push(m, "weight", tip, Vec3(0, 0, -100));
  push(m, "press", tip, Vec3(1, 0, 0));
  analysis::PathOptions options;
  options.constant = m.load_named("weight");
  options.variable = m.load_named("press");
  options.steps.control = analysis::PathControl::load;
  options.steps.first = 50;
  options.steps.largest = 500;
  options.stop.load_factor = 3000;
  options.watch = {{"side", tip, Vec3::UnitX()}, {"up", tip, Vec3::UnitZ()}};
  const analysis::System system(m);
  REQUIRE(analysis::linear_static(system, m.load_named("press")).ending == analysis::Ending::mechanism);
  // without its weight it swings freely; a spring of 1 N mm makes the unloaded arm stand
  m.springs.push_back({"soft", tip, -1, {0, 0, 0, 0, 1, 0}, base::Mat3::Identity()});
  const auto r = analysis::follow_path(analysis::System(m), options);
  REQUIRE(r.usable());
  for (const auto& i : r.increments) {
    const double angle = std::atan2(i.load_factor, 100);
    CHECK(i.watched[0] == Approx(300 * std::sin(angle)).margin(0.05));
    CHECK(i.watched[1] == Approx(300 - 300 * std::cos(angle)).margin(0.05));
  }
  CHECK(r.increments.back().load_factor == archway::test::but_for_rounding(3000));
}

TEST_CASE("path: it ends on the load factor asked for, by arc length too", "[analysis][fast]") {
  model::Model m = upright(640);
  m.springs.push_back({"foot", m.groups["post.start"][0], -1, {0, 0, 0, 0, 540000, 0}, base::Mat3::Identity()});
  m.actions.emplace_back().name = "lean";
  m.actions.back().node_forces.push_back({m.groups["post.start"][0], Vec3::Zero(), Vec3(0, 9000, 0)});
  analysis::PathOptions options;
  options.variable = m.load_named("press");
  options.constant = m.load_named("lean");
  options.steps.first = 130;
  options.stop.load_factor = 777;
  const auto r = analysis::follow_path(analysis::System(m), options);
  REQUIRE(r.usable());
  CHECK_DIGITS(r.increments.back().load_factor, 777, 12, "the last step is shortened");
}

TEST_CASE("mechanism: the quick look finds pieces that move as a whole", "[analysis][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("a", 2), Vec3::Zero(), Vec3(100, 0, 0), Vec3(0, 100, 0), 4, 4);
  model::add_rectangle(m, test::panel_part("b", 2), Vec3(0, 0, 50), Vec3(100, 0, 0), Vec3(0, 100, 0), 2, 2);
  const auto words = [&] { return analysis::find_mechanism(m).description; };
  CHECK_THAT(words(), Catch::Contains("without resistance"));
  test::hold(m, m.groups["a.start"], {0, 1, 2});
  CHECK_THAT(words(), Catch::Contains("part 'a' can rotate about an axis along y"));
  test::hold(m, m.groups["a.end"], {2});
  CHECK_THAT(words(), Catch::Contains("part 'b'"));
  for (const int corner : {0, 2, 6}) {
    model::SpringElement spring;
    spring.first = m.groups["b"][static_cast<std::size_t>(corner)];
    spring.second = m.groups["a"][0];
    spring.stiffness = {1, 1, 1, 0, 0, 0};
    m.springs.push_back(spring);
  }
  CHECK_FALSE(analysis::find_mechanism(m).exists);
  m.springs.clear();
  test::hold(m, {m.groups["b"][0]}, {0, 1, 2});
  test::hold(m, {m.groups["b"][2]}, {0, 2});
  CHECK_THAT(words(), Catch::Contains("part 'b' can rotate"));
  test::hold(m, {m.groups["b"][6]}, {2});
  CHECK_FALSE(analysis::find_mechanism(m).exists);
}

TEST_CASE("reactions: every support gets what it holds, also at nodes it shares", "[analysis][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("a", 2), Vec3::Zero(), Vec3(100, 0, 0), Vec3(0, 100, 0), 4, 4);
  for (const int n : m.groups["a.start"]) {
    for (const int f : {0, 1}) m.supports.push_back({n, f, "wall"});
    for (const int f : {2, 3, 4, 5}) m.supports.push_back({n, f, "shelf"});
  }
  m.actions.emplace_back().name = "load";
  for (const int n : m.groups["a.end"]) m.actions[0].node_forces.push_back({n, Vec3(3, 0, -2), Vec3::Zero()});
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("load"));
  const auto list = analysis::reactions_by_support(m, r.reactions, r.spring_forces);
  REQUIRE(list.size() == 2);
  CHECK(list[0].name == "shelf");
  CHECK((list[0].force - Vec3(0, 0, 10)).norm() < 1e-9);
  CHECK((list[1].force - Vec3(-15, 0, 0)).norm() < 1e-9);
  CHECK(list[0].nodes == 5);
}
