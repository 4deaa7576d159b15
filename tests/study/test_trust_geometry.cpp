// Which way sections stand, what is joined to what, and where resultants are taken.
#include "archway/base/rotation.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/model/touching.hpp"
#include "archway/study/build_model.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace trust_geometry_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
const std::string kFlat = "shape = \"rectangle\"\nwidth = 20\nheight = 30";

/// Second moment that resists a push along a direction at the head of a cantilever of 1000.
double second_moment(const std::string& member_text, const std::string& push) {
  const auto r = run(head() + profile("r", kFlat) + member_text + support("\"a.start\"", "\"all\"") +
                     action("p", force("\"a.end\"", push)) + step("la", "LA", "load = \"p\""));
  const double shear = 1000 / (200000 / 2.6 * 500);
  return 1e9 / (3 * 200000 * (largest_displacement(r) / 100 * 1 - shear));
}
}  // namespace

TEST_CASE("standing: no rounding rotations a section, wherever its member is", "[study][fast]") {
  const double about_y = 20 * 27000.0 / 12, about_z = 30 * 8000.0 / 12;
  struct Post {
    const char *from, *to, *push;
    double resists;
  };
  const auto post = GENERATE(values<Post>({{"[0, 0, 0]", "[0, 0, 1000]", "[100, 0, 0]", 0},
                                           {"[12345.6, 0, 250]", "[12345.6, 0, 1250]", "[100, 0, 0]", 0},
                                           {"[0, 0, 0]", "[1e-16, 0, 1000]", "[100, 0, 0]", 0},
                                           {"[0, 0, 0]", "[-1e-13, 3e-13, 1000]", "[100, 0, 0]", 0},
                                           {"[0, 0, 0]", "[0, 0.5, 1000]", "[100, 0, 0]", 0},
                                           {"[7e6, -3e6, 0.1]", "[7e6, -3e6, 1000.1]", "[100, 0, 0]", 0},
                                           {"[0, 0, 1000]", "[0, 0, 0]", "[100, 0, 0]", 0},
                                           {"[0, 0, 0]", "[0, 0, 1000]", "[0, 100, 0]", 1}}));
  INFO(post.to);
  CHECK(second_moment(member("a", post.from, post.to), post.push) ==
        Approx(post.resists == 0 ? about_y : about_z).epsilon(2e-3));
}

TEST_CASE("standing: the rule in a sentence", "[base][fast]") {
  CHECK(base::leaning(Vec3(0, 0, 5), Vec3::UnitZ()) == Vec3::UnitX());
  CHECK(base::leaning(Vec3(0, 0, -5), Vec3::UnitZ()) == Vec3::UnitX());
  CHECK(base::leaning(Vec3(2, 0, 0), Vec3::UnitX()) == Vec3::UnitY());
  CHECK(base::leaning(Vec3(0, 3, 0), Vec3::UnitY()) == Vec3::UnitX());
  CHECK(base::leaning(Vec3(1, 0, 3), Vec3::UnitZ()) == Vec3::UnitZ());
  const auto axes = base::axes_from(Vec3(1e-12, -1e-13, 7), Vec3::UnitZ());
  CHECK((axes.col(2) - Vec3::UnitX()).norm() < 1e-9);
  CHECK(axes.determinant() == archway::test::but_for_rounding(1));
}

TEST_CASE("standing: copies stand as their originals, rotated or mirrored, and an imperfection rotations nothing",
          "[study][fast]") {
  const std::string posts = head() + profile("r", kFlat) + member("a", "[500, 0, 0]", "[500, 0, 1000]") +
                            "\n[[copies]]\nparts = \"a\"\nrotate = { axis = [[0, 0, 0], [0, 0, 1]], angle_deg = 90 }\n"
                            "[[copies]]\nparts = \"a\"\nmirror = { point = [0, 0, 0], normal = [1, 0, 0] }\n";
  const auto model = study::build_model(io::parse_study(
      posts + support("{ z = 0 }", "\"all\"") + action("p", force("\"a.end\"", "[0, 0, -1]")), "t.toml", {}));
  std::map<std::string, Vec3> height;
  for (const auto& e : model.line_elements)
    height[model.parts[static_cast<std::size_t>(e.part)].name] = elements::middle_axes(model, e).col(2);
  CHECK((height["a"] - Vec3::UnitX()).norm() < 1e-9);
  CHECK((height["a-2"] - Vec3::UnitY()).norm() < 1e-9);
  CHECK((height["a-3"] + Vec3::UnitX()).norm() < 1e-9);

  const auto collapse = [&](const std::string& up) {
    const auto r =
        run(head() + profile("r", kFlat) + member("a", "[0, 0, 0]", "[0, 0, 1000]", up) +
            support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") + support("\"a.end\"", "[\"x\", \"y\"]") +
            action("p", force("\"a.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"\nmodes = 1") +
            "\n[[imperfections]]\nname = \"bow\"\nmode_of = \"b\"\namplitude = 10\n" +
            step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"bow\"\nstop = { load_factor = 20000 }"));
    return r.find("g")->path->increments.back().largest_displacement;
  };
  CHECK_DIGITS(collapse(""), collapse("up = [1, 0, 0]"), 8, "a bow of a hundredth does not rotate the section");
}

