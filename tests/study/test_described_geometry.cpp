// Geometry, copies, models of plates and supports in axes of their own, as they are written in a study.
#include "archway/elements/loads.hpp"
#include "archway/io/study_file.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/study/chain.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace described_geometry_tests {

using namespace archway;
using base::Vec3;

namespace {
const std::string kHead = R"([study]
title = "Potting shed"
format = 1
units = { force = "N", length = "mm" }
[materials.steel]
youngs_modulus = 210000
poisson_ratio = 0.3
density = 1e-9
[profiles]
tube = { shape = "rectangular-hollow", width = 40, height = 60, thickness = 3 }
rail = { shape = "channel", width = 50, height = 100, flange = 6, web = 4 }
girder = { shape = "i", width = 120, height = 300, flange = 10, web = 7 }
)";

std::string table(const std::string& kind, const std::string& rows) {
  return "\n[[" + kind + "]]\n" + rows + "\n";
}
std::string panel(const std::string& name, const std::string& rows) {
  return table("panels", "name = \"" + name + "\"\nmaterial = \"steel\"\n" + rows);
}
std::string ended(const std::string& loads, const std::string& kind = "LA") {
  return table("actions", "name = \"load\"\nloads = [" + loads + "]") +
         table("analyses", "name = \"a\"\nkind = \"" + kind + "\"\n" +
                               (kind == "LA" ? "load = \"load\"" : "load = \"load\"\nmodes = 2"));
}
study::StudyResult run(const std::string& text) {
  return study::run_study(io::parse_study(text, "shed.toml", {}));
}
model::Model built(const std::string& text) {
  return study::build_model(io::parse_study(text, "shed.toml", {}));
}
double mass(const model::Model& m, const std::string& part) {
  for (std::size_t p = 0; p < m.parts.size(); ++p)
    if (m.parts[p].name == part) return elements::mass_of(m, static_cast<int>(p)).mass;
  return -1;
}
Vec3 centre(const model::Model& m, const std::string& part) {
  for (std::size_t p = 0; p < m.parts.size(); ++p)
    if (m.parts[p].name == part) return elements::mass_of(m, static_cast<int>(p)).centre;
  return Vec3::Constant(NAN);
}
double largest(const study::StudyResult& r) {
  const auto& u = r.find("a")->linear->displacement;
  double most = 0;
  for (int n = 0; n < r.model->node_count(); ++n) most = std::max(most, u.segment<3>(model::row(n)).norm());
  return most;
}
const std::string kHoldAll = table("supports", "at = { z = 0 }\nrestrain = \"all\"");
const std::string kWeight = ended("{ kind = \"gravity\" }");
}  // namespace

TEST_CASE("geometry: corners, extrusions and corners of members have the mass and place they should", "[study][fast]") {
  const auto m = built(
      kHead +
      table("members",
            "name = \"frame\"\nmaterial = \"steel\"\nprofile = \"tube\"\nfrom = [0, 0, 0]\nthrough = [[0, 0, 2000], "
            "[1500, 0, 2600], [3000, 0, 2000]]\nto = [3000, 0, 0]\nelements = 3\nup = [0, 1, 0]") +
      panel("roof",
            "thickness = 2\nform = \"corners\"\ncorners = [[0, 0, 2000], [1500, 0, 2600], [1500, 3000, 2600], [0, "
            "3000, 2000]]\ndivisions = [3, 9]") +
      panel("gable",
            "thickness = 2\nform = \"corners\"\ncorners = [[0, 0, 2000], [3000, 0, 2000], [1500, 0, "
            "2600]]\ndivisions = [6, 6]") +
      panel("purlin",
            "form = \"extrusion\"\nprofile = \"rail\"\nfrom = [0, 500, 0]\nto = [2000, 500, 0]\ndivisions = [10, 4]") +
      kHoldAll + kWeight);
  CHECK(mass(m, "roof") == archway::test::but_for_rounding(1e-9 * 2 * 3000 * std::hypot(1500, 600)));
  CHECK(mass(m, "gable") == archway::test::but_for_rounding(1e-9 * 2 * 0.5 * 3000 * 600));
  CHECK(centre(m, "gable").isApprox(Vec3(1500, 0, 2200), 1e-9));
  CHECK(mass(m, "frame") ==
        archway::test::but_for_rounding(1e-9 * (40 * 60 - 34 * 54) * (4000 + 2 * std::hypot(1500, 600))));
  CHECK(mass(m, "purlin.1") ==
        archway::test::but_for_rounding(1e-9 * 4 * 94 * 2000));  // the web between the middle lines of the flanges
  CHECK(m.groups.at("purlin.start").size() == 5 + 3 + 3);
  CHECK(m.groups.at("gable.side1").size() == 7);
  // the roof is on the frame and the gable: their nodes are one
  for (const char* part : {"frame", "gable"}) {
    const auto& a = m.groups.at("roof");
    const auto& b = m.groups.at(part);
    CHECK(std::count_if(a.begin(), a.end(), [&](int n) { return std::count(b.begin(), b.end(), n) > 0; }) >= 4);
  }
  CHECK(model::check_mesh(m).errors.empty());
}

