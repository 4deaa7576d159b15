// Critical loads that are not hidden, paths that see every loss of stability, and words that are said when needed.
#include "archway/analysis/mechanism.hpp"
#include "archway/base/rotation.hpp"
#include "archway/elements/outline.hpp"
#include "archway/study/build_model.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/verdicts.hpp"
#include "archway/theory/catalogue.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace trust_answers_tests {

using namespace archway;
using namespace archway::test;
using analysis::PathEvent;
using base::Vec3;

namespace {
const std::string kFlat = "shape = \"rectangle\"\nwidth = 20\nheight = 30";
/// A cantilever column, in compression at its head; buckles at 10.3613 and 23.3078 times the load.
std::string column(const std::string& more) {
  return "[study]\ntitle = \"trial\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = "
         "210000\npoisson_ratio = "
         "0.3\n" +
         profile("r", kFlat) + member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
         support("\"a.start\"", "\"all\"") + action("p", force("\"a.end\"", "[0, 0, -1000]")) + more;
}
}  // namespace

TEST_CASE("path: the first loss of stability is found whatever the steps, by arc length and by load control",
          "[study][fast]") {
  const auto how = GENERATE(as<std::string>{}, "first_step = 100", "first_step = 1", "first_step = 7.3",
                            "control = \"load\"\nfirst_step = 3", "control = \"load\"\nfirst_step = 40");
  INFO(how);
  const auto r = run(column(step("g", "GNA", "load = \"p\"\n" + how + "\nstop = { load_factor = 40 }")));
  const auto& path = path_of(r);
  REQUIRE(path.first_loss > 0);
  std::vector<double> found;
  for (const auto& i : path.increments)
    if (i.event == PathEvent::bifurcation) found.push_back(i.load_factor);
  REQUIRE(found.size() == 2);  // each once
  CHECK(found[0] == Approx(10.36126).epsilon(1e-5));
  CHECK(found[1] == Approx(23.30776).epsilon(1e-5));
  CHECK(path.increments[static_cast<std::size_t>(path.first_loss)].uncertainty < 1e-5 * found[0]);
  CHECK(path.peak_is_unstable());
  REQUIRE(r.comparison.size() == 2);
  CHECK(r.comparison[0].meaning == "first loss of stability (bifurcation)");
  CHECK(r.comparison[1].meaning == "largest reached, unstable");
}

