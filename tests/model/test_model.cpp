#include <set>

#include "archway/base/errors.hpp"
#include "archway/elements/loads.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/model/panel_area.hpp"
#include "archway/model/subdivide.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using model::Line;
using test::Vec3;

namespace {
model::Model bar_model() {
  model::Model m = test::with_material();
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 45}})));
  return m;
}

std::string first_error(const model::Model& m) {
  const auto findings = model::check_mesh(m);
  return findings.errors.empty() ? "" : base::to_text(findings.errors[0]);
}
bool has(const std::string& text, const std::string& part) {
  return text.find(part) != std::string::npos;
}
}  // namespace

TEST_CASE("line: an arc through three points", "[model][fast]") {
  const Line arc{Vec3(-3, 0, 0), Vec3(3, 0, 0), Vec3(0, 0, 3)};
  CHECK_DIGITS(arc.length(), 3 * M_PI, 14, "half a circle");
  CHECK((arc.at(0.5) - Vec3(0, 0, 3)).norm() < 1e-14);
  CHECK((arc.at(1) - Vec3(3, 0, 0)).norm() < 1e-14);
  CHECK_DIGITS(arc.at(0.23).norm(), 3.0, 14, "on the circle");
  const Line beyond{Vec3(1, 0, 0), Vec3(0, -1, 0), Vec3(-1, 0, 0)};  // three quarters, not one
  CHECK_DIGITS(beyond.length(), 1.5 * M_PI, 14, "it passes through the middle point");
  const Line off_quarter{Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(std::cos(0.2), std::sin(0.2), 0)};
  CHECK_DIGITS(off_quarter.length(), 0.5 * M_PI, 13, "the middle point need not be half way");
  CHECK_THROWS_AS((Line{Vec3(0, 0, 0), Vec3(2, 0, 0), Vec3(1, 0, 0)}.at(0.5)), base::InputError);
}

TEST_CASE("mesh: a member has elements of equal length with inner nodes on the line", "[model][fast]") {
  model::Model m = bar_model();
  model::add_member(m, test::member_part("rib"), {Vec3(-3, 0, 0), Vec3(3, 0, 0), Vec3(0, 0, 3)}, 5);
  CHECK(m.line_elements.size() == 5);
  CHECK(m.node_count() == 16);
  for (const auto& node : m.nodes) CHECK_DIGITS(node.norm(), 3.0, 13, "every node lies on the arc");
  CHECK(m.groups["rib.start"] == std::vector<int>{0});
  CHECK(m.groups["rib.end"] == std::vector<int>{15});
  CHECK(m.groups["rib"].size() == 16);
}

TEST_CASE("mesh: rectangle and cylinder strip, groups and normals", "[model][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("flat", 2), Vec3(1, 2, 3), Vec3(4, 0, 0), Vec3(0, 3, 0), 4, 3);
  CHECK(m.shell_elements.size() == 12);
  CHECK(m.groups["flat"].size() == 20);
  CHECK(m.groups["flat.left"].size() == 5);
  CHECK(m.groups["flat.end"].size() == 4);
  const auto& n = m.shell_elements[0].nodes;
  const auto x = [&](int i) { return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])]; };
  CHECK((x(1) - x(0)).cross(x(3) - x(0)).z() > 0);

  model::Model tube = test::with_material();
  model::add_cylinder_strip(tube, test::panel_part("tube", 2), Vec3::Zero(), Vec3(0, 0, 10), Vec3(5, 0, 0), 2 * M_PI,
                            12, 4);
  CHECK(tube.node_count() == 60);  // closed: twelve lines, not thirteen
  CHECK(tube.groups["tube.left"].size() == 12);
  for (const auto& e : tube.shell_elements) {
    Vec3 middle = Vec3::Zero();
    for (const int k : e) middle += 0.25 * tube.nodes[static_cast<std::size_t>(k)];
    const auto p = [&](std::size_t k) { return tube.nodes[static_cast<std::size_t>(e.nodes[k])]; };
    CHECK((p(1) - p(0)).cross(p(3) - p(0)).dot(Vec3(middle.x(), middle.y(), 0)) > 0);
  }
}

