#include "archway/analysis/buckling.hpp"
#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "archway/theory/formulas.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using analysis::Ending;
using analysis::PathEvent;
using test::Vec3;

namespace {
/// Half of a shallow arch of bars: one bar that snaps through, apex guided.
model::Model toggle() {
  model::Model m = test::with_material(70000, 0.3);
  auto p = test::profile_of("bar", theory::section_properties("rectangle", {{"width", 1.3}, {"height", 100}}));
  p.shear_area_y *= 100;
  p.shear_area_z *= 100;
  m.profiles.push_back(p);
  model::add_member(m, test::member_part("bar"), {Vec3::Zero(), Vec3(900, 0, 95), {}}, 1);
  test::hold(m, m.groups["bar.start"], {0, 2});
  test::hold(m, m.groups["bar.end"], {0});
  for (int n = 0; n < m.node_count(); ++n) test::hold(m, {n}, {1, 3, 5});
  model::Action push;
  push.name = "push";
  push.node_forces.push_back({m.groups["bar.end"][0], Vec3(0, 0, -1), Vec3::Zero()});
  m.actions.push_back(push);
  return m;
}

analysis::PathOptions options_for(const model::Model& m, double first_step) {
  analysis::PathOptions o;
  o.variable = m.load_named("push");
  o.steps.first = first_step;
  o.watch.push_back({"apex", m.groups.at("bar.end")[0], Vec3(0, 0, -1)});
  return o;
}

/// P(w) of the bar with engineering strain: exact.
double toggle_load(double w) {
  const double l0 = std::hypot(900, 95), h = 95 - w, l = std::hypot(900, h);
  return 70000 * 130.0 * (l0 - l) / l0 * h / l;
}
}  // namespace

TEST_CASE("path: arc length passes both limit points and every state lies on the exact path", "[analysis][fast]") {
  const auto m = toggle();
  auto o = options_for(m, 400);
  o.newton.residual_tolerance = 1e-9;
  o.stop.watch = 0;
  o.stop.displacement = 220;
  const auto r = analysis::follow_path(analysis::System(m), o);
  REQUIRE(r.ending == Ending::done);
  CHECK(r.stop_reason == "displacement of 'apex' reached 220");
  std::vector<PathEvent> events;
  for (const auto& i : r.increments) {
    CHECK(std::abs(i.load_factor - toggle_load(i.watched[0])) < 1e-6 * 2037);
    if (i.event != PathEvent::none) events.push_back(i.event);
  }
  CHECK(events == std::vector<PathEvent>{PathEvent::preload, PathEvent::limit_point, PathEvent::limit_point});
  CHECK(r.peak_is_limit_point);
  CHECK_DIGITS(r.peak_load_factor, 4073.96873 / 2, 5,
               "the load is flat at a limit point: good to the square of the place");
  CHECK(std::abs(r.critical_points.at(0).shapes.col(0)[model::row(m.groups.at("bar.end")[0]) + 2]) ==
        Approx(1).margin(0.05));
  for (const auto& i : r.increments)
    if (i.event == PathEvent::none && i.watched[0] > 45 && i.watched[0] < 140) CHECK(i.negative_pivots == 1);
  CHECK((r.applied.force + r.reacted.force).norm() < 1e-6 * r.applied.force.norm());
}

TEST_CASE("path: stop rules", "[analysis][fast]") {
  const auto m = toggle();
  const analysis::System system(m);
  auto o = options_for(m, 400);
  SECTION("a share of the peak") {
    o.stop.drop = 0.6;
    const auto r = analysis::follow_path(system, o);
    CHECK(r.ending == Ending::done);
    CHECK(r.increments.back().load_factor < 0.6 * r.peak_load_factor);
    CHECK(r.increments[r.increments.size() - 2].load_factor >= 0.6 * r.peak_load_factor);
  }
  SECTION("a number of increments") {
    o.stop.increments = 3;
    const auto r = analysis::follow_path(system, o);
    CHECK(r.ending == Ending::done);
    CHECK(r.increments.size() == 4);
  }
  SECTION("a load factor, met exactly by load control") {
    o.steps.control = analysis::PathControl::load;
    o.stop.load_factor = 1500;
    const auto r = analysis::follow_path(system, o);
    CHECK(r.ending == Ending::done);
    CHECK_DIGITS(r.increments.back().load_factor, 1500, 14, "the last step ends there");
    CHECK_FALSE(r.peak_is_limit_point);
  }
  SECTION("the caller, who keeps what there is") {
    int seen = 0;
    const auto r = analysis::follow_path(system, o, [&](const analysis::PathProgress& p) {
      if (p.increment != nullptr) ++seen;
      return seen < 3 ? analysis::Next::go_on : analysis::Next::stop_keep_result;
    });
    CHECK(r.ending == Ending::stopped_by_caller);
    CHECK(r.usable());
    CHECK(r.increments.size() == 3);
  }
}