TEST_CASE("path: ends at the first loss when asked, and after a clear peak by itself", "[study][fast]") {
  const auto early = run(column(step("g", "GNA", "load = \"p\"\nfirst_step = 6\nstop = { first_loss = true }")));
  CHECK(path_of(early).first_loss == static_cast<int>(path_of(early).increments.size()) - 2);
  CHECK_THAT(path_of(early).stop_reason, Catch::Contains("loses its stability at load factor 10.3613"));

  // a flat two-bar truss whose bars are slender: it could snap through, but a bar buckles first; both in one increment
  const std::string truss = head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
                            member("l", "[0, 0, 0]", "[500, 0, 100]", "elements = 4") +
                            member("r", "[500, 0, 100]", "[1000, 0, 0]", "elements = 4") +
                            support("{ any = [\"l.start\", \"r.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
                            support("{ y = 0, inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
                            action("p", force("\"l.end\"", "[0, 0, -1]"));
  const auto fine = run(truss + step("g", "GNA", "load = \"p\"\nfirst_step = 50\nlargest_step = 800"));
  const auto coarse = run(truss + step("g", "GNA", "load = \"p\"\nfirst_step = 4000\nlargest_step = 40000"));
  const auto& a = path_of(fine);
  const auto& b = path_of(coarse);
  REQUIRE(a.first_loss >= 0);
  REQUIRE(b.first_loss >= 0);
  CHECK(b.increments[static_cast<std::size_t>(b.first_loss)].load_factor ==
        Approx(a.increments[static_cast<std::size_t>(a.first_loss)].load_factor).epsilon(1e-4));
  CHECK(a.increments.size() < 101);
  CHECK((a.peak_is_limit_point || a.first_loss >= 0));
}

TEST_CASE("path: under moments that keep their axes nothing is called a loss of stability", "[study][fast]") {
  // a strip rolled up to a full revolution: the symmetric part of the tangent rotations indefinite, which proves
  // nothing
  const auto r =
      run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 10") +
          member("a", "[0, 0, 0]", "[1000, 0, 0]") + support("\"a.start\"", "\"all\"") +
          action("p", "{ kind = \"force\", at = \"a.end\", moment = [0, 2e6, 0] }") +
          step("g", "GNA", "load = \"p\"\nfirst_step = 0.1\nlargest_step = 0.1\nstop = { load_factor = 1 }"));
  const auto& path = path_of(r);
  REQUIRE(path.unsymmetric);
  REQUIRE(path.first_loss >= 0);
  CHECK_FALSE(path.peak_is_unstable());
  REQUIRE(r.comparison.size() == 2);
  CHECK(r.comparison[0].meaning == "stability not proved from here");
  CHECK(r.comparison[1].meaning == "largest reached");
  CHECK(told(r.find("g")->warnings, "neither proves nor excludes"));
  CHECK_FALSE(told(r.find("g")->warnings, "the structure would leave it"));
}

TEST_CASE("path: first yield is located and reported", "[study][fast]") {
  const auto r = run(column("") + step("b", "LBA", "load = \"p\"\nmodes = 1") +
                     "\n[[imperfections]]\nname = \"bow\"\nmode_of = \"b\"\namplitude = 5\n" +
                     step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"bow\"\nstop = { load_factor = 9 }"));
  CHECK(path_of(r).first_yield.part == -1);
  std::string text = column("");
  text.replace(text.find("poisson_ratio"), 0, "yield_stress = 235\n");
  const auto y = run(
      text + step("b", "LBA", "load = \"p\"\nmodes = 1") +
      "\n[[imperfections]]\nname = \"bow\"\nmode_of = \"b\"\namplitude = 5\n" +
      step(
          "g", "GNIA",
          "loads_of = \"b\"\nimperfection = \"bow\"\nlargest_step = 1\nstop = { load_factor = 9.6, increments = 400 }"));
  // N / A + N e / W with e = 5 / (1 - N / Ncr), the mode's tip, about the weaker axis
  const double critical = 10361.3;
  double low = 0, high = critical;
  for (int k = 0; k < 60; ++k) {
    const double n = 0.5 * (low + high);
    (n / 600 + n * 5 / (1 - n / critical) / 2000 < 235 ? low : high) = n;
  }
  CHECK(path_of(y).first_yield.load_factor == Approx(low / 1000).epsilon(0.01));
  CHECK(y.comparison[1].meaning == "first yield (elastic stress)");
  CHECK(told(y.find("g")->warnings, "reaches yield at load factor"));
}

TEST_CASE("buckling: a material that yields at once ends no search for when", "[study][fast]") {
  std::string text = column("");
  text.replace(text.find("poisson_ratio"), 0, "yield_stress = 1e-320\n");
  const auto r = run(text + step("b", "LBA", "load = \"p\"\nmodes = 1"));
  CHECK(factor(r) == Approx(10.3613).epsilon(1e-4));
  REQUIRE(r.find("b")->base);
  CHECK(r.find("b")->base->yield.part == 0);
  CHECK(r.find("b")->base->yield.load_factor < 1e-11);
}

