// Paths of structures whose points remember.
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/bar.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/spring.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
constexpr double kYield = 250, kE = 200000, kHard = 4000, kArea = 12 * 10, kLength = 200;

/// A prism 12 wide and 10 high, in tension along x at its end, free to grow thinner.
model::Model prism(const std::string& what) {
  model::Model m = test::with_material(kE, 0.3);
  m.materials[0].flow.yield_stress = kYield;
  m.materials[0].flow.isotropic = kHard;
  m.actions.emplace_back().name = "pull";
  if (what == "bar" || what == "stay") {
    m.profiles.push_back(
        test::profile_of("bar", theory::section_properties("rectangle", {{"width", 12}, {"height", 10}})));
    model::Part part = test::member_part("prism");
    part.kind = model::PartKind::bar;
    part.tension_only = what == "stay";
    model::add_bar(m, part, {Vec3::Zero(), Vec3(kLength, 0, 0), {}}, 1);
    test::hold(m, m.groups["prism.start"], {0, 1, 2});
    test::hold(m, m.groups["prism.end"], {1, 2});
  } else if (what == "shell") {
    model::add_rectangle(m, test::panel_part("prism", 10), Vec3::Zero(), Vec3(kLength, 0, 0), Vec3(0, 12, 0), 4, 2);
    test::hold(m, m.groups["prism.start"], {0});
    for (int n = 0; n < m.node_count(); ++n) test::hold(m, {n}, {2, 3, 4, 5});
    test::hold(m, {0}, {1});
  } else {
    model::Part part = test::panel_part("prism", 0);
    part.kind = model::PartKind::solid;
    model::add_body(m, part, {4, 1, 1}, false, what == "twenty", [](double s, double t, double u) -> Vec3 {
      return {kLength * s, 12 * t, 10 * u};
    });
    for (int n = 0; n < m.node_count(); ++n) {
      if (m.nodes[static_cast<std::size_t>(n)].x() < 1e-9) test::hold(m, {n}, {0});
      if (m.nodes[static_cast<std::size_t>(n)].y() < 1e-9) test::hold(m, {n}, {1});
      if (m.nodes[static_cast<std::size_t>(n)].z() < 1e-9) test::hold(m, {n}, {2});
    }
  }
  for (int n = 0; n < m.node_count(); ++n)
    if (m.nodes[static_cast<std::size_t>(n)].x() > kLength - 1e-9) m.actions[0].displacements.push_back({n, 0, 1});
  return m;
}

/// Force along (moment about) an axis that the supports at the start give.
double reaction_of(const analysis::System& system, const analysis::Increment& i, int dof) {
  Eigen::VectorXd internal;
  analysis::AssemblyRequest request;
  request.internal_force = &internal;
  request.committed = i.kept->memory.get();
  REQUIRE(system.assemble(i.kept->state, request) == base::Verdict::good);
  double sum = 0;
  for (int n = 0; n < system.node_count(); ++n)
    if (system.model().nodes[static_cast<std::size_t>(n)].x() < 1e-9) sum -= internal[model::row(n) + dof];
  return sum;
}

double largest_memory(const analysis::Increment& i) {
  double largest = 0;
  for (const auto& block : *i.kept->memory)
    for (const double value : block) largest = std::max(largest, std::abs(value));
  return largest;
}
/// Moved to 0.8 mm in steps of 0.2.
analysis::PathOptions pulled_slowly(const model::Model& m) {
  analysis::PathOptions o;
  o.variable = m.load_named("pull");
  o.steps.control = analysis::PathControl::load;
  o.steps.first = o.steps.largest = 0.2;
  o.stop.load_factor = 0.8;
  return o;
}
}  // namespace

TEST_CASE("flow: a stay that was stretched is slack before it is back where it was", "[analysis][fast]") {
  const auto m = prism("stay");
  const analysis::System system(m);
  const auto pulled = analysis::follow_path(system, pulled_slowly(m));
  const auto& last = pulled.increments.back();
  const double plastic = last.plastic_strain * kLength;
  REQUIRE(plastic > 0.5);
  const auto force_at = [&](double displacement) {
    elements::State state = elements::State::reference(m);
    state.position[1].x() += displacement;
    return system.bars().axial_force(system.geometry().trial(state, last.kept->memory.get(), system.bars()), 0,
                                     nullptr);
  };
  CHECK(force_at(plastic - 0.01) == 0);
  CHECK(force_at(0) == 0);
  CHECK(force_at(plastic + 0.01) == archway::test::but_for_rounding(kE * kArea * 0.01 / kLength));
}