TEST_CASE("mesh: coincident nodes merge, groups and elements follow, inner nodes stay", "[model][fast]") {
  model::Model m = bar_model();
  model::add_member(m, test::member_part("a"), {Vec3(0, 0, 0), Vec3(3, 0, 0), {}}, 1);
  model::add_member(m, test::member_part("b"), {Vec3(3, 0, 1e-9), Vec3(3, 0, 3), {}}, 1);
  model::add_member(m, test::member_part("across"), {Vec3(1, -1, 0), Vec3(1, 2, 0), {}},
                    1);  // crosses an inner node of a
  const int before = m.node_count();
  CHECK(model::merge_coincident_nodes(m, 1e-6) == 1);
  CHECK(m.node_count() == before - 1);
  CHECK(m.groups["a.end"] == m.groups["b.start"]);
  CHECK(m.line_elements[0].nodes[3] == m.line_elements[1].nodes[0]);
  CHECK(first_error(m).empty());
}

TEST_CASE("selection: rules combine", "[model][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("flat", 2), Vec3::Zero(), Vec3(40, 0, 0), Vec3(0, 30, 0), 4, 3);
  model::Selection s;
  CHECK(model::select(m, s).size() == 20);
  s.plane[0] = 40;
  CHECK(model::select(m, s).size() == 4);
  s.plane[1] = 10;
  CHECK(model::select(m, s).size() == 1);
  model::Selection box;
  box.box = {Vec3(25, -1, -1), Vec3(9, 11, 1)};  // corners in any order
  CHECK(model::select(m, box).size() == 4);
  model::Selection near;
  near.near = Vec3(21, 9, 5);
  REQUIRE(model::select(m, near).size() == 1);
  CHECK((m.nodes[static_cast<std::size_t>(model::select(m, near)[0])] - Vec3(20, 10, 0)).norm() < 1e-12);
  model::Selection nothing;
  nothing.group = "roof";
  CHECK(model::select(m, nothing).empty());
  CHECK(near.text() == "near (21, 9, 5)");
  CHECK(model::edges_among(m, m.groups["flat.start"]).size() == 3);
  CHECK(model::edges_among(m, {0}).empty());
  // two neighbouring sides: the corner's edges, but not what cuts the corner off
  model::Model cut = test::with_material();
  model::add_rectangle(cut, test::panel_part("plate", 2), Vec3::Zero(), Vec3(40, 0, 0), Vec3(0, 40, 0), 1, 4,
                       model::Faces::three);
  CHECK(model::edges_among(cut, cut.groups["plate"]).size() == 10);
}

TEST_CASE("selection: members are chosen by their ends unless inner nodes are wanted", "[model][fast]") {
  model::Model m = bar_model();
  model::add_member(m, test::member_part("a"), {Vec3(0, 0, 0), Vec3(9, 0, 0), {}}, 3);
  model::Selection s;
  s.group = "a";
  CHECK(model::select(m, s).size() == 4);
  s.ends_only = false;
  CHECK(model::select(m, s).size() == 10);
  CHECK(model::line_elements_of(m, "a").size() == 3);
  CHECK_THROWS_WITH(model::shell_elements_of(m, "aa"), Catch::Contains("did you mean 'a'"));
}

TEST_CASE("load_named: an action or a combination, with a suggestion for a slip", "[model][fast]") {
  model::Model m = test::pinned_column(1000, 20, 10, 2);
  m.combinations.push_back({"service", {{0, 1.5}}});
  CHECK(m.load_named("press").terms == std::vector<std::pair<int, double>>{{0, 1.0}});
  CHECK(m.load_named("service").terms == std::vector<std::pair<int, double>>{{0, 1.5}});
  CHECK_THROWS_WITH(m.load_named("pres"), Catch::Contains("did you mean 'press'"));
}

