// Paths by stages, supports that come and go, what watches record, curves of springs, residual stresses, pretension.
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace stages_tests {

using namespace archway;
using namespace archway::test;

namespace {
const std::string kBar = "shape = \"rectangle\"\nwidth = 20\nheight = 30\nshear_deformation = false";
const analysis::Increment& end_of(const analysis::PathResult& path, std::size_t stage) {
  return path.increments.at(static_cast<std::size_t>(path.stages.at(stage).last));
}
std::string watch(const std::string& name, const std::string& more) {
  return fmt::format("\n[[watches]]\nname = \"{}\"\n{}\n", name, more);
}
/// A cantilever along x with a prop under its tip, loads p at the tip and q in the middle, both downwards.
std::string propped(const std::string& prop, const std::string& analyses, const std::string& head_of = head()) {
  return head_of + profile("r", kBar) + member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4") +
         member("b", "[1000, 0, 0]", "[2000, 0, 0]", "elements = 4") + support("\"a.start\"", "\"all\"") + prop +
         action("p", force("\"b.end\"", "[0, 0, -1]")) + action("q", force("\"a.end\"", "[0, 0, -1]")) +
         watch("tip", "at = \"b.end\"") + watch("middle", "at = \"a.end\"") + analyses;
}
constexpr double kBend = 200000 * 20.0 * 30 * 30 * 30 / 12;
}  // namespace

TEST_CASE("stages: a bar is in tension and in compression again and again, every point of reversal exact",
          "[study][fast]") {
  const auto [hardening, forces] = GENERATE(Catch::Generators::table<std::string, std::vector<double>>({
      {"kinematic", {31488, -30528, 33408, -27648, 33888}},
      {"isotropic", {31488, -35688.96, 41473.84, -43915.94, 46642.66}},
  }));
  const auto r = run(
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
      "poisson_ratio = 0.3\nyield_stress = 240\nyielding = { law = \"bilinear\", tangent_modulus = 8000, "
      "hardening = \"" +
      hardening + "\" }\n" + profile("r", "shape = \"rectangle\"\nwidth = 12\nheight = 10") +
      "[[bars]]\nname = \"a\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [500, 0, 0]\n" +
      "[[supports]]\nname = \"foot\"\nat = \"a.start\"\nrestrain = [\"x\", \"y\", \"z\"]\n" +
      support("\"a.end\"", "[\"y\", \"z\"]") +
      action("pull", "{ kind = \"displacement\", at = \"a.end\", dof = \"x\", value = 1 }") +
      watch("force", "reaction = \"foot\"\ndirection = [-1, 0, 0]") +
      step(
          "cycle", "GMNA",
          "largest_step = 0.05\nstages = [{ load = \"pull\", to_load_factor = 2 }, { load = \"pull\", to_load_factor = -1.5 }, { load = "
          "\"pull\", to_load_factor = 3 },"
          "{ unload = \"pull\" }, { load = \"pull\", to_load_factor = 3.25 }]"));
  const auto& path = path_of(r, "cycle");
  REQUIRE(path.stages.size() == 5);
  for (std::size_t k = 0; k < forces.size(); ++k)
    CHECK(end_of(path, k).watched.at(0) == Approx(forces[k]).epsilon(2e-7));  // the answers have seven digits
  // nothing is lost on the way: the work done is what is stored and dissipated, both known by hand
  const auto& last = path.increments.back();
  const double force = last.watched[0], volume = 120 * 500, slope = 200000.0 * 8000 / 192000, p = last.plastic_strain;
  const bool isotropic = forces[1] < -35000;
  const double lost = volume * (240 * p + (isotropic ? 0.5 * slope * p * p : 0));
  CHECK(last.dissipated_energy == Approx(lost).epsilon(1e-9));
  const double elastic = force * force * 500 / (2 * 200000 * 120.0);
  if (isotropic) CHECK(last.stored_energy == Approx(elastic).epsilon(1e-9));
  CHECK(last.stored_energy > elastic * (1 - 1e-9));
  CHECK(std::abs(last.energy_gap) < 2e-3 * last.external_work);
  for (std::size_t i = 1; i < path.increments.size(); ++i)
    CHECK(path.increments[i].dissipated_energy >= path.increments[i - 1].dissipated_energy);
  for (std::size_t i = 1; i < path.increments.size(); ++i)
    CHECK(path.increments[i].number == path.increments[i - 1].number + 1);
  // a row for the end of every stage, with its load
  std::size_t rows = 0;
  for (const auto& row : r.comparison) rows += row.meaning.find("stage-") != std::string::npos;
  CHECK(rows >= 5);
}

TEST_CASE("stages: taken off past its peak and loaded again, a strut comes back to the state it left",
          "[study][fast]") {
  const auto text = [](const std::string& from, const std::string& to, const std::string& up, const std::string& way,
                       const std::string& push) {
    return "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 208000\n"
           "poisson_ratio = 0.3\nyield_stress = 340\nyielding = { law = \"bilinear\", tangent_modulus = 2080, "
           "hardening = \"kinematic\" }\n" +
           profile("r", "shape = \"rectangle\"\nwidth = 26\nheight = 22\nshear_deformation = false") +
           member("a", from, to, "elements = 8\nup = " + up) +
           "[[supports]]\nat = { on = \"a\", inner_nodes = true }\naxes = { along = " + way + ", up = " + up +
           " }\nrestrain = [\"y\", \"rx\", \"rz\"]\n[[supports]]\nat = \"a.start\"\naxes = { along = " + way +
           ", up = " + up + " }\nrestrain = [\"x\", \"z\"]\n[[supports]]\nat = \"a.end\"\naxes = { along = " + way +
           ", up = " + up + " }\nrestrain = [\"z\"]\n" + action("push", force("\"a.end\"", push)) +
           watch("w", "at = { near = " + (way == "[1, 0, 0]" ? std::string("[260, 0, 0]") : "[9e5, 0, 260]") +
                          " }\ndirection = " + up) +
           step("e", "LBA", "load = \"push\"\nmodes = 1\nreversed_load = \"leave-out\"") +
           "\n[[imperfections]]\nname = \"bow\"\nmode_of = \"e\"\namplitude = 0.52\n" +
           step(
               "cycle", "GMNIA",
               "loads_of = \"e\"\nimperfection = \"bow\"\nstages = [{ name = \"past\", load = \"push\", stop = { watch = "
               "\"w\", value = 6 } }, { name = \"off\", unload = \"push\" }, { name = \"again\", load = "
               "\"push\", stop = { watch = \"w\", value = 12 } }]");
  };
  const bool standing = GENERATE(false, true);
  const auto r = run(standing ? text("[9e5, 0, 0]", "[9e5, 0, 520]", "[0, 1, 0]", "[0, 0, 1]", "[0, 0, -1]")
                              : text("[0, 0, 0]", "[520, 0, 0]", "[0, 0, 1]", "[1, 0, 0]", "[-1, 0, 0]"));
  const auto& path = path_of(r, "cycle");
  const auto &past = end_of(path, 0), &off = end_of(path, 1), &last = end_of(path, 2);
  CHECK(std::abs(past.watched[0]) == Approx(6).epsilon(1e-9));
  CHECK(past.load_factor == Approx(104215.8).epsilon(2e-3));
  CHECK(off.load_factor == 0);
  CHECK(std::abs(off.watched[0]) == Approx(2.221335).epsilon(5e-3));
  CHECK(std::abs(last.watched[0]) == Approx(12).epsilon(1e-9));
  CHECK(last.load_factor == Approx(75571.52).epsilon(2e-3));
  // loading again rotations where unloading began
  REQUIRE(path.stages[2].peak_is_limit_point);
  CHECK(path.increments.at(static_cast<std::size_t>(path.stages[2].peak)).load_factor ==
        Approx(past.load_factor).epsilon(1e-4));
  CHECK(path.peak == path.stages[0].peak);
  CHECK(past.plastic_strain == off.plastic_strain);
}

TEST_CASE("stages: a prop that is taken away lets go, one that comes later holds where the structure is",
          "[study][fast]") {
  const auto prop = [](const std::string& during) {
    return "[[supports]]\nname = \"prop\"\nat = \"b.end\"\nrestrain = [\"z\"]\nactive_in = " + during + "\n";
  };
  SECTION("taken away") {
    const auto r =
        run(propped(prop("[\"build\"]"), step("g", "GNA",
                                              "stages = [{ name = \"build\", load = \"q\", to_load_factor = 2 }, "
                                              "{ name = \"use\", load = \"q\", to_load_factor = 2 }]") +
                                             watch("prop", "reaction = \"prop\"")));
    const auto& path = path_of(r, "g");
    const auto& told = r.model->remarks;
    CHECK(std::count(told.begin(), told.end(), "support 'prop' is there during 'build' only") == 1);
    // by hand: prop force 2 x 5/16, the tip of a cantilever under 2 in its middle
    CHECK(end_of(path, 0).watched[2] == Approx(2 * 5.0 / 16).epsilon(1e-4));
    CHECK(end_of(path, 0).watched[0] == 0);
    CHECK(end_of(path, 1).watched[0] == Approx(2 * 5 * 1e9 / (6 * kBend)).epsilon(1e-4));
    CHECK(end_of(path, 1).watched[2] == 0);
  }
  SECTION("comes later") {
    const auto r =
        run(propped(prop("[\"use\"]"), step("g", "GNA",
                                            "stages = [{ name = \"build\", load = \"p\", to_load_factor = 2 }, "
                                            "{ name = \"use\", load = \"q\", to_load_factor = 3 }]")));
    const auto& path = path_of(r, "g");
    const double first = 2 * 8e9 / (3 * kBend);
    CHECK(end_of(path, 0).watched[0] == Approx(first).epsilon(1e-4));
    CHECK(end_of(path, 1).watched[0] == Approx(end_of(path, 0).watched[0]).epsilon(1e-12));
    // the second load on the propped beam, on top of the first on the cantilever
    CHECK(end_of(path, 1).watched[1] == Approx(2 * 5e9 / (6 * kBend) + 3 * 7 * 8e9 / (768 * kBend)).epsilon(1e-3));
  }
  SECTION("under the constant part only, by a path and by linear buckling") {
    const std::string held = step("dead", "LA", "load = \"q\"");
    const auto r = run(propped(prop("[\"constant\"]"), held + step("g", "GNA",
                                                                   "preload_of = \"dead\"\nload = \"p\"\n"
                                                                   "stop = { load_factor = 1 }")));
    const auto& path = path_of(r, "g");
    REQUIRE(path.stages.size() == 2);
    CHECK(end_of(path, 0).watched[0] == 0);
    CHECK(end_of(path, 1).watched[0] == Approx((5e9 / 6 + 8e9 / 3) / kBend).epsilon(1e-4));
    CHECK(r.find("dead")->linear->usable());
  }
  SECTION("without it the structure falls") {
    const auto r =
        run(head() + profile("r", kBar) + member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4") +
            support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") + support("\"a.end\"", "[\"y\"]") +
            "[[supports]]\nname = \"prop\"\nat = \"a.end\"\nrestrain = [\"z\"]\nactive_in = [\"build\"]\n" +
            action("p", force("{ near = [500, 0, 0] }", "[0, 0, -1]")) +
            step("g", "GNA",
                 "stages = [{ name = \"build\", load = \"p\", to_load_factor = 1 }, { name = \"use\", load = "
                 "\"p\", to_load_factor = 2 }]"));
    CHECK_FALSE(path_of(r, "g").usable());
    INFO(path_of(r, "g").message);
    CHECK(path_of(r, "g").ending == analysis::Ending::mechanism);
    CHECK(path_of(r, "g").message.find("without the supports") == 0);
    CHECK_FALSE(r.complete());
  }
}

