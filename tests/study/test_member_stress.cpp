// Stress of members against section theory: every shape, every force, sections drawn from either end, rotated, far away
// and in other units; tapers; slenderness by the largest compressive stress; principal axes.
#include <random>

#include <catch2/catch.hpp>

#include "archway/analysis/section_stress.hpp"
#include "archway/theory/section.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace member_stress_tests {

using namespace archway;
using namespace archway::test;

namespace {
using Dimensions = std::map<std::string, double>;
struct Shape {
  std::string name;
  Dimensions dimensions;
};
const std::vector<Shape> kShapes = {
    {"rectangle", {{"width", 30}, {"height", 70}}},
    {"circle", {{"diameter", 50}}},
    {"rectangular-hollow", {{"width", 40}, {"height", 80}, {"thickness", 4}}},
    {"circular-hollow", {{"diameter", 60}, {"thickness", 3}}},
    {"i", {{"width", 60}, {"height", 110}, {"flange", 8}, {"web", 5}}},
    {"i", {{"width", 60}, {"height", 110}, {"flange", 8}, {"web", 5}, {"bottom_width", 30}, {"bottom_flange", 6}}},
    {"channel", {{"width", 45}, {"height", 90}, {"flange", 6}, {"web", 4}}},
    {"angle", {{"width", 50}, {"height", 80}, {"thickness", 5}}},
    {"tee", {{"width", 60}, {"height", 80}, {"flange", 6}, {"web", 5}}},
    {"zed", {{"width", 50}, {"height", 100}, {"thickness", 5}}},
    {"lipped-channel", {{"width", 50}, {"height", 90}, {"lip", 15}, {"thickness", 2}}},
    {"cross", {{"width", 60}, {"height", 80}, {"thickness", 6}}},
    {"given",
     {{"area", 900},
      {"second_moment_y", 9e5},
      {"second_moment_z", 2e5},
      {"torsion_constant", 2e4},
      {"product_moment", 1.5e5},
      {"outer_fibre_y", 25},
      {"outer_fibre_z", 50}}}};

/// Points of the outline at which a linear stress may be largest; many around a circle.
std::vector<std::pair<double, double>> rim_of(const Shape& shape, const theory::SectionProperties& s) {
  std::vector<std::pair<double, double>> points;
  if (shape.name.rfind("circ", 0) == 0)
    for (int k = 0; k < 20000; ++k)
      points.emplace_back(s.fibre_y * std::cos(k * M_PI / 10000), s.fibre_y * std::sin(k * M_PI / 10000));
  else
    for (const auto& polygon : s.outline) points.insert(points.end(), polygon.begin(), polygon.end());
  return points;
}

/// By the principal axes: N / A + Mu v / Iu - Mv u / Iv at the outline.
std::pair<double, double> by_principal_axes(const Shape& shape, const theory::SectionProperties& s,
                                            const elements::SectionForces& f) {
  const double c = std::cos(s.principal_angle), d = std::sin(s.principal_angle);
  const double mu = f.moment_y * c + f.moment_z * d, mv = f.moment_z * c - f.moment_y * d;
  double low = HUGE_VAL, high = -HUGE_VAL;
  for (const auto& [y, z] : rim_of(shape, s)) {
    const double u = y * c + z * d, v = z * c - y * d;
    const double stress = f.axial / s.area + mu * v / s.principal_major - mv * u / s.principal_minor;
    low = std::min(low, stress), high = std::max(high, stress);
  }
  return {low, high};
}

std::string dimension_text(const Dimensions& dimensions, double unit) {
  std::string text;
  for (const auto& [key, value] : dimensions) {
    const int power = key == "area" ? 2 : key.find("moment") != std::string::npos || key == "torsion_constant" ? 4 : 1;
    text += fmt::format("{} = {:.17g}\n", key, value * std::pow(unit, power));
  }
  return text;
}
}  // namespace

TEST_CASE("member stress: every shape under every force is what its principal axes give", "[study][fast]") {
  std::mt19937 random(5);
  std::normal_distribution<double> any;
  for (const auto& shape : kShapes) {
    CAPTURE(shape.name);
    const auto s = theory::section_properties(shape.name, shape.dimensions);
    const auto profile = study::to_profile("p", s);
    for (int k = 0; k < 64; ++k) {
      elements::SectionForces f;  // one force alone, then mixes
      if (k == 0 || k > 2) f.axial = 1e4 * (k > 2 ? any(random) : 1);
      if (k == 1 || k > 2) f.moment_y = 1e6 * (k > 2 ? any(random) : 1);
      if (k == 2 || k > 2) f.moment_z = 3e5 * (k > 2 ? any(random) : 1);
      const auto own = analysis::section_stress(profile, f);
      const auto [low, high] = by_principal_axes(shape, s, f);
      const double size = std::max(std::abs(low), std::abs(high));
      CHECK(std::abs(own.low - low) <= 1e-7 * size);
      CHECK(std::abs(own.high - high) <= 1e-7 * size);
    }
  }
}

