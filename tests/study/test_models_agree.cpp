#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/stress_recovery.hpp"
#include "archway/io/study_file.hpp"
#include "archway/study/chain.hpp"
#include "support/digits.hpp"

namespace models_agree_tests {

using namespace archway;

/// The same column, beam and frame as line, shell and solid model: docs/models-agree.md says why they differ by what
/// they do.
namespace {
study::StudyResult run(const std::string& name, const std::map<std::string, double>& set = {}) {
  return study::run_study(io::read_study(std::string(ARCHWAY_SOURCE_DIR) + "/examples/studies/" + name + ".toml", set));
}
double first(const study::StudyResult& r, const std::string& analysis) {
  const auto* o = r.find(analysis);
  REQUIRE(o != nullptr);
  REQUIRE(o->buckling->complete());
  return o->buckling->modes.at(0).load_factor;
}
}  // namespace

TEST_CASE("agreement: a tube column as line, shell and solid", "[analysis][fast]") {
  const double line = first(run("trellis-post-line"), "buckling"), shell = first(run("trellis-post-shell"), "buckling"),
               solid = first(run("trellis-post-solid"), "buckling");
  CHECK(shell == Approx(line).epsilon(0.01));
  CHECK(solid == Approx(line).epsilon(0.01));
  CHECK(solid == Approx(shell).epsilon(0.01));
}

TEST_CASE("agreement: a lipped channel beam in lateral buckling as line and as plates", "[analysis][fast]") {
  const double line = first(run("gutter-beam-line"), "buckling"), shell = first(run("gutter-beam-shell"), "buckling");
  CHECK(shell == Approx(line).epsilon(0.04));  // plates distort and bend across, lines do not
}

TEST_CASE("agreement: warping free, fixed and passed on means the same in lines and in plates", "[analysis][fast]") {
  const auto critical = [](const std::string& model, const std::string& start, const std::string& end, bool twin) {
    const auto member = [&](const char* name, const char* from, const char* to, const std::string& ends,
                            const std::string& as) {
      return fmt::format(
          "\n[[members]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"i\"\nfrom = {}\nto = {}\n"
          "up = [0, 0, 1]\nelements = 24\nwarping = true\n{}\n{}\n",
          name, from, to, as, ends);
    };
    const std::string head =
        "[study]\ntitle = \"beam\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 210000\n"
        "poisson_ratio = 0.3\n[profiles.i]\nshape = \"i\"\nwidth = 100\nheight = 200\nflange = 8\nweb = 6\n";
    const std::string at_start = "warping_start = \"" + start + "\"\n", at_end = "warping_end = \"" + end + "\"\n";
    // one beam, or one that passes its warping on to a line in the middle
    const std::string beam = twin ? member("a", "[0, 0, 0]", "[1500, 0, 0]", at_start, model) +
                                        member("c", "[1500, 0, 0]", "[3000, 0, 0]", at_end, "")
                                  : member("a", "[0, 0, 0]", "[3000, 0, 0]", at_start + at_end, model);
    const std::string last = twin ? "c" : "a";
    const auto r = study::run_study(io::parse_study(
        head + beam +
            "\n[[supports]]\nat = \"a.start\"\nrestrain = [\"x\", \"y\", \"z\", \"rx\"]\n[[supports]]\nat = \"" + last +
            ".end\"\nrestrain = [\"y\", \"z\", \"rx\"]\n[[actions]]\nname = \"q\"\nloads = [{ kind = \"force\", at = "
            "\"a.start\", moment = [0, 1e6, 0] }, { kind = \"force\", at = \"" +
            last +
            ".end\", moment = [0, -1e6, 0] }]\n[[analyses]]\nname = \"b\"\nkind = \"LBA\"\nload = \"q\"\nmodes = 1\n"
            "reversed_load = \"leave-out\"\n",
        "beam.toml", {}));
    return first(r, "b");
  };
  const std::string line = "", plates = "idealisation = \"plates\"\nelements_across = 4";
  const double soft = critical(line, "free", "free", false), stiff = critical(line, "fixed", "fixed", false);
  CHECK(stiff > 1.2 * soft);  // the difference is worth reporting
  for (const auto& [start, end] : {std::pair("free", "free"), std::pair("fixed", "free"), std::pair("free", "fixed"),
                                   std::pair("fixed", "fixed"), std::pair("continuous", "fixed")}) {
    INFO(start << " " << end);
    const double wanted = critical(line, start, end, false);
    CHECK(critical(plates, start, end, false) == Approx(wanted).epsilon(0.03));
    CHECK(critical(plates, start, end, true) == Approx(wanted).epsilon(0.03));
  }
}

TEST_CASE("agreement: a bench frame of flat bars as lines, shells and solids", "[analysis][fast]") {
  const auto sway = [](const std::string& name) {
    const auto r = run(name);
    const auto* o = r.find("push");
    REQUIRE(o->linear->usable());
    const auto node = study::watch_points(r.spec, *r.model).at(0).node;
    return o->linear->displacement[model::row(node)];
  };
  const double line = sway("bench-frame-line"), shell = sway("bench-frame-shell"), solid = sway("bench-frame-solid");
  CHECK(shell == Approx(line).epsilon(0.03));
  CHECK(solid == Approx(shell).epsilon(0.03));
}

TEST_CASE("agreement: a flat bar that yields as it buckles, as line, shell and solid", "[analysis][fast]") {
  std::vector<double> peaks, yields;
  for (const char* name : {"trellis-flat-line", "trellis-flat-shell", "trellis-flat-solid"}) {
    const auto r = run(name);
    const auto& path = *r.find("collapse")->path;
    REQUIRE(path.peak_is_limit_point);
    peaks.push_back(path.peak_load_factor);
    yields.push_back(path.first_yield.load_factor);
  }
  for (std::size_t k = 1; k < 3; ++k) {
    CHECK(peaks[k] == Approx(peaks[0]).epsilon(0.005));
    CHECK(yields[k] == Approx(yields[0]).epsilon(0.01));
  }
}

TEST_CASE("stress recovery: bending of a strip, faces, principal and averaged", "[analysis][fast]") {
  const auto r = run("bench-frame-shell");
  const auto& s = *r.find("push")->stresses;
  REQUIRE(s.shells.size() == r.model->shell_elements.size());
  double top = 0, averaged = 0;
  for (const auto& e : s.shells) {
    CHECK((e.middle - 0.5 * (e.top + e.bottom)).norm() < 1e-9 * (1 + e.top.norm()));
    const auto p = analysis::principal_stresses(e.top);
    CHECK(p[0] >= p[1]);
    CHECK(p[1] >= p[2]);
    CHECK(p[0] + p[1] + p[2] == Approx(e.top.head<3>().sum()).margin(1e-9));
    top = std::max(top, elements::equivalent_stress(e.top));
  }
  for (const auto& n : s.nodes) {
    CHECK(n.elements >= 1);
    CHECK(n.spread >= 0);
    averaged = std::max(averaged, elements::equivalent_stress(n.stress.top));
  }
  CHECK(averaged <= top * 1.0000001);
  CHECK(averaged > 0.5 * top);
  analysis::Stress shear = analysis::Stress::Zero();
  shear[3] = 5;
  CHECK(analysis::principal_stresses(shear)[0] == archway::test::but_for_rounding(5));
  CHECK(elements::equivalent_stress(shear) == archway::test::but_for_rounding(5 * std::sqrt(3.0)));
}

}  // namespace models_agree_tests