TEST_CASE("stages: loads whose factors have very different sizes follow each other", "[study][fast]") {
  const std::string steel =
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\npoisson_ratio = "
      "0.3\nyield_stress = 250\nyielding = { law = \"bilinear\", tangent_ratio = 0.01 }\n";
  const auto r =
      run(steel + profile("r", kBar) + member("a", "[0, 0, 0]", "[600, 0, 0]", "elements = 6") +
          support("\"a.start\"", "\"all\"") + action("small", force("\"a.end\"", "[0, 0, -0.01]")) +
          action("large", force("\"a.end\"", "[0, 0, -1000]")) + watch("tip", "at = \"a.end\"") +
          step("g", "GMNA",
               "stages = [{ name = \"one\", load = \"small\", to_load_factor = 50000 }, { name = \"two\", load = "
               "\"large\", stop = { watch = \"tip\", value = 30 } }]"));
  const auto& path = path_of(r, "g");
  CHECK(path.usable());
  REQUIRE(path.stages.size() == 2);
  CHECK(end_of(path, 1).watched[0] == Approx(30).epsilon(1e-9));
  CHECK(end_of(path, 1).load_factor > 0.8);
  int cuts = 0;
  for (const auto& i : path.increments) cuts += i.cut_backs;
  CHECK(cuts < 6);
}

