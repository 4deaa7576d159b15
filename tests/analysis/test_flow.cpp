// Paths of structures whose points remember.
#include "archway/analysis/path.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
constexpr double kYield = 250, kE = 200000, kHard = 4000, kArea = 12 * 10, kLength = 200;

/// A prism 12 wide and 10 high, pulled along x at its end, free to grow thinner.
model::Model prism(const std::string& what) {
  model::Model m = test::with_material(kE, 0.3);
  m.materials[0].flow_stress = kYield;
  m.materials[0].isotropic_hardening = kHard;
  m.actions.emplace_back().name = "pull";
  if (what == "bar") {
    m.profiles.push_back(
        test::profile_of("bar", theory::section_properties("rectangle", {{"width", 12}, {"height", 10}})));
    model::Part part = test::member_part("prism");
    part.kind = model::PartKind::bar;
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
    if (m.nodes[static_cast<std::size_t>(n)].x() > kLength - 1e-9) m.actions[0].movements.push_back({n, 0, 1});
  return m;
}

/// Force along x at the start.
double pull_of(const analysis::System& system, const analysis::Increment& i) {
  Eigen::VectorXd internal;
  analysis::AssemblyRequest request;
  request.internal_force = &internal;
  request.committed = i.kept->memory.get();
  REQUIRE(system.assemble(i.kept->state, request) == base::Verdict::good);
  double sum = 0;
  for (int n = 0; n < system.node_count(); ++n)
    if (system.model().nodes[static_cast<std::size_t>(n)].x() < 1e-9) sum -= internal[model::row(n)];
  return sum;
}

double largest_memory(const analysis::Increment& i) {
  double largest = 0;
  for (const auto& block : *i.kept->memory)
    for (const double value : block) largest = std::max(largest, std::abs(value));
  return largest;
}
}  // namespace

TEST_CASE("flow: a prism pulled and let go stays longer, as bar, shell and solid", "[analysis][fast]") {
  const std::string what = GENERATE("bar", "shell", "eight", "twenty");
  INFO(what);
  const auto m = prism(what);
  const analysis::System system(m);
  analysis::PathOptions o;
  o.growing = m.load_named("pull");
  o.control = analysis::PathControl::load;
  o.first_step = o.largest_step = 0.2;  // of a millimetre
  o.stop_load_factor = 0.8;
  const auto pulled = analysis::follow_path(system, o);
  REQUIRE(pulled.usable());
  CHECK(pulled.increments.back().residual <= 1e-6);
  const double strain = 0.8 / kLength, stress = kYield + (strain - kYield / kE) * kE * kHard / (kE + kHard);
  // measures of strain differ by half its square
  const double force = pull_of(system, pulled.increments.back());
  CHECK(std::abs(force / (stress * kArea) - 1) < 3 * strain);
  CHECK(largest_memory(pulled.increments[1]) < 1e-12);  // 0.2 mm: elastic
  CHECK(largest_memory(pulled.increments.back()) > 0.5 * (strain - stress / kE));
  // the same path again, from a kept state, has the same memory
  o.start = std::make_shared<const analysis::PathStart>(analysis::PathStart{pulled.increments[2].kept, {}, 0});
  const auto again = analysis::follow_path(system, o);
  REQUIRE(again.usable());
  CHECK_DIGITS(pull_of(system, again.increments.back()), force, 8, "it goes on where it stood");
  CHECK_DIGITS(largest_memory(again.increments.back()), largest_memory(pulled.increments.back()), 8, "and remembers");
}

TEST_CASE("flow: elements that cannot follow a law say so before anything is solved", "[analysis][fast]") {
  auto column = test::pinned_column(1000, 30, 12, 4);
  column.materials[0].flow_stress = 200;
  CHECK_THROWS_WITH(analysis::System(column), Catch::Contains("members and laminates cannot follow"));
  model::Model sheet = test::with_material();
  sheet.materials[0].flow_stress = 200;
  model::add_rectangle(sheet, test::panel_part("sheet", 3), Vec3::Zero(), Vec3(60, 0, 0), Vec3(0, 60, 0), 2, 2,
                       GENERATE(model::Faces::three, model::Faces::nine));
  test::hold(sheet, sheet.groups["sheet.start"], {0, 1, 2, 3, 4, 5});
  CHECK_THROWS_WITH(analysis::System(sheet), Catch::Contains("nodes cannot follow"));
}
