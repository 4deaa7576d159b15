#include <map>
#include <random>
#include <set>

#include "archway/algebra/factorisation.hpp"
#include "archway/analysis/linear_static.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/model/joints.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
/// A square of side 10 in five distorted elements (one inside, four around it), in any plane. Three: each in two
/// triangles; nine: with straight edges and middles in the middle.
model::Model distorted_square(model::Faces faces, double thickness, const base::Mat3& rotation, double offset = 0) {
  model::Model m = test::with_material(1000, 0.25);
  m.parts.push_back(test::panel_part("square", thickness));
  m.parts[0].offset_z = offset;
  for (const auto& [x, y] :
       std::vector<std::pair<double, double>>{{0, 0}, {10, 0}, {10, 10}, {0, 10}, {2, 2}, {8, 3}, {8, 7}, {4, 7}})
    m.nodes.push_back(rotation * Vec3(x, y, 0));
  std::map<std::vector<int>, int> middles;
  const auto middle = [&](std::vector<int> corners) {
    std::sort(corners.begin(), corners.end());
    auto [entry, fresh] = middles.try_emplace(corners, m.node_count());
    if (fresh) {
      Vec3 x = Vec3::Zero();
      for (const int n : corners) x += m.nodes[static_cast<std::size_t>(n)] / static_cast<double>(corners.size());
      m.nodes.push_back(x);
    }
    return entry->second;
  };
  for (const auto& n :
       std::vector<std::array<int, 4>>{{0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}, {4, 5, 6, 7}}) {
    if (faces == model::Faces::four) m.shell_elements.emplace_back(n, 0);
    if (faces == model::Faces::three) {
      m.shell_elements.emplace_back(std::array<int, 3>{n[0], n[1], n[2]}, 0);
      m.shell_elements.emplace_back(std::array<int, 3>{n[0], n[2], n[3]}, 0);
    }
    if (faces == model::Faces::nine)
      m.shell_elements.emplace_back(
          std::array<int, 9>{n[0], n[1], n[2], n[3], middle({n[0], n[1]}), middle({n[1], n[2]}), middle({n[2], n[3]}),
                             middle({n[3], n[0]}), middle({n[0], n[1], n[2], n[3]})},
          0);
  }
  return m;
}

/// Nodes on the rim of the square.
std::vector<int> rim(const model::Model& m, const base::Mat3& rotation) {
  std::vector<int> nodes;
  for (int n = 0; n < m.node_count(); ++n) {
    const Vec3 x = rotation.transpose() * m.nodes[static_cast<std::size_t>(n)];
    if (std::min({std::abs(x.x()), std::abs(x.y()), std::abs(x.x() - 10), std::abs(x.y() - 10)}) < 1e-9)
      nodes.push_back(n);
  }
  return nodes;
}

/// Prescribes a displacement field on some nodes and gives back the computed one everywhere.
Eigen::VectorXd with_boundary(model::Model& m, const std::vector<int>& nodes,
                              const std::function<Eigen::Matrix<double, 6, 1>(const Vec3&)>& field,
                              bool rotations_too) {
  model::Action action;
  action.name = "boundary";
  for (const int n : nodes) {
    const auto value = field(m.nodes[static_cast<std::size_t>(n)]);
    for (int f = 0; f < (rotations_too ? 6 : 3); ++f) action.displacements.push_back({n, f, value[f]});
  }
  m.actions.push_back(action);
  const auto result = analysis::linear_static(analysis::System(m), m.load_named("boundary"));
  REQUIRE(result.usable());
  return result.displacement;
}
}  // namespace

