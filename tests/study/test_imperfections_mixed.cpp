// Imperfections of every kind of part, with what else a study may hold; what couplings carry; branches and what they
// cannot report.
#include "archway/io/number_table.hpp"
#include "archway/study/build_model.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace imperfections_mixed_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
/// Displacement of the node at a place in the perfect structure.
Vec3 moved_at(const study::AnalysisOutcome& o, const Vec3& place) {
  const auto& nodes = o.model->nodes;
  for (std::size_t n = 0; n < nodes.size(); ++n)
    if ((nodes[n] - place).norm() < 1e-6) return o.imperfection->displacement[n];
  throw std::runtime_error("no node there");
}
const std::string kYielding =
    "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
    "poisson_ratio = 0.3\nyield_stress = 250\nyielding = { law = \"perfect\" }\n";
/// A pinned strut along x that bows in the plane x z; `more` before the analysis.
std::string strut(const std::string& materials, const std::string& more, const std::string& analysis) {
  return materials + profile("r", "shape = \"i\"\nwidth = 60\nheight = 80\nflange = 5\nweb = 4") +
         member("a", "[0, 0, 0]", "[1500, 0, 0]", "elements = 8\nup = [0, 1, 0]") +
         support("{ on = \"a\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
         support("\"a.start\"", "[\"x\", \"y\", \"z\"]") + support("\"a.end\"", "[\"y\", \"z\"]") +
         action("push", force("\"a.end\"", "[-1000, 0, 0]")) +
         action("dead", force("{ near = [750, 0, 0] }", "[0, 0, -300]")) +
         shape("bow", "shape = \"bow\"\non = \"a\"\ndirection = [0, 0, 1]\namplitude = -4") + more + analysis;
}
std::string watch_of(const std::string& name) {
  return fmt::format("\n[[watches]]\nname = \"{}\"\nat = {{ near = [750, 0, 0] }}\ndirection = [0, 0, 1]\n", name);
}
double peak(const std::string& text) {
  return path_of(run(text)).peak_load_factor;
}
}  // namespace

TEST_CASE("imperfections: beside constant loads, stages, residual stresses and yield", "[study][fast]") {
  const std::string alone = step("g", "GMNIA", "load = \"push\"\nimperfection = \"bow\"");
  const std::string held = step("la", "LA", "load = \"dead\"") +
                           step("g", "GMNIA", "preload_of = \"la\"\nload = \"push\"\nimperfection = \"bow\"");
  const std::string staged =
      step("g", "GMNIA",
           "imperfection = \"bow\"\nstages = [{ name = \"first\", load = \"dead\", to_load_factor = 1 }, { name = "
           "\"then\", load = \"push\" }]");
  const double plain = peak(strut(kYielding, "", alone));
  const double loaded = peak(strut(kYielding, "", held));
  CHECK(loaded < 0.97 * plain);
  // the constant load first, and a stage that puts it on first, are the same structure
  const auto stages = run(strut(kYielding, "", staged));
  const auto& path = path_of(stages);
  REQUIRE(path.stages.size() == 2);
  CHECK(path.increments.at(static_cast<std::size_t>(path.stages[1].peak)).load_factor == Approx(loaded).epsilon(2e-4));
  const double stressed = peak(strut(kYielding, "[[residual_stresses]]\non = \"a\"\npattern = \"rolled-i\"\n", alone));
  CHECK(stressed < 0.99 * plain);
  // straight, the strut reaches its squash load or its critical load; bowed never
  const double area = 2 * 60 * 5 + 70 * 4;
  CHECK(plain < area * 250 / 1000);
}

TEST_CASE("imperfections: a bow of a strut against the amplification of second order", "[study][fast]") {
  // small loads: the displacement in the middle is w0 times N / (Ncr - N)
  const auto r =
      run(strut(head(), "",
                watch_of("middle") + step("b", "LBA", "load = \"push\"\nmodes = 1\nreversed_load = \"leave-out\"") +
                    step("g", "GNIA",
                         "load = \"push\"\nimperfection = \"bow\"\ncontrol = \"load\"\nfirst_step = 5\nstop = { "
                         "load_factor = 20 }")));
  const double critical = factor(r);
  const auto& last = path_of(r).increments.back();
  CHECK(last.load_factor == Approx(20));
  CHECK(last.watched[0] == Approx(-4 * 20 / (critical - 20)).epsilon(2e-3));
}