TEST_CASE("path: load control cuts back and says so when there is no equilibrium left", "[analysis][fast]") {
  const auto m = toggle();
  auto o = options_for(m, 500);
  o.steps.control = analysis::PathControl::load;
  o.stop.load_factor = 2030;  // just below the limit: reached with smaller steps
  const auto below = analysis::follow_path(analysis::System(m), o);
  CHECK(below.ending == Ending::done);
  CHECK_DIGITS(below.peak_load_factor, 2030, 12, "reached");
  o.stop.load_factor = 2500;  // beyond it
  const auto beyond = analysis::follow_path(analysis::System(m), o);
  CHECK(beyond.ending == Ending::not_converged);
  CHECK_THAT(beyond.message, Catch::Contains("use arc length"));
  CHECK(beyond.peak_load_factor < 4073.96873 / 2 * (1 + 1e-6));
  CHECK(beyond.peak_load_factor > 0.98 * 4073.96873 / 2);
  CHECK(std::any_of(beyond.increments.begin(), beyond.increments.end(), [](const auto& i) { return i.cut_backs > 0; }));
}

TEST_CASE("path: the constant part stays, the variable part grows", "[analysis][fast]") {
  auto m = toggle();
  m.actions.push_back(m.actions[0]);
  m.actions[1].name = "held";
  auto o = options_for(m, 200);
  m.combinations.push_back({"five hundred", {{1, 500}}});
  o.constant = m.load_named("five hundred");
  o.stop.drop = 0.5;
  const auto r = analysis::follow_path(analysis::System(m), o);
  REQUIRE(r.usable());
  CHECK(r.increments[0].event == PathEvent::preload);
  CHECK(std::abs(toggle_load(r.increments[0].watched[0]) - 500) < 1e-3);
  CHECK_DIGITS(r.peak_load_factor + 500, 4073.96873 / 2, 5, "held + growing = the same limit");
}

TEST_CASE("path: a constant part beyond the critical load is reported", "[analysis][fast]") {
  auto m = toggle();
  m.combinations.push_back({"too much", {{0, 5000}}});
  auto o = options_for(m, 200);
  o.constant = m.load_named("too much");
  const auto r = analysis::follow_path(analysis::System(m), o);
  INFO(r.message << ", " << r.increments.size());
  // Newton's method finds no state on the near side; where it lands on the far side the bar is upside down
  if (r.ending == Ending::preload_unstable)
    CHECK_THAT(r.message, Catch::Contains("constant part"));
  else
    CHECK_DIGITS(toggle_load(r.increments.at(0).watched[0]), 5000, 5, "in balance upside down");
}

TEST_CASE("path: a perfect column passes a bifurcation, named and located", "[analysis][fast]") {
  auto m = test::pinned_column(1000, 30, 12, 6, 200000);
  m.actions[0].name = "push";
  m.groups["bar.end"] = m.groups["column.end"];
  const double euler = theory::euler_load(200000, 30 * 12 * 12 * 12 / 12.0, 1000, 1);
  auto o = options_for(m, 0.22 * euler);
  o.steps.largest = 0.22 * euler;
  o.stop.load_factor = 1.5 * euler;
  o.stop.increments = 12;
  const auto r = analysis::follow_path(analysis::System(m), o);
  REQUIRE(r.usable());
  const auto event = std::find_if(r.increments.begin(), r.increments.end(),
                                  [](const auto& i) { return i.event == PathEvent::bifurcation; });
  REQUIRE(event != r.increments.end());
  CHECK(event->load_factor > euler * 0.98);
  CHECK(event->load_factor < euler * 1.03);
  CHECK(event->negative_pivots == 1);
  CHECK(r.increments.back().negative_pivots >= 1);
}