namespace {
/// A skin stiffened by an angle that is on it: its foot lies on the skin.
std::string stiffened(const std::string& bond, const std::string& more = "", const char* lift = "0") {
  return head() + panel("skin", "[0, -50, 0]", "[400, 0, 0]", "[0, 100, 0]", "[20, 10]", "", 2) +
         panel("foot", fmt::format("[0, 0, {}]", lift), "[400, 0, 0]", "[0, 20, 0]", "[20, 2]", "", 2) +
         panel("web", fmt::format("[0, 0, {}]", lift), "[400, 0, 0]", "[0, 0, 30]", "[20, 3]", "", 2) + bond + more +
         action("p", "{ kind = \"edge\", at = \"skin.end\", force = [-1, 0, 0] }") +
         step("b", "LBA", "load = \"p\"\nmodes = 1\nreversed_load = \"leave-out\"");
}
const std::string kGlue =
    "\n[[bonds]]\nname = \"glue\"\ndependent = \"foot\"\nindependent = \"skin\"\nlargest_gap = 3\n";
}  // namespace

TEST_CASE("bonds: a bonded part stays joined to its own neighbours", "[study][fast]") {
  const auto held = support("{ on = \"skin\", x = 0 }", "\"all\"");
  // the foot glued on with matching nodes is a skin of twice the thickness there; the web is on it either way
  const double glued = factor(run(stiffened(kGlue, held, "2")));
  const double torn =
      factor(run(head() + panel("skin", "[0, -50, 0]", "[400, 0, 0]", "[0, 100, 0]", "[20, 10]", "", 2) + held +
                 action("p", "{ kind = \"edge\", at = \"skin.end\", force = [-1, 0, 0] }") +
                 step("b", "LBA", "load = \"p\"\nmodes = 1\nreversed_load = \"leave-out\"")));
  CHECK(glued > 5 * torn);
  const auto model = study::build_model(io::parse_study(stiffened(kGlue, held, "2"), "t.toml", {}));
  std::vector<int> shared;
  auto foot = model.groups.at("foot"), web = model.groups.at("web");
  std::sort(foot.begin(), foot.end()), std::sort(web.begin(), web.end());
  std::set_intersection(foot.begin(), foot.end(), web.begin(), web.end(), std::back_inserter(shared));
  CHECK(shared.size() == 21);
  // a wall of a drawn-out profile, lying on the skin itself: its other walls stay with it, none merges with the skin
  const std::string drawn = head() + panel("skin", "[0, -50, 0]", "[400, 0, 0]", "[0, 100, 0]", "[20, 10]", "", 2) +
                            profile("z", "shape = \"zed\"\nwidth = 20\nheight = 40\nthickness = 2") +
                            "\n[[panels]]\nname = \"zed\"\nmaterial = \"m\"\nform = \"extrusion\"\nprofile = \"z\"\n"
                            "from = [0, 0, 19]\nto = [400, 0, 19]\ndivisions = [20, 4]\n";
  const auto find_wall = [&](const model::Model& m) {  // the wall that lies on the skin
    for (const auto& p : m.parts)
      if (p.name.rfind("zed.", 0) == 0) {
        double high = -1e9;
        for (const int n : m.groups.at(p.name)) high = std::max(high, m.nodes[static_cast<std::size_t>(n)].z());
        if (high < 1) return p.name;
      }
    return std::string();
  };
  const auto parts = study::build_model(io::parse_study(drawn + held + support("{ on = \"zed\", x = 0 }", "\"all\"") +
                                                            action("p", force("{ near = [400, 0, 0] }", "[0, 0, -1]")),
                                                        "t.toml", {}));
  const std::string wall = find_wall(parts);
  REQUIRE_FALSE(wall.empty());
  const auto bonded = study::build_model(io::parse_study(
      drawn + held + fmt::format("\n[[bonds]]\nname = \"b\"\ndependent = \"{}\"\nindependent = \"skin\"\n", wall) +
          action("p", force("{ near = [400, 0, 0] }", "[0, 0, -1]")),
      "t.toml", {}));
  std::size_t followers = 0;
  for (const auto& t : bonded.ties) followers += t.bonded ? 1 : 0;
  CHECK(followers == bonded.groups.at(wall).size());
  CHECK(bonded.nodes.size() > parts.nodes.size());
}