TEST_CASE("imperfections: a stiffener is carried along, on any material and on solids", "[study][fast]") {
  const std::string deck = panel("plate", "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]", "[8, 4]") +
                           panel("web", "[0, 100, 0]", "[400, 0, 0]", "[0, 0, -40]", "[8, 2]") +
                           support("{ on = \"plate\", free_edges = true }", "[\"z\"]") +
                           support("{ near = [0, 0, 0] }", "[\"x\", \"y\"]") +
                           support("{ near = [0, 200, 0] }", "[\"x\"]") +
                           action("p", "{ kind = \"edge\", at = \"plate.end\", force = [-1, 0, 0] }");
  const std::string waves =
      "shape = \"waves\"\non = \"plate\"\nhalf_waves_along = 1\nhalf_waves_across = 1\namplitude = -2\n";
  const std::string path =
      step("g", "GNIA", "load = \"p\"\nimperfection = \"w\"\nfirst_step = 1\nstop = { increments = 1 }");
  const auto carried = run(head() + deck + shape("w", waves + "attached_parts = \"web\"") + path);
  const auto left = run(head() + deck + shape("w", waves) + path);
  const auto& with = *carried.find("g");
  CHECK(moved_at(with, {200, 100, 0}).z() == Approx(-2));
  CHECK(moved_at(with, {200, 100, -40}).z() == Approx(-2));
  CHECK(moved_at(with, {100, 100, -20}).z() == Approx(-2 * std::sin(M_PI / 4)));
  CHECK(moved_at(*left.find("g"), {200, 100, -40}).norm() == 0);
  CHECK(with.usable());
}

TEST_CASE("imperfections: laminates and solids take shapes and follow their paths", "[study][fast]") {
  const std::string laminate =
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[plies.tape]\nyoungs_modulus_1 = "
      "120000\nyoungs_modulus_2 = "
      "9000\npoisson_ratio = 0.3\nshear_modulus_12 = 5000\n[laminates.wall]\nlayup = [{ "
      "ply = \"tape\", thickness = 1, angle_deg = 0 }, { ply = \"tape\", thickness = 1, angle_deg = 90 }, { ply = \"tape\", "
      "thickness = 1, angle_deg "
      "= 0 }]\n[[panels]]\nname = \"p\"\nlaminate = \"wall\"\nfibre_direction = [1, 0, 0]\nelement_nodes = 9\ndivisions = [4, "
      "3]\ncorner = [0, 0, "
      "0]\nalong = [300, 0, 0]\nacross = [0, 200, 0]\n";
  const auto r = run(laminate + support("{ on = \"p\", free_edges = true }", "[\"z\"]") +
                     support("\"p.start\"", "[\"x\"]") + support("{ near = [0, 0, 0] }", "[\"y\"]") +
                     action("p", "{ kind = \"edge\", at = \"p.end\", force = [-1, 0, 0] }") +
                     shape("w",
                           "shape = \"dimple\"\non = \"p\"\ncentre = [150, 100, 0]\nwidth_along = 250\nwidth_across = "
                           "180\namplitude = { thickness_ratio = 0.2, part = \"p\" }") +
                     step("b", "LBA", "load = \"p\"\nmodes = 1\nreversed_load = \"leave-out\"") +
                     step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"w\"\nstop = { increments = 3 }"));
  CHECK(r.find("g")->imperfection->largest == Approx(0.6));
  CHECK(r.find("g")->usable());
  const auto s =
      run(head() +
          "\n[[solids]]\nname = \"pipe\"\nmaterial = \"m\"\nbody = \"tube\"\naxis = [[0, 0, 0], [0, 0, "
          "200]]\nstart = [90, 0, 0]\nwall_thickness = 10\ndivisions = [24, 6, 1]\n" +
          support("\"pipe.left\"", "[\"x\", \"y\", \"z\"]") +
          action("p", "{ kind = \"pressure\", on = \"pipe.top\", value = 1 }") +
          shape("oval", "shape = \"ovality\"\non = \"pipe\"\namplitude = 1") +
          step("g", "GNIA", "load = \"p\"\nimperfection = \"oval\"\nfirst_step = 2\nstop = { increments = 2 }"));
  CHECK(s.find("g")->usable());
  CHECK(s.find("g")->imperfection->largest == Approx(1).epsilon(1e-9));
}

