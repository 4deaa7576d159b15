// Whether the load as given is carried: what is reported, where the border lies, and that units, signs and constant
// loads do not move it.
#include <catch2/catch.hpp>

#include "archway/study/load_as_given.hpp"
#include "archway/study/summary.hpp"
#include "support/pieces.hpp"

namespace load_as_given_tests {

using namespace archway;
using namespace archway::test;

namespace {
const std::string kYield = "yield_stress = 235\n";
/// A pinned column of 1000 mm, 20 x 30 mm: Euler load pi^2 E 20000 / 1e6 = 39478 N, squash load 141000 N.
std::string column(double load, const std::string& steps) {
  return head() + kYield + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
         member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]\nelements = 8") +
         support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") + support("\"a.end\"", "[\"x\", \"y\"]") +
         action("p", force("\"a.end\"", fmt::format("[0, 0, {}]", -load))) + steps;
}
const std::string kStatic = step("la", "LA", "load = \"p\""), kBuckling = step("b", "LBA", "load = \"p\"\nmodes = 1");
}  // namespace

TEST_CASE("load as given: critical factor below 1 and stress above yield, on either side of the border",
          "[study][fast]") {
  struct Row {
    double load;
    std::vector<std::string> said;
  };
  for (const auto& row : {Row{1, {}}, Row{39000, {}}, Row{40000, {"critical"}}, Row{140900, {"critical"}},
                          Row{141100, {"critical", "yield"}}, Row{-140900, {}}, Row{-141100, {"yield"}}}) {
    CAPTURE(row.load);
    const auto result = run(column(row.load, kStatic + kBuckling));
    REQUIRE(result.load_findings.size() == row.said.size());
    for (std::size_t k = 0; k < row.said.size(); ++k) {
      CHECK_THAT(result.load_findings[k].text, Catch::Contains(row.said[k]));
      CHECK(result.load_findings[k].use > 1);
    }
    for (std::size_t k = 1; k < row.said.size(); ++k)
      CHECK(result.load_findings[k - 1].use >= result.load_findings[k].use);
  }
}

TEST_CASE("load as given: the summary is no better than what was computed", "[study][fast]") {
  using study::Carried;
  const auto stocky = [](double load, double yield, const std::string& steps) {
    auto text = column(load, steps);
    return run(text.replace(text.find("235"), 3, fmt::format("{}", yield)));
  };
  const std::string path = kBuckling + shape("i", "mode_of = \"b\"\namplitude = 1") +
                           step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"i\"\nstop = { load_factor = 1 }");
  CHECK(study::carried(run(column(1, kStatic))) == Carried::not_answered);  // no word on stability
  CHECK(study::carried(run(column(30000, kBuckling))) == Carried::not_contradicted);
  CHECK(study::carried(run(column(40000, kBuckling))) == Carried::no);
  // 30000 N are 50 N/mm2: critical at 1.316, but yield comes first
  CHECK(study::carried(stocky(30000, 40, kBuckling)) == Carried::not_answered);
  CHECK(study::carried(run(column(30000, path))) == Carried::not_contradicted);
  CHECK(study::carried(stocky(30000, 60, path)) == Carried::not_answered);  // the bow's bending yields below factor 1
  auto halfway = path;
  halfway.replace(halfway.find("load_factor = 1 }"), 17, "load_factor = 0.5 }");
  CHECK(study::carried(run(column(30000, halfway))) == Carried::not_answered);
  const auto lines = study::summary(run(column(40000, kStatic + path)));
  REQUIRE(lines.size() >= 2);
  CHECK(lines.front().carried == Carried::no);  // the worst first
}