TEST_CASE("flow: a prism in tension and let go stays longer, as bar, shell and solid", "[analysis][fast]") {
  const std::string what = GENERATE("bar", "stay", "shell", "eight", "twenty");
  INFO(what);
  const auto m = prism(what);
  const analysis::System system(m);
  analysis::PathOptions o = pulled_slowly(m);
  o.newton.residual_tolerance = 1e-9;  // digits beyond it are luck
  const auto pulled = analysis::follow_path(system, o);
  REQUIRE(pulled.usable());
  CHECK(pulled.increments.back().residual <= 1e-9);
  const double strain = 0.8 / kLength, stress = kYield + (strain - kYield / kE) * kE * kHard / (kE + kHard);
  // measures of strain differ by half its square
  const double force = reaction_of(system, pulled.increments.back(), 0);
  CHECK(std::abs(force / (stress * kArea) - 1) < 3 * strain);
  CHECK(largest_memory(pulled.increments[1]) < 1e-12);  // 0.2 mm: elastic
  CHECK(largest_memory(pulled.increments.back()) > 0.5 * (strain - stress / kE));
  // the same path again, from a kept state, has the same memory
  o.start = std::make_shared<const analysis::PathStart>(analysis::PathStart{pulled.increments[2].kept, {}, 0});
  const auto again = analysis::follow_path(system, o);
  REQUIRE(again.usable());
  CHECK_DIGITS(reaction_of(system, again.increments.back(), 0), force, 8, "it goes on where it stood");
  CHECK_DIGITS(largest_memory(again.increments.back()), largest_memory(pulled.increments.back()), 8, "and remembers");
}

TEST_CASE("flow: what cannot follow a law says so before anything is solved", "[analysis][fast]") {
  auto column = test::pinned_column(1000, 30, 12, 4);
  column.materials[0].flow.yield_stress = 200;
  column.profiles[0].fibres.clear();
  CHECK_THROWS_WITH(analysis::System(column), Catch::Contains("has no fibres"));
  auto screwed = test::pinned_column(1000, 30, 12, 4);
  screwed.spring_curves.push_back({"slack", {{{-1, 0}, {1, 0}, {2, 50}}, false}});
  CHECK_THROWS_WITH(analysis::System(screwed), Catch::Contains("does not pass through (0, 0)"));
}

namespace {
struct Shape {
  std::string name;
  std::map<std::string, double> dimensions;
};
}  // namespace

TEST_CASE("flow: a member bent round has the moment of theory, up to its plastic moment", "[analysis][fast]") {
  const auto shape = GENERATE(Shape{"rectangle", {{"width", 12}, {"height", 30}}}, Shape{"circle", {{"diameter", 30}}},
                              Shape{"circular-hollow", {{"diameter", 30}, {"thickness", 3}}},
                              Shape{"rectangular-hollow", {{"width", 20}, {"height", 30}, {"thickness", 2}}},
                              Shape{"i", {{"width", 20}, {"height", 30}, {"flange", 3}, {"web", 2}}});
  const bool standing = GENERATE(false, true);  // and far away
  INFO(shape.name << (standing ? ", standing" : ""));
  const auto section = theory::section_properties(shape.name, shape.dimensions);
  model::Model m = test::with_material(kE, 0.3);
  m.materials[0].flow.yield_stress = kYield;
  m.materials[0].flow.isotropic = 1e-5 * kE;
  m.profiles.push_back(test::profile_of("own", section));
  const double length = 300, first = kYield / kE / section.fibre_z;  // curvature at first yield
  const Vec3 along = standing ? Vec3(0, 0, length) : Vec3(length, 0, 0),
             from = standing ? Vec3(2e5, -3e5, 1e5) : Vec3(Vec3::Zero());
  model::add_member(m, test::member_part("beam", standing ? Vec3::UnitX() : Vec3::UnitZ()), {from, from + along, {}},
                    2);
  const int end = m.groups["beam.end"][0];
  test::hold(m, m.groups["beam.start"], {0, 1, 2, 3, 4, 5});
  test::hold(m, {end}, {1, 3, 4, 5});
  m.actions.emplace_back().name = "rotation";
  m.actions[0].displacements.push_back({end, 4, first * length});
  const analysis::System system(m);
  analysis::PathOptions o;
  o.variable = m.load_named("rotation");
  o.steps.control = analysis::PathControl::load;
  o.steps.first = o.steps.largest = 0.5;  // of the curvature at first yield
  o.stop.load_factor = 10;
  const auto path = analysis::follow_path(system, o);
  REQUIRE(path.usable());
  for (const auto& i : path.increments) {
    if (i.load_factor == 0.0) continue;
    const auto forces = system.beams().section_forces(
        system.geometry().trial(i.kept->state, i.kept->memory.get(), system.beams()), 1, nullptr);
    const double moment = std::abs(forces[1].moment_y), ratio = i.load_factor;
    if (ratio < 0.999) {
      CHECK(largest_memory(i) == 0.0);
      CHECK_DIGITS(moment, ratio * kYield * section.elastic_modulus_y(), 6, "elastic");
    } else if (shape.name == "rectangle" && ratio > 1.001) {
      const double exact = kYield * section.plastic_modulus_y * (1 - 1 / (3 * ratio * ratio));
      INFO("at " << ratio << " times the curvature of first yield");
      CHECK(std::abs(moment / exact - 1) < 0.003);
    }
    if (ratio > 9.9) {
      INFO("near the plastic moment: " << moment / (kYield * section.plastic_modulus_y));
      CHECK(moment < kYield * section.plastic_modulus_y * 1.003);
      CHECK(moment > kYield * section.plastic_modulus_y * 0.993);
    }
  }
}

