#include <numeric>
#include <random>

#include "archway/base/errors.hpp"
#include "archway/model/cut.hpp"
#include "archway/model/joints.hpp"
#include "archway/model/mesh_check.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
model::Model block_and_sheet() {
  model::Model m = test::with_material();
  model::Part part = test::panel_part("block", 0);
  part.kind = model::PartKind::solid;
  model::add_body(m, part, {3, 2, 2}, false, false, [](double s, double t, double u) -> Vec3 {
    return {30 * s, 20 * t, 10 * u};
  });
  model::add_rectangle(m, test::panel_part("sheet", 1), Vec3(0, 0, 10), Vec3(30, 0, 0), Vec3(0, 20, 0), 4, 3);
  return m;
}
std::string complaint_of(const model::Model& m) {
  const auto findings = model::check_mesh(m);
  return findings.errors.empty() ? "" : base::to_text(findings.errors[0]);
}
double sum(const std::vector<double>& list) {
  return std::accumulate(list.begin(), list.end(), 0.0);
}
}  // namespace

TEST_CASE("surface: outer faces of a body, and those among chosen nodes", "[model][fast]") {
  const model::Model m = block_and_sheet();
  CHECK(model::facets_of(m, "block").size() == 2 * (3 * 2 + 3 * 2 + 2 * 2));
  CHECK(model::facets_of(m, "sheet").size() == 12);
  CHECK(model::outer_facets(m).size() == 32 + 12);
  CHECK(model::facets_among(m, m.groups.at("block.top")).size() == 6);
  CHECK(model::facets_among(m, m.groups.at("block.start")).size() == 4);
  CHECK(model::facets_among(m, {0, 1}).empty());
  CHECK_THROWS_WITH(model::facets_of(m, "blok"), Catch::Contains("did you mean 'block'"));
}

TEST_CASE("surface: a point finds the closest place, inside and beyond the rim", "[model][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("sheet", 1), Vec3::Zero(), Vec3(30, 3, 0), Vec3(-2, 20, 0), 4, 3, faces);
  const model::FacetSearch search(m, model::facets_of(m, "sheet"));
  const auto above = search.nearest(Vec3(11, 7, 4));
  CHECK(above.gap == archway::test::but_for_rounding(4));
  CHECK((above.point - Vec3(11, 7, 0)).norm() < 1e-9);
  Vec3 mixed = Vec3::Zero();
  double total = 0;
  for (const auto& [node, weight] : above.weights) {
    mixed += weight * m.nodes[static_cast<std::size_t>(node)];
    total += weight;
  }
  CHECK((mixed - above.point).norm() < 1e-9);
  CHECK(total == archway::test::but_for_rounding(1));
  // beyond the rim: the foot of the perpendicular on the edge from (0, 0) to (-2, 20), or a corner
  CHECK(search.nearest(Vec3(-5, 5, 0)).gap == archway::test::but_for_rounding((5 * 20 - 5 * 2) / std::hypot(2, 20)));
  CHECK(search.nearest(Vec3(-5, -4, 0)).gap == archway::test::but_for_rounding(std::hypot(5, 4)));
}

