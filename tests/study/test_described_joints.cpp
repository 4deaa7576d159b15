#include "archway/elements/line_geometry.hpp"
#include "archway/io/study_file.hpp"
#include "archway/study/chain.hpp"
#include "archway/study/section_of.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace described_joints_tests {

using namespace archway;
using base::Vec3;

namespace {
const std::string kHead = R"([study]
title = "Cold frame"
format = 1
units = { force = "N", length = "mm" }

[materials.wood]
youngs_modulus = 11000
poisson_ratio = 0.3
density = 5e-10

[profiles]
batten = { shape = "rectangle", width = 30, height = 50, shear_deformation = false }
thin = { shape = "rectangle", width = 30, height = 20, shear_deformation = false }
rail = { shape = "channel", width = 40, height = 80, flange = 4, web = 3, shear_deformation = false }
wire = { shape = "circle", diameter = 3 }
)";

std::string member(const std::string& name, const std::string& from, const std::string& to, const std::string& more,
                   const std::string& profile = "batten") {
  return "\n[[members]]\nname = \"" + name + "\"\nmaterial = \"wood\"\nprofile = \"" + profile + "\"\nfrom = " + from +
         "\nto = " + to + "\n" + more + "\n";
}
std::string support(const std::string& at, const std::string& hold) {
  return "\n[[supports]]\nat = " + at + "\nrestrain = " + hold + "\n";
}
std::string load(const std::string& loads) {
  return "\n[[actions]]\nname = \"load\"\nloads = [" + loads +
         "]\n\n[[analyses]]\nname = \"standing\"\nkind = \"LA\"\nload = \"load\"\n";
}
const std::string kWatchTip = "\n[[watches]]\nname = \"tip\"\nat = { near = [1000, 0, 0] }\ndirection = [0, 0, -1]\n";

study::StudyResult run(const std::string& text) {
  return study::run_study(io::parse_study(text, "frame.toml", {}));
}

double tip(const study::StudyResult& r) {
  const int node = study::watch_points(r.spec, *r.model).at(0).node;
  return -r.find("standing")->linear->displacement[model::row(node) + 2];
}
double moment_at(const study::StudyResult& r, std::size_t element, double place) {
  return elements::along_element(r.find("standing")->linear->member_forces.at(element).points, place).moment_y;
}
const double kInertia = 30 * 50 * 50 * 50 / 12.0;
}  // namespace

TEST_CASE("described: a hinge in a member carries no moment and lets the rest rotation", "[study][fast]") {
  const std::string beams = member("left", "[0, 0, 0]", "[600, 0, 0]", "elements = 2") +
                            member("right", "[600, 0, 0]", "[1000, 0, 0]", "elements = 2\nrelease_start = [\"ry\"]");
  const auto r =
      run(kHead + beams + support("\"left.start\"", "\"all\"") + support("\"right.end\"", "[\"z\", \"y\", \"rx\"]") +
          load("{ kind = \"line\", on = \"right\", force = [0, 0, -2] }"));
  CHECK(std::abs(moment_at(r, 2, 0)) < 1e-3);
  CHECK_DIGITS(std::abs(moment_at(r, 0, 0)), 2 * 400 / 2.0 * 600, 6,
               "half of the load hangs on the end of the cantilever");
  CHECK(r.check.ties == 1);
}