TEST_CASE("imperfections: the displacement of an analysis is a shape", "[study][fast]") {
  const auto r = run(strut(
      head(),
      shape("sag", "displacement_of = \"la\"\namplitude = 3") +
          shape("bent", "displacement_of = \"first\"\namplitude = { factor = 0.5 }\nincrement = 2"),
      step("la", "LA", "load = \"dead\"") +
          step("first", "GNIA", "load = \"push\"\nimperfection = \"bow\"\nfirst_step = 10\nstop = { increments = 3 }") +
          step("g", "GNIA",
               "load = \"push\"\nimperfection = [\"sag\", \"2 * bent\"]\nfirst_step = 10\nstop = { increments = 1 }")));
  const auto& o = *r.find("g");
  REQUIRE(o.seeded.size() == 2);
  const auto& u = r.find("la")->linear->displacement;
  double most = 0;
  for (Eigen::Index n = 0; n < u.size(); n += model::kNodeDofs) most = std::max(most, u.segment<3>(n).norm());
  const auto& first = *r.find("first");
  const auto state = first.path->increments.at(2).displacement(*first.geometry);
  for (std::size_t n = 0; n < o.model->nodes.size(); ++n) {
    const Vec3 expected = 3 / most * u.segment<3>(model::row(n)) + state.segment<3>(model::row(n));
    REQUIRE((o.imperfection->displacement[n] - expected).norm() < 1e-9);
  }
  CHECK(told(o.seeded[1].notes, "increment 2"));
}

TEST_CASE("sweeps and designs: what names nothing is reported", "[study][fast]") {
  const auto base = [](const std::string& more) {
    return strut(
        head("[parameters]\nt = 5\n"),
        shape("rough", "shape = \"random\"\non = \"a\"\ndirection = [0, 0, 1]\ncorrelation_along = 400\namplitude = 1"),
        step("b", "LBA", "load = \"push\"\nmodes = 2\nreversed_load = \"leave-out\"") +
            step("g", "GNIA", "load = \"push\"\nimperfection = \"bow\"") + more);
  };
  const auto sweep = [](const std::string& keys) { return "\n[[sweeps]]\nname = \"s\"\n" + keys + "\n"; };
  const auto [more, wanted] = GENERATE_COPY(Catch::Generators::table<std::string, std::string>({
      {sweep("analysis = \"g\"\namplitudes = [1]"), "does not say which imperfections"},
      {sweep("analysis = \"g\"\nimperfections = [\"bow\"]"), "has no amplitudes"},
      {sweep("analysis = \"g\"\nimperfections = [\"bow\"]\namplitudes = [-1]"), "give amplitudes above zero"},
      {sweep("analysis = \"h\"\nimperfections = [\"bow\"]\namplitudes = [1]"), "is no path with an imperfection"},
      {sweep("analysis = \"b\"\nimperfections = [\"bow\"]\namplitudes = [1]"), "is no path with an imperfection"},
      {sweep("analysis = \"g\"\nimperfections = [\"bo\"]\namplitudes = [1]"), "no imperfection named 'bo'"},
      {sweep("analysis = \"g\"\nimperfections = [\"bow\"]\nsamples = 4"), "is not random"},
      {sweep("analysis = \"g\"\nimperfections = [\"rough\"]\nsamples = 4\ndesigns = [\"x\"]"), "no design named 'x'"},
      {sweep("analysis = \"g\"\nworst_of = \"b\"\namplitudes = [1, 2]"), "of one size"},
      {sweep("analysis = \"g\"\nworst_of = \"b\"\namplitudes = [1]"), "does not start from it"},
      {"\n[[designs]]\nname = \"x\"\n", "changes nothing"},
      {"\n[[designs]]\nname = \"x\"\n  set = { u = 4 }\n", "no parameter 'u' to set"},
      {"\n[[designs]]\nname = \"x@\"\n  set = { t = 4 }\n", "cannot be the name of a design"},
      {step("h", "GNIA", "load = \"push\"\nimperfection = [\"bow\", \"half * rough\"]"),
       "is no number times an imperfection"},
      {step("h", "GNIA", "load = \"push\"\nimperfection = [\"bow\", \"0 * rough\"]"), "is taken zero times"},
      {step("h", "GNIA", "load = \"push\"\nimperfection = \"baw\""), "no imperfection named 'baw'"},
  }));
  CAPTURE(more);
  CHECK(complaint_of(base(more)).find(wanted) != std::string::npos);
}

