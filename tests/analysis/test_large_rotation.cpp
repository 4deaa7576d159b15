// Large rotations: what the frame of reference, the element and the order of loading may not change.
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

namespace large_rotation_tests {

using namespace archway;
using test::Vec3;

namespace {
constexpr double kLength = 500, kWidth = 20, kThickness = 4, kE = 70000;

model::Model cantilever(bool shell, int elements) {
  model::Model m = test::with_material(kE, 0.0);
  if (shell) {
    model::add_rectangle(m, test::panel_part("arm", kThickness), Vec3::Zero(), Vec3(kLength, 0, 0), Vec3(0, kWidth, 0),
                         elements, 2);
  } else {
    m.profiles.push_back(test::profile_of(
        "strip", theory::section_properties("rectangle", {{"width", kWidth}, {"height", kThickness}})));
    model::add_member(m, test::member_part("arm"), {Vec3::Zero(), Vec3(kLength, 0, 0), {}}, elements);
  }
  test::hold(m, m.groups["arm.start"], {0, 1, 2, 3, 4, 5});
  return m;
}

/// A dead force shared over the end, along `direction`.
void load_end(model::Model& m, const Vec3& force) {
  model::Action p;
  p.name = "end";
  const auto& nodes = m.groups["arm.end"];
  double weights = 0;
  for (std::size_t i = 0; i < nodes.size(); ++i)
    weights += nodes.size() > 2 && (i == 0 || i + 1 == nodes.size()) ? 0.5 : 1;
  for (std::size_t i = 0; i < nodes.size(); ++i)
    p.node_forces.push_back({nodes[i],
                             force * ((nodes.size() > 2 && (i == 0 || i + 1 == nodes.size()) ? 0.5 : 1) / weights),
                             Vec3::Zero()});
  m.actions.push_back(p);
}

/// Displacement of the middle of the end at load factor 1.
Vec3 end_displacement(const model::Model& m, double step) {
  analysis::PathOptions o;
  o.variable = m.load_named("end");
  o.steps.control = analysis::PathControl::load;
  o.steps.first = step;
  o.stop.load_factor = 1;
  const auto& nodes = m.groups.at("arm.end");
  for (const Vec3& axis : {Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0, 0, 1)})
    o.watch.push_back({"end", nodes[nodes.size() / 2], axis});
  const auto r = analysis::follow_path(analysis::System(m), o);
  INFO(r.message);
  REQUIRE(r.usable());
  const auto& w = r.increments.back().watched;
  return {w[0], w[1], w[2]};
}

const double kBend = 10 * kE * (kWidth * kThickness * kThickness * kThickness / 12) / (kLength * kLength);
}  // namespace

TEST_CASE("large rotation: beam and shell bend to the same place", "[analysis][fast]") {
  model::Model beam = cantilever(false, 6), shell = cantilever(true, 32);
  load_end(beam, Vec3(0, 0, -kBend));
  load_end(shell, Vec3(0, 0, -kBend));
  const Vec3 from_beam = end_displacement(beam, 0.25), from_shell = end_displacement(shell, 0.25);
  CHECK(from_beam.z() < -0.8 * kLength);  // bent right down
  CHECK((from_beam - from_shell).norm() < 2e-3 * kLength);
}

TEST_CASE("large rotation: moments of fixed direction leave Newton its speed", "[analysis][fast]") {
  const bool shell = GENERATE(true, false);
  INFO((shell ? "shell" : "beam"));
  model::Model m = cantilever(shell, shell ? 40 : 6);
  model::Action p;
  p.name = "end";
  const auto& nodes = m.groups["arm.end"];
  for (const int n : nodes)  // half a revolution
    p.node_forces.push_back({n, Vec3::Zero(), Vec3(0, -M_PI * kBend * kLength / 10 / double(nodes.size()), 0)});
  m.actions.push_back(p);
  analysis::PathOptions o;
  o.variable = m.load_named("end");
  o.steps.control = analysis::PathControl::load;
  o.steps.first = o.steps.largest = 0.1;
  o.stop.load_factor = 1;
  const auto r = analysis::follow_path(analysis::System(m), o);
  REQUIRE(r.usable());
  // the moment is not conservative: events that the symmetric part of the tangent shows do not count here
  CHECK(r.unsymmetric);
  CHECK(std::count_if(r.increments.begin(), r.increments.end(),
                      [](const auto& i) { return i.event != analysis::PathEvent::bifurcation; }) == 11);
  for (const auto& increment : r.increments) {
    CHECK(increment.cut_backs == 0);
    CHECK(increment.iterations <= 5);
  }
}

