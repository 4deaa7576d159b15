// Members without axial, shear or any deformation, and plates without shear: constraints, not stiffness.
#include <catch2/catch.hpp>

#include "archway/theory/columns.hpp"
#include "archway/theory/formulas.hpp"
#include "archway/theory/shells.hpp"
#include "support/pieces.hpp"

namespace rigid_tests {

using namespace archway;
using namespace archway::test;

namespace {
constexpr double kE = 200000, kPi = 3.14159265358979323846;

std::string rectangle(double width, double height) {
  return profile("r", fmt::format("shape = \"rectangle\"\nwidth = {}\nheight = {}", width, height));
}
std::string spot(const Eigen::Vector3d& v) {
  return fmt::format("[{}, {}, {}]", v.x(), v.y(), v.z());
}
}  // namespace

TEST_CASE("rigid: columns without shear have Euler's load, thick or thin, far off and askew", "[study][fast]") {
  const double width = GENERATE(2.0, 30.0, 250.0);
  const auto [start, along] =
      GENERATE(std::pair(Eigen::Vector3d(0, 0, 0), Eigen::Vector3d(0, 0, 1)),
               std::pair(Eigen::Vector3d(1e6, -1e6, 1e6), Eigen::Vector3d(0, 0, 1)),
               std::pair(Eigen::Vector3d(0, 0, 0), Eigen::Vector3d(1. / 3, -2. / 3, 2. / 3)),
               std::pair(Eigen::Vector3d(-1e4, 2e4, 0), Eigen::Vector3d(1. / 3, -2. / 3, 2. / 3)));
  CAPTURE(width, start.transpose(), along.transpose());
  const double length = 1000, height = 300;
  const Eigen::Vector3d end = start + length * along, lean = along.unitOrthogonal();
  const std::string axes = fmt::format("axes = {{ along = {}, up = {} }}", spot(along), spot(lean));
  const auto r =
      run(head() + rectangle(width, height) +
          member("c", spot(start), spot(end), fmt::format("up = {}\nelements = 20\nrigid = \"shear\"", spot(lean))) +
          support("\"c.start\"", "\"all\"", axes) + action("p", force("\"c.end\"", spot(-1000 * along))) +
          step("b", "LBA", "load = \"p\"\nmodes = 3"));
  const double inertia = height * std::pow(width, 3) / 12;
  for (const int k : {1, 2, 3}) {
    // the strong axis has its own modes in between only where it is as weak
    const double about_z = theory::euler_load(kE, inertia, length, 2.0 / (2 * k - 1)) / 1000,
                 about_y = theory::euler_load(kE, width * std::pow(height, 3) / 12, length, 2) / 1000;
    if (about_z > about_y) break;
    CAPTURE(k);
    CHECK(factor(r, static_cast<std::size_t>(k)) == Approx(about_z).epsilon(1e-6));
  }
  CHECK(r.find("b")->buckling->complete());
}

TEST_CASE("rigid: a sway frame that does not shorten has the load of the slope equations", "[study][fast]") {
  const double span = GENERATE(1500.0, 4000.0);
  const bool fixed = GENERATE(false, true);
  CAPTURE(span, fixed);
  const double height = 2000;
  const std::string words = "rigid = [\"axial\", \"shear\"]";
  const auto r = run(head("planar = \"xz\"\n") + rectangle(40, 60) +
                     member("left", "[0, 0, 0]", spot({0, 0, height}), "up = [1, 0, 0]\n" + words) +
                     member("right", spot({span, 0, 0}), spot({span, 0, height}), "up = [1, 0, 0]\n" + words) +
                     member("beam", spot({0, 0, height}), spot({span, 0, height}), words) +
                     support("{ any = [\"left.start\", \"right.start\"] }", fixed ? "\"all\"" : "[\"x\", \"z\"]") +
                     action("p",
                            "{ kind = \"force\", at = { any = [\"left.end\", \"right.end\"] }, force = [0, 0, "
                            "-1000], distribution = \"each\" }") +
                     step("b", "LBA", "load = \"p\"\nmodes = 1"));
  const double bending = kE * 40 * std::pow(60, 3) / 12;
  const double load = theory::portal_load({bending, bending, height, span, fixed, true});
  CHECK(factor(r) == Approx(load / 1000).epsilon(1e-6));
}

TEST_CASE("rigid: an arch that does not shorten has the load of its formula", "[study][fast]") {
  const bool fixed = GENERATE(false, true);
  CAPTURE(fixed);
  const double radius = 2000, half = kPi / 3;
  const Eigen::Vector3d end(radius * std::sin(half), 0, 0), crown(0, 0, radius - radius * std::cos(half));
  const auto r = run(head("planar = \"xz\"\n") + rectangle(60, 40) +
                     member("a", spot(-end), spot(end),
                            fmt::format("via = {}\nelements = 24\nrigid = [\"axial\", \"shear\"]", spot(crown))) +
                     support("{ any = [\"a.start\", \"a.end\"] }", fixed ? "\"all\"" : "[\"x\", \"z\"]") +
                     action("p", "{ kind = \"member-pressure\", on = \"a\", value = 1, plane_normal = [0, 1, 0] }") +
                     step("b", "LBA", "load = \"p\"\nmodes = 1"));
  CHECK(factor(r) == Approx(theory::arch_pressure(kE * 60 * std::pow(40, 3) / 12, radius, 120, fixed)).epsilon(1e-6));
}

TEST_CASE("rigid: links and springs have the closed answers, small and large", "[study][fast]") {
  // a rigid bar on a rotational spring: P = k / L, and P L sin t + H L cos t = k t on the path
  const double stiffness = 2e6, length = 1000, push = 20;
  const double shift = GENERATE(0.0, 3e4);
  CAPTURE(shift);
  const auto r = run(head("planar = \"xz\"\n") + rectangle(40, 60) +
                     member("c", spot({shift, 0, 0}), spot({shift, 0, length}), "elements = 2\nrigid = \"all\"") +
                     support("\"c.start\"", "[\"x\", \"z\"]") +
                     "\n[[springs]]\nname = \"k\"\nat = \"c.start\"\nstiffness = [0, 0, 0, 0, 2e6, 0]\n" +
                     "\n[[watches]]\nname = \"top\"\nat = \"c.end\"\ndirection = [1, 0, 0]\n" +
                     action("p", force("\"c.end\"", "[0, 0, -1000]")) +
                     action("h", force("\"c.end\"", fmt::format("[{}, 0, 0]", push))) +
                     step("side", "LA", "load = \"h\"") + step("b", "LBA", "load = \"p\"\nmodes = 1") +
                     step("g", "GNA", "preload_of = \"side\"\nload = \"p\"\nstop = { watch = \"top\", value = 700 }"));
  CHECK(factor(r) == Approx(stiffness / length / 1000).epsilon(1e-6));
  CHECK(largest_displacement(r, "side") == Approx(push * length * length / stiffness).epsilon(1e-6));
  int looked = 0;
  for (const auto& i : path_of(r).increments) {
    const double t = std::asin(i.watched[0] / length);
    if (t < 0.05) continue;
    ++looked;
    const double load = (stiffness * t - push * length * std::cos(t)) / (length * std::sin(t));
    // the balance of a path is judged beside what rounding leaves in forces a million times the member's own
    CHECK(1000 * i.load_factor == Approx(load).epsilon(5e-5));
  }
  CHECK(looked > 3);
}

TEST_CASE("rigid: a mast without deformation below its stay sways at its critical load", "[study][fast]") {
  // P(t) = N dl/dt / (L sin t) with N = c (l - l0); the mast itself does not deform before it sways
  const double mirrored = GENERATE(1.0, -1.0), shift = GENERATE(0.0, 3e4), anchor = GENERATE(491.4912, 350.0);
  CAPTURE(mirrored, shift, anchor);
  const double length = 350, ax = -anchor * mirrored, az = 5.854138, stiffness = 30, rest = std::hypot(ax, length - az);
  const auto r = run(
      head("planar = \"xz\"\n") + rectangle(40, 40) +
      fmt::format("\n[materials.s]\nyoungs_modulus = {}\npoisson_ratio = 0.3\n", stiffness * rest) +
      profile("one", "shape = \"rectangle\"\nwidth = 1\nheight = 1") +
      member("c", spot({shift, 0, 0}), spot({shift, 0, length}), "elements = 1\nrigid = \"all\"") +
      fmt::format("\n[[bars]]\nname = \"stay\"\nmaterial = \"s\"\nprofile = \"one\"\nfrom = {}\nto = {}\n",
                  spot({shift, 0, length}), spot({shift + ax, 0, az})) +
      support("\"c.start\"", "[\"x\", \"z\"]") + support("\"stay.end\"", "[\"x\", \"z\"]") +
      "\n[[watches]]\nname = \"aside\"\nat = \"c.end\"\ndirection = [1, 0, 0]\n" +
      action("p", force("\"c.end\"", "[0, 0, -1000]")) + step("b", "LBA", "load = \"p\"\nmodes = 1") +
      step("g", "GNA",
           fmt::format("loads_of = \"b\"\nat_bifurcation = \"branch\"\nfirst_step = 1\nstop = {{ watch = \"aside\", "
                       "value = {}, increments = 60 }}",
                       30 * mirrored)));
  const double critical = stiffness * std::pow(ax / rest, 2) * length / 1000;
  CHECK(factor(r) == Approx(critical).epsilon(1e-6));
  const auto& path = path_of(r);
  CHECK(path.peak_load_factor == Approx(critical).epsilon(2e-5));
  CHECK(std::abs(path.increments.back().watched[0]) == Approx(30).epsilon(1e-6));
  for (const auto& i : path.increments) {
    const double x = i.watched[0], z = std::sqrt(length * length - x * x);
    if (std::abs(x) < 1) continue;
    const double now = std::hypot(x - ax, z - az), slope = ((x - ax) * z - (z - az) * x) / now;
    CHECK(1000 * i.load_factor == Approx(stiffness * (now - rest) * slope / x).epsilon(5e-5));
  }
}

TEST_CASE("rigid: two links hinged to each other, both ends supported, the knee on a spring", "[study][fast]") {
  // P = c L / 4
  const double stiffness = 40, length = 2000;
  const auto r =
      run(head("planar = \"xz\"\n") + rectangle(40, 60) +
          member("low", "[0, 0, 0]", "[0, 0, 1000]", "elements = 1\nrigid = \"all\"") +
          member("high", "[0, 0, 1000]", "[0, 0, 2000]", "elements = 1\nrigid = \"all\"\nrelease_start = [\"ry\"]\n") +
          support("\"low.start\"", "[\"x\", \"z\"]") + support("\"high.end\"", "[\"x\"]") +
          "\n[[springs]]\nname = \"k\"\nat = \"low.end\"\nstiffness = [40, 0, 0, 0, 0, 0]\n" +
          action("p", force("\"high.end\"", "[0, 0, -1000]")) + step("b", "LBA", "load = \"p\"\nmodes = 1"));
  CHECK(factor(r) == Approx(stiffness * length / 4 / 1000).epsilon(1e-6));
  CHECK(r.find("b")->buckling->modes.size() == 1);
}

TEST_CASE("rigid: bars, and what they share", "[study][fast]") {
  // a link leans on a spring: P = c L; two links side by side share by their areas
  const auto r = run(head("planar = \"xz\"\n") + rectangle(10, 10) +
                     "\n[[bars]]\nname = \"link\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [0, 0, "
                     "500]\ninextensible = true\n" +
                     support("\"link.start\"", "[\"x\", \"z\"]") +
                     "\n[[springs]]\nname = \"c\"\nat = \"link.end\"\nstiffness = [3, 0, 0, 0, 0, 0]\n" +
                     action("p", force("\"link.end\"", "[0, 0, -1000]")) + step("la", "LA", "load = \"p\"") +
                     step("b", "LBA", "load = \"p\"\nmodes = 1"));
  CHECK(factor(r) == Approx(3 * 500 / 1000.0).epsilon(1e-9));
  CHECK(r.find("la")->linear->bar_forces[0] == Approx(-1000).epsilon(1e-9));
  CHECK(largest_displacement(r) < 1e-7);  // a millionth of what it would be
}

TEST_CASE("rigid: what cannot be is reported", "[study][fast]") {
  const auto study = [](const std::string& material, const std::string& rigid, const std::string& more = "") {
    return head() + material + rectangle(10, 10) + member("c", "[0, 0, 0]", "[0, 0, 500]", rigid) + more +
           support("\"c.start\"", "\"all\"") + action("p", force("\"c.end\"", "[0, 0, -1]")) +
           step("b", "LBA", "load = \"p\"");
  };
  CHECK(complaint_of(study("", "rigid = \"bend\"")).find("'rigid' has no 'bend'") != std::string::npos);
  CHECK(complaint_of(study("", "",
                           panel("w", "[0, 0, 0]", "[100, 0, 0]", "[0, 100, 0]", "[2, 2]",
                                 "element_nodes = 3\nshear_deformation = false")))
            .find("always have transverse shear") != std::string::npos);
}

TEST_CASE("rigid: an arm of a yielding material does not yield, what it is joined to does", "[study][fast]") {
  const auto r =
      run(head() + "yield_stress = 200\nyielding = { law = \"perfect\" }\n" + rectangle(10, 10) +
          member("arm", "[0, 0, 0]", "[300, 0, 0]", "rigid = \"all\"") + member("rod", "[300, 0, 0]", "[500, 0, 0]") +
          support("\"arm.start\"", "\"all\"") + action("p", force("\"rod.end\"", "[0, 0, -1]")) +
          step("g", "GMNA", "load = \"p\"\nstop = { load_factor = 230 }"));
  // 92 % of the rod's plastic moment over its own length; the arm bears more than twice that moment
  const auto& path = path_of(r);
  REQUIRE(path.increments.back().load_factor == Approx(230));
  const auto& flow = path.increments.back().flow;
  const auto& parts = r.find("g")->model->parts;
  for (std::size_t p = 0; p < parts.size(); ++p) CHECK((flow.at(p).plastic_strain > 0) == (parts[p].name == "rod"));
  CHECK(told(r.find("g")->model->remarks, "'arm' is rigid and does not yield"));
}

TEST_CASE("rigid: thin plates have the classical load, however thick they are", "[study]") {
  // simply supported, square, in compression one way: k = 4
  const double thickness = GENERATE(2.0, 20.0);
  const std::string faces = GENERATE("four", "nine");
  CAPTURE(thickness, faces);
  const double width = 200;
  const auto study = [&](int divisions, const std::string& more) {
    return head() +
           panel("w", "[0, 0, 0]", "[200, 0, 0]", "[0, 200, 0]", fmt::format("[{0}, {0}]", divisions),
                 "element_nodes = " + nodes_of(faces) + "\n" + more, thickness) +
           support("{ on = \"w\", x = 0 }", "[\"z\", \"rx\"]") + support("{ on = \"w\", x = 200 }", "[\"z\", \"rx\"]") +
           support("{ on = \"w\", y = 0 }", "[\"z\", \"ry\"]") + support("{ on = \"w\", y = 200 }", "[\"z\", \"ry\"]") +
           support("{ near = [100, 100, 0] }", "[\"x\", \"y\"]") + support("{ near = [100, 0, 0] }", "[\"x\"]") +
           action("p",
                  "{ kind = \"edge\", at = \"w.start\", force = [1, 0, 0] }, { kind = \"edge\", at = \"w.end\", "
                  "force = [-1, 0, 0] }") +
           step("b", "LBA", "load = \"p\"\nmodes = 1");
  };
  const double load = theory::plate_load(4, kE, 0.3, thickness, width);
  const std::string thin = "shear_deformation = false";
  const auto at = [&](int divisions) { return factor(run(study(divisions, thin))) / load; };
  if (faces == "nine")
    CHECK(at(16) == Approx(1).epsilon(1e-5));
  else  // their own error, which falls with the size of the elements
    CHECK(at(64) == Approx(1).epsilon(2e-4));
  const double thick = factor(run(study(16, ""))) / load, shear = kPi * kPi * std::pow(thickness / width, 2);
  CHECK(thick < at(16) * (1 - 0.3 * shear));  // with shear it is softer, by about pi^2 (t/b)^2 / (3 (1 - nu))
}

}  // namespace rigid_tests
