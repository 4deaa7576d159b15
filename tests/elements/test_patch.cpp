#include "archway/algebra/factorisation.hpp"
#include "archway/analysis/linear_static.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
/// A square of side 10 in five distorted elements (one inside, four around it), in any plane.
model::Model distorted_square(double thickness, const base::Mat3& turn) {
  model::Model m = test::with_material(1000, 0.25);
  m.parts.push_back(test::panel_part("square", thickness));
  for (const auto& [x, y] :
       std::vector<std::pair<double, double>>{{0, 0}, {10, 0}, {10, 10}, {0, 10}, {2, 2}, {8, 3}, {8, 7}, {4, 7}})
    m.nodes.push_back(turn * Vec3(x, y, 0));
  for (const auto& nodes :
       std::vector<std::array<int, 4>>{{0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}, {4, 5, 6, 7}})
    m.shell_elements.push_back({nodes, 0});
  return m;
}

/// Prescribes a displacement field on the outer corners and gives back the computed one everywhere.
Eigen::VectorXd with_boundary(model::Model& m, const std::function<Eigen::Matrix<double, 6, 1>(const Vec3&)>& field,
                              bool turns_too) {
  model::LoadPattern pattern;
  pattern.name = "boundary";
  for (int n = 0; n < 4; ++n) {
    const auto value = field(m.nodes[static_cast<std::size_t>(n)]);
    for (int f = 0; f < (turns_too ? 6 : 3); ++f) pattern.movements.push_back({n, f, value[f]});
  }
  m.patterns.push_back(pattern);
  const auto result = analysis::linear_static(analysis::System(m), m.load_named("boundary"));
  REQUIRE(result.usable());
  return result.displacement;
}
}  // namespace

TEST_CASE("shell: membrane patch test on distorted elements in a tilted plane", "[elements][fast]") {
  const base::Mat3 turn = base::exponential(Vec3(0.3, -0.8, 0.5)).toRotationMatrix();
  model::Model m = distorted_square(GENERATE(1.0, 0.01), turn);
  const auto field = [&](const Vec3& x) {
    const Vec3 local = turn.transpose() * x;
    Eigen::Matrix<double, 6, 1> u;
    u.head<3>() = turn * Vec3(1e-3 * local.x() + 0.5e-3 * local.y(), 0.4e-3 * local.x() - 0.2e-3 * local.y(), 0);
    u.tail<3>() = turn * Vec3(0, 0, 0.5 * (0.4e-3 - 0.5e-3));
    return u;
  };
  const auto u = with_boundary(m, field, true);
  for (int n = 4; n < 8; ++n)
    CHECK((u.segment<6>(model::row(n)) - field(m.nodes[static_cast<std::size_t>(n)])).norm() < 1e-10 * 1e-2);
  const auto s = elements::ShellBatch(m).stress(elements::State::reference(m), 4, &u);
  const double c = 1000 / (1 - 0.0625);
  CHECK_DIGITS(s.top.head<2>().sum(), c * 1.25 * (1e-3 - 0.2e-3), 9, "constant strain, exact stress (first invariant)");
  CHECK(s.moment.norm() < 1e-12);
}

TEST_CASE("shell: bending patch test, constant curvature and twist", "[elements][fast]") {
  model::Model m = distorted_square(GENERATE(1.0, 0.01), base::Mat3::Identity());
  const double kx = 1e-4, ky = -0.5e-4, kxy = 0.3e-4;
  const auto field = [&](const Vec3& x) {
    Eigen::Matrix<double, 6, 1> u;
    // w = (kx x^2 + ky y^2) / 2 + kxy x y; turns about x and y are w,y and -w,x
    u << 0, 0, 0.5 * (kx * x.x() * x.x() + ky * x.y() * x.y()) + kxy * x.x() * x.y(), ky * x.y() + kxy * x.x(),
        -(kx * x.x() + kxy * x.y()), 0;
    return u;
  };
  const auto u = with_boundary(m, field, true);
  for (int n = 4; n < 8; ++n) {
    INFO("node " << n);
    CHECK((u.segment<6>(model::row(n)) - field(m.nodes[static_cast<std::size_t>(n)])).norm() < 1e-10 * 5e-3);
  }
}