TEST_CASE("shell: membrane patch test on distorted elements in a tilted plane", "[elements][fast]") {
  const base::Mat3 rotation = base::exponential(Vec3(0.3, -0.8, 0.5)).toRotationMatrix();
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  INFO("faces " << static_cast<int>(faces));
  const double thickness = GENERATE(1.0, 0.01), offset = GENERATE(0.0, 0.7);
  model::Model m = distorted_square(faces, thickness, rotation, offset);
  // rounding: an offset of many thicknesses costs its square in digits
  const double digits = std::max(1e-10, 1e-15 * std::pow(offset / thickness, 2) * 100);
  const auto field = [&](const Vec3& x) {
    const Vec3 local = rotation.transpose() * x;
    Eigen::Matrix<double, 6, 1> u;
    u.head<3>() = rotation * Vec3(1e-3 * local.x() + 0.5e-3 * local.y(), 0.4e-3 * local.x() - 0.2e-3 * local.y(), 0);
    u.tail<3>() = rotation * Vec3(0, 0, 0.5 * (0.4e-3 - 0.5e-3));
    return u;
  };
  const auto u = with_boundary(m, rim(m, rotation), field, true);
  for (int n = 4; n < m.node_count(); ++n) {
    const Eigen::Matrix<double, 6, 1> gap = u.segment<6>(model::row(n)) - field(m.nodes[static_cast<std::size_t>(n)]);
    CHECK(gap.head<3>().norm() < digits * 1e-2);
    CHECK(gap.tail<3>().norm() <
          1e-9 * 1e-2);  // rounding, over the small share of stiffness that drilling patterns have
  }
  const analysis::System system(m);
  const auto s = system.shell_stress(elements::State::reference(m), 4, &u);
  const double c = 1000 / (1 - 0.0625);
  CHECK_DIGITS(s.top.head<2>().sum(), c * 1.25 * (1e-3 - 0.2e-3), 9, "constant strain, exact stress (first invariant)");
  CHECK(s.moment.norm() < 1e-12);
}

TEST_CASE("shell: bending patch test, constant curvature and twist", "[elements][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  INFO("faces " << static_cast<int>(faces));
  model::Model m = distorted_square(faces, GENERATE(1.0, 0.01), base::Mat3::Identity());
  const double kx = 1e-4, ky = -0.5e-4, kxy = 0.3e-4;
  const auto field = [&](const Vec3& x) {
    Eigen::Matrix<double, 6, 1> u;
    // w = (kx x^2 + ky y^2) / 2 + kxy x y; rotations about x and y are w,y and -w,x
    u << 0, 0, 0.5 * (kx * x.x() * x.x() + ky * x.y() * x.y()) + kxy * x.x() * x.y(), ky * x.y() + kxy * x.x(),
        -(kx * x.x() + kxy * x.y()), 0;
    return u;
  };
  const auto u = with_boundary(m, rim(m, base::Mat3::Identity()), field, true);
  for (int n = 4; n < m.node_count(); ++n) {
    INFO("node " << n);
    CHECK((u.segment<6>(model::row(n)) - field(m.nodes[static_cast<std::size_t>(n)])).norm() < 1e-10 * 5e-3);
  }
}

TEST_CASE("shell: meshes of three, four and nine nodes together pass the patch test", "[elements][fast]") {
  model::Model m = distorted_square(model::Faces::four, 0.5, base::Mat3::Identity());
  const auto old = m.shell_elements;
  m.shell_elements.assign(old.begin(), old.begin() + 4);
  m.shell_elements.emplace_back(std::array<int, 3>{4, 5, 6}, 0);
  m.shell_elements.emplace_back(std::array<int, 3>{4, 6, 7}, 0);
  const auto field = [](const Vec3& x) {
    Eigen::Matrix<double, 6, 1> u;
    u << 1e-3 * x.x() - 2e-4 * x.y(), 5e-4 * x.y(), 1e-4 * x.x() * x.y(), 1e-4 * x.x(), -1e-4 * x.y(), 1e-4;
    return u;
  };
  const auto u = with_boundary(m, {0, 1, 2, 3}, field, true);
  for (int n = 4; n < 8; ++n)
    CHECK((u.segment<6>(model::row(n)) - field(m.nodes[static_cast<std::size_t>(n)])).norm() < 1e-10);
}

