#include <set>

#include "archway/elements/loads.hpp"
#include "support/element_contract.hpp"
#include "support/models.hpp"

using namespace archway;
using Eigen::VectorXd;
using test::Vec3;

namespace {
model::Model vault() {
  model::Model m = test::with_material();
  m.profiles.push_back(test::profile_of("bar", theory::section_properties("circle", {{"diameter", 20}})));
  model::add_member(m, test::member_part("rib"), {Vec3(-3000, 0, 0), Vec3(3000, 0, 0), Vec3(0, 0, 3000)}, 12);
  model::add_cylinder_strip(m, test::panel_part("skin", 4), Vec3(0, 0, 0), Vec3(0, 2000, 0), Vec3(-3000, 0, 0), M_PI,
                            24, 3);
  model::add_rectangle(m, test::panel_part("flat", 4), Vec3(0, 0, -50), Vec3(100, 0, 0), Vec3(0, 80, 0), 2, 2);
  return m;
}

elements::Resultant total(const model::Model& m, const model::Action& p, const elements::State& state) {
  VectorXd f = VectorXd::Zero(model::row(m.node_count()));
  elements::add_loads(m, p, 1, state, f);
  return elements::resultant(state.position, f, Vec3::Zero());
}

std::vector<int> all(std::size_t count, int first = 0) {
  std::vector<int> list;
  for (std::size_t i = 0; i < count; ++i) list.push_back(first + static_cast<int>(i));
  return list;
}
}  // namespace

TEST_CASE("loads: totals are what the hand calculation says", "[elements][fast]") {
  const model::Model m = vault();
  const auto state = elements::State::reference(m);
  const auto ribs = model::line_elements_of(m, "rib"), skin = model::shell_elements_of(m, "skin"),
             flat = model::shell_elements_of(m, "flat");
  model::Action p;

  SECTION("line load by length and by plan") {
    for (const int e : ribs) p.member_loads.push_back({e, Vec3(0, 0, -2), false});
    CHECK_DIGITS(total(m, p, state).force.z(), -2 * M_PI * 3000, 6, "length of the cubic line through the arc");
    for (auto& load : p.member_loads) load.projected = true;
    CHECK_DIGITS(total(m, p, state).force.z(), -2 * 6000.0, 5, "per length on plan");
  }
  SECTION("surface load by area and by plan") {
    for (const int e : skin) p.surface_loads.push_back({e, Vec3(0, 0, -0.01), false});
    CHECK_DIGITS(total(m, p, state).force.z(), -0.01 * 24 * 6000 * std::sin(M_PI / 48) * 2000, 12,
                 "area of the facets");
    for (auto& load : p.surface_loads) load.projected = true;
    CHECK_DIGITS(total(m, p, state).force.z(), -0.01 * 6000 * 2000, 12, "per area on plan");
  }
  SECTION("pressure pushes against the normal") {
    for (const int e : flat) p.surface_pressures.push_back({e, 0.5, true});
    const auto r = total(m, p, state);
    CHECK_DIGITS(r.force.z(), -0.5 * 100 * 80, 12, "area times pressure");
    CHECK_DIGITS(r.moment.x(), -0.5 * 8000 * 40, 12, "acts at the middle");
    CHECK_DIGITS(r.moment.y(), 0.5 * 8000 * 50, 12, "acts at the middle");
  }
  SECTION("pressure on a closed half cylinder loads its plan") {
    for (const int e : skin) p.surface_pressures.push_back({e, 0.02, true});
    CHECK_DIGITS(std::abs(total(m, p, state).force.z()), 0.02 * 6000 * 2000, 10, "plan area times pressure");
  }
  SECTION("member pressure on an arc loads its chord") {
    for (const int e : ribs) p.member_pressures.push_back({e, 1.5, Vec3::UnitY(), true});
    CHECK_DIGITS(std::abs(total(m, p, state).force.z()), 1.5 * 6000, 12, "chord times pressure");
  }
  SECTION("gravity on everything") {
    p.accelerations.push_back(Vec3(0, 0, -9810));
    double mass = 0;
    for (int part = 0; part < 3; ++part) mass += elements::mass_of(m, part).mass;
    CHECK_DIGITS(total(m, p, state).force.z(), -9810 * mass, 12, "mass times acceleration");
    CHECK_DIGITS(mass, elements::mass_of(m, -1).mass, 13, "parts add up");
    CHECK_DIGITS(elements::mass_of(m, 2).mass, 8e-9 * 4 * 8000, 12, "density times volume");
    CHECK((elements::mass_of(m, 2).centre - Vec3(50, 40, -50)).norm() < 1e-9);
  }
  SECTION("edge load") {
    auto mutable_model = m;
    for (const auto& [a, b] : model::edges_among(m, mutable_model.groups["flat.start"]))
      p.edge_loads.push_back({a, b, Vec3(3, 0, 0)});
    CHECK_DIGITS(total(m, p, state).force.x(), 3 * 80.0, 12, "force per length times length");
  }
}