namespace {
double volume_of(const model::Model& m) {
  double sum = 0;
  for (const auto& e : m.shell_elements) sum += model::area(m, e);
  for (const auto& e : m.solid_elements) {
    const auto x = [&](int k) { return m.nodes[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(k)])]; };
    sum += (x(1) - x(0)).cross(x(3) - x(0)).dot(x(4) - x(0));
  }
  return sum;
}
}  // namespace

TEST_CASE("subdivision: the same body with more elements, whose neighbours share nodes", "[model][fast]") {
  struct Row {
    const char* what;
    std::function<void(model::Model&, int)> fill;  // with so many elements a side
    std::size_t times;
  };
  const auto sheet = [](model::Faces faces) {
    return [faces](model::Model& m, int n) {
      model::add_rectangle(m, test::panel_part("p", 2), Vec3::Zero(), Vec3(40, 0, 0), Vec3(5, 30, 0), 2 * n, n, faces);
    };
  };
  const auto block = [](bool quadratic) {
    return [quadratic](model::Model& m, int n) {
      model::Part part = test::panel_part("p", 2);
      part.kind = model::PartKind::solid;
      model::add_body(m, part, {2 * n, n, n}, false, quadratic,
                      [](double a, double b, double c) { return Vec3(40 * a, 30 * b, 20 * c); });
    };
  };
  for (const auto& row :
       {Row{"three", sheet(model::Faces::three), 4}, Row{"four", sheet(model::Faces::four), 4},
        Row{"nine", sheet(model::Faces::nine), 4}, Row{"eight", block(false), 8}, Row{"twenty", block(true), 8}}) {
    INFO(row.what);
    auto coarse = test::with_material(), fine = test::with_material();
    row.fill(coarse, 1), row.fill(fine, 2);
    for (int n = 0; n < coarse.node_count(); ++n)
      if (coarse.nodes[static_cast<std::size_t>(n)].x() < 1e-9) coarse.groups["left"].push_back(n);
    const auto half = model::subdivided(coarse);
    CHECK(half.shell_elements.size() == row.times * coarse.shell_elements.size());
    CHECK(half.solid_elements.size() == row.times * coarse.solid_elements.size());
    CHECK(half.node_count() == fine.node_count());
    CHECK(volume_of(half) == Approx(volume_of(fine)).epsilon(1e-12));
    CHECK(model::check_mesh(half).errors.empty());
    for (const Vec3& x : fine.nodes)
      CHECK(std::any_of(half.nodes.begin(), half.nodes.end(), [&](const Vec3& y) { return (x - y).norm() < 1e-9; }));
    std::size_t left = 0;
    for (const Vec3& x : half.nodes) left += x.x() < 1e-9 ? 1 : 0;
    if (row.times == 8) CHECK(half.groups.at("left").size() == left);
  }
}