TEST_CASE("member stress: forces of the stresses are the forces, bimoment included", "[study][fast]") {
  // the stress field at the fibres, whose sums are exact, has N, My, Mz and B as its resultants
  for (const auto& shape : kShapes) {
    const auto s = theory::section_properties(shape.name, shape.dimensions);
    if (s.fibres.empty() || !(s.warping_constant > 0)) continue;
    CAPTURE(shape.name);
    const auto profile = study::to_profile("p", s);
    elements::SectionForces f;
    f.bimoment = 1e7;
    const auto own = analysis::section_stress(profile, f);
    double square = 0, largest = 0, normal = 0;
    for (const auto& p : s.fibres) {
      const double stress = -f.bimoment * p.omega / s.warping_constant;
      square -= p.area * stress * p.omega, normal += p.area * stress, largest = std::max(largest, std::abs(stress));
    }
    CHECK(square == Approx(f.bimoment).epsilon(1e-9));
    CHECK(std::abs(normal) <= 1e-9 * s.area * own.size());
    // corners lie beyond the outermost fibres, by less than a cell
    CHECK(own.size() >= largest * (1 - 1e-12));
    CHECK(own.size() <= 1.25 * largest);
  }
  // an I of equal flanges: M h / 2 at its tips
  const auto i = study::to_profile(
      "i", theory::section_properties("i", {{"width", 80}, {"height", 108}, {"flange", 8}, {"web", 5}}));
  elements::SectionForces f;
  f.bimoment = 1e6;
  CHECK(analysis::section_stress(i, f).size() == Approx(1e6 * 40 * 50 / i.warping_constant).epsilon(1e-6));
}

TEST_CASE("member stress: a cantilever of every shape, however it is drawn, placed and measured", "[study][fast]") {
  struct Way {
    const char* name;
    bool reversed;
    double rotated, away, unit, force;
  };
  const auto way = GENERATE(Way{"as it is", false, 0, 0, 1, 1}, Way{"from its other end", true, 0, 0, 1, 1},
                            Way{"rotated about its axis", false, 0.37, 0, 1, 1}, Way{"far away", false, 0, 1e5, 1, 1},
                            Way{"in m and kN", false, 0.37, 0, 1e-3, 1e-3}, Way{"unit load", false, 0, 0, 1, 1e-6});
  for (const auto& shape : kShapes) {
    CAPTURE(shape.name, way.name);
    const double l = 1000 * way.unit, x = way.away * way.unit, load = way.unit < 1 ? 1 : way.force;
    // local axes: x along from fixed end to tip when not reversed; up leans by the angle
    const double c = std::cos(way.rotated), d = std::sin(way.rotated);
    const Eigen::Vector3d force(-3000 * load, -200 * load, -400 * load);
    const std::string fixed = fmt::format("[{0:.17g}, {0:.17g}, 0]", x),
                      tip = fmt::format("[{:.17g}, {:.17g}, 0]", x + l, x);
    const double kilo = way.unit < 1 ? 1e-3 : 1;  // N or kN
    const std::string text =
        fmt::format(
            "[study]\ntitle = \"t\"\nformat = 1\nunits = {{ force = \"{}\", length = \"{}\" }}\n[materials.m]\nyoungs_modulus = {}\n"
            "poisson_ratio = 0.3\n",
            way.unit < 1 ? "kN" : "N", way.unit < 1 ? "m" : "mm", way.unit < 1 ? 2e8 : 2e5) +
        profile("r", fmt::format("shape = \"{}\"\n{}", shape.name, dimension_text(shape.dimensions, way.unit))) +
        member("m", way.reversed ? tip : fixed, way.reversed ? fixed : tip,
               fmt::format("up = [0, {:.17g}, {:.17g}]\nelements = 4", -d, c)) +
        support(fmt::format("{{ near = {} }}", fixed), "\"all\"") +
        action("P", fmt::format("{{ kind = \"force\", at = {{ near = {} }}, force = [{:.17g}, {:.17g}, {:.17g}] }}",
                                tip, kilo * force.x(), kilo * force.y(), kilo * force.z())) +
        step("la", "LA", "load = \"P\"");
    const auto result = run(text);
    const auto& o = *result.find("la");
    const double stress = analysis::peaks_by_part(*o.model, *o.linear)[0].stress * (way.unit < 1 ? 1e-3 : 1);
    // at the fixed end, in the section's axes: y to the left of x when z is up
    const double along = way.reversed ? -1 : 1;
    const Eigen::Vector3d ey = along * Eigen::Vector3d(0, c, d), ez(0, -d, c);
    elements::SectionForces f;
    f.axial = force.x();
    const Eigen::Vector3d moment = Eigen::Vector3d(1000, 0, 0).cross(force) * along;  // on the face towards the start
    f.moment_y = moment.dot(ey), f.moment_z = moment.dot(ez);
    const auto s = theory::section_properties(shape.name, shape.dimensions);
    const auto [low, high] = by_principal_axes(shape, s, f);
    CHECK(stress == Approx(std::max(-low, high)).epsilon(2e-6));
  }
}