TEST_CASE("buckling: no mode of a in compression structure is hidden, what is only in tension is omitted and reported",
          "[study][fast]") {
  // a plate in compression at one node of its far edge: the stress there grows with refinement, the factor must not
  // vanish
  const auto plate = [](const char* divisions, const std::string& window) {
    return run(head() + panel("s", "[0, 0, 0]", "[600, 0, 0]", "[0, 300, 0]", divisions, "", 8) +
               support("\"s.start\"", "[\"x\", \"y\", \"z\"]") + support("{ free_edges = true }", "[\"z\"]") +
               action("p", force("{ near = [600, 150, 0] }", "[-200000, 0, 0]")) +
               step("b", "LBA", "load = \"p\"\nmodes = 1\nreversed_load = \"leave-out\"\n" + window));
  };
  const auto fine = plate("[48, 24]", "");
  CHECK(factor(fine) == Approx(factor(plate("[48, 24]", "below = 100"))).epsilon(1e-6));
  CHECK(fine.find("b")->buckling->modes[0].strain < 0.1);
  // steep two bars, both in compression: far beyond what strains allow, but in compression, so reported and not denied
  const auto steep =
      run(head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
          "\n[[bars]]\nname = \"l\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [100, 0, 800]\n"
          "[[bars]]\nname = \"r\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [100, 0, 800]\nto = [200, 0, 0]\n" +
          support("{ z = 0 }", "[\"x\", \"y\", \"z\"]") + support("\"l.end\"", "[\"y\"]") +
          action("p", force("\"l.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"\nmodes = 1"));
  REQUIRE(steep.find("b")->buckling->modes.size() == 1);
  const auto pulled =
      run(column("") + action("up", force("\"a.end\"", "[0, 0, 1]")) + step("b", "LBA", "load = \"up\"\nmodes = 1"));
  CHECK(pulled.find("b")->buckling->no_compression);
  REQUIRE_FALSE(pulled.find("b")->buckling->left_out.empty());
  CHECK(pulled.find("b")->buckling->left_out[0].strain > 0.1);
}

TEST_CASE("buckling: a frame says the same wherever it is, rotated, mirrored or far away", "[study][fast]") {
  // two equal posts share the work: which one is named first is not for rounding to say
  const auto frame = [](const Eigen::Matrix3d& rotation, const Vec3& to) {
    const auto v = [&](const Vec3& way) {
      const Vec3 t = rotation * way;
      return fmt::format("[{}, {}, {}]", t.x(), t.y(), t.z());
    };
    const auto at = [&](const Vec3& point) {
      const Vec3 t = rotation * point + to;
      return fmt::format("[{}, {}, {}]", t.x(), t.y(), t.z());
    };
    const auto post = [&](const char* name, double x) {
      return member(name, at({x, 0, 0}), at({x, 0, 900}), "up = " + v(Vec3::UnitX()));
    };
    return head() + profile("r", kFlat) + post("a", 0) + post("b", 700) +
           member("rail", at({0, 0, 900}), at({700, 0, 900}), "up = " + v(Vec3::UnitZ())) +
           support("{ any = [\"a.start\", \"b.start\"] }", "\"all\"") +
           action("p", force("\"a.end\"", v({0, 0, -10})) + ", " + force("\"b.end\"", v({0, 0, -10})) + ", " +
                           force("\"b.start\"", v({0, 3, -5}))) +
           step("b", "LBA", "load = \"p\"\nmodes = 4");
  };
  const auto words = [](const study::StudyResult& r, std::size_t m) {
    const auto& b = *r.find("b");
    return study::mode_in_words(*b.model, b.readings.at(m));
  };
  const auto plain = run(frame(Eigen::Matrix3d::Identity(), Vec3::Zero()));
  CHECK(words(plain, 0).substr(0, 1) == "a");
  const auto rotation =
      GENERATE(as<Vec3>{}, Vec3(0, 0, 0.7), Vec3(1.1, 0, 0), Vec3(0.5, -0.9, 2), Vec3(0, 1.5707963267948966, 0));
  const double mirror = GENERATE(1.0, -1.0);
  const Vec3 to = GENERATE(as<Vec3>{}, Vec3::Zero(), Vec3(2e6, -3e6, 1.0 / 3));
  const Eigen::Matrix3d placed = base::exponential(rotation).toRotationMatrix() * Vec3(mirror, 1, 1).asDiagonal();
  const auto r = run(frame(placed, to));
  for (std::size_t m = 0; m < 4; ++m) {
    CHECK(factor(r, m + 1) == Approx(factor(plain, m + 1)).epsilon(1e-7));
    CHECK(words(r, m) == words(plain, m));
  }
  const auto total = r.find("b")->variable_total.force;
  CHECK((total - placed * Vec3(0, 3, -25)).norm() < 1e-9);
}

TEST_CASE("buckling: loads that cause no forces, and loads that balance each other", "[study][fast]") {
  const std::string beam = head() + profile("r", kFlat) + member("a", "[0, 0, 0]", "[1000, 0, 0]") +
                           support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") +
                           support("\"a.end\"", "[\"y\", \"z\"]");
  const auto nothing = GENERATE(as<std::string>{}, "{ kind = \"temperature\", value = 50 }",
                                "{ kind = \"displacement\", at = \"a.end\", dof = \"z\", value = -5 }");
  const auto r =
      run(beam + action("p", nothing) + step("la", "LA", "load = \"p\"") + step("b", "LBA", "load = \"p\"\nmodes = 3"));
  CHECK(r.find("b")->buckling->no_forces);
  CHECK(r.find("b")->buckling->modes.empty());
  CHECK(told(r.find("b")->warnings, "nothing to buckle"));
  CHECK(r.find("la")->warnings.empty());
  const auto moment = run(beam + action("p", "{ kind = \"force\", at = \"a.end\", moment = [0, 1000, 0] }") +
                          step("la", "LA", "load = \"p\""));
  CHECK(moment.find("la")->linear->imbalance < 1e-8);
}

TEST_CASE("displacements hold their degree of freedom only where they act", "[study][fast]") {
  const auto r =
      run(column("") + action("push", "{ kind = \"displacement\", at = \"a.end\", dof = \"y\", value = 1 }") +
          action("f", force("\"a.end\"", "[0, 1000, 0]")) + step("moved", "LA", "load = \"push\"") +
          step("la", "LA", "load = \"f\"") + step("b", "LBA", "load = \"p\"\nmodes = 1") +
          step("both", "LBA", "preload_of = \"moved\"\nload = \"p\"\nmodes = 1"));
  CHECK(largest_displacement(r, "moved") == Approx(1).epsilon(1e-6));
  CHECK(largest_displacement(r) > 30);
  CHECK(factor(r) == Approx(10.3613).epsilon(1e-3));
  CHECK(factor(r, 1, "both") > 1.5 * factor(r));
}

TEST_CASE("mechanisms are named in the direction nothing resists", "[study][fast]") {
  const std::string bars =
      head() + profile("r", kFlat) +
      "\n[[bars]]\nname = \"a\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [1000, 0, 0]\n"
      "[[bars]]\nname = \"b\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [1000, 0, 0]\nto = [2000, 0, 0]\n" +
      support("{ any = [{ x = 0 }, { x = 2000 }] }", "[\"x\", \"y\", \"z\"]") + support("{ x = 1000 }", "[\"y\"]") +
      action("p", force("{ x = 1000 }", "[0, 0, -1]"));
  const auto spec = io::parse_study(bars, "t.toml", {});
  CHECK_THAT(study::check_model(spec, study::build_model(spec), true).mechanism, Catch::Contains("along z"));
}

TEST_CASE("modes of members go by the outline of their sections", "[study][fast]") {
  const auto r =
      run(head() + profile("r", "shape = \"cross\"\nwidth = 100\nheight = 100\nthickness = 2") +
          member("a", "[0, 0, 0]", "[0, 0, 800]", "up = [1, 0, 0]") +
          support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") + support("\"a.end\"", "[\"x\", \"y\", \"rz\"]") +
          action("p", force("\"a.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"\nmodes = 1") +
          "\n[[imperfections]]\nname = \"turned\"\nmode_of = \"b\"\namplitude = 5\n" +
          step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"turned\"\nstop = { increments = 2 }"));
  const auto& seeded = *r.find("g");
  double axis = 0, twist = 0;
  for (const auto& m : seeded.imperfection->displacement) axis = std::max(axis, m.norm());
  for (const auto& e : seeded.geometry->line_elements)
    for (const double t : e.twist) twist = std::max(twist, std::abs(t));
  CHECK(axis < 1e-3);
  CHECK(twist == Approx(5 / std::hypot(50, 1)).epsilon(1e-3));  // the corner of a wall moves by 5
  CHECK(seeded.imperfection->largest == archway::test::but_for_rounding(5));
  CHECK(elements::Outline(*r.model).largest(r.find("b")->buckling->modes[0].shape) ==
        archway::test::but_for_rounding(1));
  CHECK(study::mode_kind(*r.model, r.find("b")->readings[0]) == study::ModeKind::torsional);
}

TEST_CASE("imperfections: an amplitude for every mode, or a mix that is scaled and says so", "[study][fast]") {
  const auto seeded = [](const std::string& amplitude) {
    return *run(column(step("b", "LBA", "load = \"p\"\nmodes = 2") +
                       "\n[[imperfections]]\nname = \"i\"\nmode_of = \"b\"\nmodes = [[1, 0.004], [2, "
                       "0.002]]\namplitude = " +
                       amplitude + "\n" +
                       step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"i\"\nstop = { increments = 1 }")))
                .find("g")
                ->imperfection;
  };
  const auto each = seeded("{ per_mode = \"span\", part = \"a\" }");
  REQUIRE(each.amplitudes.size() == 2);
  CHECK(each.amplitudes[0] == archway::test::but_for_rounding(4));
  CHECK(each.amplitudes[1] == archway::test::but_for_rounding(2));
  CHECK(each.largest == Approx(std::hypot(4, 2)).epsilon(0.02));
  const auto mix = seeded("3");
  CHECK(mix.largest == archway::test::but_for_rounding(3));
  CHECK(mix.amplitudes[0] == archway::test::but_for_rounding(2 * mix.amplitudes[1]));
}

TEST_CASE("springs between nodes that lie apart act as if they lay in one place, unless they are links",
          "[study][fast]") {
  // a post restrained at its head by a spring of finite length to a fixed post: P = k L for a rigid post
  const auto held = [](const std::string& more) {
    return factor(run(
        "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = "
        "2e8\npoisson_ratio = 0.3\n" +
        profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 40") +
        member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
        member("w", "[50, 0, 0]", "[50, 0, 1000]", "up = [1, 0, 0]") + support("\"w\"", "\"all\"") +
        support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") + support("\"a.end\"", "[\"y\"]") +
        "\n[[springs]]\nat = \"a.end\"\nto = \"w.end\"\nstiffness = [10, 0, 0, 0, 0, 0]\n" + more +
        action("p", "{ kind = \"force\", at = \"a.end\", force = [0, 0, -1] }") +
        step("b", "LBA", "load = \"p\"\nmodes = 1")));
  };
  CHECK(held("") == Approx(10 * 1000).epsilon(2e-3));
  CHECK(held("corotational = true\n") > 0);
}

TEST_CASE("theory: shear-flexible columns with any ends follow Haringx", "[theory][fast]") {
  const double ei = 200000 * 20 * 27000.0 / 12, length = 500, shear = 2e6;
  const auto load = [&](const char* ends, double value) {
    const auto values = theory::evaluate(theory::formula_named("column"),
                                         {{"youngs_modulus", 200000},
                                          {"second_moment", 20 * 27000.0 / 12},
                                          {"length", length},
                                          {"shear_rigidity", shear},
                                          {"modes", value}},
                                         {{"ends", ends}});
    return values.at(static_cast<std::size_t>(value) - 1).value;
  };
  const auto haringx = [&](double k) {
    return (std::sqrt(1 + 4 * k * k * ei / shear) - 1) * shear / 2;
  };  // k^2 EI = P (1 + P / GA)
  CHECK_DIGITS(load("pinned-pinned", 1), haringx(M_PI / length), 8, "sine");
  CHECK_DIGITS(load("fixed-fixed", 1), haringx(2 * M_PI / length), 8, "cosine");
  CHECK_DIGITS(load("fixed-free", 1), haringx(M_PI / 2 / length), 8, "quarter wave");
  double low = 4.0 / length, high = 4.6 / length;
  for (int i = 0; i < 80; ++i) {
    const double k = 0.5 * (low + high);
    (std::tan(k * length) - k * length / (1 + haringx(k) / shear) < 0 ? low : high) = k;
  }
  CHECK_DIGITS(load("fixed-pinned", 1), haringx(low), 7, "tan kL = kL / (1 + P / GA)");
}

TEST_CASE("hand checks are paired by the kind of mode, and nonsense is refused", "[study][fast]") {
  const std::string cross = head() + profile("r", "shape = \"cross\"\nwidth = 100\nheight = 100\nthickness = 2") +
                            member("a", "[0, 0, 0]", "[0, 0, 3000]", "up = [1, 0, 0]") +
                            support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") +
                            support("\"a.end\"", "[\"x\", \"y\", \"rz\"]") +
                            action("p", force("\"a.end\"", "[0, 0, -1]"));
  const auto checked = [&](const std::string& more) {
    return run(cross + step("b", "LBA", "load = \"p\"\nmodes = 12") +
               "\n[[hand_checks]]\nanalysis = \"b\"\nformula = \"column\"\nmaterial = \"m\"\nprofile = \"r\"\ninputs = { "
               "length = 3000 }\n" +
               more)
        .hand_checks.at(0);
  };
  const auto paired = checked("");
  CHECK(std::abs(paired.deviation) < 0.01);
  const auto refused = checked("mode = 3\ncritical_load = 1\n");  // torsion comes behind bending either way
  CHECK(std::isnan(refused.deviation));
  CHECK_THAT(refused.note, Catch::Contains("of another kind"));
}

TEST_CASE("hand checks: ends and axis of a member in a plane frame, and shear where the analysis has it",
          "[study][fast]") {
  struct Row {
    const char* plane;
    std::string from, to, foot, head, push;
  };
  // pinned in the plane, whatever the plane; out of it everything is restrained
  for (const auto& row : {Row{"xz", "[0, 0, 0]", "[0, 0, 900]", "[\"x\", \"z\"]", "[\"x\"]", "[0, 0, -1]"},
                          Row{"xy", "[0, 0, 0]", "[900, 0, 0]", "[\"x\", \"y\"]", "[\"y\"]", "[-1, 0, 0]"}})
    for (const std::string section : {"shape = \"circular-hollow\"\ndiameter = 60\nthickness = 4",
                                      "shape = \"rectangle\"\nwidth = 20\nheight = 80"})
      for (const std::string rigid : {"", "rigid = [\"shear\"]"}) {
        INFO(row.plane << section << rigid);
        const auto r = run(head("planar = \"" + std::string(row.plane) + "\"\n") + profile("r", section) +
                           member("a", row.from, row.to, rigid) + support("\"a.start\"", row.foot) +
                           support("\"a.end\"", row.head) + action("p", force("\"a.end\"", row.push)) +
                           step("b", "LBA", "load = \"p\"\nmodes = 1") +
                           "\n[[hand_checks]]\nanalysis = \"b\"\nformula = \"column\"\nmember = \"a\"\n");
        CHECK(r.hand_checks.at(0).note.empty());
        CHECK(std::abs(r.hand_checks.at(0).deviation) < 2e-4);
      }
}

TEST_CASE("hand checks: a formula for the reversed load is compared with factors below zero", "[study][fast]") {
  // unequal flanges are bent one way and the other: the two critical moments differ
  const std::string section =
      "shape = \"i\"\nwidth = 60\nheight = 120\nflange = 8\nweb = 5\nbottom_width = 30\nbottom_flange = 6";
  const auto r =
      run(head() + profile("r", section) + member("a", "[0, 0, 0]", "[2500, 0, 0]", "warping = true\nelements = 12") +
          support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") + support("\"a.end\"", "[\"y\", \"z\", \"rx\"]") +
          action("p",
                 "{ kind = \"force\", at = \"a.start\", moment = [0, 1, 0] }, "
                 "{ kind = \"force\", at = \"a.end\", moment = [0, -1, 0] }") +
          step("b", "LBA", "load = \"p\"\nmodes = 1") +
          step("c", "LBA", "load = \"p\"\nmodes = 1\nreversed_load = \"leave-out\"") + [&] {
            std::string checks;
            for (const char* of : {"b", "c"})
              for (const int one : {1, -1})
                checks += fmt::format(
                    "\n[[hand_checks]]\nanalysis = \"{}\"\nformula = \"lateral-beam\"\nmaterial = \"m\"\n"
                    "profile = \"r\"\ninputs = {{ length = 2500 }}\nload_at_factor_one = {}\n",
                    of, one);
            return checks;
          }());
  REQUIRE(r.hand_checks.size() == 4);
  for (const auto& h : r.hand_checks) INFO(h.spec.of << h.load_factor << h.note);
  const auto& modes = *r.find("b")->buckling;
  REQUIRE(modes.negative_modes.size() == 1);
  CHECK(std::abs(modes.negative_modes[0].load_factor) != Approx(modes.modes[0].load_factor).epsilon(0.05));
  CHECK(r.hand_checks[1].load_factor == Approx(-r.hand_checks[0].load_factor));
  CHECK(r.hand_checks[1].reversed);
  CHECK(r.hand_checks[1].deviation == Approx(modes.negative_modes[0].load_factor / r.hand_checks[1].load_factor - 1));
  CHECK_THAT(r.hand_checks[3].note, Catch::Contains("reversed_load = \"show\""));
}