TEST_CASE("mesh check: what cannot be solved is named by part and node", "[model][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("flat", 2), Vec3::Zero(), Vec3(40, 0, 0), Vec3(0, 30, 0), 2, 2);
  CHECK(first_error(m).empty());

  SECTION("an element folded over") {
    m.nodes[static_cast<std::size_t>(m.shell_elements[0].nodes[0])] = Vec3(18, 13, 0);  // past the diagonal
    CHECK(has(first_error(m), "part 'flat', shell element 0 (nodes 0 3 4 1)"));
    CHECK(has(first_error(m), "folded over at node 0"));
  }
  SECTION("corners in a crossed order") {
    std::swap(m.shell_elements[1].nodes[1], m.shell_elements[1].nodes[2]);
    CHECK(has(first_error(m), "part 'flat', shell element 1"));
    CHECK(has(first_error(m), "no area, or its corners are crossed"));
  }
  SECTION("an element without area") {
    for (auto& node : m.nodes) node.y() = 0;
    CHECK(model::check_mesh(m).errors.size() == 4);
    CHECK(has(first_error(m), "no area"));
  }
  SECTION("a negative thickness") {
    m.parts[0].thickness = -2;
    CHECK(has(first_error(m), "part 'flat': its thickness is -2"));
  }
  SECTION("a thickness in another unit than all else, or none at all") {
    m.parts[0].thickness = GENERATE(1e-320, 3e-8);
    CHECK(has(first_error(m), "less than a billionth of the structure, which is 40 across"));
    m.parts[0].thickness = 6e-8;
    CHECK(first_error(m).empty());
  }
  SECTION("an impossible material") {
    m.materials[0].poisson_ratio = 0.7;
    CHECK(has(first_error(m), "material 'metal': Poisson's ratio is 0.7"));
  }
  SECTION("no material at all") {
    m.parts[0].material = 3;
    CHECK(has(first_error(m), "has no material"));
  }
  SECTION("a load on nothing") {
    m.nodes.push_back(Vec3(1, 1, 1));
    m.actions.push_back({});
    m.actions[0].name = "push";
    m.actions[0].node_forces.push_back({m.node_count() - 1, Vec3(1, 0, 0), Vec3::Zero()});
    CHECK(has(first_error(m), "action 'push', node 9: the force acts on nothing"));
  }
  SECTION("a node that does not exist") {
    m.shell_elements[0].nodes[0] = 99;
    CHECK(has(first_error(m), "node 99 does not exist"));
  }
  SECTION("a neighbour with the opposite normal is a warning") {
    auto& n = m.shell_elements[0].nodes;
    n = {n[0], n[3], n[2], n[1]};
    const auto findings = model::check_mesh(m);
    CHECK(findings.errors.empty());
    REQUIRE(findings.warnings.size() == 1);
    CHECK(has(findings.warnings[0].problem, "opposite"));
  }
  SECTION("no elements") {
    CHECK(has(first_error(model::Model{}), "no elements"));
  }
}

TEST_CASE("mesh: surfaces of revolution, triangles, nine nodes and bodies have the area and volume they should",
          "[model][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  model::Model m = test::with_material(200000, 0.3, 1);
  // a quarter of a cone between radii 30 and 10
  model::add_revolution(m, test::panel_part("cone", 1), Vec3::Zero(), Vec3::UnitZ(),
                        {Vec3(30, 0, 0), Vec3(10, 0, 40), {}}, M_PI / 2, 24, 12, faces);
  const double area = M_PI / 4 * (30 + 10) * std::hypot(20, 40);
  CHECK(elements::mass_of(m, 0).mass == Approx(area).epsilon(2e-3));
  CHECK(m.groups["cone.start"].size() == (faces == model::Faces::nine ? 25 : 13));
  CHECK(model::check_mesh(m).errors.empty());
  CHECK(model::check_mesh(m).warnings.empty());
}