TEST_CASE(
    "stages: membrane preload, a plate that may widen while it is in compression and is restrained when it buckles",
    "[study][fast]") {
  // a strip between rollers that carry no friction while the load grows: no stress across, held: nu times the load
  const auto factor = [](const std::string& during) {
    const auto r =
        run(head() + panel("p", "[0, 0, 0]", "[400, 0, 0]", "[0, 400, 0]", "[12, 12]") +
            "[[supports]]\nat = { any = [\"p.start\", \"p.end\", \"p.left\", \"p.right\"] }\nrestrain = [\"z\"]\n"
            "[[supports]]\nat = { x = 0 }\nrestrain = [\"x\"]\n[[supports]]\nat = { near = [0, 0, 0] }\nrestrain = "
            "[\"y\"]\n[[supports]]\nat = { any = [\"p.left\", \"p.right\"] }\nrestrain = [\"y\"]\n" +
            during + action("n", "{ kind = \"edge\", at = \"p.end\", force = [-1, 0, 0] }") +
            step("b", "LBA", "load = \"n\"\nmodes = 1\nreversed_load = \"leave-out\""));
    return r.find("b")->buckling->modes.at(0).load_factor;
  };
  const double d = 200000 * 64.0 / 12 / (1 - 0.09), classic = 4 * M_PI * M_PI * d / (400 * 400);
  CHECK(factor("active_in = [\"buckling\"]\n") == Approx(classic).epsilon(0.01));
  CHECK(factor("") == Approx(classic / 1.3).epsilon(0.01));  // (1 + 1)^2 / (1 + nu)
}