TEST_CASE("loads: the stiffness of following loads and of forces on arms is their derivative", "[elements][fast]") {
  model::Model m = vault();
  model::add_cylinder_strip(m, test::panel_part("nine", 4), Vec3(0, 0, 0), Vec3(0, 900, 0), Vec3(900, 0, 0), 1, 1, 1,
                            model::Faces::nine);
  model::add_rectangle(m, test::panel_part("three", 4), Vec3(0, 0, 90), Vec3(100, 0, 0), Vec3(0, 80, 0), 1, 1,
                       model::Faces::three);
  test::add_brick(m, "brick", true);
  const auto with = [&](int choice, model::Action& p) {
    const int nine = static_cast<int>(m.shell_elements.size()) - 3, three = nine + 1;
    switch (choice) {
      case 0:
        return p.member_pressures.push_back({3, 1.7, Vec3(0.1, 1, 0.2), true});
      case 1:
        return p.surface_pressures.push_back({3, 0.4, true});
      case 2:
        return p.surface_pressures.push_back({nine, 0.4, true});
      case 3:
        return p.surface_pressures.push_back({three, 0.4, true});
      case 4:
        return p.surface_pressures.push_back({0, 0.4, true, 3});
      case 5:
        return p.node_forces.push_back({2, Vec3(30, -20, 50), Vec3(0, 0, 0), Vec3(100, 40, -60)});
      default:
        return p.member_loads.push_back({3, Vec3(0.2, 0.4, -2), false, 15, -30});
    }
  };
  std::mt19937 random(3);
  elements::State state = elements::State::reference(m);
  state.advance(test::random_step(model::row(m.node_count()), 30, 0.2, random));
  model::Action p;
  const int choice = GENERATE(range(0, 7));
  INFO("load " << choice);
  with(choice, p);
  CHECK(elements::has_following_loads(p) == (choice < 5));
  const auto size = model::row(m.node_count());
  Eigen::MatrixXd analytic = Eigen::MatrixXd::Zero(size, size), skew = analytic, difference = analytic;
  std::set<Eigen::Index> touched;
  const auto into = [&](Eigen::MatrixXd& sum) {
    return [&](const elements::LoadedNodes& nodes, int width, const auto& k) {
      for (int i = 0; i < nodes.count; ++i)
        for (int j = 0; j < nodes.count; ++j)
          sum.block(model::row(nodes.begin()[i]), model::row(nodes.begin()[j]), width, width) +=
              k.block(width * i, width * j, width, width);
      for (const int n : nodes)
        for (int f = 0; f < 6; ++f) touched.insert(model::row(n) + f);
    };
  };
  elements::add_load_stiffness(m, p, 2, state, into(analytic));
  elements::add_skew_load_stiffness(m, p, 2, state, into(skew));
  for (const auto j : touched) {
    VectorXd step = VectorXd::Zero(size), plus = step, minus = step;
    const double h = j % model::kNodeDofs < 3 ? 1e-3 : 1e-5;
    step[j] = h;
    auto ahead = state, behind = state;
    ahead.advance(step);
    behind.advance(-step);
    elements::add_loads(m, p, 2, ahead, plus);
    elements::add_loads(m, p, 2, behind, minus);
    difference.col(j) = (plus - minus) / (2 * h);
  }
  CHECK(analytic.norm() > 0);
  CHECK((analytic - 0.5 * (difference + difference.transpose())).norm() < 1e-7 * difference.norm());
  if (choice < 5) CHECK((analytic + skew - difference).norm() < 1e-7 * difference.norm());
}

TEST_CASE("loads: a following pressure is symmetric where it is closed or held, not at free edges",
          "[elements][fast]") {
  model::Model tube = test::with_material();
  model::add_cylinder_strip(tube, test::panel_part("tube", 1), Vec3::Zero(), Vec3(0, 0, 100), Vec3(50, 0, 0), 2 * M_PI,
                            24, 6);
  model::Action p;
  for (const int e : all(tube.shell_elements.size())) p.surface_pressures.push_back({e, 1, true});
  const double share = elements::unsymmetric_share(tube, p, elements::State::reference(tube));
  CHECK(share > 0.05);  // the rims are free here
  for (auto& load : p.surface_pressures) load.follows = false;
  CHECK(elements::unsymmetric_share(tube, p, elements::State::reference(tube)) == 0.0);
  CHECK_FALSE(elements::has_following_loads(p));
}

TEST_CASE("state: steps are multiplicative and displacements come back", "[elements][fast]") {
  const model::Model m = vault();
  auto state = elements::State::reference(m);
  VectorXd step = VectorXd::Zero(model::row(m.node_count()));
  step.segment<6>(model::row(1)) << 1, 2, 3, 0, 0, M_PI / 2;
  state.advance(step);
  step.segment<6>(model::row(1)) << 0, 0, 0, M_PI / 2, 0, 0;
  state.advance(step);
  const auto r = state.rotation[1].toRotationMatrix();
  CHECK((r * Vec3::UnitX() - Vec3::UnitZ()).norm() < 1e-14);  // about z first, then about the fixed x axis
  CHECK((state.displacement(m).segment<3>(model::row(1)) - Vec3(1, 2, 3)).norm() < 1e-12);
}