TEST_CASE("geometry: copies move, rotation and mirror, with another thickness, and refine makes all finer",
          "[study][fast]") {
  const std::string base =
      panel("skin",
            "thickness = 2\nform = \"cylinder\"\naxis = [[0, 0, 0], [0, 0, 100]]\nstart = [50, "
            "0, 0]\nangle_deg = 60\ndivisions = [4, 3]") +
      table("copies", "parts = \"skin\"\nrotate = { axis = [[0, 0, 0], [0, 0, 1]], angle_deg = 90 }\ncount = 2") +
      table("copies", "parts = [\"skin-2\"]\nmirror = { point = [0, 0, 0], normal = [0, 0, 1] }\nthickness = 3") +
      kHoldAll + kWeight;
  const auto m = built(kHead + base);
  const Vec3 c = centre(m, "skin");
  CHECK(centre(m, "skin-2").isApprox(Vec3(-c.y(), c.x(), c.z()), 1e-9));
  CHECK(centre(m, "skin-3").isApprox(Vec3(-c.x(), -c.y(), c.z()), 1e-9));
  CHECK(centre(m, "skin-2-2").isApprox(Vec3(-c.y(), c.x(), -c.z()), 1e-9));
  CHECK(mass(m, "skin-2-2") == archway::test::but_for_rounding(1.5 * mass(m, "skin")));
  for (const auto& e : m.shell_elements) {  // every normal still points away from the axis
    const auto at = [&](std::size_t k) { return m.nodes[static_cast<std::size_t>(e.nodes[k])]; };
    CHECK((at(1) - at(0)).cross(at(2) - at(0)).dot(at(0) + at(2) - Vec3(0, 0, (at(0) + at(2)).z())) > 0);
  }
  auto finer = kHead + base;
  finer.insert(finer.find("title"), "refine = 2\n");
  CHECK(built(finer).shell_elements.size() == 4 * m.shell_elements.size());
}