TEST_CASE("member stress: tapers have the section of the place, from whichever end they are drawn", "[study][fast]") {
  for (const auto& [large, small, area] :
       {std::tuple("shape = \"rectangle\"\nwidth = 40\nheight = 40", "shape = \"rectangle\"\nwidth = 20\nheight = 20",
                   400.0),
        std::tuple("shape = \"circular-hollow\"\ndiameter = 80\nthickness = 4",
                   "shape = \"circular-hollow\"\ndiameter = 40\nthickness = 2", M_PI * (400.0 - 324.0)),
        std::tuple("shape = \"i\"\nwidth = 80\nheight = 100\nflange = 8\nweb = 5",
                   "shape = \"i\"\nwidth = 40\nheight = 50\nflange = 4\nweb = 3", 2 * 160.0 + 42 * 3.0)})
    for (const bool reversed : {false, true})
      for (const int elements : {1, 2, 7}) {
        CAPTURE(large, reversed, elements);
        const std::string profiles = profile("a", large) + profile("b", small);
        const std::string yielding =
            "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
            "poisson_ratio = 0.3\nyield_stress = 235\n";
        const std::string bar = member(
            "m", reversed ? "[0, 0, 900]" : "[0, 0, 0]", reversed ? "[0, 0, 0]" : "[0, 0, 900]",
            fmt::format("profile_end = \"{}\"\nelements = {}", reversed ? "a" : "b", elements), reversed ? "b" : "a");
        const std::string fixed = support("{ near = [0, 0, 0] }", "\"all\"");
        const auto pulled =
            run(yielding + profiles + bar + fixed + action("P", force("{ near = [0, 0, 900] }", "[0, 0, -1000]")) +
                step("la", "LA", "load = \"P\"") + step("b", "LBA", "load = \"P\"\nmodes = 1"));
        const auto& o = *pulled.find("la");
        CHECK(analysis::peaks_by_part(*o.model, *o.linear)[0].stress == Approx(1000 / area).epsilon(1e-9));
        // first yield where the small end yields: its squash load
        const auto& base = *pulled.find("b")->base;
        CHECK(base.yield.load_factor == Approx(235 * area / 1000).epsilon(1e-6));
        // slenderness by the most compressed section (EN 1993-1-1, 6.3.4)
        const auto& length = pulled.find("b")->lengths.at(0);
        CHECK(length.slenderness == Approx(std::sqrt(235 * area / 1000 / factor(pulled))).epsilon(1e-6));
        CHECK(length.area == Approx(area).epsilon(1e-9));
        // bending by a moment that is the same everywhere: largest at the small end
        const auto bent = run(yielding + profiles + bar + fixed +
                              action("M", "{ kind = \"force\", at = { near = [0, 0, 900] }, moment = [0, 50000, 0] }") +
                              step("la", "LA", "load = \"M\""));
        const auto& small_end = bent.find("la")->model->profiles[1];
        elements::SectionForces f;
        const auto& points = bent.find("la")->linear->member_forces[0].points[0];
        f.moment_y = points.moment_y, f.moment_z = points.moment_z;
        const auto& b = *bent.find("la");
        CHECK(analysis::peaks_by_part(*b.model, *b.linear)[0].stress ==
              Approx(analysis::section_stress(small_end, f).size()).epsilon(1e-6));
      }
}

