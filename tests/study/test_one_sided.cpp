// Buckling beside obstacles: closed forms and limits of the linear complementarity problem, every element, both sides,
// rotated and moved, and the cases that are refused.
#include <cmath>

#include <catch2/catch.hpp>

#include "support/digits.hpp"
#include "support/pieces.hpp"
#include "support/studies.hpp"

namespace one_sided_tests {

using namespace archway;
using namespace archway::test;

namespace {
const std::string kStudy =
    "[study]\ntitle = \"beside a wall\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 210000\n"
    "poisson_ratio = 0.3\n";
// no shear: the closed forms are those of slender struts
const std::string kBar = profile("r",
                                 "shape = \"given\"\narea = 100\nsecond_moment_y = 800\nsecond_moment_z = 900\n"
                                 "torsion_constant = 1500\nshear_area_y = 3e4\nshear_area_z = 3e4");
constexpr double kStiffness = 210000.0 * 800;

std::string wall(const std::string& normal, const std::string& at = "[0, 0, 0]") {
  return fmt::format(
      "\n[[obstacles]]\nname = \"wall\"\nplane = {{ point = {}, normal = {} }}\non = \"s\"\ntouches = \"nodes\"\n", at,
      normal);
}

struct Answer {
  double free, one_sided;
  std::string message;
};
Answer answer(const std::string& text) {
  const auto result = run(text);
  const auto& o = *result.find("b");
  CAPTURE(text);
  REQUIRE(o.buckling);
  REQUIRE(o.one_sided);
  return {o.buckling->modes.empty() ? analysis::kUnset : o.buckling->modes[0].load_factor, o.one_sided->load_factor,
          o.one_sided->message};
}

std::string strut(int spans, double span, int elements, const std::string& ends, const std::string& more) {
  std::string text = kStudy + "\n" + kBar;
  const double length = spans * span;
  text += member("s", "[0, 0, 0]", fmt::format("[{}, 0, 0]", length), fmt::format("elements = {}", elements));
  for (int k = 0; k <= spans; ++k)
    text += support(fmt::format("{{ near = [{}, 0, 0] }}", k * span),
                    k == 0 ? (ends == "clamped" ? "\"all\"" : "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]")
                    : k == spans && ends == "clamped" ? "[\"y\", \"z\", \"rx\", \"ry\", \"rz\"]"
                                                      : "[\"y\", \"z\", \"rz\"]");
  text += support("{ y = 0, inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]");
  return text + action("p", force(fmt::format("{{ near = [{}, 0, 0] }}", length), "[-1, 0, 0]")) + more +
         step("b", "LBA", "load = \"p\"\nmodes = 3");
}
}  // namespace

TEST_CASE("one-sided: a strut that leaves the wall by itself buckles as without it", "[study][fast]") {
  for (const std::string ends : {"pinned", "clamped"})
    for (const std::string normal : {"[0, 0, 1]", "[0, 0, -1]"}) {
      CAPTURE(ends, normal);
      const auto a = answer(strut(1, 1000, 10, ends, wall(normal)));
      CHECK_DIGITS(a.one_sided, a.free, 5, "one sense is free");
    }
}

TEST_CASE("one-sided: two spans beside a wall", "[study][fast]") {
  // the span that may not bulge keeps the other from rotation freely: 80.7629 EI / L^2 for 39.48 without the wall
  const double span = 500;
  for (const int elements : {16, 32}) {
    const auto a = answer(strut(2, span, elements, "pinned", wall("[0, 0, 1]")));
    const double unit = kStiffness / (4 * span * span);
    CHECK_DIGITS(a.free / unit, 39.4784, 3, "without the wall");
    CHECK_DIGITS(a.one_sided / unit, 80.7629, 3, "with it");
  }
}

TEST_CASE("one-sided: two spans beside a wall, however the strut lies", "[study][fast]") {
  // 30 x 6 mm, spans of 500; drawn from either end, in directions that no axis has, far away, in other units, the wall
  // on either side
  struct Place {
    const char* name;
    Vec3 from, along, away;
    double unit;  // of length, in millimetres
  };
  const Vec3 odd = Vec3(2, -1, 3).normalized(), aside = odd.cross(Vec3(1, 4, -2)).normalized();
  const Place places[] = {{"from the other end", Vec3(1000, 0, 0), -Vec3::UnitX(), Vec3::UnitZ(), 1},
                          {"the other side", Vec3::Zero(), Vec3::UnitX(), -Vec3::UnitZ(), 1},
                          {"rotated", Vec3(30, -20, 10), odd, aside, 1},
                          {"far away", Vec3(1e5, -2e5, 3e5), odd, aside, 1},
                          {"in metres", Vec3(1, 2, 3), odd, -aside, 1000}};
  // kN; a strut that shears carries P / (1 + P / GA)
  const auto with_shear = [](double k) {
    const double p = k * 210000 * 540 / 1e6, stiff = 210000 / 2.6 * 180 * 5 / 6;
    return p / (1 + p / stiff) / 1000;
  };
  const auto text_of = [](const Vec3& v) { return fmt::format("[{:.17g}, {:.17g}, {:.17g}]", v.x(), v.y(), v.z()); };
  for (const auto& place : places) {
    CAPTURE(place.name);
    const double u = place.unit, length = 1000 / u;
    const Vec3 middle = place.from + 0.5 * length * place.along, end = place.from + length * place.along;
    const std::string axes =
        fmt::format("axes = {{ along = {}, up = {} }}\n", text_of(place.along), text_of(place.away));
    std::string text = fmt::format(
        "[study]\ntitle = \"beside a wall\"\nformat = 1\nunits = {{ force = \"N\", length = \"{}\" }}\n[materials.m]\nyoungs_modulus = "
        "{:.17g}\npoisson_ratio = 0.3\n",
        u == 1 ? "mm" : "m", 210000 * u * u);
    text += profile("r", fmt::format("shape = \"rectangle\"\nwidth = {:.17g}\nheight = {:.17g}", 30 / u, 6 / u));
    text += member("s", text_of(place.from), text_of(end), "elements = 16\nup = " + text_of(place.away));
    text += support("\"s.start\"", "[\"x\", \"y\", \"z\", \"rx\"]", axes);
    text += support("{ near = " + text_of(middle) + " }", "[\"y\", \"z\"]", axes);
    text += support("\"s.end\"", "[\"y\", \"z\"]", axes);
    text += wall(text_of(place.away), text_of(place.from));
    text += action("p", force("\"s.end\"", text_of(-1000 * place.along))) + step("b", "LBA", "load = \"p\"\nmodes = 2");
    const auto a = answer(text);
    CAPTURE(a.message);
    CHECK(a.one_sided == Approx(with_shear(80.7629)).epsilon(2e-4));
    CHECK(a.free == Approx(with_shear(39.4784)).epsilon(2e-4));
  }
}

TEST_CASE("one-sided: a long strut on a bed and a wall", "[study][fast]") {
  // bed in both senses and a wall: 10/3 sqrt(k EI) in the middle (clamped ends), 5/2 at a pinned end
  const double k = 5, length = 2000, root = std::sqrt(k * kStiffness);
  const std::string bed = fmt::format("\n[[foundations]]\nname = \"bed\"\non = \"s\"\nstiffness = [0, 0, {}]\n", k);
  const auto clamped = answer(strut(1, length, 50, "clamped", bed + wall("[0, 0, 1]")));
  CHECK_DIGITS(clamped.one_sided / root, 10.0 / 3, 2, "in the middle");
  const auto pinned = answer(strut(1, length, 50, "pinned", bed + wall("[0, 0, 1]")));
  CHECK_DIGITS(pinned.one_sided / root, 2.5, 2, "at the end");
}

TEST_CASE("one-sided: springs that only push, as stiff as they like", "[study][fast]") {
  // two spans of L / 2 on a row of springs, k L^4 / EI = 1e3 to 1e5 spread over their nodes: 49.17, 62.90, 69.71 EI /
  // L^2
  const double span = 500;
  const auto bed = [&](double k, int spans, int elements, double sense, bool shared) {
    const double length = spans * span, spread = k * kStiffness / std::pow(length, 4),
                 each = spread * length / elements;
    return fmt::format(
        "\n[[springs]]\nname = \"bed\"\nat = {{ on = \"s\" }}\nstiffness = [0, 0, 0, 0, 0, 0]\ncurves = [{{ axis = "
        "\"3\", points = [[-1, {}], [0, 0], [1, {}]], unloading = \"along-curve\" }}]\nalong = [1, 0, 0]\nup = [0, 0, 1]\n",
        sense > 0 ? -each : (shared ? -0.25 * each : 0), sense > 0 ? (shared ? 0.25 * each : 0) : each);
  };
  for (const auto& [k, exact] : {std::pair(1e3, 49.1684), std::pair(1e4, 62.9004), std::pair(1e5, 69.71)})
    for (const double sense : {1.0, -1.0}) {
      CAPTURE(k, sense);
      const auto a = answer(strut(2, span, 64, "pinned", bed(k, 2, 64, sense, false)));
      CAPTURE(a.message);
      CHECK(a.one_sided / (kStiffness / (4 * span * span)) ==
            Approx(exact).epsilon(4e-3));  // springs at nodes for a bed
    }
  // a span that leaves its bed alone buckles as without it, though the listed modes have half the bed
  const double unit = kStiffness / (span * span);
  const auto alone = answer(strut(1, span, 20, "pinned", bed(1e4, 1, 20, 1, false)));
  CHECK(alone.one_sided / unit == Approx(9.8696).epsilon(1e-3));
  CHECK(alone.free / unit > 15);
  // a quarter of the stiffness on the other side: between the strut without it and the one with all of it
  const auto some = answer(strut(1, span, 20, "pinned", bed(1e3, 1, 20, 1, true)));
  const double quarter = 9.8696 + 250 / 9.8696;
  CHECK(some.one_sided / unit == Approx(quarter).epsilon(5e-3));
}

TEST_CASE("one-sided: what is restrained by such springs alone is refused, and verdicts take the lower factor",
          "[study][fast]") {
  const auto bed = [](double k) {
    return fmt::format(
        "\n[[springs]]\nname = \"bed\"\nat = {{ on = \"s\" }}\nstiffness = [0, 0, 0, 0, 0, 0]\ncurves = [{{ axis = "
        "\"3\", "
        "points = [[-1, -{}], [0, 0], [1, 0]], unloading = \"along-curve\" }}]\nalong = [1, 0, 0]\nup = [0, 0, 1]\n",
        k);
  };
  for (const double k : {1e-3, 1.0, 1e4}) {
    std::string lying = kStudy + "\n" + kBar + member("s", "[0, 0, 0]", "[500, 0, 0]", "elements = 8");
    lying += support("{ on = \"s\" }", "[\"y\", \"rx\", \"rz\"]") + support("\"s.start\"", "[\"x\"]") + bed(k) +
             action("p", force("\"s.end\"", "[-1, 0, 0]")) + step("b", "LBA", "load = \"p\"");
    const auto r = run(lying);
    CAPTURE(k);
    REQUIRE(r.find("b")->one_sided);
    CHECK(!r.find("b")->one_sided->found);
    CHECK_THAT(r.find("b")->one_sided->message, Catch::Contains("free to move"));
  }
  // the mean of both sides would pass, the strut as it is does not
  const auto r = run(with(strut(1, 500, 20, "pinned", bed(672)), "modes = 3", "modes = 3\nrequired_factor = 10000"));
  const auto& o = *r.find("b");
  REQUIRE(o.verdicts.size() == 1);
  CHECK(o.buckling->modes[0].load_factor > 20000);
  CHECK(!o.verdicts[0].met);
  CHECK(o.verdicts[0].load_factor == Approx(o.one_sided->load_factor));
}

TEST_CASE("one-sided: what linear analyses make of springs with two slopes is reported", "[study][fast]") {
  const auto text = [](const std::string& points) {
    return kStudy + "\n" + kBar + member("s", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4") +
           support("\"s.start\"", "\"all\"") +
           "\n[[springs]]\nname = \"prop\"\nat = \"s.end\"\nstiffness = [0, 0, 0, 0, 0, 0]\ncurves = [{ axis = \"3\", "
           "points = " +
           points + ", unloading = \"along-curve\" }]\n" + action("p", force("\"s.end\"", "[0, 0, -1]")) +
           step("la", "LA", "load = \"p\"") + action("q", force("\"s.end\"", "[-1, 0, 0]")) +
           step("b", "LBA", "load = \"q\"");
  };
  const auto warned = [](const study::StudyResult& r, const char* name) {
    return told(r.find(name)->warnings, "stiffness of 5 on one side and 0 on the other");
  };
  const auto lopsided = run(text("[[-1, -5], [0, 0], [1, 0]]"));
  CHECK(warned(lopsided, "la"));
  CHECK(warned(lopsided, "b"));
  const auto even = run(text("[[-1, -5], [0, 0], [1, 5]]"));
  CHECK(!told(even.find("la")->warnings, "on one side"));
  CHECK(!told(even.find("b")->warnings, "on one side"));
  CHECK(!even.find("b")->one_sided);
}

TEST_CASE("one-sided: a long plate on a rigid bed", "[study][fast]") {
  // 5.3333 inside, 4.5 at a supported loaded end; 4 without the bed
  const double b = 100, t = 4, d = 210000.0 / (12 * (1 - 0.09));
  const double unit = 3.14159265358979 * 3.14159265358979 * d * t * t * t / (b * b);
  for (const std::string faces : {"four", "nine"}) {
    CAPTURE(faces);
    const bool nine = faces == "nine";
    const std::string text =
        kStudy +
        panel("s", "[0, 0, 0]", "[300, 0, 0]", "[0, 100, 0]", fmt::format("[{}, {}]", nine ? 12 : 24, nine ? 4 : 8),
              "element_nodes = " + nodes_of(faces)) +
        support("\"s.start\"", "[\"x\", \"z\"]") + support("\"s.end\"", "[\"z\"]") + support("\"s.left\"", "[\"z\"]") +
        support("\"s.right\"", "[\"z\"]") + support("{ near = [0, 0, 0] }", "[\"y\"]") +
        action("p", "{ kind = \"edge\", at = \"s.end\", force = [-1, 0, 0] }") + wall("[0, 0, 1]") +
        step("b", "LBA", "load = \"p\"\nmodes = 2");
    const auto a = answer(text);
    CHECK(a.free / unit == Approx(4).epsilon(0.03));  // shear of a wall of a 25th
    CHECK(a.one_sided / a.free == Approx(4.5 / 4).epsilon(0.006));
  }
}

TEST_CASE("one-sided: a load that presses on the wall is refused", "[study][fast]") {
  auto text = strut(2, 500, 16, "pinned", wall("[0, 0, 1]"));
  const std::string axial = "force = [-1, 0, 0] }";
  text.replace(text.find(axial), axial.size(),
               axial + ", { kind = \"force\", at = { near = [250, 0, 0] }, force = [0, 0, -1] }");
  const auto pressed = answer(text);
  CHECK(std::isnan(pressed.one_sided));
  CHECK(pressed.message.find("presses the structure on an obstacle") != std::string::npos);
  const auto far = answer(strut(2, 500, 16, "pinned", wall("[0, 0, 1]", "[0, 0, -3]")));
  CHECK(far.message.find("no node touches") != std::string::npos);
}

}  // namespace one_sided_tests