TEST_CASE("control: load factors and displacements are met exactly, a displacement leads over a limit point",
          "[study][fast]") {
  // a shallow two-bar truss that snaps through
  const std::string roof = head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
                           "[[bars]]\nname = \"a\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [1000, "
                           "0, 50]\n[[bars]]\nname = \"b\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [2000, 0, 0]\nto "
                           "= [1000, 0, 50]\n" +
                           support("{ z = 0 }", "[\"x\", \"y\", \"z\"]") + support("\"a.end\"", "[\"y\"]") +
                           action("p", force("\"a.end\"", "[0, 0, -1]")) + watch("top", "at = \"a.end\"");
  const auto r = run(
      roof +
      step("lead", "GNA",
           "load = \"p\"\ncontrol = \"displacement\"\ncontrol_watch = \"top\"\nfirst_step = 50\noutput_load_factors = "
           "[300]\noutput_values = [{ watch = \"top\", value = 50 }, { watch = \"top\", "
           "value = 120 }]\nstop = { watch = \"top\", value = 130 }"));
  const auto& path = path_of(r, "lead");
  CHECK(path.usable());
  CHECK(path.peak_is_limit_point);
  CHECK(path.increments.back().watched[0] == Approx(130).epsilon(1e-9));
  const auto load = [&](double w) {  // engineering strain
    const double l0 = std::hypot(1000.0, 50), l = std::hypot(1000.0, 50 - w);
    return -2 * 200000 * 100 * (l - l0) / l0 * (50 - w) / l;
  };
  for (const double w : {50.0, 120.0, 130.0}) {
    const auto found = std::find_if(path.increments.begin(), path.increments.end(),
                                    [&](const auto& i) { return std::abs(i.watched[0] - w) < 1e-6; });
    REQUIRE(found != path.increments.end());
    CHECK(found->load_factor == Approx(load(w)).margin(1e-3));
  }
  int exact = 0;
  for (const auto& i : path.increments) exact += i.load_factor == 300;
  CHECK(exact >= 1);
  std::string rows;
  for (const auto& row : r.comparison) rows += row.meaning + "; ";
  INFO(rows);
  CHECK(rows.find("'top' moves 120") != std::string::npos);
  // budgets end a path in good order
  const auto few = run(roof + step("few", "GNA",
                                   "load = \"p\"\nfirst_step = 5\nlargest_step = 5\nstop = { "
                                   "factorisations = 4 }"));
  CHECK(path_of(few, "few").usable());
  CHECK(path_of(few, "few").stop_reason.find("factorisations done") != std::string::npos);
}