TEST_CASE("geometry: a member as plates buckles as the line does, with the load at the same height", "[study][slow]") {
  const double height = GENERATE(150.0, -150.0);
  INFO("height " << height);
  const auto girder = [&](const std::string& more) {
    return kHead +
           table("members",
                 "name = \"g\"\nmaterial = \"steel\"\nprofile = \"girder\"\nfrom = [0, 0, 0]\nto = [4000, 0, 0]\n" +
                     more) +
           table("supports", "at = \"g.start\"\nrestrain = [\"x\", \"y\", \"z\", \"rx\"]") +
           table("supports", "at = \"g.end\"\nrestrain = [\"y\", \"z\", \"rx\"]") +
           ended("{ kind = \"line\", on = \"g\", force = [0, 0, -1], height = [0, " + std::to_string(height) + "] }",
                 "LBA");
  };
  const auto line = run(girder("elements = 8\nwarping = true\nwarping_start = \"fixed\"\nwarping_end = \"fixed\""));
  const auto plates = run(girder("elements = 48\nidealisation = \"plates\"\nelements_across = 6"));
  const double a = line.find("a")->buckling->modes.at(0).load_factor,
               b = plates.find("a")->buckling->modes.at(0).load_factor;
  CHECK(b == Approx(a).epsilon(0.03));  // the web bends across and the flanges are thin: a little below the line
  CHECK(b < a);
  // ends that may warp are those of the line, and what the ends do is said
  for (const std::string ends : {"free", "fixed", "continuous"}) {
    const std::string both = "warping = true\nwarping_start = \"" + ends + "\"\nwarping_end = \"fixed\"";
    const auto as_line = run(girder("elements = 8\n" + both)),
               as_plates = run(girder("elements = 48\nidealisation = \"plates\"\nelements_across = 6\n" + both));
    CHECK(as_plates.find("a")->buckling->modes.at(0).load_factor ==
          Approx(as_line.find("a")->buckling->modes.at(0).load_factor).epsilon(0.03));
    CHECK(test::told(as_plates.model->remarks, "warping is " + ends + " at the start and fixed at the end"));
  }
}

TEST_CASE("supports: inclined and cylindrical axes, and planes of symmetry that are not global", "[study][fast]") {
  SECTION("a roller on a slope of 30 degrees takes a force at right angles to it") {
    const auto r =
        run(kHead +
            table("members",
                  "name = \"beam\"\nmaterial = \"steel\"\nprofile = \"tube\"\nfrom = [0, 0, 0]\nto = [1000, 0, "
                  "0]\nelements = 4") +
            table("supports", "name = \"pin\"\nat = \"beam.start\"\nrestrain = [\"x\", \"y\", \"z\", \"rx\"]") +
            table("supports",
                  "name = \"roller\"\nat = \"beam.end\"\naxes = { along = [0.5, 0, 0.8660254037844386] "
                  "}\nrestrain = [\"x\", \"y\"]") +
            ended("{ kind = \"line\", on = \"beam\", force = [0, 0, -1] }"));
    const auto& linear = *r.find("a")->linear;
    REQUIRE(r.model->anchors.size() == 1);
    const Vec3 force = linear.reactions.segment<3>(model::row(r.model->anchors[0]));
    CHECK(force.z() == Approx(500).epsilon(1e-9));
    CHECK(force.x() == Approx(500 / std::sqrt(3.0)).epsilon(1e-9));
    CHECK(linear.imbalance < 1e-10);
  }
  SECTION("a ring under pressure shrinks freely on radial guides and rotations with a rim that is rotated") {
    const auto r = run(
        kHead +
        panel("ring",
              "thickness = 2\nform = \"cylinder\"\naxis = [[0, 0, 0], [0, 0, 40]]\nstart = [100, 0, "
              "0]\nangle_deg = 360\ndivisions = [48, 2]") +
        table("supports",
              "name = \"guide\"\nat = \"ring.left\"\naxes = { axis = [[0, 0, 0], [0, 0, 1]] }\nrestrain = "
              "[\"y\", \"z\"]") +
        ended("{ kind = \"pressure\", on = \"ring\", value = 1 }, { kind = \"displacement\", at = \"ring.left\", dof = "
              "\"y\", value = 5 }"));
    const auto& u = r.find("a")->linear->displacement;
    const double shrink = 100. * 100. / (210000 * 2);
    for (const int n : r.model->groups.at("ring.right")) {
      const Vec3 x = r.model->nodes[static_cast<std::size_t>(n)], out = Vec3(x.x(), x.y(), 0).normalized();
      CHECK(u.segment<3>(model::row(n)).dot(out) == Approx(-shrink).epsilon(5e-3));
      CHECK(u.segment<3>(model::row(n)).dot(Vec3::UnitZ().cross(out)) == Approx(5).epsilon(1e-9));
    }
  }
  SECTION("what presses on a tank grows with depth, and pulls to no side") {
    const auto spec = io::parse_study(
        kHead +
            panel("tank",
                  "thickness = 2\nform = \"cylinder\"\naxis = [[0, 0, 0], [0, 0, 400]]\nstart = "
                  "[100, 0, 0]\nangle_deg = 360\ndivisions = [48, 5]") +
            kHoldAll +
            ended("{ kind = \"pressure\", on = \"tank\", value = \"z - 400\" }, { kind = \"surface\", on = "
                  "\"tank\", force = [0, 0, \"z\"] }"),
        "tank.toml");
    const auto report = study::check_model(spec, study::build_model(spec), false);
    const double round = 48 * 2 * 100 * std::sin(M_PI / 48);
    CHECK(report.actions[0].about_origin.force.isApprox(Vec3(0, 0, round * 400 * 400 / 2), 1e-9));
    CHECK(report.actions[0].about_origin.moment.norm() < 1e-6 * round * 400 * 400);
  }
  SECTION("half a beam with a plane of symmetry at 45 degrees bends like the whole one") {
    const std::string half = kHead +
                             table("members",
                                   "name = \"beam\"\nmaterial = \"steel\"\nprofile = \"tube\"\nfrom = [0, 0, 0]\nto = "
                                   "[1000, 1000, 0]\nelements = 6") +
                             table("supports", "at = \"beam.start\"\nrestrain = \"all\"");
    const std::string load = ended("{ kind = \"force\", at = \"beam.end\", force = [0, 0, -500] }");
    const auto r = run(half + table("supports", "at = \"beam.end\"\nsymmetry = [1, 1, 0]") + load);
    const auto whole = run(kHead +
                           table("members",
                                 "name = \"beam\"\nmaterial = \"steel\"\nprofile = \"tube\"\nfrom = [0, 0, 0]\nto = "
                                 "[2000, 2000, 0]\nelements = 12") +
                           table("supports", "at = \"beam.start\"\nrestrain = \"all\"") +
                           table("supports", "at = \"beam.end\"\nrestrain = \"all\"") +
                           ended("{ kind = \"force\", at = { near = [1000, 1000, 0] }, force = [0, 0, -1000] }"));
    CHECK(largest(r) == Approx(largest(whole)).epsilon(1e-9));
  }
}

