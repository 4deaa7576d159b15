// Studies whose materials yield: MNA, GMNA, GMNIA by their words, their numbers and what they refuse.
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace yielding_tests {

using namespace archway;
using namespace archway::test;

namespace {
const std::string kBar = "shape = \"rectangle\"\nwidth = 20\nheight = 30\nshear_deformation = false";
std::string head_with(const std::string& yielding, double yield = 250) {
  return "[study]\ntitle = \"trial\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
         "poisson_ratio = 0.3\ndensity = 8e-9\n" +
         fmt::format("yield_stress = {}\n", yield) + (yielding.empty() ? "" : "yielding = " + yielding + "\n");
}
const std::string kPerfect = "{ law = \"perfect\" }";
/// A cantilever bent at its tip about y, in any place and direction. Plastic moment 250 x 20 x 30^2 / 4.
std::string cantilever(const std::string& more, const std::string& head, const std::string& from = "[0, 0, 0]",
                       const std::string& to = "[600, 0, 0]", const std::string& across = "[0, 0, -1]",
                       const std::string& up = "[0, 0, 1]") {
  return head + profile("r", kBar) + member("a", from, to, "elements = 12\nup = " + up) +
         support("\"a.start\"", "\"all\"") + action("p", force("\"a.end\"", across)) + more;
}
constexpr double kLimit = 250 * 20 * 30 * 30 / 4.0 / 600;
}  // namespace

TEST_CASE("yield: plastic limit load of a cantilever, wherever it is and whatever the hardening is called",
          "[study][fast]") {
  const std::string limit = step("limit", "MNA", "load = \"p\"");
  const auto [from, to, across, up] =
      GENERATE(Catch::Generators::table<std::string, std::string, std::string, std::string>({
          {"[0, 0, 0]", "[600, 0, 0]", "[0, 0, -1]", "[0, 0, 1]"},                  // lying
          {"[0, 0, 0]", "[0, 0, 600]", "[1, 0, 0]", "[1, 0, 0]"},                   // standing
          {"[600, 0, 0]", "[0, 0, 0]", "[0, 0, 1]", "[0, 0, 1]"},                   // mirrored
          {"[3e6, -2e6, 4e5]", "[3000600, -2e6, 4e5]", "[0, 0, -1]", "[0, 0, 1]"},  // far away
          {"[0, 0, 0]", "[360, 480, 0]", "[-0.8, 0.6, 0]", "[-0.8, 0.6, 0]"},       // rotated
      }));
  INFO(from);
  const auto r = run(cantilever(limit, head_with(kPerfect), from, to, across, up));
  const auto& path = path_of(r, "limit");
  CHECK(path.levels_off);
  CHECK(path.first_loss == -1);
  // the fixed end is met by the outermost Gauss point, so it is reached at a little more than its load
  CHECK(path.peak_load_factor == Approx(kLimit).epsilon(0.012));
  CHECK(path.peak_load_factor > kLimit * (1 - 1e-3));
  CHECK(path.first_yield.load_factor == Approx(kLimit / 1.5).epsilon(0.012));
  REQUIRE(r.comparison.size() == 2);
  CHECK(r.comparison[0].meaning == "first yield");
  CHECK(r.comparison[1].meaning == "plastic limit load");
  // loads and reactions agree, about the origin too
  CHECK((path.applied.force + path.reacted.force).norm() < 1e-4 * path.applied.force.norm());
}

TEST_CASE("yield: all ways to say the same curve give the same path", "[study][fast]") {
  const auto how =
      GENERATE(as<std::string>{}, "{ law = \"bilinear\", tangent_ratio = 0.01 }",
               "{ law = \"bilinear\", tangent_modulus = 2000, kinematic_ratio = 0 }", "{ law = \"EN 1993-1-5 C.6 c\" }",
               "{ law = \"table\", points = [[0, 0], [0.00125, 250], [1.00125, 2250]] }",
               "{ law = \"table\", strain_measure = \"plastic\", points = [[0, 250], [0.99, 2250]] }");
  INFO(how);
  const std::string push = step("g", "GMNA", "load = \"p\"\nstop = { load_factor = 1800 }");
  const auto& wanted = run(cantilever(push, head_with("{ law = \"bilinear\", tangent_ratio = 0.01 }")));
  const auto& got = run(cantilever(push, head_with(how)));
  const auto &a = path_of(wanted, "g").increments.back(), &b = path_of(got, "g").increments.back();
  CHECK_DIGITS(b.largest_displacement, a.largest_displacement, 6, "displacement");
  CHECK_DIGITS(b.plastic_strain, a.plastic_strain, 6, "plastic strain");
  CHECK(a.plastic_strain > 0.001);
}

TEST_CASE("yield: what never yields follows the elastic path, and its copy with one word changed does not",
          "[study][fast]") {
  const std::string both = step("elastic", "GNA", "load = \"p\"\nfirst_step = 400\nstop = { load_factor = 1750 }") +
                           step("yields", "GMNA", "copy_of = \"elastic\"");
  const auto strong = run(cantilever(both, head_with(kPerfect, 1e6)));
  const auto &a = path_of(strong, "elastic").increments.back(), &b = path_of(strong, "yields").increments.back();
  CHECK_DIGITS(b.largest_displacement, a.largest_displacement, 9, "displacement");
  CHECK(b.plastic_strain == 0);
  CHECK(path_of(strong, "yields").first_yield.part == -1);
  CHECK(a.flow.empty());
  const auto weak = run(cantilever(both, head_with(kPerfect)));
  CHECK(path_of(weak, "yields").increments.back().largest_displacement >
        1.01 * path_of(weak, "elastic").increments.back().largest_displacement);
  // the elastic one still says from where on it is too strong, the other does not
  const auto says = [&](const char* name) {
    return told(weak.find(name)->warnings, "which is elastic, is too strong");
  };
  CHECK(says("elastic"));
  CHECK(!says("yields"));
}

TEST_CASE("yield: first yield is found on the way, whatever the steps", "[study][fast]") {
  const auto what = GENERATE(as<std::string>{}, "first_step = 125", "first_step = 750", "first_step = 1725",
                             "control = \"load\"\nfirst_step = 525");
  INFO(what);
  const auto r = run(
      cantilever(step("g", "GMNA", "load = \"p\"\n" + what + "\nstop = { load_factor = 1750 }"), head_with(kPerfect)));
  const auto& yield = path_of(r, "g").first_yield;
  REQUIRE(yield.part == 0);
  CHECK(yield.load_factor == Approx(1250).epsilon(2e-3));
  CHECK(yield.place.x() < 60);
}

TEST_CASE("yield: constant loads may yield the structure already", "[study][fast]") {
  const std::string loads = action("q", force("\"a.end\"", "[0, 0, -1500]"));
  const auto r = run(cantilever(loads + step("s", "LA", "load = \"q\"") +
                                    step("g", "GMNA", "preload_of = \"s\"\nload = \"p\"\nstop = { load_factor = 125 }"),
                                head_with(kPerfect)));
  const auto& path = path_of(r, "g");
  CHECK(path.first_yield.increment == 0);
  CHECK(path.first_yield.load_factor == 0);
  CHECK(path.increments[0].plastic_strain > 0);
  CHECK(path.increments.back().load_factor == but_for_rounding(125));
}

TEST_CASE("yield: every part reports how far it has yielded, and strains too large are reported", "[study][fast]") {
  const std::string second =
      member("b", "[0, 200, 0]", "[600, 200, 0]", "elements = 4") + support("\"b.start\"", "\"all\"");
  const auto r =
      run(cantilever(second + step("g", "GMNA", "load = \"p\"\nstop = { increments = 60, below_peak_ratio = 0.1 }"),
                     head_with(kPerfect)));
  const auto& last = path_of(r, "g").increments.back();
  REQUIRE(last.flow.size() == 2);
  CHECK(last.flow[0].share > 0.01);
  CHECK(last.flow[0].share < 1);
  CHECK(last.flow[1].plastic_strain == 0);
  CHECK(last.flow[1].share == 0);
  CHECK(last.plastic_strain > 0.02);
  const auto early =
      run(cantilever(step("g", "GMNA", "load = \"p\"\nstop = { plastic_strain = 0.004 }"), head_with(kPerfect)));
  const auto& steps = path_of(early, "g").increments;
  CHECK(steps.back().plastic_strain >= 0.004);
  CHECK(steps[steps.size() - 2].plastic_strain < 0.004);
  CHECK(!told(r.find("g")->warnings, "plastic strains of walls"));  // members measure engineering strains
}

TEST_CASE("yield: first yield with residual stresses is where the most stressed corner reaches it", "[study][fast]") {
  struct Case {
    const char *shape, *pattern;
    double left;  // of the yield stress, for compression
  };
  const auto c = GENERATE(Case{"i\"\nwidth = 80\nheight = 100\nflange = 7\nweb = 5", "rolled-i", 0.7},
                          Case{"i\"\nwidth = 100\nheight = 100\nflange = 7\nweb = 5", "rolled-i", 0.5},
                          Case{"i\"\nwidth = 80\nheight = 100\nflange = 7\nweb = 5", "welded-i", 0.75},
                          Case{"rectangular-hollow\"\nwidth = 80\nheight = 120\nthickness = 5", "welded-box", 0.75});
  const std::string kind = GENERATE("MNA", "GMNA");
  CAPTURE(c.shape, c.pattern, kind);
  const auto r =
      run(head_with("{ law = \"bilinear\", tangent_ratio = 0.01 }", 235) +
          profile("r", std::string("shape = \"") + c.shape) + member("a", "[0, 0, 0]", "[600, 0, 0]", "elements = 4") +
          support("\"a.start\"", "\"all\"") + action("p", force("\"a.end\"", "[-1000, 0, 0]")) +
          "\n[[residual_stresses]]\non = [\"a\"]\npattern = \"" + c.pattern + "\"\n" +
          step("g", kind, "load = \"p\"\nfirst_step = 20\nstop = { load_factor = 420, increments = 60 }"));
  const auto& path = path_of(r);
  CAPTURE(path.message);
  const double squash = 235 * r.find("g")->model->profiles.at(0).area / 1000;
  CHECK(path.first_yield.load_factor == Approx(c.left * squash).epsilon(1e-3));
  // the pattern is in balance: nothing moves before anything acts
  CHECK(path.increments.at(0).largest_displacement < 1e-9);
  CHECK(path.increments.at(0).plastic_strain == 0.0);
}

TEST_CASE("yield: elastic and plastic paths see first yield at one load, for every element and load", "[study][fast]") {
  const auto wall = [](const std::string& faces) {
    return panel("p", "[0, 0, 0]", "[200, 0, 0]", "[0, 80, 0]", "[8, 4]", "element_nodes = " + nodes_of(faces));
  };
  const auto block = [](const std::string& more) {
    return "[[solids]]\nname = \"p\"\nmaterial = \"m\"\nbody = \"block\"\ncorner = [0, 0, 0]\nalong = [200, 0, 0]\n"
           "across = [0, 80, 0]\nup = [0, 0, 12]\ndivisions = [8, 3, 2]\n" +
           more + "\n";
  };
  const std::string bar = profile("r", "shape = \"rectangle\"\nwidth = 80\nheight = 12") +
                          member("p", "[0, 0, 0]", "[200, 0, 0]", "elements = 4");
  struct Row {
    const char* what;
    std::string part, at, foot;
    double thickness;
  };
  const std::string edge = "{ on = \"p\", x = 200 }", foot = "{ on = \"p\", x = 0 }";
  const std::vector<Row> rows = {{"three-node walls", wall("three"), edge, foot, 4},
                                 {"four-node walls", wall("four"), edge, foot, 4},
                                 {"nine-node walls", wall("nine"), edge, foot, 4},
                                 {"eight-node solids", block(""), edge, foot, 12},
                                 {"twenty-node solids", block("element_nodes = 20"), edge, foot, 12},
                                 {"members", bar, "\"p.end\"", "\"p.start\"", 12}};
  for (const auto& row : rows)
    for (const base::Vec3& pull :
         {base::Vec3(1e5, 0, 0), base::Vec3(0, 0, -400), base::Vec3(0, 8000, 0), base::Vec3(-4e4, 2000, 100)}) {
      const double t = row.thickness / 4;
      const auto load = fmt::format("[{}, {}, {}]", t * pull.x(), t * pull.y(), t * t * pull.z());
      INFO(row.what << " " << load);
      const auto yields = [&](const std::string& kind, const std::string& law, double until) {
        const auto r = run(
            head_with(law) + row.part + support(row.foot, "\"all\"") +
            action("p", "{ kind = \"force\", at = " + row.at + ", force = " + load + ", distribution = \"total\" }") +
            step("g", kind, fmt::format("load = \"p\"\nfirst_step = 0.1\nstop = {{ load_factor = {} }}", until)));
        REQUIRE(path_of(r).first_yield.part == 0);
        return path_of(r).first_yield.load_factor;
      };
      const double elastic = yields("GNA", "", 1);
      CHECK(yields("GMNA", "{ law = \"bilinear\", tangent_ratio = 0.02 }", 1.02 * elastic) ==
            Approx(elastic).epsilon(3e-3));  // each located to a thousandth
    }
}

TEST_CASE("yield: small displacements follow a table as it is given, large ones in true measure", "[study][fast]") {
  const std::string kind = GENERATE("MNA", "GMNA");
  CAPTURE(kind);
  const auto r =
      run(head_with("{ law = \"table\", strain_measure = \"plastic\", points = [[0, 200], [0.1, 300]] }", 200) +
          "\n[[solids]]\nname = \"s\"\nmaterial = \"m\"\ncorner = [0, 0, 0]\nalong = [100, 0, 0]\nacross = [0, "
          "10, 0]\nup = [0, 0, 10]\ndivisions = [2, 1, 1]\n" +
          support("{ x = 0 }", "[\"x\"]") + support("{ y = 0 }", "[\"y\"]") + support("{ z = 0 }", "[\"z\"]") +
          action("p", "{ kind = \"force\", at = \"s.end\", force = [25000, 0, 0], distribution = \"total\" }") +
          step("g", kind, "load = \"p\"\nstop = { load_factor = 1 }"));
  const auto& last = path_of(r).increments.back();
  REQUIRE(last.load_factor == Approx(1));
  // 250 N/mm^2 on the section as it was: a plastic strain of 0.05 and 250 / 200 000 elastic, by either measure
  CHECK(last.largest_displacement == Approx(100 * (0.05 + 250.0 / 200000)).epsilon(2e-2));
  if (kind == "MNA") CHECK(last.largest_displacement > 100 * (0.05 + 250.0 / 200000) * (1 - 1e-6));
  CHECK(told(r.find("g")->model->remarks, "true stress over logarithmic strain"));
}

TEST_CASE("yield: small displacements follow a table of true stress as it is given, and need no yield",
          "[study][fast]") {
  const auto part = GENERATE(as<std::string>(), "rod", "block");
  CAPTURE(part);
  const std::string rod = profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
                          member("s", "[0, 0, 0]", "[100, 0, 0]", "elements = 4") + support("\"s.start\"", "\"all\""),
                    block =
                        "\n[[solids]]\nname = \"s\"\nmaterial = \"m\"\ncorner = [0, 0, 0]\nalong = [100, 0, "
                        "0]\nacross = [0, 10, 0]\nup = [0, 0, 10]\ndivisions = [2, 1, 1]\n" +
                        support("{ x = 0 }", "[\"x\"]") + support("{ y = 0 }", "[\"y\"]") +
                        support("{ z = 0 }", "[\"z\"]");
  const auto pull = [&](const std::string& law) {
    return run(head_with(law, law.empty() ? 0 : 200) + (part == "rod" ? rod : block) +
               action("p", "{ kind = \"force\", at = \"s.end\", force = [25000, 0, 0], distribution = \"total\" }") +
               step("g", "MNA", "load = \"p\"\nstop = { load_factor = 1 }"));
  };
  const std::string points = ", law = \"table\", strain_measure = \"plastic\", points = [[0, 200], [0.1, 300]] }";
  const auto one = pull("{ stress_measure = \"engineering\"" + points),
             two = pull("{ stress_measure = \"true-stress\"" + points);
  CHECK(path_of(one).first_yield.load_factor == Approx(0.8).epsilon(1e-5));
  CHECK(path_of(two).first_yield.load_factor == Approx(0.8).epsilon(1e-5));
  CHECK(path_of(two).increments.back().largest_displacement ==
        Approx(path_of(one).increments.back().largest_displacement).epsilon(1e-9));
  CHECK(told(two.find("g")->model->remarks, "first yield comes at a load 0.1 % lower") == (part == "rod"));

  const auto none = pull("");
  CHECK(path_of(none).increments.back().largest_displacement >= 0.125 * (1 - 1e-9));  // 250 N/mm^2, and Poisson's share
  CHECK(path_of(none).increments.back().largest_displacement == Approx(0.125).epsilon(1e-3));
  CHECK(told(none.find("g")->warnings, "no material yields: this MNA is linear"));
}

TEST_CASE("yield: bonded walls of a yielding material have the same path, however they are rotated", "[study][fast]") {
  // straight from the drawing the bonded walls carry strains of pure rounding: they are no strains
  const auto path = [](const std::string& faces, double angle, double load) {
    const Eigen::Matrix3d rotation =
        (Eigen::AngleAxisd(angle, Eigen::Vector3d(1, 2, 3).normalized())).toRotationMatrix();
    const auto v = [&](double x, double y, double z) {
      const Eigen::Vector3d w = rotation * Eigen::Vector3d(x, y, z);
      return fmt::format("[{:.17g}, {:.17g}, {:.17g}]", w.x(), w.y(), w.z());
    };
    const std::string kind = "element_nodes = " + nodes_of(faces);
    const auto r = run(
        head_with("{ law = \"EN 1993-1-5 C.6 b\" }") +
        panel("chord", v(0, -30, 0), v(200, 0, 0), v(0, 60, 0), "[10, 4]", kind, 5) +
        panel("gusset", v(50, 0, 0), v(100, 0, 0), v(0, 0, 60), "[7, 3]", kind, 10) +
        support("{ any = [\"chord.start\", \"chord.end\"] }", "\"all\"") +
        action("p", "{ kind = \"force\", at = \"gusset.right\", force = " + v(0, 0, -load) +
                        ", distribution = \"total\" }") +
        step("g", "GMNA", fmt::format("load = \"p\"\nstop = {{ load_factor = {}, increments = 40 }}", 9000 / load)));
    REQUIRE(path_of(r).stop_reason.find("load factor") != std::string::npos);
    const auto& last = path_of(r).increments.back();
    CHECK(last.plastic_strain > 1e-4);
    return last.largest_displacement;
  };
  const std::string faces = GENERATE("three", "four", "nine");
  CAPTURE(faces);
  const double upright = path(faces, 0, 9000);
  for (const double angle : {M_PI / 6, 1.3, 2.9}) CHECK(path(faces, angle, 9000) == Approx(upright).epsilon(1e-5));
  CHECK(path(faces, 0.7, 1) == Approx(upright).epsilon(1e-5));
}

TEST_CASE("yield: what cannot be is refused with its place", "[study][fast]") {
  const std::string go = step("g", "GMNA", "load = \"p\"\nstop = { load_factor = 10 }");
  const auto table_of = [](const std::string& points) { return "{ law = \"table\", points = " + points + " }"; };
  const auto [text, words] = GENERATE_REF(Catch::Generators::table<std::string, std::string>({
      {cantilever(go, head_with("")), "no material yields, so 'g' is no GMNA"},
      {cantilever(go, head_with("{ law = \"perfekt\" }")), "did you mean 'perfect'"},
      {cantilever(go, head_with("{ law = \"bilinear\" }")), "needs 'tangent_modulus'"},
      {cantilever(go, head_with("{ law = \"bilinear\", tangent_modulus = 2e5 }")), "the tangent modulus is 200000"},
      {cantilever(go, head_with("{ law = \"bilinear\", tangent_modulus = 20, tangent_ratio = 0.1 }")), "say the same"},
      {cantilever(go, head_with("{ law = \"bilinear\", tangent_modulus = 20, kinematic_ratio = 1.2 }")),
       "between 0 and 1"},
      {cantilever(go, head_with(table_of("[[0.00125, 250], [0.01, 240]]"))), "point 2 (0.01, 240): the stress falls"},
      {cantilever(go, head_with(table_of("[[0.00125, 300], [0.01, 340]]"))), "is where yield begins"},
      {cantilever(go, head_with(table_of("[[0.0015, 300], [0.01, 340]]"))), "but 'yield_stress' is 250"},
      {cantilever(go, head_with(table_of("[]"))), "this table has no 'points'"},
      {cantilever(go, head_with("{ law = \"power\", proof_stress = 200, exponent = 1 }")), "above one"},
      {cantilever(go, head_with("{ law = \"perfect\" }", 0)), "no yield stress to begin from"},
      {cantilever(go + step("b", "LBA", "state_of = \"g\""), head_with(kPerfect)),
       "buckling about a state that has yielded"},
  }));
  INFO(words);
  const std::string complaint = complaint_of(text);
  CHECK_THAT(complaint, Catch::Contains(words));
  CHECK_THAT(complaint, Catch::Contains(".toml:"));
}

}  // namespace yielding_tests