TEST_CASE("springs: force against displacement by a curve, with a gap, slipping and unloading", "[study][fast]") {
  // a stiff bar hangs on a spring; the load moves it along
  const auto result = [](const std::string& curve, const std::string& analyses) {
    return run(head() + profile("r", kBar) + member("a", "[0, 0, 0]", "[100, 0, 0]", "elements = 1") +
               support("\"a.end\"", "[\"y\", \"z\", \"rx\", \"ry\", \"rz\"]") +
               "[[springs]]\nname = \"s\"\nat = \"a.start\"\ncurves = [{ axis = \"1\", " + curve + " }]\n" +
               action("p", force("\"a.end\"", "[1, 0, 0]")) + watch("u", "at = \"a.start\"\ndirection = [1, 0, 0]") +
               watch("s", "reaction = \"s\"\ndirection = [-1, 0, 0]") + analyses);
  };
  SECTION("slips, unloads elastically, is pushed the other way") {
    const auto r = result("points = [[0, 0], [2, 40], [6, 60]], unloading = \"elastic\"",
                          step("g", "GNA",
                               "stages = [{ load = \"p\", to_load_factor = 50 }, { unload = \"p\" }, { load = \"p\", "
                               "to_load_factor = 30 }]"));
    const auto& path = path_of(r, "g");
    CHECK(end_of(path, 0).watched[0] == Approx(4).epsilon(1e-9));
    CHECK(end_of(path, 1).watched[0] == Approx(4 - 50 / 20.0).epsilon(1e-9));
    CHECK(end_of(path, 2).watched[0] == Approx(1.5 + 30 / 20.0).epsilon(1e-9));
    CHECK(end_of(path, 2).watched[1] == Approx(30).epsilon(1e-9));
    CHECK(end_of(path, 0).spring_forces.at(0)[0] == Approx(50).epsilon(1e-9));
  }
  SECTION("along the curve over a gap, by a displacement") {
    const auto r = result(
        "points = [[-1, -500], [0, 0], [0.001, 0.001], [3, 0.01], [4, 1000.01]], unloading = "
        "\"along-curve\"",
        step("g", "GNA",
             "load = \"p\"\ncontrol = \"automatic\"\nfirst_step = 0.001\nlargest_step = 50\nstop = { "
             "load_factor = 500.01, increments = 400 }"));
    CHECK(path_of(r, "g").usable());
    CHECK(path_of(r, "g").increments.back().watched[0] == Approx(3.5).epsilon(1e-6));
  }
  SECTION("what is wrong is reported") {
    const auto text = [&](const std::string& curve) {
      try {
        (void)result(curve, step("g", "GNA", "load = \"p\""));
      } catch (const base::InputError& e) {
        return std::string(e.what());
      }
      return std::string();
    };
    CHECK(text("points = [[1, 40], [2, 60]], unloading = \"along-curve\"").find("(0, 0)") != std::string::npos);
    CHECK(text("points = [[0, 0], [2, 40], [1, 60]], unloading = \"along-curve\"").find("do not grow") !=
          std::string::npos);
    CHECK(text("points = [[0, 0], [2, 0], [3, 60]], unloading = \"elastic\"").find("stiff at the origin") !=
          std::string::npos);
  }
}

TEST_CASE(
    "residual stresses: in balance before anything grows, weaker as they press, reported where they do not balance",
    "[study][fast]") {
  const auto strut = [](const std::string& residual) {
    return run(
        "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 210000\n"
        "poisson_ratio = 0.3\nyield_stress = 235\nyielding = { law = \"perfect\" }\n" +
        profile("i", "shape = \"i\"\nwidth = 150\nheight = 160\nflange = 10\nweb = 7\nshear_deformation = false") +
        member("a", "[0, 0, 0]", "[3000, 0, 0]", "elements = 8", "i") +
        support("{ on = \"a\", inner_nodes = true }", "[\"z\", \"rx\", \"ry\"]") +
        "[[supports]]\nname = \"foot\"\nat = \"a.start\"\nrestrain = [\"x\", \"y\"]\n" +
        support("\"a.end\"", "[\"y\"]") + residual + action("p", force("\"a.end\"", "[-1, 0, 0]")) +
        step("e", "LBA", "load = \"p\"\nmodes = 1\nreversed_load = \"leave-out\"") +
        "\n[[imperfections]]\nname = \"bow\"\nmode_of = \"e\"\namplitude = 3\n" +
        step("g", "GMNIA", "loads_of = \"e\"\nimperfection = \"bow\"\nstop = { below_peak_ratio = 0.95 }"));
  };
  const auto on = [](const std::string& more) { return "[[residual_stresses]]\non = \"a\"\n" + more + "\n"; };
  const double plain = path_of(strut(""), "g").peak_load_factor;
  const auto rolled = strut(on("pattern = \"rolled-i\""));
  const auto& path = path_of(rolled, "g");
  // about the weak axis the tips of the flanges, in compression already, yield early
  CHECK(path.peak_load_factor < 0.93 * plain);
  CHECK(path.peak_load_factor > 0.7 * plain);
  CHECK(path.increments[0].plastic_strain == 0);
  CHECK(path.increments[0].largest_displacement < 1e-2);
  bool told = false;
  for (const auto& remark : rolled.model->remarks)
    told = told || remark.find("residual stresses of 'a'") != std::string::npos;
  CHECK(told);
  // the same pattern by an expression: flanges and web apart by their place
  const auto expressed =
      strut(on("stress = \"0.5 * 235 * if_above\"").empty()
                ? ""
                : on("stress = \"abs(z) > 70 ? 117.5 * (1 - abs(y) / 37.5) : 117.5 * (abs(z) / 35 - 1)\""));
  CHECK(path_of(expressed, "g").peak_load_factor == Approx(path.peak_load_factor).epsilon(1e-6));
  // in tension all over: the member shortens until nothing is left of it
  const auto pulled = strut(on("stress = 40"));
  CHECK(path_of(pulled, "g").increments[0].largest_displacement == Approx(40.0 / 210000 * 3000).epsilon(1e-3));
  CHECK(path_of(pulled, "g").peak_load_factor == Approx(plain).epsilon(1e-4));
}

