// Members read as members, moments of second order, hand checks of members, pretension of fasteners and nets.
#include <catch2/catch.hpp>

#include "archway/study/hand_checks.hpp"
#include "archway/theory/columns.hpp"
#include "archway/theory/formulas.hpp"
#include "archway/theory/frames.hpp"
#include "support/pieces.hpp"

namespace members_tests {

using namespace archway;
using namespace archway::test;

namespace {
const std::string kProfile = profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 60");
constexpr double kE = 200000, kPi = 3.14159265358979323846;

/// A column in so many pieces, pinned in the plane.
std::string column(const std::vector<double>& heights, const std::string& more_of_second = "") {
  std::string text = head("planar = \"xz\"\n") + kProfile;
  for (std::size_t k = 0; k + 1 < heights.size(); ++k)
    text += member(fmt::format("p{}", k + 1), fmt::format("[0, 0, {}]", heights[k]),
                   fmt::format("[0, 0, {}]", heights[k + 1]), "up = [1, 0, 0]\n" + (k == 1 ? more_of_second : ""));
  return text + support("\"p1.start\"", "[\"x\", \"z\"]") +
         support(fmt::format("\"p{}.end\"", heights.size() - 1), "[\"x\"]") +
         action("p", force(fmt::format("\"p{}.end\"", heights.size() - 1), "[0, 0, -1000]"));
}
const std::string kBuckle = step("b", "LBA", "load = \"p\"\nmodes = 2");
}  // namespace

TEST_CASE("members: pieces in a straight line are one member, others are not", "[study][fast]") {
  const auto names = [](const study::StudyResult& r) {
    std::vector<std::string> list;
    for (const auto& e : r.find("b")->lengths) list.push_back(e.member);
    return list;
  };
  const auto r = run(column({0, 700, 1500, 3000}) + kBuckle);
  REQUIRE(names(r) == std::vector<std::string>{"p1 .. p3"});
  const auto& e = r.find("b")->lengths[0];
  CHECK(e.length == Approx(3000));
  CHECK(e.share == Approx(1).epsilon(1e-6));
  CHECK(e.about_y == Approx(3000).epsilon(2e-3));  // shear makes it seem longer
  CHECK(e.bend_z < 1e-9);
  // every mode has its own
  const auto& all = r.find("b")->lengths_by_mode;
  REQUIRE(all.size() == 2);
  CHECK(all[1].mode == 1);
  CHECK(all[1].about_y == Approx(1500).epsilon(5e-3));

  SECTION("a hinge between parts them") {
    const auto hinged =
        run(column({0, 700, 1500, 3000}, "release_start = [\"ry\"]") + support("\"p2.start\"", "[\"x\"]") + kBuckle);
    CHECK(names(hinged) == std::vector<std::string>{"p1", "p2 .. p3"});
  }
  SECTION("a name joins what is given it") {
    const auto named = run(column({0, 700, 1500, 3000}, "piece_of = \"mast\"") + kBuckle);
    CHECK(names(named) == std::vector<std::string>{"p1", "mast", "p3"});
  }
  SECTION("a corner ends it, and of three that meet the straight two are one") {
    const auto frame = run(column({0, 1500, 3000}) + member("arm", "[0, 0, 1500]", "[800, 0, 1700]") +
                           support("\"arm.end\"", "[\"x\", \"z\"]") + kBuckle);
    CHECK(names(frame)[0] == "p1 .. p2");
  }
}

TEST_CASE("members: about a state of a path and beside a constant part their forces are those in place",
          "[study][fast]") {
  const std::string held = action("d", force("\"p2.end\"", "[0, 0, -20000]"));
  const auto r = run(
      column({0, 1000, 3000}) + held + step("dead", "LA", "load = \"d\"") +
      step("b", "LBA", "preload_of = \"dead\"\nload = \"p\"\nmodes = 1") +
      step("way", "GNA", "preload_of = \"dead\"\nload = \"p\"\nstop = { load_factor = 5 }\noutput_load_factors = [5]") +
      step("about", "LBA", "state_of = \"way\"\nload = \"p\"\nmodes = 1"));
  const double critical = 20000 + 1000 * factor(r);
  REQUIRE(r.find("b")->lengths.size() == 1);
  CHECK(r.find("b")->lengths[0].axial == Approx(critical).epsilon(1e-6));
  REQUIRE(r.find("about")->lengths.size() == 1);
  CHECK(r.find("about")->lengths[0].axial == Approx(critical).epsilon(1e-3));
  CHECK(r.find("about")->lengths[0].about_y == Approx(r.find("b")->lengths[0].about_y).epsilon(1e-3));
  // the last state of a path has what an LA has
  REQUIRE(r.find("way")->end_forces != nullptr);
  CHECK(r.find("way")->end_forces->member_forces[0].points[1].axial == Approx(-25000).epsilon(1e-4));
}

TEST_CASE("members: moments grow by 1 / (1 - f / fcr) where they have the shape of the mode", "[study][fast]") {
  // a bow of a half sine under axial load: linear N e, nonlinear N e / (1 - N / Ncr)
  const auto r =
      run(column({0, 1500, 3000}) + kBuckle + "\n[[imperfections]]\nname = \"bow\"\nmode_of = \"b\"\namplitude = 1\n" +
          step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"bow\"\nstop = { load_factor = 20 }\n"));
  const auto& list = r.find("g")->second_order;
  REQUIRE(list.size() == 1);
  const auto& s = list[0];
  CHECK(s.member == "p1 .. p2");
  CHECK(s.amplification == Approx(1 / (1 - s.load_factor / factor(r))).epsilon(1e-9));
  CHECK(s.linear_y == Approx(1000 * s.load_factor * 1).epsilon(5e-3));
  CHECK(s.nonlinear_y == Approx(s.linear_y * s.amplification).epsilon(5e-3));
}