TEST_CASE("load as given: a peak below load factor 1, and none above", "[study][fast]") {
  const auto said = [](double load) {
    return run(column(
                   load,
                   kBuckling + shape("i", "mode_of = \"b\"\namplitude = 40") +
                       step(
                           "g", "GNIA",
                           "loads_of = \"b\"\nimperfection = \"i\"\nstop = { below_peak_ratio = 0.95, increments = 40 }")))
        .load_findings;
  };
  // an elastic column has no limit point, a shallow arch has
  CHECK(said(1).empty());
  const auto arch = [](double load) {
    return run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 10") +
               member("a", "[-300, 0, 0]", "[300, 0, 0]", "via = [0, 0, 30]\nelements = 8") +
               support("{ on = \"a\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
               support("{ any = [\"a.start\", \"a.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
               action("p", force("{ near = [0, 0, 30] }", fmt::format("[0, 0, {}]", -load))) +
               step("g", "GNA",
                    fmt::format("load = \"p\"\nfirst_step = {}\nstop = {{ below_peak_ratio = 0.97 }}", 50 / load)));
  };
  const double peak = path_of(arch(1)).peak_load_factor;
  CHECK(arch(0.9 * peak).load_findings.empty());
  const auto beyond = arch(1.25 * peak).load_findings;
  REQUIRE(beyond.size() == 1);
  CHECK(beyond[0].use == Approx(1.25).epsilon(1e-4));
}

TEST_CASE("load as given: bars beyond their own Euler load, whatever the section", "[study][fast]") {
  // a bar between two hinges beside a rope: I of the weaker principal axis
  struct Row {
    std::string shape;
    double second_moment;
  };
  for (const auto& row : {Row{"shape = \"rectangle\"\nwidth = 20\nheight = 30", 30 * 8000. / 12},
                          Row{"shape = \"rectangle\"\nwidth = 30\nheight = 20", 30 * 8000. / 12},
                          Row{"shape = \"circle\"\ndiameter = 20", M_PI * 1e4 / 4},
                          Row{"shape = \"given\"\narea = 600\nsecond_moment_y = 5e4\nsecond_moment_z = "
                              "5e4\ntorsion_constant = 1e4\nproduct_moment = 3e4",
                              2e4}}) {
    const double euler = M_PI * M_PI * 2e5 * row.second_moment / 4e6;
    for (const double use : {0.99, 1.01, 5.0, -5.0})
      for (const bool rope : {false, true}) {
        CAPTURE(row.shape, use, rope);
        const std::string text =
            head() + profile("r", row.shape) +
            fmt::format(
                "\n[[bars]]\nname = \"strut\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [2000, 0, "
                "0]\n{}",
                rope ? "tension_only = true\n" : "") +
            member("wall", "[2000, 0, 0]", "[2000, 0, 1000]", "up = [1, 0, 0]\nelements = 2") +
            support("\"wall.end\"", "\"all\"") + support("\"strut.start\"", "[\"x\", \"y\", \"z\"]") +
            action("p", force("{ near = [2000, 0, 0] }", fmt::format("[{}, 0, 0]", -use * euler))) + kStatic;
        const auto result = run(text);
        const double force = result.find("la")->linear->bar_forces[0];
        const bool beyond = !rope && -force > euler;
        REQUIRE(result.load_findings.size() == (beyond ? 1 : 0));
        if (!beyond) continue;
        CHECK(result.load_findings[0].part == "strut");
        CHECK(result.load_findings[0].use == Approx(-force / euler).epsilon(1e-9));
      }
  }
}

TEST_CASE("load as given: a buckling analysis says which bars buckle before its first mode", "[study][fast]") {
  // a strut as a bar holds a post against swaying: Euler load of the strut pi^2 E I / L^2, I about its weaker axis
  for (const bool held : {false, true})
    for (const double width : {2.0, 1000.0, 2000.0}) {
      const std::string text =
          head() + profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 60") +
          profile("s", fmt::format("shape = \"rectangle\"\nwidth = {}\nheight = 30", width)) +
          member("post", "[0, 0, 0]", "[0, 0, 2000]", "up = [1, 0, 0]\nelements = 8") +
          "\n[[bars]]\nname = \"strut\"\nmaterial = \"m\"\nprofile = \"s\"\nfrom = [1500, 0, 0]\nto = [0, 0, 2000]\n" +
          support("\"post.start\"", "\"all\"") + support("{ near = [1500, 0, 0] }", "[\"x\", \"y\", \"z\"]") +
          support("\"post.end\"", "[\"y\"]") + action("p", force("\"post.end\"", "[1, 0, -2]")) +
          action("q", force("\"post.end\"", "[10, 0, 0]")) + (held ? step("h", "LA", "load = \"q\"") : "") +
          step("b", "LBA", std::string(held ? "preload_of = \"h\"\n" : "") + "load = \"p\"\nmodes = 1");
      CAPTURE(held, width);
      const auto result = run(text);
      const auto& o = *result.find("b");
      const double thin = std::min(width, 30.0), wide = std::max(width, 30.0);
      const double euler = M_PI * M_PI * 2e5 * wide * std::pow(thin, 3) / 12 / (2500.0 * 2500.0);
      const double at = (-euler - o.base->constant.bar_forces[0]) / o.base->variable.bar_forces[0];
      const bool before = at < o.buckling->modes[0].load_factor;
      CHECK(before == (width < 1500));
      CHECK(told(o.warnings, "exceeds its own Euler load") == before);
      if (before) CHECK(told(o.warnings, fmt::format("at load factor {:.4g}", at)));
    }
}

TEST_CASE("load as given: tension-only bars that go slack are named, on a path and before a mode", "[study][fast]") {
  const double wind = GENERATE(1000.0, -1000.0);
  const double reach = GENERATE(0.3, 1.0);  // of the wind; the lee stay is slack at about 0.45
  CAPTURE(wind, reach);
  const auto stay = [](const char* name, const char* foot) {
    return fmt::format(
        "\n[[bars]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = {}\nto = [0, 0, 3000]\ntension_only = "
        "true\n",
        name, foot);
  };
  const auto r = run(
      head("planar = \"xz\"\n") + profile("r", "shape = \"circle\"\ndiameter = 10") +
      profile("tube", "shape = \"circular-hollow\"\ndiameter = 60\nthickness = 3") +
      member("mast", "[0, 0, 0]", "[0, 0, 3000]", "up = [1, 0, 0]\nelements = 6", "tube") +
      stay("east", "[1500, 0, 0]") + stay("west", "[-1500, 0, 0]") +
      support("{ any = [\"mast.start\", \"east.start\", \"west.start\"] }", "[\"x\", \"z\"]") +
      action("pull", "{ kind = \"pretension\", on = [\"east\", \"west\"], value = 500 }") +
      action("wind", force("\"mast.end\"", fmt::format("[{}, 0, 0]", wind))) +
      step("pre", "GNA", "load = \"pull\"\nstop = { load_factor = 1 }") +
      step("b", "LBA", "state_of = \"pre\"\nload = \"wind\"\nmodes = 1") +
      step(
          "g", "GNA",
          fmt::format(
              "stages = [{{ load = \"pull\", to_load_factor = 1 }}, {{ load = \"wind\", to_load_factor = {}, first_step = 0.05 }}]",
              reach)));
  const std::string lee = wind > 0 ? "'east'" : "'west'", other = wind > 0 ? "'west'" : "'east'";
  const auto& path = r.find("g")->warnings;
  CHECK(told(path, "go slack: " + lee) == (reach > 0.5));
  CHECK_FALSE(told(path, "go slack: " + other));
  REQUIRE(factor(r) > 0.5);
  CHECK(told(r.find("b")->warnings, "loses its tension"));
  CHECK(told(r.find("b")->warnings, lee));
}

TEST_CASE("load as given: a plastic strain limit fails below its factor and holds above", "[study][fast]") {
  // a bar of 600 mm^2 that yields at 141 000 N and hardens by 2000 N/mm^2: 0.1 % more at 142 188 N
  const double factor = GENERATE(1.40, 1.43);
  const auto r = run(
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
      "poisson_ratio = 0.3\nyield_stress = 235\nyielding = { law = \"bilinear\", tangent_modulus = 2000 "
      "}\n" +
      profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
      member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 2") + support("\"a.start\"", "\"all\"") +
      action("p", force("\"a.end\"", "[100000, 0, 0]")) +
      step("g", "MNA",
           fmt::format("load = \"p\"\nstop = {{ load_factor = 1.45 }}\nfirst_step = 0.02\nstrain_limits = [{{ "
                       "plastic_strain = 0.001, factor = {} }}]",
                       factor)));
  CHECK(r.load_findings.size() == (factor > 1.42 ? 1 : 0));
  if (factor > 1.42) CHECK_THAT(r.load_findings.at(0).text, Catch::Contains("plastic strain of 0.1 %"));
  double yields = 0, limit = 0;
  for (const auto& row : r.comparison) {
    if (row.meaning == "first yield") yields = row.load_factor;
    if (row.meaning.find("plastic strain") == 0) limit = row.load_factor;
  }
  CHECK(yields == Approx(1.41).epsilon(1e-3));
  CHECK(limit > yields);
}