TEST_CASE("buckling: factors of other loads are not called a change", "[study][fast]") {
  const auto r = run(head() + profile("r", kFlat) + member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
                     support("\"a.start\"", "\"all\"") + action("p", force("\"a.end\"", "[0, 0, -1]")) +
                     action("q", force("\"a.end\"", "[0, 0, -500]")) + step("b", "LBA", "load = \"p\"\nmodes = 2") +
                     step("c", "LBA", "load = \"q\"\nmodes = 2") + step("d", "LBA", "load = \"p\"\nmodes = 2"));
  REQUIRE(r.shapes.size() == 2);
  CHECK_FALSE(r.shapes[0].same_loads);
  CHECK(r.shapes[1].same_loads);
}

TEST_CASE("hand checks: a wrong unit fails, a tenth is marked, and ratios are to the first mode", "[study][fast]") {
  const auto checked = [](double length, const std::string& more = "") {
    return run(
        head() + profile("r", kFlat) + member("a", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
        support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") + support("\"a.end\"", "[\"x\", \"y\"]") +
        action("p", force("\"a.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"\nmodes = 2" + more) +
        fmt::format("\n[[hand_checks]]\nanalysis = \"b\"\nformula = \"column\"\nmaterial = \"m\"\nprofile = \"r\"\n"
                    "inputs = {{ length = {} }}\n",
                    length));
  };
  struct Row {
    double length;
    bool marked, failed;
  };
  for (const auto& row : {Row{1000, false, false}, Row{930, true, false}, Row{1080, true, false}, Row{420, true, false},
                          Row{400, true, true}, Row{2500, true, true}, Row{3300, true, true}, Row{1e6, true, true}}) {
    CAPTURE(row.length);
    const auto result = checked(row.length);
    const auto& h = result.hand_checks.at(0);
    CHECK(h.deviation == Approx(std::pow(row.length / 1000, 2) - 1).epsilon(0.01).margin(0.01));
    CHECK(h.note.empty());
    CHECK(h.warning.empty() != row.marked);
    CHECK(h.failed == row.failed);
    const auto rows = study::comparison(result);
    REQUIRE(rows.size() == 2);
    CHECK(rows[0].ratio == 1);
    CHECK(rows[1].ratio == Approx(h.load_factor / factor(result)).epsilon(1e-9));
  }
  const auto required = checked(1000, "\nrequired_factor = 1000");
  const auto rows = study::comparison(required);
  REQUIRE(rows.size() == 3);
  bool seen = false;
  for (const auto& r : rows) {
    if (r.meaning.find("required") != 0) continue;
    seen = true;
    CHECK(r.ratio == Approx(1000 / factor(required)).epsilon(1e-9));
  }
  CHECK(seen);
}

TEST_CASE("advice: said when needed, silent when not", "[study][fast]") {
  const auto warnings = [](const std::string& text) {
    const auto r = run(text);
    std::vector<std::string> all = r.check.warnings;
    all.insert(all.end(), r.check.remarks.begin(), r.check.remarks.end());
    for (const auto& o : r.outcomes) all.insert(all.end(), o.warnings.begin(), o.warnings.end());
    return all;
  };
  const std::string post = profile("r", kFlat) + member("a", "[0, 0, 0]", "[0, 0, 1000]") +
                           support("\"a.start\"", "\"all\"") + action("p", force("\"a.end\"", "[0, 0, -1]"));
  const std::string buckle = step("b", "LBA", "load = \"p\"\nmodes = 5");
  std::string soft = head();
  soft.replace(soft.find("200000"), 6, "210");
  CHECK(told(warnings(soft + post), "is it given in GPa"));
  CHECK(told(warnings(head() + post), "towards the global x axis"));
  CHECK_FALSE(told(warnings(head() + post + buckle), "second order matters"));  // a unit load is there to be multiplied
  CHECK_FALSE(told(warnings(head() + post + buckle), "displacements before buckling"));
  CHECK(
      told(warnings(head() + post + buckle + "\n[[imperfections]]\nname = \"i\"\nmode_of = \"b\"\namplitude = 2000\n" +
                    step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"i\"\nstop = { increments = 1 }")),
           "in another unit"));
  const std::string given =
      profile(
          "r",
          "shape = \"given\"\narea = 600\nsecond_moment_y = 45000\nsecond_moment_z = 20000\ntorsion_constant = 47000") +
      member("a", "[0, 0, 0]", "[1000, 0, 0]") + support("\"a.start\"", "\"all\"") +
      action("p", force("\"a.end\"", "[0, 0, -1]"));
  CHECK(told(warnings(head() + given), "five sixths of its area"));
  const std::string springs = panel("s", "[0, 0, 0]", "[400, 0, 0]", "[0, 400, 0]", "[4, 4]") +
                              support("\"s.start\"", "\"all\"") +
                              "\n[[springs]]\nname = \"k\"\nat = \"s.end\"\nstiffness = [0, 0, 10, 0, 0, 0]\n" +
                              action("p", "{ kind = \"gravity\" }");
  CHECK(told(warnings(head() + springs), "acts at each of 5 nodes"));
  // an arch with clamped ends under pressure that follows: nothing is free there
  const std::string arch =
      profile("r", kFlat) + member("a", "[0, 0, 0]", "[1000, 0, 0]", "via = [500, 0, 200]") +
      support("{ any = [\"a.start\", \"a.end\"] }", "\"all\"") +
      action("p", "{ kind = \"member-pressure\", on = \"a\", value = -1, plane_normal = [0, 1, 0] }");
  CHECK_FALSE(told(warnings(head() + arch), "free edges"));
  const std::string open = profile("r", "shape = \"i\"\nwidth = 50\nheight = 100\nflange = 5\nweb = 4") +
                           member("a", "[0, 0, 0]", "[0, 0, 400]", "up = [1, 0, 0]") +
                           support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") +
                           support("\"a.end\"", "[\"x\", \"y\", \"rz\"]") +
                           action("p", force("\"a.end\"", "[0, 0, -1]"));
  CHECK(told(warnings(head() + open + buckle), "Set warping = true"));
}

}  // namespace trust_answers_tests