TEST_CASE("supports: foundation under a panel, an edge and a member carries what lies on it", "[study][fast]") {
  const std::string sheet = panel("sheet",
                                  "thickness = 40\ncorner = [0, 0, 0]\nalong = [600, 0, 0]\nacross = [0, 400, "
                                  "0]\ndivisions = [6, 4]") +
                            table("supports", "at = { near = [0, 0, 0] }\nrestrain = [\"x\", \"y\", \"rz\"]");
  const auto [foundation, k] = GENERATE(
      Catch::Generators::table<std::string, double>({{"on = \"sheet\"\nnormal = 0.02", 0.02 * 600 * 400},
                                                     {"on = \"sheet\"\nstiffness = [0, 0, 0.02]", 0.02 * 600 * 400}}));
  const auto r = run(kHead + sheet + table("foundations", foundation) +
                     ended("{ kind = \"surface\", on = \"sheet\", force = [0, 0, -24], distribution = \"total\" }"));
  CHECK(largest(r) == Approx(24 / k).epsilon(1e-6));
  CHECK(r.find("a")->linear->reacted.force.z() == Approx(24).epsilon(1e-9));
}

TEST_CASE("geometry: what cannot be is said with a remedy", "[study][fast]") {
  const auto [text, words] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {panel("p", "thickness = 2\nform = \"corners\"\ncorners = [[0, 0, 0], [1, 0, 0], [2, 0, 0]]\ndivisions = [2, 2]"),
       "lies on a line with its neighbours"},
      {panel("p", "thickness = 2\nform = \"corners\"\ncorners = [[0, 0, 0], [1, 0, 0], [0, 2, 0]]\ndivisions = [3, 3]"),
       "and 3 divisions a side"},
      {panel("p", "thickness = 2\nform = \"corners\"\ncorners = [[0, 0, 0]]\ndivisions = [3, 3]"),
       "'corners' must list points"},
      {table("copies", "parts = \"ghost\"\nmove = [0, 0, 1]"), "there is no part named 'ghost' to copy"},
      {table("copies", "parts = \"post\"\ncount = 2"), "would lie where the original lies"},
      {table("supports", "at = \"post.start\"\naxes = { along = [0, 0, 1], up = [0, 0, 2] }\nrestrain = [\"x\"]"),
       "these axes have no direction"},
      {table("supports", "at = \"post.start\"\nrestrain = [\"y\"]") +
           table("supports", "at = \"post.start\"\naxes = { along = [1, 1, 0] }\nrestrain = [\"x\"]"),
       "hold it in one set of axes"},
      {table("foundations", "on = \"post\"\nnormal = 3"), "lies under no panel"},
      {table("foundations", "on = \"post\""), "this foundation has no stiffness"},
      {table("actions", "name = \"q\"\nloads = [{ kind = \"line\", on = \"post\", force = [0, 0, \"sqrt(-1 - x)\"] }]"),
       "has no finite value at (0, 0, 0)"},
  }));
  INFO(words);
  const std::string post = table(
      "members",
      "name = \"post\"\nmaterial = \"steel\"\nprofile = \"rail\"\nfrom = [0, 0, 0]\nto = [0, 0, 900]\nup = [1, 0, 0]");
  CHECK_THROWS_WITH(built(kHead + post + text + kWeight), Catch::Contains(words));
}