TEST_CASE("flow: a strip bent by its end has the same moment on three, four and nine nodes", "[analysis][fast]") {
  const auto faces = GENERATE(model::Faces::three, model::Faces::four, model::Faces::nine);
  INFO("faces " << static_cast<int>(faces));
  model::Model m = test::with_material(kE, 0.0);
  m.materials[0].flow.yield_stress = kYield;
  m.materials[0].flow.isotropic = 1e-3 * kE;
  const double length = 60, width = 10, t = 2, first = 2 * kYield / kE / t;
  model::add_rectangle(m, test::panel_part("strip", t), Vec3::Zero(), Vec3(length, 0, 0), Vec3(0, width, 0), 6, 1,
                       faces);
  test::hold(m, m.groups["strip.start"], {0, 1, 2, 3, 4, 5});
  m.actions.emplace_back().name = "rotation";
  for (const int n : m.groups["strip.end"]) {
    test::hold(m, {n}, {1, 3, 4, 5});
    m.actions[0].displacements.push_back({n, 4, first * length});
  }
  const analysis::System system(m);
  analysis::PathOptions o;
  o.variable = m.load_named("rotation");
  o.steps.control = analysis::PathControl::load;
  o.steps.first = o.steps.largest = 0.5;
  o.stop.load_factor = 4;
  const auto path = analysis::follow_path(system, o);
  REQUIRE(path.usable());
  const auto& last = path.increments.back();
  // nu = 0: every layer is in uniaxial stress while elastic; hardening adds a little beyond first yield. Flow keeps the
  // volume, so that the clamped ends hold a moment across and there is a little more along.
  const double plastic = kYield * width * t * t / 4 * (1 - 1 / (3.0 * 16)),
               hard = 1e-3 * kYield * width * t * t / 6 * 3;
  const double moment = std::abs(reaction_of(system, last, 4));
  INFO(moment / (plastic + hard));
  CHECK(moment / (plastic + hard) > 0.998);
  CHECK(moment / (plastic + hard) < 1.015);
}

TEST_CASE("flow: a fastener slips, springs back by its first slope and closes a gap", "[analysis][fast]") {
  model::Model m = test::with_material();
  m.nodes = {Vec3(10, 20, 30)};
  m.spring_curves.push_back({"slip", {{{-2, -90}, {-0.3, -60}, {0, 0}, {0.1, 20}, {0.8, 20}, {2, 100}}, true}});
  m.spring_curves.push_back({"gap", {{{-2, -100}, {-1, 0}, {0, 0}, {0.5, 0}, {1, 50}}, false}});
  m.springs.push_back({"pad", 0, -1, {7, 7, 7, 1, 1, 1}, base::Mat3::Identity()});
  m.springs[0].curves = {0, 1, -1, -1, -1, -1};
  const elements::SpringBatch springs(m);
  std::vector<double> memory(springs.memory_size()), next = memory;
  springs.start_memory(memory.data());
  const auto pulled = [&](double x) {
    auto state = elements::State::reference(m);
    state.position[0] += Vec3(x, x, x);
    Eigen::VectorXd force(12);
    const int first = 0;
    REQUIRE(springs.evaluate(elements::Trial(state, memory.data(), next.data()), &first, 1,
                             {force.data(), nullptr, nullptr}, {}) == base::Verdict::good);
    memory = next;
    return Vec3(force.segment<3>(6));
  };
  const auto check = [&](double x, double slip, double gap) {
    const Vec3 f = pulled(x);
    INFO("at " << x);
    CHECK(std::abs(f[0] - slip) < 1e-9);
    CHECK(std::abs(f[1] - gap) < 1e-9);
    CHECK(std::abs(f[2] - 7 * x) < 1e-9);
  };
  check(0.05, 10, 0);
  check(0.5, 20, 0);   // 0.4 slipped
  check(0.45, 10, 0);  // back by 200 a unit
  check(0.5, 20, 0);
  check(1.4, 60, 90);  // beyond the slot it bears: 20 + 80 / 1.2 x 0.6
  check(1.1, 0, 60);
  check(0.8, -60, 30);  // in compression from where it is now: first slope of the other side
  check(-0.9, -90, 0);  // at the end of the curve, 1.7 beyond the bend
  check(-1.5, -90 - 30 / 1.7 * 0.6, -50);
}