TEST_CASE("described: rigid ends, offsets and loads off the line", "[study][fast]") {
  SECTION("a rigid start shortens the cantilever") {
    const auto r = run(kHead + member("arm", "[0, 0, 0]", "[1000, 0, 0]", "offset_start = [200, 0, 0]") +
                       support("\"arm.start\"", "\"all\"") + kWatchTip +
                       load("{ kind = \"force\", at = \"arm.end\", force = [0, 0, -3] }"));
    CHECK_DIGITS(tip(r), 3 * std::pow(800, 3) / (3 * 11000 * kInertia), 3, "800 of 1000 bend (a little shear on top)");
  }
  SECTION("a pull on a line above the centroid bends the member") {
    const auto r = run(kHead + member("arm", "[0, 0, 0]", "[1000, 0, 0]", "offset = [0, -25]") +
                       support("\"arm.start\"", "\"all\"") + kWatchTip +
                       load("{ kind = \"force\", at = \"arm.end\", force = [100, 0, 0] }"));
    CHECK_DIGITS(tip(r), 100 * 25 * 1e6 / (2 * 11000 * kInertia), 6, "couple of the force about the centroid");
  }
  SECTION("the same by an arm on the load, and by a load at a height along the member") {
    const auto r =
        run(kHead + member("arm", "[0, 0, 0]", "[1000, 0, 0]", "") + support("\"arm.start\"", "\"all\"") + kWatchTip +
            load("{ kind = \"force\", at = \"arm.end\", force = [100, 0, 0], arm = [0, 0, 25] }"));
    CHECK_DIGITS(tip(r), 100 * 25 * 1e6 / (2 * 11000 * kInertia), 6, "couple of the force about the centroid");
    const auto torque =
        run(kHead + member("arm", "[0, 0, 0]", "[1000, 0, 0]", "") + support("\"arm.start\"", "\"all\"") +
            load("{ kind = \"line\", on = \"arm\", force = [0, 0, -0.5], height = [20, 0] }"));
    const auto f = elements::along_element(torque.find("standing")->linear->member_forces[0].points, 0);
    CHECK_DIGITS(std::abs(f.torque), 0.5 * 1000 * 20, 6, "load times its distance");
  }
}

TEST_CASE("described: a taper weighs and bends like the section at every place", "[study][fast]") {
  const auto r = run(kHead + member("arm", "[0, 0, 0]", "[1000, 0, 0]", "profile_end = \"thin\"\nelements = 12") +
                     support("\"arm.start\"", "\"all\"") + kWatchTip +
                     load("{ kind = \"force\", at = \"arm.end\", force = [0, 0, -1] }"));
  double bend = 0;
  const int n = 20000;
  for (int i = 0; i < n; ++i) {
    const double x = 1000 * (i + 0.5) / n, h = 50 - 0.03 * x;
    bend += (1000 - x) * (1000 - x) / (11000 * 30 * h * h * h / 12) * 1000 / n;
  }
  CHECK_DIGITS(tip(r), bend, 4, "integral of the squared moment over E I");
  CHECK_DIGITS(r.check.mass, 5e-10 * 30 * 35 * 1000, 9, "mean depth");
}

TEST_CASE("described: warping held, free and passed on at the ends", "[study][fast]") {
  const auto twist = [](const std::string& ends) {
    const auto r = run(kHead + member("rail", "[0, 0, 0]", "[1000, 0, 0]", "warping = true\n" + ends, "rail") +
                       support("\"rail.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"ry\", \"rz\"]") +
                       load("{ kind = \"force\", at = \"rail.end\", moment = [1000, 0, 0] }"));
    const auto& m = *r.model;
    return r.find("standing")->linear->displacement[model::row(m.groups.at("rail.end")[0]) + 3];
  };
  const auto s = theory::section_properties("channel", {{"width", 40}, {"height", 80}, {"flange", 4}, {"web", 3}});
  const double gj = 11000 / 2.6 * s.torsion_constant, ei = 11000 * s.warping_constant, k = std::sqrt(gj / ei), l = 1000;
  CHECK_DIGITS(twist(""), 1000 * l / gj, 4, "nothing holds the warping: St Venant alone");
  CHECK_DIGITS(twist("warping_start = \"fixed\""), 1000 / gj * (l - std::tanh(k * l) / k), 3, "Vlasov, one end held");
  CHECK_DIGITS(twist("warping_start = \"fixed\"\nwarping_end = \"fixed\""),
               1000 / gj * (l - 2 / k * std::tanh(k * l / 2)), 3, "Vlasov, both ends held");
}