TEST_CASE("members: no effective length where a mode twists only, or rounding alone compresses", "[study][fast]") {
  const std::string cross = head() + profile("r", "shape = \"cross\"\nwidth = 100\nheight = 100\nthickness = 2") +
                            member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]", "r") +
                            support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") +
                            support("\"a.end\"", "[\"x\", \"y\", \"rz\"]");
  const auto twisted = run(cross + action("p", force("\"a.end\"", "[0, 0, -1000]")) +
                           step("b", "LBA", "load = \"p\"\nmodes = 1"));  // short: twist comes first
  const auto& o = *twisted.find("b");
  REQUIRE(o.readings.at(0).torsion > 0.99);
  for (const auto& e : o.lengths) CHECK((e.about_y == 0 && e.about_z == 0 && e.slenderness == 0));
  // bent about its strong axis only: what axial force there is comes from rounding
  const auto bent = run(head() + profile("r", "shape = \"rectangle\"\nwidth = 8\nheight = 80") +
                        member("a", "[0, 0, 0]", "[1733, 377, 0]", "", "r") + support("\"a.start\"", "\"all\"") +
                        action("p", force("\"a.end\"", "[0, 0, -1000]")) + step("b", "LBA", "load = \"p\"\nmodes = 1"));
  REQUIRE(bent.find("b")->buckling->modes.size() == 1);
  CHECK(bent.find("b")->lengths.empty());
}

