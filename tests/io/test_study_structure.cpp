#include "archway/base/errors.hpp"
#include "archway/io/study_file.hpp"
#include "support/digits.hpp"

using namespace archway;
using base::Vec3;

namespace {
const std::string kHead = R"([study]
title = "Propagation bench"
format = 1
units = { force = "N", length = "mm" }

[parameters]
side = 40

[points]
corner = [1, 2, 3]

[materials.wood]
youngs_modulus = 11000
poisson_ratio = 0.3
)";

study::StudySpec read(const std::string& text) {
  return io::parse_study(kHead + text, "bench.toml", {});
}

std::string complaint(const std::string& text) {
  try {
    (void)read(text);
  } catch (const base::InputError& error) {
    return error.what();
  }
  return "";
}
}  // namespace

TEST_CASE("structure file: profiles of every shape, polylines counted from one", "[io][fast]") {
  const auto spec = read(R"(
[profiles]
mono = { shape = "i", width = "2 * side", height = 120, flange = 8, web = 5, bottom_width = 50, bottom_flange = 6 }
table = { shape = "given", area = 900, second_moment_y = 2e6, second_moment_z = 4e5, torsion_constant = 9e3, warping_constant = 5e8, shear_centre_y = -12 }
walls = { shape = "polyline", points = [[0, 0], [0, "side"], [30, "side"]], walls = [[1, 2, 3], [2, 3, "side / 20"]] }
)");
  REQUIRE(spec.profiles.size() == 3);
  for (const auto& p : spec.profiles) {
    if (p.name == "mono") CHECK((p.dimensions.at("width") == 80 && p.dimensions.at("bottom_flange") == 6));
    if (p.name == "table") CHECK(p.dimensions.at("shear_centre_y") == -12);
    if (p.name != "walls") continue;
    REQUIRE(p.walls.points.size() == 3);
    CHECK(p.walls.points[2] == std::pair(30.0, 40.0));
    REQUIRE(p.walls.walls.size() == 2);
    CHECK((p.walls.walls[1].from == 1 && p.walls.walls[1].to == 2));
    CHECK(p.walls.walls[1].thickness == 2);
  }
}

TEST_CASE("structure file: members with everything, and what they are without", "[io][fast]") {
  const auto spec = read(R"(
[profiles]
a = { shape = "channel", width = 40, height = 80, flange = 4, web = 3 }

[[members]]
name = "plain"
material = "wood"
profile = "a"
from = "corner"
to = [100, 0, 0]

[[members]]
name = "full"
material = "wood"
profile = "a"
profile_end = "a"
from = [0, 0, 0]
to = [100, 0, 0]
offset = [3, "-side"]
offset_start = [10, 0, 0]
release_start = ["ry", "rz"]
release_end = ["x"]
warping = true
warping_start = "free"
warping_end = "fixed"

[[bars]]
name = "stay"
material = "wood"
profile = "a"
from = [0, 0, 0]
to = "corner"
tension_only = true
)");
  REQUIRE(spec.members.size() == 2);
  const auto &plain = spec.members[0], &full = spec.members[1];
  CHECK((plain.line.from - Vec3(1, 2, 3)).norm() == 0);
  CHECK((!plain.warping && plain.start.released.empty() && plain.profile_end.empty()));
  CHECK(plain.end.warping == study::MemberEnd::Warping::continuous);
  CHECK((full.offset_y == 3 && full.offset_z == -40));
  CHECK((full.start.offset - Vec3(10, 0, 0)).norm() == 0);
  CHECK(full.start.released == std::vector<int>{4, 5});
  CHECK(full.end.released == std::vector<int>{0});
  CHECK(full.start.warping == study::MemberEnd::Warping::free);
  CHECK(full.end.warping == study::MemberEnd::Warping::fixed);
  REQUIRE(spec.bars.size() == 1);
  CHECK((spec.bars[0].tension_only && spec.bars[0].elements == 1));
}