namespace {
/// A cube of side 10 in 27 solids whose inner nodes are shaken.
model::Model shaken_cube(bool quadratic, const std::array<int, 3>& divisions, const Vec3& from, const Vec3& size) {
  model::Model m = test::with_material(1000, 0.3);
  model::Part part;
  part.name = "cube";
  part.kind = model::PartKind::solid;
  part.material = 0;
  model::add_body(m, part, divisions, false, quadratic,
                  [&](double s, double t, double u) -> Vec3 { return from + size.cwiseProduct(Vec3(s, t, u)); });
  std::mt19937 random(6);
  std::uniform_real_distribution<double> uniform(-0.8, 0.8);
  std::set<int> corners;
  for (const auto& e : m.solid_elements) corners.insert(e.nodes.begin(), e.nodes.begin() + 8);
  for (const int n : corners) {
    Vec3& x = m.nodes[static_cast<std::size_t>(n)];
    const Vec3 share = (x - from).cwiseQuotient(size);
    if (share.minCoeff() > 1e-9 && share.maxCoeff() < 1 - 1e-9)
      x += Vec3(uniform(random), uniform(random), uniform(random));
  }
  static const int ends[12][2] = {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 6},
                                  {6, 7}, {7, 4}, {0, 4}, {1, 5}, {2, 6}, {3, 7}};
  for (const auto& e : m.solid_elements)
    for (std::size_t k = 8; k < static_cast<std::size_t>(e.count); ++k) {  // edges stay straight
      const auto at = [&](int c) { return m.nodes[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(c)])]; };
      m.nodes[static_cast<std::size_t>(e.nodes[k])] = 0.5 * (at(ends[k - 8][0]) + at(ends[k - 8][1]));
    }
  return m;
}

std::vector<int> skin_of(const model::Model& m) {
  std::set<int> nodes;
  for (const char* side : {".start", ".end", ".left", ".right", ".bottom", ".top"})
    nodes.insert(m.groups.at(std::string("cube") + side).begin(), m.groups.at(std::string("cube") + side).end());
  return {nodes.begin(), nodes.end()};
}

Eigen::Matrix<double, 6, 1> stretch(const Vec3& x) {
  Eigen::Matrix<double, 6, 1> u = Eigen::Matrix<double, 6, 1>::Zero();
  u.head<3>() = Vec3(1e-3 * x.x() + 2e-4 * x.y(), -3e-4 * x.y() + 4e-4 * x.z(), 5e-4 * x.z() + 1e-4 * x.x());
  return u;
}
}  // namespace

TEST_CASE("solid: patch test on shaken bricks", "[elements][fast]") {
  const bool quadratic = GENERATE(false, true);
  model::Model m = shaken_cube(quadratic, {3, 3, 3}, Vec3::Zero(), Vec3(10, 10, 10));
  const auto u = with_boundary(m, skin_of(m), stretch, false);
  for (int n = 0; n < m.node_count(); ++n)
    CHECK((u.segment<3>(model::row(n)) - stretch(m.nodes[static_cast<std::size_t>(n)]).head<3>()).norm() < 1e-12);
  const analysis::System system(m);
  const auto corners = system.solid_stress(elements::State::reference(m), 13, &u);
  for (const auto& s : corners) {
    const double lame = 1000 * 0.3 / (1.3 * 0.4), shear = 1000 / 2.6, trace = 1.2e-3;
    CHECK_DIGITS(s[0], lame * trace + 2 * shear * 1e-3, 9, "constant strain");
    CHECK_DIGITS(s[3], shear * 2e-4, 9, "constant shear");
  }
}

TEST_CASE("solid: bending without shear locking, and nearly incompressible without volume locking",
          "[elements][fast]") {
  const double nu = GENERATE(0.0, 0.3, 0.499);
  const bool quadratic = GENERATE(false, true);
  model::Model m = test::with_material(1000, nu);
  model::Part part;
  part.name = "cube";
  part.kind = model::PartKind::solid;
  part.material = 0;
  model::add_body(m, part, {10, 1, 1}, false, quadratic, [](double s, double t, double u) -> Vec3 {
    return {100 * s, 4 * t, 2 * u};
  });
  for (const int n : m.groups["cube.start"]) {
    test::hold(m, {n}, {0});
    if (m.nodes[static_cast<std::size_t>(n)].head<3>().norm() < 1e-9) test::hold(m, {n}, {1, 2});
    if ((m.nodes[static_cast<std::size_t>(n)] - Vec3(0, 4, 0)).norm() < 1e-9) test::hold(m, {n}, {2});
  }
  m.actions.emplace_back().name = "tip";
  // a couple from linearly varying end stress, so that the solution is pure bending
  for (std::size_t e = 0; e < m.solid_elements.size(); ++e)
    if (m.solid_elements[e].nodes[1] == m.groups["cube.end"][0] || e + 1 == m.solid_elements.size())
      for (const int n : m.groups["cube.end"]) {
        const Vec3& x = m.nodes[static_cast<std::size_t>(n)];
        if (std::abs(x.z() - 1) < 1e-9 || std::abs(x.y() - 2) < 1e-9) continue;  // corners carry the couple
        m.actions[0].node_forces.push_back({n, Vec3(x.z() > 1 ? 1 : -1, 0, 0), Vec3::Zero()});
      }
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("tip"));
  REQUIRE(r.usable());
  const double moment = 2 * 2.0, inertia = 4 * 8 / 12.0;
  double tip = 0;
  for (const int n : m.groups["cube.end"]) tip = std::max(tip, std::abs(r.displacement[model::row(n) + 2]));
  CHECK(tip == Approx(moment * 1e4 / (2 * 1000 * inertia)).epsilon(nu > 0.4 ? 0.04 : 0.02));
}