TEST_CASE("surface: a search finds what looking at every facet finds", "[model][fast]") {
  // facets of very different sizes, far from the origin: slivers beside wide ones, a fold, two sheets on one another
  model::Model m = test::with_material();
  const Vec3 far(4e5, -7e4, 1e3);
  model::add_rectangle(m, test::panel_part("wide", 1), far, Vec3(300, 0, 0), Vec3(0, 200, 0), 3, 2);
  model::add_rectangle(m, test::panel_part("fine", 1), far, Vec3(300, 0, 0), Vec3(0, 2, 90), 60, 1);
  model::add_rectangle(m, test::panel_part("twin", 1), far, Vec3(300, 0, 0), Vec3(0, 200, 0), 7, 5);
  const auto facets = model::outer_facets(m);
  const model::FacetSearch search(m, facets);
  std::mt19937 random(5);
  std::uniform_real_distribution<double> share(-0.3, 1.3);
  for (int k = 0; k < 300; ++k) {
    Vec3 point = far + Vec3(300 * share(random), 200 * share(random), 90 * share(random));
    if (k % 3 == 0) point.z() = far.z();  // on two sheets at once: the first of them, whatever rounding says
    double least = HUGE_VAL;
    for (const auto& f : facets) least = std::min(least, model::project(m, f, point).gap);
    const auto found = search.nearest(point);
    CHECK(std::abs(found.gap - least) <= 1e-9 * 361);
    if (k % 3 == 0 && found.gap < 1e-6) CHECK(found.facet < 6);
    const Vec3 other = point + Vec3(20, -15, 8);
    const Vec3 low = point.cwiseMin(other), high = point.cwiseMax(other);
    std::vector<std::size_t> boxes;
    for (std::size_t f = 0; f < facets.size(); ++f) {
      Eigen::AlignedBox3d box(low.array() - 3, high.array() + 3), of;
      for (const int n : facets[f].nodes) of.extend(m.nodes[static_cast<std::size_t>(n)]);
      if (box.intersects(of)) boxes.push_back(f);
    }
    CHECK(search.near_box(low, high, 3) == boxes);
  }
  CHECK(model::FacetSearch(m, {}).near_box(far, far, 1).empty());
}

TEST_CASE("surface: shares of nodes follow the area that belongs to them", "[model][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("sheet", 1), Vec3::Zero(), Vec3(30, 0, 0), Vec3(0, 20, 0), 3, 2);
  const auto& nodes = m.groups.at("sheet");
  const auto shares = model::tributary_shares(m, nodes);
  CHECK(sum(shares) == archway::test::but_for_rounding(1));
  CHECK(*std::min_element(shares.begin(), shares.end()) ==
        archway::test::but_for_rounding(1.0 / 24));  // corners: a quarter of a sixth
  CHECK(*std::max_element(shares.begin(), shares.end()) == archway::test::but_for_rounding(1.0 / 6));
  const auto line = model::tributary_shares(m, m.groups.at("sheet.start"));
  for (const double s : line) CHECK(s == archway::test::but_for_rounding(1.0 / 3));  // no area among them: equal shares
}

TEST_CASE("joints: ends of members get nodes of their own, joints are found or made", "[model][fast]") {
  model::Model m = test::with_material();
  m.profiles.push_back(test::profile_of("bar", theory::section_properties("circle", {{"diameter", 9}})));
  model::add_member(m, test::member_part("arm"), {Vec3::Zero(), Vec3(100, 0, 0), {}}, 2);
  const int before = m.node_count(), end = m.groups.at("arm.end")[0];
  model::EndJoint hinge;
  hinge.free_rotations = {Vec3::UnitY()};
  CHECK(model::join_end(m, 1, 3, hinge, "hinge") == end);
  CHECK(m.node_count() == before + 1);
  CHECK(m.line_elements[1].nodes[3] == before);
  CHECK((m.nodes.back() - m.nodes[static_cast<std::size_t>(end)]).norm() == 0.0);
  model::EndJoint rigid;
  rigid.offset = Vec3(0, 0, 25);
  const int joint = model::join_end(m, 0, 0, rigid, "foot");
  CHECK((m.nodes[static_cast<std::size_t>(joint)] - Vec3(0, 0, -25)).norm() < 1e-12);
  CHECK(m.ties.size() == 2);
  CHECK(complaint_of(m).empty());
  CHECK(model::node_at(m, Vec3(0, 0, -25), 1e-6) == joint);
  const int fresh = m.node_count();  // nodes inside beam elements join nothing: a new one is made in their place
  CHECK(model::node_at(m, m.nodes[static_cast<std::size_t>(m.line_elements[0].nodes[1])], 1e-6) == fresh);
}