TEST_CASE("member stress: restrained warping counts in LA and on a path alike", "[study][fast]") {
  const auto result = run(
      head() + profile("r", "shape = \"i\"\nwidth = 80\nheight = 108\nflange = 8\nweb = 5") +
      member("m", "[0, 0, 0]", "[1000, 0, 0]",
             "up = [0, 0, 1]\nelements = 16\nwarping = true\nwarping_start = \"fixed\"") +
      support("\"m.start\"", "\"all\"") + action("T", "{ kind = \"force\", at = \"m.end\", moment = [100000, 0, 0] }") +
      step("la", "LA", "load = \"T\"") +
      step("g", "GNA", "load = \"T\"\ncontrol = \"load\"\nfirst_step = 0.001\nstop = { load_factor = 0.001 }"));
  const auto& o = *result.find("la");
  const auto peak = analysis::peaks_by_part(*o.model, *o.linear)[0];
  const auto& p = o.model->profiles[0];
  // B = T tanh(k L) / k at the fixed end, k^2 = G J / (E Iw) less what the shear of warping gives
  const double k = std::sqrt(p.torsion_constant / 2.6 / p.warping_constant);
  CHECK(peak.bimoment == Approx(1e5 * std::tanh(1000 * k) / k).epsilon(0.01));
  CHECK(peak.stress == Approx(peak.bimoment * 40 * 50 / p.warping_constant).epsilon(1e-6));
  const auto& last = result.find("g")->path->increments.back();
  CHECK(last.peaks[0].stress == Approx(1e-3 * peak.stress).epsilon(1e-4));
}

TEST_CASE("member stress: angles and zeds buckle about their principal axes", "[study][fast]") {
  for (const auto& shape : kShapes) {
    if (shape.name != "angle" && shape.name != "zed" && shape.name != "channel") continue;
    CAPTURE(shape.name);
    const auto s = theory::section_properties(shape.name, shape.dimensions);
    const auto result = run(
        head() + profile("r", fmt::format("shape = \"{}\"\n{}", shape.name, dimension_text(shape.dimensions, 1))) +
        member("m", "[0, 0, 0]", "[0, 0, 4000]", "up = [1, 0, 0]\nelements = 12\nrigid = [\"torsion\", \"shear\"]") +
        support("\"m.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") + support("\"m.end\"", "[\"x\", \"y\"]") +
        action("P", force("\"m.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"P\"\nmodes = 2"));
    CHECK(factor(result) == Approx(M_PI * M_PI * 2e5 * s.principal_minor / 16e6).epsilon(1e-3));
    const auto& e = result.find("b")->lengths.at(0);
    CHECK(e.principal == (s.product_moment != 0.0));
    CHECK(e.about_z == Approx(4000).epsilon(1e-3));  // about the minor axis
    CHECK(e.about_y == Approx(4000 * std::sqrt(s.principal_major / s.principal_minor)).epsilon(1e-3));
    CHECK(e.bend_z > 0.999);
  }
}

TEST_CASE("member stress: what is copied by a mirror answers as its image, for every shape", "[study][fast]") {
  // a cantilever askew to the mirror, and its copy, under mirrored loads
  for (const auto& shape : kShapes) {
    INFO(shape.name);
    const std::string text =
        head("") + "yield_stress = 235\n" +
        profile("r", "shape = \"" + shape.name + "\"\n" + dimension_text(shape.dimensions, 1)) +
        member("a", "[0, 100, 0]", "[700, 300, 150]", "up = [0.1, 0.2, 1]\nelements = 4") +
        "[[copies]]\nparts = [\"a\"]\nmirror = { point = [0, 0, 0], normal = [0, 1, 0] }\n" +
        support("{ any = [\"a.start\", \"a-2.start\"] }", "\"all\"") +
        action("p", force("\"a.end\"", "[-900, 130, -70]") + ", " + force("\"a-2.end\"", "[-900, -130, -70]")) +
        step("la", "LA", "load = \"p\"") + step("b", "LBA", "load = \"p\"\nmodes = 2");
    const auto r = run(text);
    const auto& la = *r.find("la");
    const auto peaks = analysis::peaks_by_part(*la.model, *la.linear);
    REQUIRE(peaks.size() == 2);
    CHECK_DIGITS(peaks[1].stress, peaks[0].stress, 8, "mirror image");
    CHECK_DIGITS(std::abs(peaks[1].moment_y) + peaks[1].moment_z, std::abs(peaks[0].moment_y) + peaks[0].moment_z, 8,
                 "mirror image");
    CHECK_DIGITS(factor(r, 2), factor(r, 1), 8, "each buckles by itself");
  }
}

}  // namespace member_stress_tests