TEST_CASE("beam: a cantilever is exact at its nodes whatever the mesh", "[elements][fast]") {
  const int elements = GENERATE(1, 3);
  model::Model m = test::with_material(200000, 0.3);
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 45}})));
  model::add_member(m, test::member_part("bar"), {Vec3::Zero(), Vec3(1000, 0, 0), {}}, elements);
  test::hold(m, m.groups["bar.start"], {0, 1, 2, 3, 4, 5});
  const int tip = m.groups["bar.end"][0];
  model::LoadPattern tip_load;
  tip_load.name = "tip";
  tip_load.node_forces.push_back({tip, Vec3(5000, 30, 70), Vec3(900, 0, 0)});
  m.patterns.push_back(tip_load);
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("tip"));
  REQUIRE(r.usable());
  const auto& p = m.profiles[0];
  const double e = 200000, g = e / 2.6, l = 1000;
  const auto u = r.displacement.segment<6>(model::row(tip));
  CHECK_DIGITS(u[0], 5000 * l / (e * p.area), 9, "bar in tension");
  CHECK_DIGITS(u[1], 30 * l * l * l / (3 * e * p.second_moment_z) + 30 * l / (g * p.shear_area_y), 9,
               "bending and shear about z");
  CHECK_DIGITS(u[2], 70 * l * l * l / (3 * e * p.second_moment_y) + 70 * l / (g * p.shear_area_z), 9,
               "bending and shear about y");
  CHECK_DIGITS(u[3], 900 * l / (g * p.torsion_constant), 9, "torsion");
  CHECK_DIGITS(u[4], -70 * l * l / (2 * e * p.second_moment_y), 9, "end slope");
  const auto& first = r.member_forces.front().points[0];
  const double arm = l - l / elements * elements::BeamBatch::gauss_places()[0];
  CHECK_DIGITS(first.axial, 5000.0, 9, "statics");
  CHECK_DIGITS(first.shear_z, 70.0, 7, "statics");
  CHECK_DIGITS(std::abs(first.moment_y), 70 * arm, 9, "statics");
  CHECK_DIGITS(std::abs(first.moment_z), 30 * arm, 9, "statics");
  CHECK_DIGITS(first.torque, 900.0, 9, "statics");
  CHECK(r.imbalance < 1e-9);
}

TEST_CASE("shell: a strip in bending is as good as a cubic beam, thick and very thin", "[elements][fast]") {
  const double t = GENERATE(20.0, 2.0, 0.05);
  model::Model m = test::with_material(200000, 0.0);
  model::add_rectangle(m, test::panel_part("strip", t), Vec3::Zero(), Vec3(100, 0, 0), Vec3(0, 5, 0), 4, 1);
  test::hold(m, m.groups["strip.start"], {0, 1, 2, 3, 4, 5});
  model::LoadPattern tip;
  tip.name = "tip";
  for (const int n : m.groups["strip.end"]) tip.node_forces.push_back({n, Vec3(0, 0, 0.5), Vec3::Zero()});
  m.patterns.push_back(tip);
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("tip"));
  const double inertia = 5 * t * t * t / 12, shear = 100000 * 5 * t * 5 / 6;
  CHECK_DIGITS(r.displacement[model::row(m.groups["strip.end"][0]) + 2], 1e6 / (3 * 200000 * inertia) + 100 / shear, 6,
               "four elements, linear moment: no locking left");
}

TEST_CASE("shell: curved corners share a director, folds do not", "[elements][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("floor", 1), Vec3::Zero(), Vec3(10, 0, 0), Vec3(0, 10, 0), 1, 1);
  model::add_rectangle(m, test::panel_part("wall", 1), Vec3::Zero(), Vec3(0, 10, 0), Vec3(0, 0, 10), 1, 1);
  model::merge_coincident_nodes(m, 1e-6);
  const auto folded = elements::corner_directors(m);
  CHECK((folded[0][0] - Vec3::UnitZ()).norm() < 1e-14);
  CHECK((folded[1][0] - Vec3::UnitX()).norm() < 1e-14);
  model::Model tube = test::with_material();
  model::add_cylinder_strip(tube, test::panel_part("tube", 1), Vec3::Zero(), Vec3(0, 0, 10), Vec3(5, 0, 0), 2 * M_PI,
                            24, 1);
  const auto smooth = elements::corner_directors(tube);
  for (std::size_t e = 0; e < smooth.size(); ++e)
    for (std::size_t k = 0; k < 4; ++k) {
      const Vec3 x = tube.nodes[static_cast<std::size_t>(tube.shell_elements[e].nodes[k])];
      CHECK((smooth[e][k] - Vec3(x.x(), x.y(), 0).normalized()).norm() < 1e-13);
    }
}

TEST_CASE("beam: a ring's section does not twist where the line runs along 'up'", "[elements][fast]") {
  model::Model m = test::with_material();
  m.profiles.push_back(
      test::profile_of("strip", theory::section_properties("rectangle", {{"width", 20}, {"height", 2}})));
  // an odd number of elements puts the middle of one on the vertical, an even one a node
  const int elements = GENERATE(5, 8);
  model::add_member(m, test::member_part("low"), {Vec3(0, 0, -100), Vec3(0, 0, 100), Vec3(100, 0, 0)}, elements);
  const elements::BeamBatch beams(m);
  for (int e = 0; e < beams.size(); ++e) {
    INFO("element " << e);
    CHECK(std::abs(beams.axes(e).col(1).y()) > 1 - 1e-9);  // the width stays square to the plane of the ring
  }
  // thin ring under end moments: bends with the thin way of its section everywhere
  test::hold(m, m.groups["low.start"], {0, 1, 2, 3, 4, 5});
  model::LoadPattern p;
  p.name = "end";
  p.node_forces.push_back({m.groups["low.end"][0], Vec3::Zero(), Vec3(0, 1000, 0)});
  m.patterns.push_back(p);
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("end"));
  CHECK_DIGITS(r.displacement[model::row(m.groups["low.end"][0]) + 4], 1000 * M_PI * 100 / (200000 * 20 * 8 / 12.0), 4,
               "M L / E I");
}