TEST_CASE("joints: couplings that cannot work are named", "[model][fast]") {
  model::Model m = block_and_sheet();
  const auto tie = [&](int follower, std::vector<int> leaders) {
    model::Tie t;
    t.name = "clamp";
    t.follower = follower;
    t.weights.assign(leaders.size(), 1.0 / static_cast<double>(leaders.size()));
    t.leaders = std::move(leaders);
    return t;
  };
  SECTION("itself") {
    m.ties = {tie(3, {3})};
    CHECK_THAT(complaint_of(m), Catch::Contains("coupling 'clamp': node 3 is coupled to itself"));
  }
  SECTION("twice") {
    m.ties = {tie(3, {4}), tie(3, {5})};
    CHECK_THAT(complaint_of(m), Catch::Contains("node 3") && Catch::Contains("already follows 'clamp'"));
  }
  SECTION("in a circle") {
    m.ties = {tie(3, {4}), tie(4, {5}), tie(5, {3})};
    CHECK_THAT(complaint_of(m), Catch::Contains("follows itself through other couplings"));
  }
  SECTION("a supported follower") {
    m.ties = {tie(3, {4})};
    test::hold(m, {3}, {1});
    CHECK_THAT(complaint_of(m), Catch::Contains("holds it in y"));
  }
  SECTION("nodes that do not exist") {
    m.ties = {tie(3, {999})};
    CHECK_THAT(complaint_of(m), Catch::Contains("do not exist"));
  }
  SECTION("a cloud on one line") {
    m.ties = {tie(3, {m.groups["sheet.start"][0], m.groups["sheet.start"][1], m.groups["sheet.start"][2]})};
    m.ties[0].kind = model::Tie::Kind::mean;
    CHECK_THAT(complaint_of(m), Catch::Contains("lie on one line"));
  }
  SECTION("a chain is no circle") {
    m.ties = {tie(3, {4}), tie(4, {5}), tie(5, {6})};
    CHECK(complaint_of(m).empty());
  }
  SECTION("a spring between a node and itself, and a negative one") {
    m.springs.push_back({"pad", 2, 2, {1, 1, 1, 0, 0, 0}, base::Mat3::Identity()});
    CHECK_THAT(complaint_of(m), Catch::Contains("spring 'pad': both its ends are node 2"));
    m.springs[0] = {"pad", 2, -1, {1, -1, 1, 0, 0, 0}, base::Mat3::Identity()};
    CHECK_THAT(complaint_of(m), Catch::Contains("one of its stiffnesses is -1"));
  }
}

TEST_CASE("bond: weights add to one and find every follower's own place", "[model][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::nine);
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("floor", 1), Vec3::Zero(), Vec3(40, 0, 0), Vec3(0, 30, 0), 5, 4);
  model::add_rectangle(m, test::panel_part("wall", 1), Vec3(17, 0, 0), Vec3(0, 0, 20), Vec3(0, 30, 0), 2, 3, faces);
  const auto ties = model::bond(m, m.groups["wall.start"], "floor", 0, true, "weld");
  CHECK(ties.size() == m.groups["wall.start"].size());
  for (const auto& tie : ties) {
    CHECK(sum(tie.weights) == archway::test::but_for_rounding(1));
    Vec3 place = Vec3::Zero();
    for (std::size_t i = 0; i < tie.leaders.size(); ++i)
      place += tie.weights[i] * m.nodes[static_cast<std::size_t>(tie.leaders[i])];
    CHECK((place - m.nodes[static_cast<std::size_t>(tie.follower)]).norm() < 1e-9);  // linear fields pass exactly
  }
}

TEST_CASE("cut: panels give lines of their thickness, shared edges once", "[model][fast]") {
  const auto faces = GENERATE(model::Faces::four, model::Faces::three, model::Faces::nine);
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("web", 3), Vec3::Zero(), Vec3(100, 0, 0), Vec3(0, 0, 40), 4, 2, faces);
  model::add_rectangle(m, test::panel_part("flange", 5), Vec3(0, -10, 40), Vec3(100, 0, 0), Vec3(0, 20, 0), 4, 2,
                       faces);
  const double x = GENERATE(13.0, 50.0);  // through elements, and along their edges
  double web = 0, flange = 0;
  for (const auto& line : model::cut(m, Vec3(x, 0, 0), Vec3(2, 0, 0))) {
    CHECK(line.from.x() == archway::test::but_for_rounding(x));
    CHECK(line.thickness == (line.part == "web" ? 3 : 5));
    (line.part == "web" ? web : flange) += (line.to - line.from).norm();
  }
  CHECK(web == archway::test::but_for_rounding(40));
  CHECK(flange == archway::test::but_for_rounding(20));
  CHECK(model::cut(m, Vec3(500, 0, 0), Vec3::UnitX()).empty());
}