TEST_CASE("hand checks: a member brings its length, profile, material and ends", "[study][fast]") {
  const auto check = [](const std::string& hold_start, const std::string& hold_end, const std::string& more = "") {
    return run(head() + kProfile + member("c", "[0, 0, 0]", "[0, 0, 2500]", "up = [1, 0, 0]") +
               support("\"c.start\"", hold_start) + (hold_end.empty() ? "" : support("\"c.end\"", hold_end)) + more +
               action("p", force("\"c.end\"", "[0, 0, -1000]")) + step("b", "LBA", "load = \"p\"\nmodes = 3") +
               "\n[[hand_checks]]\nanalysis = \"b\"\nformula = \"column\"\nmember = \"c\"\nabout = \"z\"\n");
  };
  const double bending = kE * 60 * std::pow(40, 3) / 12;
  const auto expect = [&](const study::StudyResult& r, double k) {
    REQUIRE(r.hand_checks.size() == 1);
    const double euler = kPi * kPi * bending / std::pow(k * 2500, 2);  // shear takes a little
    CHECK(r.hand_checks[0].value < euler);
    CHECK(r.hand_checks[0].value > 0.995 * euler);
    CHECK(std::abs(r.hand_checks[0].deviation) < 2e-4);
  };
  expect(check("\"all\"", ""), 2);
  expect(check("\"all\"", "[\"x\", \"y\"]"), 0.699155660);
  expect(check("[\"x\", \"y\", \"z\", \"rz\"]", "[\"x\", \"y\"]"), 1);
  expect(check("\"all\"", "[\"x\", \"y\", \"rx\", \"ry\"]"), 0.5);
  // what else holds an end is not reported by supports
  const auto open =
      check("\"all\"", "", "\n[[springs]]\nname = \"s\"\nat = \"c.end\"\nstiffness = [1, 1, 0, 0, 0, 0]\n");
  REQUIRE(open.hand_checks.size() == 1);
  CHECK(open.hand_checks[0].note.find("cannot be read from the supports alone") != std::string::npos);
  CHECK(complaint_of(head() + kProfile + member("c", "[0, 0, 0]", "[0, 0, 2500]") + support("\"c.start\"", "\"all\"") +
                     action("p", force("\"c.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"") +
                     "\n[[hand_checks]]\nanalysis = \"b\"\nformula = \"column\"\nmember = \"d\"\n")
            .find("no member named 'd'") != std::string::npos);
}

TEST_CASE("hand checks: beams of unequal flanges from their profile, in compression in either", "[study]") {
  const auto r = run(
      head() +
      profile("i",
              "shape = \"i\"\nwidth = 120\nheight = 200\nflange = 10\nweb = 6\nbottom_width = "
              "60\nbottom_flange = 8\nshear_deformation = false") +
      member("beam", "[0, 0, 0]", "[4000, 0, 0]", "warping = true\nelements = 12", "i") +
      support("\"beam.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") + support("\"beam.end\"", "[\"y\", \"z\", \"rx\"]") +
      action("m",
             "{ kind = \"force\", at = \"beam.start\", force = [0, 0, 0], moment = [0, 1e6, 0] }, { "
             "kind = \"force\", at = \"beam.end\", force = [0, 0, 0], moment = [0, -1e6, 0] }") +
      step("b", "LBA", "load = \"m\"\nmodes = 2\nreversed_load = \"show\"") +
      "\n[[hand_checks]]\nanalysis = \"b\"\nformula = \"lateral-beam\"\nmember = \"beam\"\nmaterial = \"m\"\n"
      "load_at_factor_one = 1e6\n");
  REQUIRE(r.hand_checks.size() == 1);
  CHECK(r.hand_checks[0].note.empty());
  CHECK(std::abs(r.hand_checks[0].deviation) < 5e-3);
  // the moment the other way presses the smaller flange: far less
  const auto& formula = theory::formula_named("lateral-beam");
  auto check = r.spec.hand_checks[0];
  auto numbers = study::inputs_from_study(r.spec, formula, check);
  numbers["monosymmetry"] *= -1;
  const double other = theory::evaluate(formula, numbers, {})[0].value;
  CHECK(other < 0.7 * r.hand_checks[0].value);
  CHECK(-1e6 * r.find("b")->buckling->negative_modes.at(0).load_factor == Approx(other).epsilon(5e-3));
}

TEST_CASE("formulas: charts of effective lengths are columns with rotational springs", "[theory][fast]") {
  const auto [a, b] = GENERATE(std::pair(0.5, 2.0), std::pair(3.0, 3.0), std::pair(0.1, 50.0), std::pair(10.0, 0.7));
  const bool sways = GENERATE(true, false);
  CAPTURE(a, b, sways);
  const double bending = 1e9, length = 3000, per = (sways ? 6 : 2) * bending / length;
  theory::Column c;
  c.pieces = {{length, bending, 0, 1, 1, 0, 0}};
  c.end = sways ? theory::LineEnd::free : theory::LineEnd::pinned;
  c.start_rotational_stiffness = per / a, c.end_rotational_stiffness = per / b;
  const double load = theory::column_factors(c, 1)[0], k = theory::effective_length_factor(a, b, sways);
  CHECK(kPi * kPi * bending / std::pow(k * length, 2) == Approx(load).epsilon(1e-8));
  CHECK(theory::effective_length_factor(b, a, sways) == Approx(k).epsilon(1e-12));
  CHECK(theory::effective_length_factor(0, 0, sways) == Approx(sways ? 1 : 0.5).epsilon(1e-6));
  CHECK(theory::effective_length_factor(1e12, 1e12, false) == Approx(1).epsilon(1e-6));
}

TEST_CASE("formulas: a chord on many U-frames is a beam on a bed", "[theory][fast]") {
  const double bending = 2e11, length = 40000, stiffness = 800;
  const double chord = theory::chord_loads(bending, length, 40, stiffness, 0, 1)[0];
  theory::Column bedded;
  bedded.pieces = {{length, bending, 0, 1, 1, 0, 0}};
  bedded.bed = stiffness * 40 / length;
  CHECK(chord == Approx(theory::column_factors(bedded, 1)[0]).epsilon(1e-2));
  // a force at the top of a post of a frame: bending of the post, and of the cross member
  theory::UFrame f{kE, 1e6, 1000, 5e6, 1100, 3000, 0};
  CHECK(theory::u_frame_stiffness(f) ==
        Approx(1 / (1e9 / (3 * kE * 1e6) + 1100. * 1100 * 3000 / (2 * kE * 5e6))).epsilon(1e-12));
  // outstands beside the long plate that they are
  const auto& plate = theory::formula_named("plate");
  const auto plain =
      theory::evaluate(plate, {{"youngs_modulus", kE}, {"thickness", 2}, {"length", 2000}, {"width", 100}},
                       {{"side_edges", "supported-free"}})[0]
          .value;
  const auto outstand = theory::evaluate(theory::formula_named("outstand"),
                                         {{"youngs_modulus", kE}, {"thickness", 2}, {"width", 100}}, {})[0]
                            .value;
  CHECK(outstand == Approx(plain).epsilon(0.02));
}

TEST_CASE("U-frames: a half-through bridge beside its formula", "[study]") {
  // both chords of a deck on U-frames, in compression alike; the frames bend, the chords go sideways
  constexpr int kPanels = 8;
  const double length = 16000, width = 3000, height = 1100, a = length / kPanels;
  std::string text = head() +
                     profile("chord",
                             "shape = \"rectangular-hollow\"\nwidth = 120\nheight = 120\nthickness = "
                             "6\nshear_deformation = false") +
                     profile("post", "shape = \"rectangle\"\nwidth = 60\nheight = 60\nshear_deformation = false") +
                     profile("cross", "shape = \"rectangle\"\nwidth = 80\nheight = 140\nshear_deformation = false");
  std::string loads;
  for (int side = 0; side < 2; ++side) {
    const double y = side * width;
    for (int k = 0; k < kPanels; ++k)
      text += member(fmt::format("chord-{}-{}", side, k), fmt::format("[{}, {}, {}]", a * k, y, height),
                     fmt::format("[{}, {}, {}]", a * (k + 1), y, height), "elements = 3\nrigid = \"axial\"", "chord");
    for (int k = 1; k < kPanels; ++k)
      text += member(fmt::format("post-{}-{}", side, k), fmt::format("[{}, {}, 0]", a * k, y),
                     fmt::format("[{}, {}, {}]", a * k, y, height),
                     "up = [0, 1, 0]\nelements = 2\nrelease_end = [\"rx\", \"ry\", \"rz\"]", "post");
    text += support(fmt::format("\"chord-{}-0.start\"", side), "[\"x\", \"y\", \"z\", \"rx\"]") +
            support(fmt::format("\"chord-{}-{}.end\"", side, kPanels - 1), "[\"y\", \"z\"]");
    loads += (side > 0 ? ", " : "") + force(fmt::format("\"chord-{}-{}.end\"", side, kPanels - 1), "[-1000, 0, 0]");
  }
  for (int k = 1; k < kPanels; ++k)
    text += member(fmt::format("cross-{}", k), fmt::format("[{}, 0, 0]", a * k),
                   fmt::format("[{}, {}, 0]", a * k, width), "elements = 2", "cross") +
            support(fmt::format("{{ any = [\"cross-{0}.start\", \"cross-{0}.end\"] }}", k),
                    "[\"x\", \"z\", \"rz\", \"ry\"]") +
            support(fmt::format("\"cross-{}.start\"", k), "[\"y\"]");
  text += action("p", loads) + step("b", "LBA", "load = \"p\"\nmodes = 2");
  const auto r = run(text);
  const double inertia = (std::pow(120, 4) - std::pow(108, 4)) / 12;
  const double c =
      theory::u_frame_stiffness({kE, std::pow(60, 4) / 12, height, 80 * std::pow(140, 3) / 12, height, width, 0});
  // vertically the posts carry the chord from the ground, so it goes sideways; against each other the frames are as
  // stiff as the formula says, the same way they sway more easily or not at all
  const double load = theory::chord_loads(kE * inertia, length, kPanels, c, 0, 1)[0];
  CHECK(factor(r) * 1000 == Approx(load).epsilon(0.01));
}

TEST_CASE("pretension: fasteners clamp, and lack of fit of a spring", "[study][fast]") {
  // a spring of stiffness k in tension by F between two blocks on springs of their own: in series
  const auto study = [](const std::string& load) {
    return head() + kProfile + member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 1") +
           member("c", "[1010, 0, 0]", "[2010, 0, 0]", "elements = 1") + support("\"a.start\"", "\"all\"") +
           support("\"c.end\"", "\"all\"") +
           "\n[[springs]]\nname = \"bolt\"\nat = \"a.end\"\nto = \"c.start\"\nstiffness = [50000, 1000, 1000, 0, 0, "
           "0]\n" +
           action("p", load) + step("la", "LA", "load = \"p\"") +
           step("g", "GNA", "load = \"p\"\nstop = { load_factor = 1 }");
  };
  const double bar = kE * 40 * 60 / 1000, bolt = 50000, series = 1 / (2 / bar + 1 / bolt);
  for (const auto& [load, pulled] :
       {std::pair<std::string, double>("{ kind = \"pretension\", on = \"bolt\", value = 8000 }", 8000),
        std::pair<std::string, double>("{ kind = \"lack-of-fit\", on = \"bolt\", value = -0.16 }", 8000)}) {
    CAPTURE(load);
    const auto r = run(study(load));
    const double expected = pulled / bolt * series;
    CHECK(r.find("la")->linear->spring_forces[0][0] == Approx(expected).epsilon(1e-9));
    CHECK(r.find("la")->linear->member_forces[0].points[1].axial == Approx(expected).epsilon(1e-9));
    CHECK(path_of(r).increments.back().spring_forces[0][0] == Approx(expected).epsilon(1e-4));
  }
  CHECK(complaint_of(study("{ kind = \"pretension\", on = \"nothing\", value = 1 }")).find("nothing") !=
        std::string::npos);
}

TEST_CASE("pretension: a net of bars alone is by it, form found before growth", "[study][fast]") {
  // four ropes cross in one node; in compression across by P it moves by w: P = 4 N w / L, with N growing
  const auto study = [](const std::string& stages) {
    std::string text = head() + profile("r", "shape = \"circle\"\ndiameter = 8");
    for (const auto& [name, at] : {std::pair("e", "[2000, 0, 0]"), std::pair("n", "[0, 2000, 0]"),
                                   std::pair("w", "[-2000, 0, 0]"), std::pair("s", "[0, -2000, 0]")})
      text += fmt::format(
                  "\n[[bars]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = {}\nto = [0, 0, 0]\n"
                  "tension_only = true\n",
                  name, at) +
              support(fmt::format("\"{}.start\"", name), "[\"x\", \"y\", \"z\"]");
    return text + "\n[[watches]]\nname = \"knot\"\nat = \"e.end\"\ndirection = [0, 0, -1]\n" +
           action("pull", "{ kind = \"pretension\", on = [\"e\", \"n\", \"w\", \"s\"], value = 5000 }") +
           action("snow", force("\"e.end\"", "[0, 0, -100]")) + step("g", "GNA", stages);
  };
  const auto r = run(
      study("stages = [{ name = \"pull\", load = \"pull\", to_load_factor = 1 }, { name = \"snow\", load = \"snow\", "
            "to_load_factor = 10 }]"));
  const auto& path = path_of(r);
  REQUIRE(path.usable());
  CHECK(told(r.check.warnings, "it is stiff only once 'pull' has tensioned it"));
  const double stiffness = kE * kPi * 16, length = 2000;
  int looked = 0;
  for (const auto& i : path.increments) {
    if (i.stage != 1 || !(i.load_factor > 0)) continue;
    const double w = i.watched[0], now = std::hypot(length, w);
    const double pull = stiffness * (now / length - 1 + 5000 / stiffness);
    CHECK(100 * i.load_factor == Approx(4 * pull * w / now).epsilon(1e-4));
    ++looked;
  }
  CHECK(looked > 2);
  // without it, it is what it was: a mechanism
  auto slack = study("load = \"snow\"");
  slack.replace(slack.find("value = 5000"), 12, "value = 0.0 ");
  CHECK(complaint_of(slack).find("move") != std::string::npos);
}

}  // namespace members_tests