TEST_CASE("tables: headings, gaps, separators and what is wrong, by line", "[study][fast]") {
  const auto t = io::parse_number_table("# laser\n\nangle; height ;deviation\n0;1;-0.5\n10;;\r\n20;3;1e-3\n", "m.csv");
  CHECK(t.columns == std::vector<std::string>{"angle", "height", "deviation"});
  REQUIRE(t.rows.size() == 3);
  CHECK(t.cell(t.rows[0], "deviation") == -0.5);
  CHECK(std::isnan(t.cell(t.rows[1], "height")));
  CHECK(t.cell(t.rows[2], "deviation") == 1e-3);
  CHECK_THROWS_WITH(t.cell(t.rows[0], "depth"), Catch::Contains("no column 'depth'"));
  CHECK_THROWS_WITH(t.heading(0), Catch::Contains("is no angle"));
  const auto [content, wanted] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {"x,y\n1,2,3\n", "m.csv:2: 3 cells under 2 headings"},
      {"x,y\n1,two\n", "'two' is not a number"},
      {"x,y\n1,inf\n", "'inf' is not a number"},
      {"x,y\n1,nan\n", "'nan' is not a number"},
      {"x,y\n", "no rows"},
      {"", "no rows"},
      {"x,y\n1,1.5mm\n", "'1.5mm' is not a number"},
  }));
  CHECK_THROWS_WITH(io::parse_number_table(content, "m.csv"), Catch::Contains(wanted));
}

TEST_CASE("couplings: what rigid, spread and bonded ones carry is in balance with the loads", "[study][fast]") {
  const std::string plate = panel("left", "[0, 0, 0]", "[100, 0, 0]", "[0, 60, 0]", "[4, 3]") +
                            panel("right", "[100, 0, 0]", "[100, 0, 0]", "[0, 60, 0]", "[3, 2]") +
                            support("\"left.start\"", "\"all\"") +
                            "\n[[bonds]]\nname = \"weld\"\ndependent = \"left.end\"\nindependent = \"right\"\n";
  const std::string kind = GENERATE("rigid", "distributed"), at = kind == "rigid" ? "right.end" : "right";
  const auto r =
      run(head() + plate + "\n[[couplings]]\nname = \"head\"\nkind = \"" + kind + "\"\npoint = [220, 30, 10]\nat = \"" +
          at + "\"\n" + action("p", "{ kind = \"force\", at = \"head\", force = [40, 0, -7], moment = [0, 500, 0] }") +
          step("la", "LA", "load = \"p\"") +
          step("g", "GNA", "load = \"p\"\ncontrol = \"load\"\nfirst_step = 1\nstop = { load_factor = 1 }"));
  const auto find = [](const std::vector<analysis::CouplingForce>& list, const std::string& name) {
    return *std::find_if(list.begin(), list.end(), [&](const auto& c) { return c.name == name; });
  };
  for (const auto& list : {r.find("la")->linear->couplings, path_of(r).increments.back().couplings}) {
    const auto own = find(list, "head");
    CHECK((own.force - Vec3(40, 0, -7)).norm() < 1e-5);
    CHECK((own.moment - Vec3(0, 500, 0)).norm() < 2e-3 * 500);
    // through the weld goes all of it, towards the side that follows or back
    CHECK(std::abs(find(list, "weld").force.norm() - Vec3(40, 0, -7).norm()) < 1e-5);
  }
}

TEST_CASE("branch: what it cannot report is said", "[study][fast]") {
  const auto told_of = [](const std::string& text) { return run(text).find("g")->post_buckling->message; };
  const std::string path =
      step("g", "GNA", "load = \"push\"\npost_buckling = true\nfirst_step = 5\nstop = { increments = 2 }");
  CHECK(told_of(strut(head(), "", path)).find("no bifurcation") != std::string::npos);
  // a round post buckles any way
  const auto round = head() + profile("r", "shape = \"circle\"\ndiameter = 20") +
                     member("a", "[0, 0, 0]", "[1500, 0, 0]", "elements = 6") +
                     support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") + support("\"a.end\"", "[\"y\", \"z\"]") +
                     action("push", force("\"a.end\"", "[-1000, 0, 0]")) +
                     step("b", "LBA", "load = \"push\"\nmodes = 2\nreversed_load = \"leave-out\"") +
                     step("g", "GNA", "loads_of = \"b\"\npost_buckling = true\nstop = { first_loss = true }");
  CHECK(told_of(round).find("2 modes lose their stability together") != std::string::npos);
}