TEST_CASE("load as given: the knee of a watch does not move with the end of its path", "[study][fast]") {
  static std::vector<double> knees;
  const double end = GENERATE(15.0, 25.0, 60.0);
  const auto r = run(column(
      1000, kBuckling + shape("i", "on = \"a\"\nshape = \"bow\"\ndirection = [0, 1, 0]\namplitude = 4") +
                "\n[[watches]]\nname = \"w\"\nat = { near = [0, 0, 500], inner_nodes = true }\ndirection = [0, 1, "
                "0]\n" +
                step("g", "GNIA",
                     fmt::format("loads_of = \"b\"\nimperfection = \"i\"\nstop = {{ watch = \"w\", value "
                                 "= {}, increments = 60 }}",
                                 end))));
  const auto row =
      std::find_if(r.comparison.begin(), r.comparison.end(), [](const auto& c) { return c.meaning == "knee of 'w'"; });
  REQUIRE(row != r.comparison.end());
  knees.push_back(row->load_factor);
  CHECK(row->load_factor == Approx(knees.front()).epsilon(1e-9));
  // w = w0 f / (1 - f): stiffness falls as (1 - f)^2, to half at f = 0.293 of the critical load; chords are coarse
  CHECK(row->load_factor == Approx(0.293 * 39.478).epsilon(0.15));
  CHECK(row->displacement == Approx(4 * 0.293 / 0.707).epsilon(0.2));
  for (const auto& c : r.comparison)
    if (c.meaning == "largest reached") CHECK(std::isnan(c.ratio));
}