TEST_CASE("mesh: surfaces that reach their axis have squares about the pole", "[model][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  const bool rotated_round = GENERATE(false, true);
  const auto [name, from, to, via, angle, area] =
      GENERATE(table<std::string, Vec3, Vec3, std::optional<Vec3>, double, double>({
          {"sphere", Vec3(0, 0, 5), Vec3(0, 0, -5), Vec3(5, 0, 0), 2 * M_PI, 4 * M_PI * 25},
          {"dome", Vec3(0, 0, 5), Vec3(5, 0, 0), Vec3(5 / std::sqrt(2.), 0, 5 / std::sqrt(2.)), M_PI, M_PI * 25},
          {"cone", Vec3(0, 0, 4), Vec3(3, 0, 0), {}, 2 * M_PI, M_PI * 15},
          {"disc", Vec3::Zero(), Vec3(5, 0, 0), {}, M_PI / 2, M_PI / 4 * 25},
      }));
  INFO(name);
  model::Model m = test::with_material(200000, 0.3, 1);
  const model::Line line = rotated_round ? model::Line{to, from, via} : model::Line{from, to, via};
  model::add_revolution(m, test::panel_part("skin", 1), Vec3::Zero(), Vec3::UnitZ(), line, angle, 48, 16, faces);
  const auto mass = elements::mass_of(m, 0);
  CHECK(mass.mass == Approx(area).epsilon(4e-3));
  if (angle == 2 * M_PI) CHECK(mass.centre.head<2>().norm() < 1e-9);
  const auto findings = model::check_mesh(m);
  CHECK((findings.errors.empty() && findings.warnings.empty()));
  // every normal to the same side
  for (const auto& e : m.shell_elements) {
    const auto at = [&](std::size_t k) { return m.nodes[static_cast<std::size_t>(e.nodes[k])]; };
    const Vec3 normal = (at(1) - at(0)).cross(at(2) - at(0)), out = at(0) + at(1) + at(2) + Vec3(0, 0, 1e-3);
    CHECK((normal.dot(out) > 0) == rotated_round);
  }
  const auto rim = m.groups.find(rotated_round ? "skin.left" : "skin.right");
  CHECK((rim == m.groups.end()) == (name == "sphere"));
  if (rim != m.groups.end())
    for (const int n : rim->second) CHECK(m.nodes[static_cast<std::size_t>(n)].z() == Approx(to.z()).margin(1e-9));
  CHECK((m.groups.count("skin.start") == 1) == (angle < 2 * M_PI));
}

TEST_CASE("mesh: solids fill a tube, whichever way its axes run", "[model][fast]") {
  const bool quadratic = GENERATE(false, true), mirrored = GENERATE(false, true);
  model::Model m = test::with_material(200000, 0.3, 1);
  model::Part part;
  part.name = "tube";
  part.kind = model::PartKind::solid;
  part.material = 0;
  model::add_body(m, part, {32, 3, 2}, true, quadratic, [&](double s, double t, double u) -> Vec3 {
    const double a = (mirrored ? -1 : 1) * 2 * M_PI * s, r = 20 + 5 * u;
    return {r * std::cos(a), r * std::sin(a), 60 * t};
  });
  CHECK(model::check_mesh(m).errors.empty());
  CHECK(elements::mass_of(m, 0).mass == Approx(M_PI * (625 - 400) * 60).epsilon(quadratic ? 1e-4 : 8e-3));
  std::swap(m.solid_elements[0].nodes[0], m.solid_elements[0].nodes[1]);
  CHECK_THAT(base::to_text(model::check_mesh(m).errors.at(0)), Catch::Contains("flat or rotated inside out"));
}

TEST_CASE("mesh: elements beyond sense are named", "[model][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("nine", 1), Vec3::Zero(), Vec3(10, 0, 0), Vec3(0, 10, 0), 1, 1,
                       model::Faces::nine);
  m.nodes[static_cast<std::size_t>(m.shell_elements[0].nodes[4])] = Vec3(1, 0, 0);
  CHECK_THAT(base::to_text(model::check_mesh(m).errors.at(0)), Catch::Contains("lies at 0.10 of its edge"));
  model::Model n = test::with_material();
  model::add_rectangle(n, test::panel_part("three", 1), Vec3::Zero(), Vec3(10, 0, 0), Vec3(0, 10, 0), 1, 1,
                       model::Faces::three);
  n.nodes[static_cast<std::size_t>(n.shell_elements[0].nodes[1])] = Vec3(5, 5, 0);
  CHECK_THAT(base::to_text(model::check_mesh(n).errors.at(0)), Catch::Contains("has no area"));
  model::Model b = test::with_material();
  b.profiles.push_back(test::profile_of("bar", theory::section_properties("circle", {{"diameter", 2}})));
  model::Part stay = test::member_part("stay");
  stay.kind = model::PartKind::bar;
  CHECK_THROWS_WITH(model::add_bar(b, stay, {Vec3::Zero(), Vec3::Zero(), {}}, 1), Catch::Contains("has no length"));
}