TEST_CASE("described: stays carry tension only, also on the path", "[study][fast]") {
  const auto push = [](double force) {
    return run(
        kHead + member("post", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
        "\n[[bars]]\nname = \"stay\"\nmaterial = \"wood\"\nprofile = \"wire\"\nfrom = [-800, 0, 0]\nto = [0, 0, "
        "1000]\ntension_only = true\n" +
        support("\"post.start\"", "\"all\"") + support("\"stay.start\"", "[\"x\", \"y\", \"z\"]") +
        load("{ kind = \"force\", at = \"post.end\", force = [" + std::to_string(force) + ", 0, 0] }") +
        "\n[[watches]]\nname = \"top\"\nat = \"post.end\"\ndirection = [1, 0, 0]\n\n[[analyses]]\nname = \"path\"\nkind "
        "= \"GNA\"\nload = \"load\"\ncontrol = \"load\"\nfirst_step = 1\nstop = { load_factor = 1 }\n");
  };
  const auto pulled = push(20), slack = push(-20);
  CHECK(pulled.find("standing")->linear->bar_forces[0] > 5);
  CHECK(slack.find("standing")->linear->bar_forces[0] == 0.0);
  CHECK(slack.find("standing")->linear->slack[0] == 1);
  const double with = pulled.find("path")->path->increments.back().watched[0],
               without = -slack.find("path")->path->increments.back().watched[0];
  CHECK(with < 0.5 * without);
  CHECK_DIGITS(without, 20 * 1e9 / (3.0 * 11000 * kInertia), 3, "the post alone, nearly linear");
}

TEST_CASE("described: fasteners, springs and couplings carry what they should", "[study][fast]") {
  const std::string plates = R"(
[[panels]]
name = "lower"
material = "wood"
thickness = 8
corner = [0, 0, 0]
along = [300, 0, 0]
across = [0, 100, 0]
divisions = [7, 3]

[[panels]]
name = "upper"
material = "wood"
thickness = 8
corner = [200, 0, 8]
along = [300, 0, 0]
across = [0, 100, 0]
divisions = [8, 2]
element_nodes = 3

[[fasteners]]
name = "screws"
parts = ["lower", "upper"]
points = [[230, 30, 4], [230, 70, 4], [270, 30, 4], [270, 70, 4]]
stiffness = [5000, 5000, 5000, 1e5, 1e5, 1e5]

[[springs]]
name = "ground"
at = "upper.end"
stiffness = [0, 0, 2, 0, 0, 0]
)";
  const auto r = run(kHead + plates + support("\"lower.start\"", "\"all\"") +
                     load("{ kind = \"edge\", at = \"upper.end\", force = [300, 0, 0], distribution = \"total\" }"));
  const auto& linear = *r.find("standing")->linear;
  double along = 0;
  for (std::size_t s = 0; s < linear.spring_forces.size(); ++s)
    if (r.model->springs[s].name == "screws") along += linear.spring_forces[s][0];
  CHECK_DIGITS(along, 300, 8, "four screws carry the pull together");
  CHECK(linear.imbalance < 1e-9);
  CHECK(r.check.springs == 7);
  const auto cut = study::cut_section(*r.model, Vec3(100, 0, 0), Vec3::UnitX(), {"lower"});
  double length = 0;
  for (const auto& w : cut.walls.walls)
    length += std::abs(cut.walls.points[static_cast<std::size_t>(w.from)].first -
                       cut.walls.points[static_cast<std::size_t>(w.to)].first);
  CHECK_DIGITS(length, 100, 12, "the whole width is cut");
  CHECK_THROWS_WITH(study::cut_section(*r.model, Vec3(900, 0, 0), Vec3::UnitX(), {}), Catch::Contains("cuts no panel"));
}