TEST_CASE("large rotation: the size of the steps does not matter", "[analysis][fast]") {
  for (const bool shell : {false, true}) {
    model::Model m = cantilever(shell, shell ? 12 : 4);
    load_end(m, Vec3(0.2 * kBend, 0, -kBend));
    const Vec3 fine = end_displacement(m, 0.1), coarse = end_displacement(m, 1.0);
    CHECK((fine - coarse).norm() < 1e-5 * kLength);
  }
}

TEST_CASE("large rotation: rotation the structure and its load, and the displacement rotations", "[analysis][fast]") {
  const auto r = base::exponential(Vec3(2.0, -1.5, 2.5)).toRotationMatrix();
  for (const bool shell : {false, true}) {
    model::Model m = cantilever(shell, shell ? 12 : 4);
    model::Model rotated = m;
    for (auto& n : rotated.nodes) n = r * n;
    for (auto& p : rotated.parts) p.up = r * p.up;
    const Vec3 force(0.1 * kBend, 0.3 * kBend, -0.7 * kBend);  // bending about both axes and torsion
    load_end(m, force);
    load_end(rotated, r * force);
    CHECK((end_displacement(rotated, 0.25) - r * end_displacement(m, 0.25)).norm() < 1e-5 * kLength);
  }
}

TEST_CASE("large rotation: a half ring of beams in tension straight keeps its length", "[analysis][fast]") {
  model::Model m = test::with_material(kE, 0.0);
  m.profiles.push_back(
      test::profile_of("strip", theory::section_properties("rectangle", {{"width", kWidth}, {"height", 1.0}})));
  model::add_member(m, test::member_part("arm"), {Vec3(-100, 0, 0), Vec3(100, 0, 0), Vec3(0, 0, 100)}, 10);
  test::hold(m, m.groups["arm.start"], {0, 1, 2, 3, 5});
  test::hold(m, m.groups["arm.end"], {1, 2});
  const double bending = kE * kWidth / 12;
  load_end(m, Vec3(40 * bending / 1e4, 0, 0));
  const Vec3 moved = end_displacement(m, 0.02);
  const double opened = 200 + moved.x(), full = M_PI * 100;
  CHECK(opened < full * 1.001);
  CHECK(opened > 0.8 * full);
}

TEST_CASE("large rotation: arc length and load control walk the same path", "[analysis][fast]") {
  model::Model m = cantilever(false, 5);
  load_end(m, Vec3(0, 0, -kBend));
  const Vec3 target = end_displacement(m, 0.25);
  analysis::PathOptions o;
  o.variable = m.load_named("end");
  o.steps.first = 0.1;
  o.newton.residual_tolerance = 1e-8;
  o.watch.push_back({"end", m.groups.at("arm.end")[0], Vec3(0, 0, 1)});
  o.stop.watch = 0;
  o.stop.displacement = target.z();
  const auto r = analysis::follow_path(analysis::System(m), o);
  REQUIRE(r.usable());
  // the last two increments bracket the end of the other run
  const auto &after = r.increments.back(), &before = r.increments[r.increments.size() - 2];
  const double share = (target.z() - before.watched[0]) / (after.watched[0] - before.watched[0]);
  const double factor = before.load_factor + share * (after.load_factor - before.load_factor);
  CHECK_DIGITS(factor, 1, 1.3, "straight line between two increments");
  CHECK(share >= 0);
  CHECK(share <= 1);
}

}  // namespace large_rotation_tests
