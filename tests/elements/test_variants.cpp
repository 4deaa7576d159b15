// The element contract on every variant that a study can make: profiles, arcs, triads, thicknesses, warped and skewed
// corners.
#include "archway/elements/beam.hpp"
#include "archway/elements/shell.hpp"
#include "support/batches.hpp"
#include "support/element_contract.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
struct Shape {
  std::string name;
  std::map<std::string, double> dimensions;
};
}  // namespace

TEST_CASE("beam: contract for every profile, slender and stocky", "[elements][fast]") {
  const auto shape = GENERATE(values<Shape>({{"circle", {{"diameter", 30}}},
                                             {"rectangular-hollow", {{"width", 40}, {"height", 80}, {"thickness", 3}}},
                                             {"circular-hollow", {{"diameter", 60}, {"thickness", 4}}},
                                             {"i", {{"width", 60}, {"height", 120}, {"flange", 8}, {"web", 5}}},
                                             {"rectangle", {{"width", 90}, {"height", 120}}}}));
  INFO(shape.name);
  model::Model m = test::with_material(70000, 0.33);
  m.profiles.push_back(test::profile_of("bar", theory::section_properties(shape.name, shape.dimensions)));
  model::add_member(m, test::member_part("bar", Vec3(0.3, 0.2, 1)),
                    {Vec3(0, 0, 0), Vec3(250, 120, -60), Vec3(140, 20, 40)}, 1);
  test::check_element_contract(elements::BeamBatch(m), elements::State::reference(m), 250, 21u);
}

TEST_CASE("shell: contract on skewed, tapered, warped and long corners", "[elements][fast]") {
  const double t = GENERATE(8.0, 0.5);
  model::Model m = test::with_material(70000, 0.33);
  m.parts.push_back(test::panel_part("odd", t));
  const std::vector<std::array<Vec3, 4>> corners = {
      {Vec3(0, 0, 0), Vec3(100, 0, 0), Vec3(160, 80, 0), Vec3(60, 80, 0)},   // skewed
      {Vec3(0, 0, 0), Vec3(100, 0, 0), Vec3(70, 60, 0), Vec3(30, 60, 0)},    // tapered
      {Vec3(0, 0, 0), Vec3(100, 0, 12), Vec3(100, 90, 0), Vec3(0, 90, 14)},  // warped
      {Vec3(0, 0, 0), Vec3(300, 0, 0), Vec3(300, 30, 0), Vec3(0, 30, 0)}};   // long
  for (const auto& c : corners) {
    std::array<int, 4> nodes{};
    for (std::size_t k = 0; k < 4; ++k) {
      nodes[k] = m.node_count();
      m.nodes.push_back(c[k]);
    }
    m.shell_elements.push_back({nodes, 0});
  }
  test::check_element_contract(elements::ShellBatch(m), elements::State::reference(m), 100, 22u);
}

TEST_CASE("shell: the energy does not know which corner is first, nor which side is up", "[elements][fast]") {
  const std::array<Vec3, 4> corners = {Vec3(0, 0, 0), Vec3(100, 0, 8), Vec3(130, 90, 0), Vec3(10, 80, 5)};
  std::mt19937 random(9);
  const Eigen::VectorXd step = test::random_step(model::row(4), 6, 0.15, random);
  const auto force_with = [&](const std::array<std::size_t, 4>& order) {
    model::Model m = test::with_material(70000, 0.3);
    m.parts.push_back(test::panel_part("odd", 3));
    for (const auto& c : corners) m.nodes.push_back(c);
    m.shell_elements.emplace_back(std::array<int, 4>{static_cast<int>(order[0]), static_cast<int>(order[1]),
                                                     static_cast<int>(order[2]), static_cast<int>(order[3])},
                                  0);
    auto state = elements::State::reference(m);
    state.advance(step);
    const auto local = test::evaluate(elements::ShellBatch(m), state, 0).force;
    Eigen::VectorXd by_node(24);
    for (std::size_t k = 0; k < 4; ++k)
      by_node.segment<6>(static_cast<Eigen::Index>(6 * order[k])) = local.segment<6>(static_cast<Eigen::Index>(6 * k));
    return by_node;
  };
  const Eigen::VectorXd want = force_with({0, 1, 2, 3});
  CHECK((force_with({1, 2, 3, 0}) - want).norm() < 1e-9 * want.norm());
  CHECK((force_with({2, 3, 0, 1}) - want).norm() < 1e-9 * want.norm());
  CHECK((force_with({0, 3, 2, 1}) - want).norm() < 1e-9 * want.norm());
}

TEST_CASE("elements: the stresses that a step foresaw change the tangent, not the force", "[elements][fast]") {
  model::Model m = test::with_material();
  m.profiles.push_back(test::profile_of("bar", theory::section_properties("circle", {{"diameter", 20}})));
  model::add_member(m, test::member_part("bar"), {Vec3::Zero(), Vec3(300, 0, 0), {}}, 1);
  for (const auto faces : {model::Faces::four, model::Faces::three, model::Faces::nine})
    model::add_rectangle(m, test::panel_part("sheet", 2), Vec3(0, 10, 0), Vec3(100, 0, 0), Vec3(0, 80, 0), 1, 1, faces);
  test::add_brick(m, "eight", false);
  test::add_brick(m, "twenty", true);
  model::Part stay = test::member_part("stay");
  stay.kind = model::PartKind::bar;
  model::add_bar(m, stay, {Vec3(0, 0, 0), Vec3(90, 50, 30), {}}, 1);
  m.springs.push_back({"pad", 0, 3, {3, 4, 5, 200, 300, 400}, base::exponential(Vec3(0.3, 0.2, 1)).toRotationMatrix()});
  std::mt19937 random(4);
  const auto reference = elements::State::reference(m);
  const Eigen::VectorXd step = test::random_step(model::row(m.node_count()), 10, 0.3, random),
                        none = Eigen::VectorXd::Zero(step.size());
  auto state = reference;
  state.advance(step);
  for (const auto& batch : test::batches_of(m)) {
    if (batch->size() == 0) continue;
    const auto with_source = [&](const elements::StressSource& source) {
      const int n = batch->dof_count();
      test::Evaluation e{Eigen::VectorXd(n), Eigen::MatrixXd(n, n), Eigen::MatrixXd(n, n)};
      const int element = 0;
      (void)batch->evaluate(state, &element, 1, {e.force.data(), e.tangent.data(), e.geometric.data()}, source);
      return e;
    };
    const auto plain = with_source({}), foreseen = with_source({nullptr, &reference, &step}),
               standing = with_source({nullptr, &state, &none});
    CHECK(foreseen.force == plain.force);
    CHECK((foreseen.tangent - plain.tangent).norm() > 1e-3 * plain.tangent.norm());
    CHECK((standing.tangent - plain.tangent).norm() <
          1e-12 * plain.tangent.norm());  // no step: the stresses are those of the state
  }
}