TEST_CASE("residual stresses of panels: a in tension band beside a weld presses the rest", "[study][fast]") {
  const auto r = run(
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
      "poisson_ratio = 0.3\nyield_stress = 235\nyielding = { law = \"perfect\" }\n" +
      panel("p", "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]", "[8, 20]", "", 8) +
      "[[supports]]\nat = { any = [\"p.start\", \"p.end\", \"p.left\", \"p.right\"] }\nrestrain = [\"z\"]\n"
      "[[supports]]\nname = \"foot\"\nat = \"p.start\"\nrestrain = [\"x\"]\n[[supports]]\nat = { near = [0, "
      "0, 0] }\nrestrain = [\"y\"]\n[[residual_stresses]]\non = \"p\"\nweld_line = \"p.left\"\nwidth = 20\n"
      "stress = 200\nalong = [1, 0, 0]\n[[couplings]]\nname = \"platen\"\nkind = \"equal\"\nat = "
      "\"p.end\"\ndofs = [\"x\"]\n" +
      action("n", "{ kind = \"edge\", at = \"p.end\", force = [-1, 0, 0], distribution = \"total\" }") +
      watch("u", "at = \"platen\"\ndirection = [-1, 0, 0]") +
      step("g", "GMNA", "load = \"n\"\nstop = { load_factor = 200000 }"));
  const auto& path = path_of(r, "g");
  CHECK(path.usable());
  // in balance along the strips from the beginning: nothing yields, hardly anything moves
  CHECK(path.increments[0].plastic_strain == 0);
  CHECK(path.increments[0].largest_displacement < 0.05);
  CHECK(path.increments[0].peaks.at(0).stress == Approx(200).epsilon(0.12));
  CHECK(path.increments.back().plastic_strain == 0);
}

TEST_CASE("pretension: a bar too short pulls at what holds it", "[study][fast]") {
  const auto result = [](const std::string& spring) {
    return run(head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
               "[[bars]]\nname = \"a\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [1000, 0, 0]\n"
               "[[supports]]\nname = \"foot\"\nat = \"a.start\"\nrestrain = [\"x\", \"y\", \"z\"]\n" +
               support("\"a.end\"", spring.empty() ? "[\"x\", \"y\", \"z\"]" : "[\"y\", \"z\"]") + spring +
               action("t", "{ kind = \"pretension\", on = \"a\", value = 5000 }") +
               watch("n", "part = \"a\"\nquantity = \"normal-force\"") + step("l", "LA", "load = \"t\"") +
               step("g", "GNA", "load = \"t\"\nstop = { load_factor = 1 }"));
  };
  const auto fixed = result("");
  CHECK(fixed.find("l")->linear->bar_forces.at(0) == Approx(5000).epsilon(1e-9));
  CHECK(path_of(fixed, "g").increments.back().watched[0] == Approx(5000).epsilon(1e-9));
  // on a spring as stiff as the bar half of it is left
  const auto soft = result("[[springs]]\nname = \"s\"\nat = \"a.end\"\nstiffness = [20000, 0, 0, 0, 0, 0]\n");
  CHECK(soft.find("l")->linear->bar_forces.at(0) == Approx(2500).epsilon(1e-9));
  CHECK(path_of(soft, "g").increments.back().watched[0] == Approx(2500).epsilon(1e-3));
}