TEST_CASE("bond: constant stress passes between solids whose meshes do not match", "[elements][fast]") {
  model::Model m = shaken_cube(false, {2, 3, 2}, Vec3::Zero(), Vec3(10, 10, 5));
  model::Part part = m.parts[0];
  part.name = "upper";
  model::add_body(m, part, {3, 2, 2}, false, false, [](double s, double t, double u) -> Vec3 {
    return Vec3(10 * s, 10 * t, 5 + 5 * u) + 10 * s * (1 - s) * t * (1 - t) * Vec3(1.5, -1, 0);
  });
  const bool upper_follows = GENERATE(true, false);
  auto ties = upper_follows ? model::bond(m, m.groups["upper.bottom"], "cube", 0, true, "joint")
                            : model::bond(m, m.groups["cube.top"], "upper", 0, true, "joint");
  REQUIRE(ties.size() == (upper_follows ? 12 : 12));
  m.ties = std::move(ties);
  // held below, in tension above: stress s everywhere
  for (const int n : m.groups["cube.bottom"]) {
    test::hold(m, {n}, {2});
    if (m.nodes[static_cast<std::size_t>(n)].norm() < 1e-9) test::hold(m, {n}, {0, 1});
    if ((m.nodes[static_cast<std::size_t>(n)] - Vec3(10, 0, 0)).norm() < 1e-9) test::hold(m, {n}, {1});
  }
  m.actions.emplace_back().name = "pull";
  const std::set<int> top(m.groups["upper.top"].begin(), m.groups["upper.top"].end());
  for (std::size_t e = 0; e < m.solid_elements.size(); ++e)
    for (int f = 0; f < 6; ++f) {
      bool on = true;
      for (std::size_t k = 0; k < 4; ++k)
        on = on &&
             top.count(m.solid_elements[e]
                           .nodes[static_cast<std::size_t>(model::kSolidFaces[static_cast<std::size_t>(f)][k])]) > 0;
      if (on) m.actions[0].surface_loads.push_back({static_cast<int>(e), Vec3(0, 0, 2), false, f});
    }
  const analysis::System system(m);
  const auto r = analysis::linear_static(system, m.load_named("pull"));
  REQUIRE(r.usable());
  for (const auto& element : r.solid_stresses)
    for (const auto& s : element) {
      CHECK(s[2] == Approx(2).epsilon(2e-5));  // integration over curved cuts of warped faces is not exact
      CHECK(std::abs(s[0]) + std::abs(s[1]) + s.tail<3>().norm() < 1e-4);
    }
}