TEST_CASE("bonds: supports, rigid heads and second bonds on bonded nodes hold beside the bond", "[study][fast]") {
  const std::string end = support("{ x = 0 }", "[\"x\", \"y\", \"z\"]"),
                    side = support("{ on = \"skin\", x = 0 }", "\"all\"");
  const double all = factor(run(stiffened(kGlue, end)));
  CHECK(all > 0);
  // restrained in its own direction only where the foot ends: the condition of the bond is kept by the skin below
  const double one = factor(run(stiffened(kGlue, side + support("{ on = \"foot\", x = 400 }", "[\"z\"]"))));
  const double skin =
      factor(run(stiffened(kGlue, side + support("{ on = \"skin\", box = [[400, 0, 0], [400, 20, 0]] }", "[\"z\"]"))));
  CHECK(one == Approx(skin).epsilon(0.01));
  const double rigid = factor(run(stiffened(
      kGlue, side + "\n[[couplings]]\nname = \"cap\"\nkind = \"rigid\"\npoint = [400, 0, 10]\nat = { x = 400 }\n")));
  CHECK(rigid > 0);
  const double twice = factor(run(stiffened(
      kGlue + "\n[[bonds]]\nname = \"again\"\ndependent = \"foot\"\nindependent = \"skin\"\nlargest_gap = 3\n", side)));
  CHECK_DIGITS(twice, factor(run(stiffened(kGlue, side))), 6, "the same bond twice says nothing new");
}

TEST_CASE("bonds: edges whose meshes differ are joined and reported, crossings, doubles and loose parts are reported",
          "[study][fast]") {
  const auto joined = [](const char* divisions, const std::string& more = "") {
    return head() + panel("a", "[0, 0, 0]", "[1000, 0, 0]", "[0, 500, 0]", "[8, 4]") +
           panel("c", "[0, 500, 0]", "[1000, 0, 0]", "[0, 500, 0]", divisions, more) +
           support("\"a.left\"", "\"all\"") + action("g", "{ kind = \"gravity\" }") + step("la", "LA", "load = \"g\"");
  };
  const auto loose = run(joined("[8, 4]", "grading = [{ towards = \"start\", ratio = 4 }]"));
  CHECK(told(loose.check.remarks, "meet along an edge with meshes that differ"));
  CHECK(loose.check.warnings.empty());
  CHECK(largest_displacement(loose) == Approx(largest_displacement(run(joined("[8, 4]")))).epsilon(0.01));

  struct Slip {
    std::string text, words;
  };
  const std::string base =
      head() + profile("r", kFlat) + panel("pl", "[0, 0, 0]", "[1000, 0, 0]", "[0, 500, 0]", "[8, 4]");
  const auto slip = GENERATE_COPY(values<Slip>(
      {{base + member("rib", "[0, 500, 0]", "[1000, 500, 0]", "elements = 5"), "touches"},
       {base + member("pin", "[300, 200, -100]", "[300, 200, 150]", "elements = 1"), "pass through each other"},
       {base + member("one", "[0, 700, 0]", "[1000, 700, 0]") + member("two", "[0, 700, 0]", "[1000, 700, 0]"),
        "'one' and 'two' lie in one place: 8 elements"},
       {base + panel("double", "[0, 0, 0]", "[1000, 0, 0]", "[0, 500, 0]", "[8, 4]"),
        "lie in one place: 32 elements"}}));
  const auto spec = io::parse_study(
      slip.text + support("\"pl.left\"", "\"all\"") + action("g", "{ kind = \"gravity\" }"), "t.toml", {});
  const auto report = study::check_model(spec, study::build_model(spec), false);
  INFO(slip.words << ": " << fmt::format("{}", fmt::join(report.warnings, " | ")));
  CHECK(told(report.warnings, slip.words));
}