TEST_CASE("described: springs to the ground and foundations act at nodes that follow others", "[study][fast]") {
  namespace t = archway::test;
  // a cantilever propped at its end: the prop acts on the end itself, or on a node that follows it in some way
  const std::string bar = t::head() + t::profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
                          t::member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4\nup = [0, 0, 1]") +
                          t::support("\"a.start\"", "\"all\"");
  const std::string loads = t::action("p", t::force("\"a.end\"", "[-5000, 0, 0]")) +
                            t::action("q", t::force("\"a.end\"", "[-900, 40, 100]")) +
                            t::step("b", "LBA", "load = \"p\"\nmodes = 2") + t::step("la", "LA", "load = \"q\"") +
                            t::step("g", "GNA", "load = \"q\"\nstop = { load_factor = 1 }");
  const auto prop = [](const std::string& at, const std::string& along = "[0, 0, 1]",
                       const std::string& up = "[1, 0, 0]") {
    return "\n[[springs]]\nname = \"k\"\nat = " + at + "\nstiffness = [12, 7, 3, 2e5, 1e5, 3e5]\nalong = " + along +
           "\nup = " + up + "\n";
  };
  const std::string y = t::support("\"a.end\"", "[\"y\"]"),
                    askew = t::support("\"a.end\"", "[\"z\"]", "axes = { along = [1, 0, 0], up = [0, 1, 0] }");
  const auto plain = t::run(bar + y + prop("\"a.end\"") + loads);
  // the support in axes of its own, and one that holds the same direction by another name
  const std::vector<std::pair<const char*, std::string>> rows = {
      {"own axes", bar + t::support("\"a.end\"", "[\"y\"]", "axes = { along = [1, 0, 0], up = [0, 0, 1] }") +
                       prop("\"a.end\"") + loads},
      {"another name", bar + askew + prop("\"a.end\"") + loads}};
  for (const auto& [what, text] : rows) {
    INFO(what);
    const auto r = t::run(text);
    for (const std::size_t m : {1u, 2u}) CHECK_DIGITS(t::factor(r, m), t::factor(plain, m), 8, "the same structure");
    CHECK_DIGITS(t::largest_displacement(r), t::largest_displacement(plain), 8, "the same structure");
    CHECK_DIGITS(t::path_of(r).increments.back().largest_displacement,
                 t::path_of(plain).increments.back().largest_displacement, 6, "the same structure");
  }
  // a foundation under an edge that follows a stiff point: the point carries its sum
  const auto plate = [&](const std::string& more) {
    return t::run(t::head() + t::panel("w", "[0, 0, 0]", "[300, 0, 0]", "[0, 100, 0]", "[4, 2]") +
                  t::support("\"w.start\"", "\"all\"") +
                  "\n[[couplings]]\nname = \"head\"\nkind = \"rigid\"\npoint = [300, 50, 0]\nat = \"w.end\"\n" + more +
                  t::action("q", t::force("\"head\"", "[0, 0, -50]")) + t::step("la", "LA", "load = \"q\""));
  };
  const auto
      bedded = plate(
          "\n[[springs]]\nname = \"a\"\nat = { on = \"w\", near = [300, 0, 0] }\nstiffness = [0, 0, 4, 0, 0, "
          "0]\n[[springs]]\nname = \"b\"\nat = { on = \"w\", near = [300, 100, 0] }\nstiffness = [0, 0, 4, 0, 0, 0]\n"),
      summed = plate("\n[[springs]]\nname = \"a\"\nat = \"head\"\nstiffness = [0, 0, 8, 0, 0, 0]\n"), none = plate("");
  CHECK_DIGITS(t::largest_displacement(bedded), t::largest_displacement(summed), 8, "both ends move alike");
  CHECK(t::largest_displacement(bedded) < 0.95 * t::largest_displacement(none));
}