TEST_CASE("load as given: a pretensioned rope that loses its tension is named, a slack diagonal is not",
          "[study][fast]") {
  // a post between two ropes, in tension sideways by more or less than their pretension can take
  const auto said = [](double wind, bool pretensioned, const std::string& steps) {
    const auto rope = [](const char* name, double x) {
      return fmt::format(
          "\n[[bars]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"o\"\nfrom = [{}, 0, 0]\nto = [0, 0, 900]\n"
          "tension_only = true\n",
          name, x);
    };
    const std::string pull = pretensioned ? ", { kind = \"pretension\", on = [\"left\", \"right\"], value = 500 }" : "";
    const auto r = run(
        head() + profile("r", "shape = \"circle\"\ndiameter = 30") + profile("o", "shape = \"circle\"\ndiameter = 6") +
        member("post", "[0, 0, 0]", "[0, 0, 900]", "up = [1, 0, 0]") + rope("left", -600) + rope("right", 600) +
        support("\"post.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") + support("\"post.end\"", "[\"y\"]") +
        support("{ any = [\"left.start\", \"right.start\"] }", "[\"x\", \"y\", \"z\"]") +
        action("p", force("\"post.end\"", fmt::format("[{}, 0, -10]", wind)) + pull) + steps);
    std::vector<std::string> parts;
    for (const auto& f : r.load_findings)
      if (f.text.find("rope") != std::string::npos) parts.push_back(f.part);
    return parts;
  };
  using Names = std::vector<std::string>;
  for (const std::string& steps : {kStatic, kBuckling}) {
    CAPTURE(steps);
    CHECK(said(100, true, steps).empty());
    CHECK(said(2000, true, steps) == Names{"right"});
    CHECK(said(-2000, true, steps) == Names{"left"});
    CHECK(said(2000, false, steps).empty());
  }
  CHECK(said(2000, true, kStatic + kBuckling) == Names{"right"});  // named once
}

TEST_CASE("load as given: a peak that is passed again, and a path that ended by its time, say so", "[study][fast]") {
  const auto note = [](const std::string& more) {
    const auto r = run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 10") +
                       member("a", "[-300, 0, 0]", "[300, 0, 0]", "via = [0, 0, 14]\nelements = 8") +
                       support("{ on = \"a\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
                       support("{ any = [\"a.start\", \"a.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
                       action("p", force("{ near = [0, 0, 14] }", "[0, 0, -1000]")) +
                       step("g", "GNA", "load = \"p\"\nfirst_step = 0.3\n" + more));
    for (const auto& row : r.comparison)
      if (row.meaning.find("peak") != std::string::npos || row.meaning.find("largest") != std::string::npos)
        return row.note;
    return std::string("no row");
  };
  CHECK(note("stop = { below_peak_ratio = 0.97 }").empty());
  CHECK_THAT(note("stop = { load_factor = 60, increments = 200 }"), Catch::Contains("local: the path reaches 60"));
  CHECK_THAT(note("stop = { seconds = 1e-6 }"), Catch::Contains("ended by its time limit"));
}

}  // namespace load_as_given_tests