TEST_CASE("resultants: what is printed is what acts, over every kind of tie and support", "[study][fast]") {
  const std::string post = head() + profile("r", kFlat) + member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
                           support("\"a.start\"", "\"all\"");
  const std::string load = force("\"a.end\"", "[10, 0, -5]");
  const auto [text, loads] = GENERATE_COPY(Catch::Generators::table<std::string, std::string>(
      {{post + support("\"a.end\"", "[\"y\"]", "axes = { along = [1, 1, 0], up = [0, 0, 1] }"), load},
       {post + support("\"a.end\"", "[\"x\", \"rz\"]", "axes = { along = [1, 2, 3], up = [0, 0, 1] }"), load},
       {post + member("arm", "[0, 0, 1000]", "[500, 0, 1000]", "release_start = [\"ry\"]") +
            support("\"arm.end\"", "[\"z\"]"),
        force("\"arm.end\"", "[10, 0, -5]")},
       {post + "\n[[couplings]]\nname = \"cap\"\nkind = \"rigid\"\npoint = [50, 20, 1100]\nat = \"a.end\"\n",
        force("\"cap\"", "[10, 0, -5]")},
       {head() + panel("s", "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]", "[4, 4]") +
            "\n[[couplings]]\nname = \"cap\"\nkind = \"distributed\"\npoint = [400, 100, 40]\nat = \"s.end\"\n"
            "[[supports]]\nat = \"s.start\"\nrestrain = \"all\"\n" +
            "",
        ""},
       {head() + panel("s", "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]", "[4, 4]") +
            panel("t", "[400, 0, 1]", "[400, 0, 0]", "[0, 200, 0]", "[5, 7]") +
            "\n[[bonds]]\nname = \"b\"\ndependent = \"t.start\"\nindependent = \"s\"\nlargest_gap = 5\n" +
            support("\"s.start\"", "\"all\""),
        "{ kind = \"edge\", at = \"t.start\", force = [10, 0, -5], distribution = \"total\" }"}}));
  if (loads.empty()) return;  // nodes on one line cannot be spread over: reported elsewhere
  const auto r =
      run(text + action("p", loads) + step("la", "LA", "load = \"p\"") + step("b", "LBA", "load = \"p\"\nmodes = 1"));
  INFO(text);
  for (const auto& total : {r.find("la")->variable_total, r.find("b")->variable_total, r.find("la")->linear->applied,
                            r.check.actions[0].about_origin})
    CHECK((total.force - Vec3(10, 0, -5)).norm() < 1e-9);
  CHECK((r.find("la")->linear->reacted.force + Vec3(10, 0, -5)).norm() < 1e-6);
  const double f = factor(r);
  for (const auto& row : r.comparison)
    if (row.analysis == "b") CHECK(row.force == Approx(f * std::sqrt(125.0)).epsilon(1e-9));
}

TEST_CASE("joints: the point of a coupling is a node of its own, totals on curved edges, what begins where",
          "[study][fast]") {
  // a plate hung on its middle node by a rigid cap over its rim only: the middle stays as it is
  const std::string plate = head() + panel("s", "[0, 0, 0]", "[400, 0, 0]", "[0, 400, 0]", "[4, 4]");
  const auto sag = [&](const char* at) {
    return largest_displacement(run(plate +
                                    fmt::format("\n[[couplings]]\nname = \"cap\"\nkind = \"rigid\"\npoint = {}\nat = "
                                                "{{ any = [\"s.start\", \"s.end\"] }}\n",
                                                at) +
                                    support("\"cap\"", "\"all\"") +
                                    action("p", force("{ on = \"s\", near = [200, 200, 0] }", "[0, 0, -1]")) +
                                    step("la", "LA", "load = \"p\"")));
  };
  CHECK_DIGITS(sag("[200, 200, 0]"), sag("[200, 200, 300]"), 8, "an existing node at the point is not taken for it");

  const auto ring =
      run(head() +
          "\n[[panels]]\nname = \"tube\"\nmaterial = \"m\"\nthickness = 5\nform = \"cylinder\"\nelement_nodes = "
          "9\naxis = [[0, 0, 0], [0, 0, 300]]\nstart = [100, 0, 0]\nangle_deg = 360\n"
          "divisions = [6, 2]\n" +
          support("\"tube.left\"", "\"all\"") +
          action("p", "{ kind = \"edge\", at = \"tube.right\", force = [0, 0, -1000], distribution = \"total\" }") +
          step("la", "LA", "load = \"p\""));
  CHECK_DIGITS(-ring.find("la")->variable_total.force.z(), 1000, 12, "the total is the total");

  for (const char* shape : {"[[panels]]\nname = \"t\"\nmaterial = \"m\"\nthickness = 5\nform = \"cylinder\"\n",
                            "[[solids]]\nname = \"t\"\nmaterial = \"m\"\nbody = \"tube\"\nwall_thickness = 5\n"}) {
    const std::string text =
        head() + shape + "axis = [[0, 0, 0], [0, 0, 300]]\nstart = [100, 0, 500]\nangle_deg = 360\n" +
        (shape[2] == 'p' ? "divisions = [8, 2]\n" : "divisions = [8, 2, 1]\n") + action("g", "{ kind = \"gravity\" }");
    CHECK_THROWS_WITH(study::build_model(io::parse_study(text, "t.toml", {})),
                      Catch::Contains("lies 500 mm along the axis") || Catch::Contains("lies 500 mm"));
  }
}

