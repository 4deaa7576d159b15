// First failure of plies, moment against curvature of sections, and what paths write down.
#include <cmath>
#include <filesystem>
#include <fstream>

#include "archway/io/results_folder.hpp"
#include "archway/study/section_curve.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace plies_and_sections_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// One ply at an angle, in tension along x by a force per length.
std::string pulled_ply(double angle, double sign, const std::string& place, const std::string& along,
                       const std::string& across, const std::string& analyses) {
  return "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[plies.tape]\nyoungs_modulus_1 = 126000\nyoungs_modulus_2 = "
         "8800\npoisson_ratio = 0.31\nshear_modulus_12 = 4300\ntension_strength_1 = 1500\ncompression_strength_1 = "
         "900\ntension_strength_2 = 40\ncompression_strength_2 = 180\nshear_strength_12 = 70\n"
         "[laminates.wall]\nlayup = [{ ply = \"tape\", thickness = 2, angle_deg = " +
         fmt::format("{}", angle) + " }]\n[[panels]]\nname = \"p\"\nlaminate = \"wall\"\nfibre_direction = " + along +
         "\nelement_nodes = 9\ndivisions = [4, 2]\ncorner = " + place + "\nalong = " + along + "\nacross = " + across +
         "\n[[supports]]\nat = \"p\"\nrestrain = [\"z\"]\n[[supports]]\nat = \"p.start\"\naxes = { along = " + along +
         ", up = [0, 0, 1] }\nrestrain = [\"x\"]\n[[supports]]\nat = { near = " + place +
         " }\naxes = { along = " + along + ", up = [0, 0, 1] }\nrestrain = [\"y\"]\n" +
         fmt::format(
             "[[actions]]\nname = \"n\"\nloads = [{{ kind = \"edge\", at = \"p.end\", force = [\"{} * {}\", "
             "\"{} * {}\", 0] }}]\n",
             sign, along[1] == '0' ? 0 : 1, sign, along[1] == '0' ? 1 : 0) +
         analyses;
}
}  // namespace

TEST_CASE("plies: first failure of one ply at an angle is that of the criterion", "[study][fast]") {
  const double angle = GENERATE(0.0, 25.0, 60.0, 90.0), sign = GENERATE(1.0, -1.0);
  INFO(angle << " " << sign);
  const double c = std::cos(angle * M_PI / 180), s = std::sin(angle * M_PI / 180);
  const double x = sign > 0 ? 1500 : 900, y = sign > 0 ? 40 : 180;
  const double hill = 1 / std::sqrt(c * c * c * c / (x * x) - c * c * s * s / (x * x) + s * s * s * s / (y * y) +
                                    s * s * c * c / (70.0 * 70));
  double most = 0;
  for (const double use : {c * c / x, s * s / y, c * s / 70}) most = std::max(most, use);
  for (const bool rotated : {false, true}) {
    const auto r =
        rotated
            ? run(pulled_ply(angle, sign, "[9000, 0, 0]", "[0, 400, 0]", "[-200, 0, 0]",
                             step("l", "LA", "load = \"n\"")))
            : run(pulled_ply(angle, sign, "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]", step("l", "LA", "load = \"n\"")));
    const auto& plies = r.find("l")->plies;
    REQUIRE(plies.size() == 2);
    // a force per length of 1 is half a unit of stress in a wall of 2
    CHECK(plies[0].load_factor == Approx(2 / most).epsilon(1e-6));
    CHECK_FALSE(plies[0].tsai_hill);
    CHECK(plies[1].load_factor == Approx(2 * hill).epsilon(1e-6));
    CHECK(plies[1].ply == 1);
  }
}

