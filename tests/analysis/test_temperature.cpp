#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/bar.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/loads.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
constexpr double kModulus = 200000, kRatio = 0.3, kStrain = 1.2e-5 * 250;

/// A curved body of one kind of element under a change of temperature, nowhere held.
model::Model body(const std::string& kind) {
  model::Model m = test::with_material(kModulus, kRatio);
  m.materials[0].expansion = 1.2e-5;
  m.actions.emplace_back().name = "warm";
  m.actions[0].temperatures = {{0, 250}};
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 30}})));
  if (kind == "beam") {
    model::add_member(m, test::member_part("body"), {Vec3::Zero(), Vec3(800, 100, 50), Vec3(400, 200, 0)}, 4);
  } else if (kind == "bar") {
    auto part = test::member_part("body");
    part.kind = model::PartKind::bar;
    model::add_bar(m, part, {Vec3(10, 20, 30), Vec3(300, -50, 90), {}}, 1);
  } else if (kind == "brick" || kind == "brick of 20") {
    test::add_brick(m, "body", kind == "brick of 20");
  } else {
    const auto faces = kind == "nine" ? model::Faces::nine : kind == "three" ? model::Faces::three : model::Faces::four;
    const auto curved = [](double s, double t) {
      return Vec3(300 * std::sin(1.2 * s), 200 * t + 30 * s * t, 300 * std::cos(1.2 * s) + 20 * t * t);
    };
    model::add_surface(m, test::panel_part("body", 3), 4, 5, false, curved, faces);
  }
  return m;
}

/// Largest stress of any element, by linear theory from displacements or from the state itself.
double largest_stress(const analysis::System& system, const analysis::State& state, const Eigen::VectorXd* u) {
  double largest = 0;
  for (int e = 0; e < system.beams().size(); ++e)
    for (const auto& f : system.beams().section_forces(state, e, u))
      largest = std::max({largest, std::abs(f.axial) / 600, std::abs(f.moment_y) / 3000, std::abs(f.moment_z) / 2000});
  for (int e = 0; e < system.bars().size(); ++e)
    largest = std::max(largest, std::abs(system.bars().axial_force(state, e, u)) / 600);
  for (int e = 0; e < system.shell_count(); ++e) {
    const auto s = system.shell_stress(state, e, u);
    largest = std::max({largest, elements::equivalent_stress(s.top), elements::equivalent_stress(s.bottom)});
  }
  for (std::size_t e = 0; e < system.model().solid_elements.size(); ++e)
    for (const auto& s : system.solid_stress(state, static_cast<int>(e), u))
      largest = std::max(largest, s.cwiseAbs().maxCoeff());
  return largest;
}
}  // namespace

TEST_CASE("temperature: free growth leaves a body free of stress, held growth presses it", "[analysis][fast]") {
  const std::string kind = GENERATE("beam", "bar", "four", "three", "nine", "brick", "brick of 20");
  INFO(kind);
  const analysis::System system(body(kind));
  const analysis::State warm = system.warmed_reference({1});
  CHECK(warm.free_strain(0) == archway::test::but_for_rounding(kStrain));
  Eigen::VectorXd growth = Eigen::VectorXd::Zero(system.full_size());
  for (std::size_t n = 0; n < system.model().nodes.size(); ++n)
    growth.segment<3>(model::row(n)) = kStrain * system.model().nodes[n];
  const double held = kModulus * kStrain;
  CHECK(largest_stress(system, warm, &growth) < 1e-9 * held);
  const Eigen::VectorXd loads = system.loads({1}, warm);
  Eigen::VectorXd pull;
  analysis::AssemblyRequest request;
  request.direction = &growth;
  request.tangent_times = &pull;
  REQUIRE(system.assemble(analysis::State::reference(system.model()), request) == base::Verdict::good);
  CHECK((pull - loads).norm() < 1e-9 * loads.norm());
  CHECK(elements::resultant(system.model().nodes, loads, Vec3(7, 8, 9)).force.norm() < 1e-9 * loads.norm());

  // with finite strains the free state differs by the square of the strain
  analysis::State grown = warm;
  system.advance(grown, growth);
  CHECK(largest_stress(system, grown, nullptr) < 4 * kStrain * held);

  const Eigen::VectorXd none = Eigen::VectorXd::Zero(system.full_size());
  const double expected = kind == "beam" || kind == "bar" ? held
                          : kind.rfind("brick", 0) == 0   ? held / (1 - 2 * kRatio)
                                                          : held / (1 - kRatio);
  CHECK(largest_stress(system, warm, &none) == Approx(expected).epsilon(0.01));
}

TEST_CASE("temperature: the path of a warmed column with a bow follows the known growth of the bow",
          "[analysis][fast]") {
  // held ends: N = EA (e - shortening by bending), and w = w0 / (1 - N / N_E) of a half sine
  model::Model m = test::pinned_column(1000, 20, 10, 8);
  m.materials[0].expansion = 1e-5;
  m.supports.push_back({m.groups["column.end"][0], model::move_x, "end"});
  m.actions[0] = {};
  m.actions[0].name = "warm";
  m.actions[0].temperatures = {{0, 10}};
  const double length = 1000, bow = 2;
  for (auto& x : m.nodes) x.z() += bow * std::sin(M_PI * x.x() / length);
  const analysis::System system(m);
  analysis::PathOptions options;
  options.variable = system.model().load_named("warm");
  options.steps.control = analysis::PathControl::load;
  options.steps.first = 0.5;
  options.stop.load_factor = 4;
  int middle = 0;
  for (int n = 0; n < m.node_count(); ++n)
    if (m.nodes[static_cast<std::size_t>(n)].z() > m.nodes[static_cast<std::size_t>(middle)].z()) middle = n;
  options.watch = {{"middle", middle, Vec3::UnitZ()}};
  const auto path = analysis::follow_path(system, options);
  REQUIRE(path.usable());
  const double euler = M_PI * M_PI * 200000 * 20 * 1000 / 12 / (length * length), area = 200;
  const auto& last = path.increments.back();
  CHECK(last.load_factor == archway::test::but_for_rounding(4));
  // solve N = EA (e - (pi^2 / 4 L^2)(w^2 - w0^2)), w = w0 / (1 - N / N_E) by bisection
  double low = 0, high = euler;
  for (int k = 0; k < 100; ++k) {
    const double force = 0.5 * (low + high), w = bow / (1 - force / euler);
    const double back = M_PI * M_PI / (4 * length * length) * (w * w - bow * bow);
    (200000 * area * (4e-4 - back) > force ? low : high) = force;
  }
  const double w = bow / (1 - low / euler);
  CHECK(low > 0.5 * euler);
  CHECK(last.watched[0] + m.nodes[static_cast<std::size_t>(middle)].z() == Approx(w).epsilon(5e-3));
}