TEST_CASE("described: what cannot be joined is reported with its place and what to do", "[study][fast]") {
  const std::string frame = member("post", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]");
  const std::string sheet =
      "\n[[panels]]\nname = \"sheet\"\nmaterial = \"wood\"\nthickness = 8\ncorner = [0, 0, 0]\nalong = [300, 0, "
      "0]\nacross = [0, 100, 0]\ndivisions = [4, 2]\n";
  const std::string other =
      "\n[[panels]]\nname = \"fin\"\nmaterial = \"wood\"\nthickness = 8\ncorner = [150, 0, 30]\nalong = [0, 0, "
      "90]\nacross = [0, 100, 0]\ndivisions = [2, 3]\n";
  const std::string held = support("\"sheet.start\"", "\"all\"");
  const auto [text, words] = GENERATE_COPY(Catch::Generators::table<std::string, std::string>({
      {sheet + held + "\n[[couplings]]\nname = \"cap\"\nkind = \"rigid\"\npoint = [0, 50, 40]\nat = \"sheet.start\"\n",
       "coupling 'cap': node 0 (0, 0, 0) is to follow, but a support or prescribed displacement holds it in x"},
      {frame + support("\"post.start\"", "\"all\"") +
           "\n[[couplings]]\nname = \"cap\"\nkind = \"rigid\"\npoint = \"post.end\"\nat = \"post.end\"\n",
       "to itself"},
      {sheet + held + "\n[[couplings]]\nname = \"cap\"\nkind = \"rigid\"\npoint = \"sheet.end\"\nat = \"sheet.end\"\n",
       "'sheet.end' has 3 nodes, the point of a coupling is one"},
      {sheet + held +
           "\n[[couplings]]\nname = \"cap\"\nkind = \"distributed\"\npoint = [300, 50, 40]\nat = \"sheet.end\"\n",
       "lie on one line"},
      {sheet + held +
           "\n[[couplings]]\nname = \"a\"\nkind = \"rigid\"\npoint = [300, 50, 40]\nat = "
           "\"sheet.end\"\n\n[[couplings]]\nname = \"b\"\nkind = \"rigid\"\npoint = [300, 50, 80]\nat = "
           "\"sheet.end\"\n",
       "already follows 'a'"},
      {sheet + other + held + "\n[[bonds]]\nname = \"weld\"\ndependent = \"fin.start\"\nindependent = \"sheet\"\n",
       "the bonded surfaces do not meet"},
      {sheet + other + held + "\n[[bonds]]\nname = \"weld\"\ndependent = \"fin.start\"\nindependent = \"sheet\"\n",
       "is 30 away from part 'sheet'"},
      {sheet + other + held +
           "\n[[fasteners]]\nparts = [\"sheet\", \"fin\"]\npoints = [[900, 0, 0]]\nstiffness = [1, 1, 1, 1, 1, 1]\n",
       "part 'sheet' is 600 away from (900, 0, 0)"},
      {frame + "\n[[springs]]\nat = \"post.end\"\nstiffness = [1, 1, 1]\n", "must be a list of 6 numbers"},
      {frame + "\n[[springs]]\nat = \"post.end\"\nstiffness = [1, -1, 1, 0, 0, 0]\n", "a stiffness is -1"},
      {member("post", "[0, 0, 0]", "[0, 0, 9]", "warping = true"), "does not warp"},
      {member("post", "[0, 0, 0]", "[0, 0, 9]", "profile_end = \"rail\""), "cannot taper from 'batten' to 'rail'"},
      {member("post", "[0, 0, 0]", "[0, 0, 9]", "release_end = [\"moment\"]"),
       "must list degrees of freedom in the member's own axes"},
      {"\n[[solids]]\nname = \"b\"\nmaterial = \"wood\"\ncorner = [0, 0, 0]\nalong = [1, 0, 0]\nacross = [2, 0, 0]\nup "
       "= [0, 0, 1]\ndivisions = [1, 1, 1]\n",
       "span no volume"},
      {"\n[[panels]]\nname = \"cap\"\nmaterial = \"wood\"\nthickness = 1\nform = \"revolution\"\naxis = [[0, 0, "
       "0], [0, 0, 1]]\nfrom = [0, 0, 5]\nto = [9, 0, 0]\nangle_deg = 60\ndivisions = [4, 4]\n",
       "other than 90, 180 or 360 degrees"},
  }));
  INFO(words);
  try {
    (void)study::build_model(io::parse_study(kHead + text + load("{ kind = \"gravity\" }"), "frame.toml", {}));
    FAIL("nothing was complained about");
  } catch (const base::InputError& error) {
    CHECK_THAT(error.what(), Catch::Contains(words));
    CHECK(!error.complaints()[0].remedy.empty());
  }
}

TEST_CASE("described: sections with crossing or loose walls are refused at their line", "[study][fast]") {
  const std::string bad =
      "\n[profiles.odd]\nshape = \"polyline\"\npoints = [[0, 0], [10, 10], [0, 10], [10, 0]]\nwalls = [[1, 2, 1], [3, "
      "4, 1]]\n";
  try {
    (void)study::build_model(
        io::parse_study(kHead + bad + member("a", "[0, 0, 0]", "[9, 0, 0]", ""), "frame.toml", {}));
    FAIL("nothing was complained about");
  } catch (const base::InputError& error) {
    CHECK_THAT(error.what(), Catch::Contains("frame.toml:") && Catch::Contains("cross at (5, 5)"));
  }
}

}  // namespace described_joints_tests