TEST_CASE("plies: on a path the load factor of the first failure is reported, or how far it is", "[study][fast]") {
  const auto path = [](const std::string& stop) {
    return run(pulled_ply(
        90, 1, "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]",
        step("g", "GNA", "load = \"n\"\nfirst_step = 15\nlargest_step = 15\nstop = { load_factor = " + stop + " }")));
  };
  const auto failed = path("100"), held = path("40");
  CHECK(failed.find("g")->plies.at(1).load_factor == Approx(80).epsilon(0.01));  // stretching rotations nothing here
  CHECK(std::isnan(held.find("g")->plies.at(1).load_factor));
  CHECK(held.find("g")->plies.at(1).use == Approx(0.5).epsilon(0.01));
  std::string rows;
  for (const auto& row : held.comparison) rows += row.meaning + ": " + row.note + "; ";
  INFO(rows);
  CHECK(rows.find("first ply failure (Tsai-Hill): in 'p', ply 1: not reached") != std::string::npos);
}

TEST_CASE("sections: moment against curvature of a rectangle, with and without a normal force", "[study][fast]") {
  const auto section = theory::section_properties("rectangle", {{"width", 20}, {"height", 30}});
  const material::Flow flow{250, 0, 0, {}};
  const double my = 250 * 20 * 900 / 6.0, n = GENERATE(0.0, 0.3, -0.6);
  const auto curve = study::section_curve(section, 200000, flow, n * 250 * 600, false, 20);
  REQUIRE(curve.points.size() == 121);
  const double yield = 250 / 200000.0 / 15;
  for (const auto& p : curve.points) {
    const double k = p.curvature / yield;
    if (n == 0.0 && k > 0)  // outermost fibres lie a little inside: sixteen over the height
      CHECK(p.moment == Approx(my * (k < 1 ? k : 1.5 - 0.5 / (k * k))).epsilon(0.01));
    CHECK(std::abs(p.moment) <= 1.005 * 1.5 * my * (1 - n * n));
  }
  CHECK(curve.points.back().moment == Approx(1.5 * my * (1 - n * n)).epsilon(0.01));
  CHECK_DIGITS(curve.first_yield, my * (1 - std::abs(n)), 11, "elastic stress at the corners");
  CHECK(curve.plastic_strain.size() == section.fibres.size());
  CHECK_THROWS_AS(study::section_curve(section, 200000, flow, 1.2 * 250 * 600, false), base::InputError);
  CHECK_THROWS_AS(study::section_curve(section, 200000, {}, 0, false), base::InputError);
}

TEST_CASE("results: reactions, parts and joints of every increment are written", "[study][fast]") {
  const auto r = run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
                     member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4") + support("\"a.start\"", "\"all\"") +
                     "[[springs]]\nname = \"s\"\nat = \"a.end\"\nstiffness = [0, 0, 5, 0, 0, 0]\nalong = [1, 0, 0]\n" +
                     action("p", force("\"a.end\"", "[0, 0, -100]")) +
                     step("g", "GNA", "load = \"p\"\nstop = { load_factor = 1 }"));
  const auto folder = std::filesystem::temp_directory_path() / "archway-path-tables";
  std::filesystem::remove_all(folder);
  {
    io::ResultsFolder out(folder.string());
    io::write_data(out, r);
    out.finish();
  }
  for (const char* name : {"reactions", "parts", "joints", "path"}) {
    std::ifstream file(folder / "tables" / (std::string("g-") + name + ".csv"));
    std::string line;
    std::size_t lines = 0, commas = 0;
    while (std::getline(file, line)) {
      const auto own = static_cast<std::size_t>(std::count(line.begin(), line.end(), ','));
      if (lines++ == 0) commas = own;
      CHECK(own == commas);
    }
    INFO(name);
    CHECK(lines > 2);
  }
  std::filesystem::remove_all(folder);
  // what supports and springs give is what acts
  const auto& last = r.find("g")->path->increments.back();
  double sum = 0;
  for (const auto& s : last.reactions) sum += s.force.z();
  CHECK(sum == Approx(100).epsilon(1e-6));
  CHECK(last.external_work > 0);
}

}  // namespace plies_and_sections_tests