TEST_CASE("stages: what is wrong is reported with its place", "[study][fast]") {
  const std::string ok = step("g", "GNA", "stages = [{ name = \"one\", load = \"p\", to_load_factor = 1 }]");
  const auto [study, wanted] = GENERATE_COPY(Catch::Generators::table<std::string, std::string>({
      {propped("[[supports]]\nat = \"b.end\"\nrestrain = [\"z\"]\nactive_in = [\"two\"]\n", ok),
       "names 'two', which is no stage"},
      {propped("", step("g", "GNA", "stages = [{ load = \"r\", to_load_factor = 1 }]")), "'r'"},
      {propped("",
               step("g", "GNA",
                    "stages = [{ name = \"a\", load = \"p\", to_load_factor = 1 }, { name = \"a\", load = \"q\" }]")),
       "a second stage is named 'a'"},
      {propped("", step("g", "GNA", "stages = [{ name = \"constant\", load = \"p\", to_load_factor = 1 }]")),
       "cannot be named 'constant'"},
      {propped("", step("g", "GNA", "stages = []")), "there is no stage"},
      {propped("", step("g", "GNA", "load = \"p\"\nstages = [{ load = \"p\", to_load_factor = 1 }]")),
       "every stage says the variable load"},
      {propped("", step("g", "GNA", "stages = [{ unload = \"p\", to_load_factor = 1 }]")),
       "means load and to_load_factor = 0"},
      {propped("", step("g", "GNA", "load = \"p\"\ncontrol = \"displacement\"")), "the watch that leads"},
      {propped("", step("g", "GNA", "load = \"p\"\ncontrol = \"displacement\"\ncontrol_watch = \"top\"")),
       "no watch point named 'top'"},
      {propped("", step("g", "GNA", "load = \"p\"\nstrain_limits = [{ plastic_strain = 0.05 }]")), "is elastic"},
      {propped("", watch("n", "part = \"c\"\nquantity = \"stress\"") + ok), "there is no part named 'c' to watch"},
      {propped("", watch("n", "reaction = \"c\"") + ok), "there is no support named 'c' to watch"},
      {propped("", "[[residual_stresses]]\non = \"a\"\npattern = \"rolled-i\"\n" + ok), "has no such pattern"},
      {propped("", "[[residual_stresses]]\non = \"c\"\nstress = 10\n" + ok), "no part is called 'c'"},
  }));
  INFO(study);
  CHECK(complaint_of(study).find(wanted) != std::string::npos);
}

namespace {
/// Two cantilevers along x, apart in y, loads p and q downwards at their tips; their tips' displacements are watched.
std::string pair_of(const std::string& couplings, const std::string& analyses) {
  return head() + profile("r", kBar) + member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4") +
         member("b", "[0, 500, 0]", "[1000, 500, 0]", "elements = 4") + support("\"a.start\"", "\"all\"") +
         support("\"b.start\"", "\"all\"") + couplings + action("p", force("\"a.end\"", "[0, 0, -1]")) +
         action("q", force("\"b.end\"", "[0, 0, -1]")) + watch("a", "at = \"a.end\"") + watch("b", "at = \"b.end\"") +
         analyses;
}
std::string alike(const std::string& name, const std::string& at, const std::string& more) {
  return fmt::format("\n[[couplings]]\nname = \"{}\"\nkind = \"equal\"\nat = {}\n{}\n", name, at, more);
}
const analysis::CouplingForce& coupling(const std::vector<analysis::CouplingForce>& list, const std::string& name) {
  for (const auto& c : list)
    if (c.name == name) return c;
  throw std::runtime_error("no coupling " + name);
}
}  // namespace

TEST_CASE("couplings: a multiple of a point's displacement, and what each coupling carries", "[study][fast]") {
  const std::string point = "point = [500, 250, 0]\ndofs = [\"z\"]\n";
  const auto r = run(
      pair_of(alike("one", "\"a.end\"", point) + alike("other", "\"b.end\"", point + "factor = -2\n"),
              step("la", "LA", "load = \"p\"") +
                  step("g", "GNA",
                       "load = \"p\"\nfirst_step = 2000\nlargest_step = 2000\nstop = { watch = \"a\", value = 150 }")));
  const double stiffness = 3 * kBend / 1e9;
  const auto& la = *r.find("la")->linear;
  const auto end = [&](const char* name) { return la.displacement[model::row(r.model->groups.at(name).front()) + 2]; };
  // one tip u, the other -2 u, against stiffness k (1 + 4)
  CHECK(end("a.end") == Approx(-1 / (5 * stiffness)).epsilon(1e-5));
  CHECK(end("b.end") == Approx(2 / (5 * stiffness)).epsilon(1e-5));
  CHECK(coupling(la.couplings, "one").force.z() == Approx(0.8).epsilon(1e-5));
  CHECK(coupling(la.couplings, "other").force.z() == Approx(0.4).epsilon(1e-5));
  // at any size
  const auto& path = path_of(r);
  for (const auto& i : path.increments) CHECK(i.watched[1] == Approx(-2 * i.watched[0]).margin(1e-9));
  CHECK(std::abs(path.increments.back().watched[0]) == Approx(150).epsilon(1e-9));
  // the point carries nothing itself: what one coupling gives times its multiple is given back by the other
  const auto& last = path.increments.back().couplings;
  CHECK(coupling(last, "one").force.z() == Approx(2 * coupling(last, "other").force.z()).epsilon(1e-5));
  CHECK(std::abs(path.increments.back().energy_gap) < 2e-3 * path.increments.back().external_work);
}