TEST_CASE("path: an imperfect column approaches the Euler load and keeps away from it", "[analysis][fast]") {
  const auto perfect = test::pinned_column(1260, 31, 14, 6, 205000);
  analysis::BucklingOptions b;
  b.variable = perfect.load_named("press");
  b.mode_count = 1;
  const auto modes = analysis::linear_buckling(analysis::System(perfect), b);
  const auto bow = imperfection::from_shapes(perfect, {{&modes.modes[0].shape, 1}}, 1.9);
  CHECK_DIGITS(bow.largest, 1.9, 12, "as asked");
  const auto m = imperfection::apply(perfect, bow);
  analysis::PathOptions o;
  o.variable = perfect.load_named("press");
  o.steps.first = 0.2 * modes.modes[0].load_factor;
  const auto middle = [&] {
    model::Selection s;
    s.near = Vec3(630, 0, 0);
    return model::select(perfect, s)[0];
  }();
  o.watch.push_back({"middle", middle, Vec3(0, 0, 1)});
  o.stop.watch = 0;
  o.stop.displacement = 100;
  const auto r = analysis::follow_path(analysis::System(m), o);
  REQUIRE(r.usable());
  for (const auto& i : r.increments) {
    const double ratio = i.load_factor / modes.modes[0].load_factor;
    CHECK(ratio < 1.02);
    if (ratio > 0.3 && ratio < 0.9) CHECK(std::abs(i.watched[0]) == Approx(1.9 * ratio / (1 - ratio)).epsilon(0.01));
  }
}

TEST_CASE("path: options are checked all at once", "[analysis][fast]") {
  analysis::PathOptions o;
  o.steps.first = -1;
  o.stop.increments = 0;
  o.stop.drop = 2;
  CHECK(o.complaints().size() == 4);
  const auto m = toggle();
  CHECK_THROWS_AS(analysis::follow_path(analysis::System(m), o), base::InputError);
  analysis::BucklingOptions b;
  b.mode_count = 0;
  CHECK(b.complaints().size() == 2);
  CHECK_THROWS_AS(analysis::linear_buckling(analysis::System(m), b), base::InputError);
}

TEST_CASE("results start as failures", "[analysis][fast]") {
  CHECK_FALSE(analysis::PathResult().usable());
  CHECK_FALSE(analysis::BucklingResult().usable());
  CHECK_FALSE(analysis::LinearStaticResult().usable());
  CHECK(std::isnan(analysis::PathResult().peak_load_factor));
  CHECK(std::string(analysis::to_text(analysis::BucklingResult().ending)) == "not run");
}

TEST_CASE("mechanism: the mechanism is named", "[analysis][fast]") {
  auto m = test::pinned_column(1000, 30, 12, 4);
  const auto describe = [](const model::Model& x) {
    const auto r = analysis::linear_static(analysis::System(x), x.load_named("press"));
    CHECK(r.ending == Ending::mechanism);
    return r.message;
  };
  const auto drop = [&](int dof) {
    m.supports.erase(std::remove_if(m.supports.begin(), m.supports.end(), [&](const auto& s) { return s.dof == dof; }),
                     m.supports.end());
  };
  SECTION("sliding along the column") {
    drop(0);
    CHECK(describe(m) == "the whole structure can move along x without resistance");
  }
  SECTION("rotation about its own axis") {
    drop(3);
    CHECK_THAT(describe(m), Catch::Contains("about") && Catch::Contains("x"));
  }
  SECTION("nothing held") {
    m.supports.clear();
    CHECK_THAT(describe(m), Catch::Contains("whole structure"));
  }
  SECTION("nothing wrong") {
    CHECK(analysis::linear_static(analysis::System(m), m.load_named("press")).usable());
  }
}