TEST_CASE("structure file: surfaces, bodies and joints", "[io][fast]") {
  const auto spec = read(R"(
[[panels]]
name = "dish"
material = "wood"
thickness = 2
offset = -1
form = "revolution"
axis = [[0, 0, 0], [0, 0, 1]]
from = [10, 0, 0]
via = [8, 0, 4]
to = [5, 0, 6]
angle_deg = 90
divisions = [6, 4]
element_nodes = 9

[[solids]]
name = "tube"
material = "wood"
body = "tube"
axis = [[0, 0, 0], [0, 0, 9]]
start = [4, 0, 0]
wall_thickness = 2
element_nodes = 20
divisions = [8, 2, 1]

[[couplings]]
name = "cap"
kind = "distributed"
point = "corner"
at = { on = "dish", z = 0 }
radius = 12

[[springs]]
at = "dish.left"
to = "tube.right"
stiffness = [1, 2, 3, 4, 5, 6]
along = [0, 0, 1]

[[fasteners]]
parts = ["dish", "tube"]
points = [[1, 2, 3], [4, 5, 6]]
stiffness = [1, 1, 1, 0, 0, 0]

[[bonds]]
dependent = "dish.left"
independent = "tube"
largest_gap = 0.5
couple_rotations = false
)");
  CHECK(spec.panels[0].faces == model::Faces::nine);
  CHECK((spec.panels[0].surface == study::Surface::revolution && spec.panels[0].line.via.has_value()));
  CHECK(spec.panels[0].offset == -1);
  CHECK((spec.solids[0].quadratic && spec.solids[0].angle_degrees == 360 && spec.solids[0].divisions[0] == 8));
  CHECK(spec.couplings[0].kind == study::CouplingKind::spread);
  CHECK((spec.couplings[0].point - Vec3(1, 2, 3)).norm() == 0);
  CHECK(spec.springs[0].to.has_value());
  CHECK(base::leaning(spec.springs[0].along, spec.springs[0].up) == Vec3::UnitX());  // z runs along its axis
  CHECK(spec.fasteners[0].points.size() == 2);
  CHECK((spec.bonds[0].tolerance == 0.5 && !spec.bonds[0].rotations));
}

TEST_CASE("structure file: mistakes are reported where they are", "[io][fast]") {
  const std::string member =
      "\n[[members]]\nname = \"m\"\nmaterial = \"wood\"\nprofile = \"a\"\nfrom = [0, 0, 0]\nto = [9, 0, 0]\n";
  const auto [text, words] = GENERATE_COPY(table<std::string, std::string>({
      {member + "warping_start = \"free\"\n", "has no degree of freedom of warping to hold or to free"},
      {member + "relase_start = [\"ry\"]\n", "did you mean 'release_start'?"},
      {member + "release_start = [\"warp\"]\n", "must list degrees of freedom in the member's own axes"},
      {member + "offset = [1, 2, 3]\n", "'offset' must be a list of 2 numbers"},
      {"[profiles]\np = { shape = \"polyline\", points = [[0, 0, 1]], walls = [[1, 2, 3]] }\n",
       "'points' must be a list of lists of 2 numbers"},
      {"[profiles]\np = { shape = \"channel\", width = 40, height = 80, flange = 4 }\n", "needs 'web'"},
      {"\n[[panels]]\nname = \"p\"\nmaterial = \"wood\"\nthickness = 1\ncorner = [0, 0, 0]\nalong = [1, 0, 0]\nacross "
       "= [0, 1, 0]\ndivisions = [2, 2]\nelement_nodes = 5\n",
       "there is no element of 5 nodes here"},
      {"\n[[solids]]\nname = \"s\"\nmaterial = \"wood\"\ncorner = [0, 0, 0]\nalong = [1, 0, 0]\nacross = [0, 1, 0]\nup "
       "= [0, 0, 1]\ndivisions = [2, 2]\n",
       "'divisions' must be three whole numbers"},
      {"\n[[couplings]]\nname = \"c\"\nkind = \"rigd\"\npoint = [0, 0, 0]\nat = \"x\"\n", "did you mean 'rigid'?"},
      {"\n[[springs]]\nat = \"x\"\nstiffness = [1, 1, 1, 1, 1, 1]\nalong = [0, 0, 1]\nup = [0, 0, 2]\n",
       "parallel or zero"},
      {"\n[[fasteners]]\nparts = [\"one\"]\npoints = [[0, 0, 0]]\nstiffness = [1, 1, 1, 1, 1, 1]\n",
       "must name two parts"},
      {"\n[[fasteners]]\nparts = [\"one\", \"two\"]\npoints = []\nstiffness = [1, 1, 1, 1, 1, 1]\n",
       "must list where the fasteners are"},
      {"\n[[bonds]]\ndependent = \"x\"\n", "needs 'independent'"},
  }));
  INFO(words);
  CHECK_THAT(complaint(text), Catch::Contains(words) && Catch::Contains("bench.toml:"));
}