TEST_CASE("bond: panels whose edges do not match pass tension, bending and a large rotation", "[elements][fast]") {
  const bool tee = GENERATE(false, true);
  model::Model m = test::with_material(1000, 0);
  model::add_rectangle(m, test::panel_part("floor", 0.5), Vec3(tee ? -6 : 0, 0, 0), Vec3(tee ? 12 : 10, 0, 0),
                       Vec3(0, 12, 0), tee ? 7 : 4, 5);
  // the other panel goes on in the plane, or is on the middle of the floor
  if (tee)
    model::add_rectangle(m, test::panel_part("wall", 0.5), Vec3(0.3, 0, 0), Vec3(0, 0, 10), Vec3(0, 12, 0), 3, 4);
  else
    model::add_rectangle(m, test::panel_part("wall", 0.5), Vec3(10, 0, 0), Vec3(10, 0, 0), Vec3(0, 12, 0), 3, 7);
  m.ties = model::bond(m, m.groups["wall.start"], "floor", 0, true, "weld");
  test::hold(m, m.groups["floor.start"], {0, 1, 2, 3, 4, 5});
  if (tee) test::hold(m, m.groups["floor.end"], {0, 1, 2, 3, 4, 5});
  m.actions.emplace_back().name = "pull";
  const Vec3 along = tee ? Vec3(0, 0, 1) : Vec3(1, 0, 0);
  for (const auto& [a, b] : model::edges_among(m, m.groups["wall.end"]))
    m.actions[0].edge_loads.push_back({a, b, 0.3 * along, -1});
  const analysis::System system(m);
  const auto r = analysis::linear_static(system, m.load_named("pull"));
  REQUIRE(r.usable());
  CHECK(r.imbalance < 1e-9);
  for (std::size_t e = 0; e < m.shell_elements.size(); ++e)
    if (m.shell_elements[e].part == 1)
      CHECK(r.shell_stresses[e].membrane.head<2>().maxCoeff() == Approx(0.3).epsilon(tee ? 2e-2 : 1e-9));
  // spin everything by 300 degrees: no force
  auto state = elements::State::reference(m);
  const Eigen::Quaterniond q = base::exponential(Vec3(1, 2, -1).normalized() * 300 * M_PI / 180);
  for (std::size_t n = 0; n < state.position.size(); ++n)
    state.position[n] = q * state.position[n], state.rotation[n] = q;
  Eigen::VectorXd internal;
  analysis::AssemblyRequest request;
  request.internal_force = &internal;
  REQUIRE(system.assemble(state, request) == base::Verdict::good);
  CHECK(internal.cwiseAbs().maxCoeff() < 1e-9);
}

TEST_CASE("bond: surfaces that do not meet are reported how far apart they are", "[elements][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("floor", 1), Vec3::Zero(), Vec3(100, 0, 0), Vec3(0, 100, 0), 4, 4);
  model::add_rectangle(m, test::panel_part("wall", 1), Vec3(50, 0, 3), Vec3(0, 0, 50), Vec3(0, 100, 0), 2, 3);
  model::add_rectangle(m, test::panel_part("long", 1), Vec3(50, 0, 0), Vec3(0, 0, 50), Vec3(0, 150, 0), 2, 3);
  CHECK_THROWS_WITH(model::bond(m, m.groups["wall.start"], "floor", 0, true, "weld"),
                    Catch::Contains("bond 'weld': the bonded surfaces do not meet") && Catch::Contains("is 3 away"));
  CHECK(model::bond(m, m.groups["wall.start"], "floor", 5, true, "weld").size() == 4);
  CHECK_THROWS_WITH(model::bond(m, m.groups["long.start"], "floor", 0, true, "weld"), Catch::Contains("is 44.36 away"));
  CHECK_THROWS_WITH(model::bond(m, {m.groups["wall"][0]}, "floor", 0, true, "weld"),
                    Catch::Contains("no edge and no face"));
  CHECK_THROWS_WITH(model::bond(m, m.groups["floor.start"], "floor", 0, true, "weld"), Catch::Contains("already"));
}

TEST_CASE("beam: a cantilever is exact at its nodes whatever the mesh", "[elements][fast]") {
  const int elements = GENERATE(1, 3);
  model::Model m = test::with_material(200000, 0.3);
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 45}})));
  model::add_member(m, test::member_part("bar"), {Vec3::Zero(), Vec3(1000, 0, 0), {}}, elements);
  test::hold(m, m.groups["bar.start"], {0, 1, 2, 3, 4, 5});
  const int tip = m.groups["bar.end"][0];
  model::Action tip_load;
  tip_load.name = "tip";
  tip_load.node_forces.push_back({tip, Vec3(5000, 30, 70), Vec3(900, 0, 0)});
  m.actions.push_back(tip_load);
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
  const double arm = l - l / elements * elements::line_gauss_places()[0];
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
  model::Action tip;
  tip.name = "tip";
  for (const int n : m.groups["strip.end"]) tip.node_forces.push_back({n, Vec3(0, 0, 0.5), Vec3::Zero()});
  m.actions.push_back(tip);
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
  model::Action p;
  p.name = "end";
  p.node_forces.push_back({m.groups["low.end"][0], Vec3::Zero(), Vec3(0, 1000, 0)});
  m.actions.push_back(p);
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("end"));
  CHECK_DIGITS(r.displacement[model::row(m.groups["low.end"][0]) + 4], 1000 * M_PI * 100 / (200000 * 20 * 8 / 12.0), 4,
               "M L / E I");
}