TEST_CASE("geometry: panels that meet along edges and inside each other share their nodes", "[study][fast]") {
  // a tray with walls of other divisions, a cross wall inside it, a short one that ends on it, one seam askew (bonded)
  const auto flat = [](const std::string& corner, const std::string& along, const std::string& across,
                       const std::string& divisions) {
    return "thickness = 2\ncorner = " + corner + "\nalong = " + along + "\nacross = " + across +
           "\ndivisions = " + divisions;
  };
  const auto m = built(kHead + panel("floor", flat("[0, 0, 0]", "[1000, 0, 0]", "[0, 600, 0]", "[10, 6]")) +
                       panel("wall", flat("[0, 0, 0]", "[0, 600, 0]", "[0, 0, 200]", "[9, 2]")) +
                       panel("cross", flat("[370, 600, 0]", "[0, -600, 0]", "[0, 0, 200]", "[4, 3]")) +
                       panel("stub",
                             "thickness = 2\nform = \"corners\"\ncorners = [[370, 250, 0], [1000, 250, 0], "
                             "[1000, 250, 120], [370, 250, 120]]\ndivisions = [3, 2]") +
                       kHoldAll + kWeight);
  const auto shares = [&](const std::string& first, const std::string& second) {
    const auto &a = m.groups.at(first), &b = m.groups.at(second);
    return std::count_if(a.begin(), a.end(), [&](int n) { return std::find(b.begin(), b.end(), n) != b.end(); });
  };
  CHECK(shares("wall.left", "floor.start") == 10);  // the nine of the wall hold, and the break at y = 250
  CHECK(shares("wall.left", "floor.start") == static_cast<long>(m.groups.at("wall.left").size()));
  CHECK(shares("cross.left", "floor") == static_cast<long>(m.groups.at("cross.left").size()));
  CHECK(m.groups.at("cross.left").size() == m.groups.at("floor.start").size());
  CHECK(shares("stub.left", "floor") == static_cast<long>(m.groups.at("stub.left").size()));
  CHECK(shares("stub.start", "cross") == static_cast<long>(m.groups.at("stub.start").size()));
  for (const auto& [a, b] : model::free_edges(m)) {
    const Vec3 x = 0.5 * (m.nodes[static_cast<std::size_t>(a)] + m.nodes[static_cast<std::size_t>(b)]);
    // what is free is a rim: of the floor, or the tops and sides of the walls
    const bool rim = x.z() > 119.9 || x.x() > 999.9 || x.y() < 0.1 || x.y() > 599.9;
    CHECK(rim);
  }
}