TEST_CASE("geometry: a dimension far too large is reported once in short, not for every element", "[study][fast]") {
  const auto wrong = io::parse_study(
      head() + panel("wall", "[0, 0, 0]", "[400, 0, 0]", "[0, 300, 0]", "[20, 10]") +
          panel("far", "[0, 0, 0]", "[999999999, 0, 0]", "[0, 0, 10]", "[2, 2]") + support("\"wall.left\"", "\"all\"") +
          action("p", "{ kind = \"pressure\", on = \"wall\", value = 1 }") + step("la", "LA", "load = \"p\""),
      "trial.toml", {});
  std::string said;
  try {
    (void)study::build_model(wrong);
  } catch (const base::InputError& error) {
    said = error.what();
  }
  CHECK_THAT(said, Catch::Contains("all corners of the element are one node") &&
                       Catch::Contains("which is 1e+09 across") && Catch::Contains("\nand 1"));
  CHECK(std::count(said.begin(), said.end(), '\n') < 45);
}

TEST_CASE("alike: an edge stays straight at any size, whichever of its nodes is pushed", "[study][fast]") {
  // a strip in compression and bent sideways far beyond small displacements; its loaded edge shares x, the far corner y
  // as well
  const auto strip = [](const std::string& at, const std::string& share, const std::string& side = "y") {
    return head() + panel("s", "[0, 0, 0]", "[200, 0, 0]", "[0, 60, 0]", "[10, 3]", "", 2) +
           support("\"s.start\"", "\"all\"") +
           "\n[[couplings]]\nname = \"platen\"\nkind = \"equal\"\nat = \"s.end\"\n" + share +
           "\n[[couplings]]\nname = \"side\"\nkind = \"equal\"\nat = \"s.right\"\ndofs = [\"" + side + "\"]\n" +
           action("p", force(at, "[0, 0, -60]")) +
           step("g", "GNA", "load = \"p\"\nfirst_step = 0.2\ntolerance = 1e-9\nstop = { load_factor = 1 }");
  };
  const auto end_of = [](const study::StudyResult& r) {
    return r.find("g")->path->increments.back().displacement(*r.model);
  };
  const auto share = std::string("dofs = [\"x\", \"z\"]");
  const auto first = run(strip("{ near = [200, 0, 0] }", share)), second = run(strip("{ near = [200, 60, 0] }", share));
  const Eigen::VectorXd u = end_of(first), v = end_of(second);
  double most = 0;
  for (const int n : first.model->groups.at("s.end")) {
    const int leader = first.model->groups.at("platen")[0];
    for (const int k : {0, 2}) CHECK(std::abs(u[model::row(n) + k] - u[model::row(leader) + k]) < 1e-12 * 200);
    most = std::max(most, std::abs(u[model::row(n) + 2]));
  }
  CHECK(most > 15);
  // pushed at the other corner, the shared displacement is the same: the force acts on all
  CHECK((u - v).norm() < 1e-6 * u.norm());
  CHECK_THROWS_WITH(run(strip("\"s.end\"", "")), Catch::Contains("does not say what its nodes share"));
  CHECK_THROWS_WITH(run(strip("{ near = [200, 0, 0] }", share, "x")),
                    Catch::Contains("moves along x like the nodes of 'platen' already"));
  CHECK_THROWS_WITH(run(strip("\"s.end\"", "dofs = [\"rx\"]")), Catch::Contains("'dofs' has no 'rx'"));
}

}  // namespace trust_geometry_tests