TEST_CASE("amplitude: rms is that of the whole structure, whichever part is first in the file", "[study][fast]") {
  // two plates side by side, the thinner one buckles; members and solids likewise
  const auto plate = [](const std::string& name, double z, double thickness, double width) {
    return panel(name, fmt::format("[0, 0, {}]", z), "[200, 0, 0]", fmt::format("[0, {}, 0]", width), "[8, 4]", "",
                 thickness) +
           support(fmt::format("\"{}.start\"", name), "\"all\"");
  };
  const auto post = [](const std::string& name, double y, const std::string& profile) {
    return member(name, fmt::format("[0, {}, 0]", y), fmt::format("[0, {}, 900]", y), "up = [1, 0, 0]\nelements = 6",
                  profile) +
           support(fmt::format("\"{}.start\"", name), "\"all\"");
  };
  const auto block = [](const std::string& name, double y, double width) {
    return fmt::format(
               "\n[[solids]]\nname = \"{0}\"\nmaterial = \"m\"\ncorner = [0, {1}, 0]\nalong = [{2}, 0, 0]\n"
               "across = [0, {2}, 0]\nup = [0, 0, 300]\ndivisions = [2, 2, 8]\n",
               name, y, width) +
           support(fmt::format("\"{}.bottom\"", name), "[\"x\", \"y\", \"z\"]");
  };
  const std::string profiles = profile("a", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
                               profile("b", "shape = \"rectangle\"\nwidth = 40\nheight = 60");
  struct Case {
    std::string head, first, second, loads;
  };
  for (const auto& c : {Case{"", plate("thin", 0, 1, 100), plate("thick", 300, 5, 60),
                             "{ kind = \"edge\", at = \"thin.end\", force = [-1, 0, 0] }, { kind = \"edge\", at = "
                             "\"thick.end\", force = [-1, 0, 0] }"},
                        Case{profiles, post("p", 0, "a"), post("q", 500, "b"),
                             "{ kind = \"force\", at = \"p.end\", force = [0, 0, -1] }, { kind = \"force\", at = "
                             "\"q.end\", force = [0, 0, -1] }"},
                        Case{"", block("s", 0, 10), block("t", 100, 30),
                             "{ kind = \"surface\", on = \"s.top\", force = [0, 0, -1] }, { kind = \"surface\", on = "
                             "\"t.top\", force = [0, 0, -1] }"}}) {
    CAPTURE(c.first);
    std::vector<double> largest;
    for (const bool swapped : {false, true}) {
      const auto r =
          run(head() + c.head + (swapped ? c.second + c.first : c.first + c.second) + action("P", c.loads) +
              step("b", "LBA", "load = \"P\"\nmodes = 1") + shape("i", "mode_of = \"b\"\namplitude = { rms = 0.5 }") +
              step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"i\"\nstop = { increments = 1 }"));
      const auto& i = *r.find("g")->imperfection;
      CHECK(i.root_mean_square == Approx(0.5).epsilon(1e-9));
      largest.push_back(i.largest);
    }
    CHECK(largest[0] == Approx(largest[1]).epsilon(1e-6));
    CHECK(largest[0] < 20);
  }
}

TEST_CASE("imperfections: waves shorter than any mesh shows are refused, not made", "[study][fast]") {
  const auto study = [](const std::string& length) {
    return head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 20") +
           member("a", "[0, 0, 0]", "[1000, 0, 0]") +
           shape("rough",
                 "shape = \"random\"\non = \"a\"\ndirection = [0, 0, 1]\namplitude = 1\ncorrelation_along = " + length);
  };
  CHECK(refusal_of_shape(study("2"), "rough").empty());
  for (const char* length : {"0.9", "1e-3", "1e-320"})
    CHECK_THAT(refusal_of_shape(study(length), "rough"), Catch::Contains("less than a thousandth"));
}

}  // namespace imperfections_mixed_tests
