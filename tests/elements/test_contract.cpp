#include "archway/elements/beam.hpp"
#include "archway/elements/shell.hpp"
#include "support/element_contract.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
model::Model straight_and_curved_beams() {
  model::Model m = test::with_material();
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 45}})));
  model::add_member(m, test::member_part("straight"), {Vec3(0, 0, 0), Vec3(300, 40, 20), {}}, 2);
  model::add_member(m, test::member_part("curved", Vec3(0, 1, 0.2)),
                    {Vec3(0, 0, 0), Vec3(400, 0, 0), Vec3(200, 0, 150)}, 2);
  return m;
}

model::Model shells(double thickness) {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("flat", thickness), Vec3(1, 2, 3), Vec3(200, 30, 0), Vec3(-20, 150, 10), 2,
                       2);
  model::add_cylinder_strip(m, test::panel_part("curved", thickness), Vec3(0, 0, 0), Vec3(0, 300, 0), Vec3(250, 0, 0),
                            1.0, 3, 2);
  // distort and warp everything
  std::mt19937 random(5);
  std::uniform_real_distribution<double> uniform(-12, 12);
  for (auto& node : m.nodes) node += Vec3(uniform(random), uniform(random), uniform(random));
  return m;
}
}  // namespace

TEST_CASE("beam: element contract", "[elements][fast]") {
  const auto m = straight_and_curved_beams();
  test::check_element_contract(elements::BeamBatch(m), elements::State::reference(m), 150, GENERATE(1u, 2u));
}

TEST_CASE("shell: element contract from thick to very thin", "[elements][fast]") {
  const auto m = shells(GENERATE(20.0, 0.1));
  test::check_element_contract(elements::ShellBatch(m), elements::State::reference(m), 100, GENERATE(3u, 4u));
}