TEST_CASE("couplings: tips that rotate alike rotation alike at any size", "[study][fast]") {
  const auto r =
      run(pair_of(alike("tie", "{ any = [\"a.end\", \"b.end\"] }", "dofs = [\"rotations\"]\n"),
                  watch("rotation-a", "at = \"a.end\"\nabout = [0, 1, 0]") +
                      watch("rotation-b", "at = \"b.end\"\nabout = [0, 1, 0]") +
                      step("g", "GNA", "load = \"p\"\nfirst_step = 2000\nstop = { watch = \"a\", value = 500 }")));
  const auto& last = path_of(r).increments.back();
  CHECK(last.watched[2] > 0.5);
  CHECK(last.watched[3] == Approx(last.watched[2]).epsilon(1e-12));
  // the other is bent by a moment alone: a circle, and what the coupling gives is that moment
  CHECK(last.watched[1] == Approx(1000 * (1 - std::cos(last.watched[3])) / last.watched[3]).epsilon(1e-3));
  CHECK(coupling(last.couplings, "tie").moment.norm() == Approx(kBend * last.watched[3] / 1000).epsilon(1e-2));
}

TEST_CASE("couplings: one that comes later ties what has moved as it lies", "[study][fast]") {
  const std::string kind = GENERATE("equal", "rigid");
  const std::string late =
      kind == "equal"
          ? alike("tie", "{ any = [\"a.end\", \"b.end\"] }", "dofs = [\"z\"]\nactive_in = [\"use\"]\n")
          : "\n[[couplings]]\nname = \"tie\"\nkind = \"rigid\"\ncouple_rotations = false\npoint = \"a.end\"\nat = "
            "\"b.end\"\nactive_in = [\"use\"]\n";
  const auto r =
      run(pair_of(late, step("g", "GNA",
                             "stages = [{ name = \"build\", load = \"p\", to_load_factor = 2 }, { name = \"use\", "
                             "load = \"q\", to_load_factor = 4 }]")));
  const auto& path = path_of(r);
  const double stiffness = 3 * kBend / 1e9;
  CHECK(end_of(path, 0).watched[0] == Approx(2 / stiffness).epsilon(1e-3));
  CHECK(std::abs(end_of(path, 0).watched[1]) < 1e-9);
  // four more on two springs (which a rigid arm twists besides); nothing jumps when the tie comes
  const auto& begin = path.increments.at(static_cast<std::size_t>(path.stages[1].first));
  CHECK(begin.watched[0] == Approx(end_of(path, 0).watched[0]).epsilon(1e-9));
  CHECK(std::abs(begin.watched[1]) < 1e-9);
  const double one = end_of(path, 1).watched[0] - begin.watched[0], other = end_of(path, 1).watched[1];
  CHECK(one + other == Approx(4 / stiffness).epsilon(2e-3));
  if (kind == "equal") CHECK(other == Approx(one).epsilon(1e-12));
}

TEST_CASE("couplings: what nodes cannot share is reported", "[study][fast]") {
  const auto [more, told] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {"dofs = [\"turn\"]", "'dofs' has no 'turn'"},
      {"dofs = [\"z\"]\nfactor = 2", "a multiple of whose displacement is not said"},
      {"dofs = [\"z\", \"rotations\"]\npoint = [0, 0, 9]\nfactor = 2", "rotations are shared as they are"},
      {"dofs = [\"z\"]\npoint = [0, 0, 9]\nfactor = 0", "no times the displacement of a point is none"},
  }));
  CHECK(complaint_of(pair_of(alike("tie", "\"a.end\"", more), step("la", "LA", "load = \"p\""))).find(told) !=
        std::string::npos);
}

}  // namespace stages_tests