TEST_CASE("geometry: elements are smaller towards the sides that ask for it", "[study][fast]") {
  const auto m =
      built(kHead +
            panel("skin",
                  "thickness = 2\ncorner = [0, 0, 0]\nalong = [1000, 0, 0]\nacross = [0, 600, 0]\ndivisions = "
                  "[12, 8]\ngrading = [{ towards = \"end\", ratio = 5 }, { towards = \"left\", ratio = 3 }, { "
                  "towards = \"right\", ratio = 3 }]") +
            table("solids",
                  "name = \"foot\"\nmaterial = \"steel\"\ncorner = [0, 0, -100]\nalong = [100, 0, 0]\nacross "
                  "= [0, 100, 0]\nup = [0, 0, 80]\ndivisions = [2, 2, 6]\ngrading = [{ towards = \"top\", "
                  "ratio = 4 }]") +
            table("supports", "at = \"foot.bottom\"\nrestrain = \"all\"") +
            table("supports", "at = \"skin.start\"\nrestrain = \"all\"") + kWeight);
  const auto steps = [&](const std::string& group, int axis) {
    std::vector<double> places, list;
    for (const int n : m.groups.at(group)) places.push_back(m.nodes[static_cast<std::size_t>(n)][axis]);
    std::sort(places.begin(), places.end());
    for (std::size_t k = 1; k < places.size(); ++k)
      if (places[k] - places[k - 1] > 1e-6) list.push_back(places[k] - places[k - 1]);
    return list;
  };
  const auto along = steps("skin.left", 0), across = steps("skin.start", 1), up = steps("foot", 2);
  REQUIRE(along.size() == 12);
  CHECK(along.front() / along.back() == archway::test::but_for_rounding(5));
  REQUIRE(across.size() == 8);
  CHECK(across.front() == archway::test::but_for_rounding(across.back()));
  CHECK(*std::max_element(across.begin(), across.end()) / across.front() > 2.4);
  REQUIRE(up.size() == 6);
  CHECK(up.front() / up.back() == archway::test::but_for_rounding(4));
}

TEST_CASE("geometry: the check knows the half waves to expect on a curved panel", "[study][fast]") {
  // lids on both ends leave the drum no free edge: it expects the same waves
  const std::string lid =
      "thickness = 3\nform = \"revolution\"\naxis = [[0, 0, 0], [0, 0, 1]]\nangle_deg = 360\ndivisions = "
      "[100, 4]\n";
  const bool lids = GENERATE(false, true);
  const auto m = built(kHead +
                       (lids ? panel("floor", lid + "from = [500, 0, 0]\nto = [400, 0, 0]") +
                                   panel("roof", lid + "from = [500, 0, 900]\nto = [400, 0, 900]")
                             : "") +
                       panel("drum",
                             "thickness = 2\nform = \"cylinder\"\naxis = [[0, 0, 0], [0, 0, "
                             "900]]\nstart = [500, 0, 0]\nangle_deg = 360\ndivisions = [100, 30]") +
                       kHoldAll + kWeight);
  const auto f = study::expected_fineness(m)[lids ? 2 : 0];
  // a lid is out by the width of the rectangle with its area and rim
  const double half = M_PI * 900, area = M_PI * (500 * 500 - 400 * 400);
  if (lids)
    CHECK(study::expected_fineness(m)[0].half_wave == Approx(half - std::sqrt(half * half - 4 * area)).epsilon(2e-3));
  CHECK(f.radius == Approx(500).epsilon(0.002));
  CHECK(f.half_wave == Approx(M_PI * std::sqrt(500 * 2) / std::pow(12 * 0.91, 0.25)).epsilon(0.002));
  CHECK(f.elements == Approx(f.half_wave / 30.7).epsilon(0.02));
}

}  // namespace described_geometry_tests
