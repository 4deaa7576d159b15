#include <cmath>

#include <catch2/catch.hpp>

#include "archway/base/errors.hpp"
#include "archway/theory/catalogue.hpp"
#include "archway/theory/knock_down.hpp"
#include "archway/theory/shells.hpp"
#include "support/digits.hpp"

namespace formulas_tests {

using namespace archway::theory;

namespace {
using Numbers = std::map<std::string, double>;
using Words = std::map<std::string, std::string>;

struct Known {
  std::string formula;
  Numbers numbers;
  Words words;
  std::vector<double> critical;  ///< lowest first
  double tolerance;              ///< relative; what the value was published or computed to
};

std::vector<double> critical_of(const std::string& name, const Numbers& numbers, const Words& words) {
  std::vector<double> list;
  for (const auto& v : evaluate(formula_named(name), numbers, words))
    if (v.name == "critical") list.push_back(v.value);
  return list;
}
double value_of(const std::string& what, const std::string& name, const Numbers& numbers, const Words& words) {
  for (const auto& v : evaluate(formula_named(name), numbers, words))
    if (v.name == what) return v.value;
  return NAN;
}

Numbers with(Numbers base, const Numbers& more) {
  for (const auto& [name, value] : more) base[name] = value;
  return base;
}
const double kSquare = 21 * 8.5 * 8.5 * 8.5 / 12;
const Numbers kRod = {{"youngs_modulus", 112000}, {"second_moment", kSquare}, {"length", 905}, {"modes", 5}};
// E I = 1 and L = 1: values are coefficients
const Numbers kUnit = {{"youngs_modulus", 1}, {"second_moment", 1}, {"length", 1}, {"modes", 2}};
const Numbers kBeam = {{"youngs_modulus", 206000},
                       {"poisson_ratio", 0.3},
                       {"length", 3900},
                       {"second_moment_z", 140084230000.0 / 206000},
                       {"torsion_constant", 2371579330.0 * 2.6 / 206000},
                       {"warping_constant", 965040260000000.0 / 206000}};
const Numbers kStrip = {{"youngs_modulus", 71000},
                        {"poisson_ratio", 0.33},
                        {"length", 1750},
                        {"second_moment_z", 45854166.7 / 71000},
                        {"torsion_constant", 65450357.0 * 2.66 / 71000}};
const Numbers kUneven = {{"youngs_modulus", 206000},
                         {"poisson_ratio", 0.3},
                         {"length", 5200},
                         {"second_moment_z", 237140471000.0 / 206000},
                         {"torsion_constant", 3532457630.0 * 2.6 / 206000},
                         {"warping_constant", 986125070000000.0 / 206000}};
const Numbers kPlate = {
    {"youngs_modulus", 205000}, {"poisson_ratio", 0.3}, {"thickness", 3}, {"length", 350}, {"width", 350}};
const Numbers kCan = {
    {"youngs_modulus", 71000}, {"poisson_ratio", 0.33}, {"radius", 250}, {"thickness", 1.1}, {"length", 420}};
const Numbers kTin = {
    {"youngs_modulus", 71000}, {"poisson_ratio", 0.33}, {"radius", 300}, {"thickness", 1.5}, {"length", 520}};
const Numbers kHoop = {{"youngs_modulus", 71000}, {"second_moment", 250}, {"radius", 500}};
}  // namespace

TEST_CASE("theory: formulas give known critical loads", "[theory][fast]") {
  const double pi = 3.14159265358979323846;
  const auto known = GENERATE_COPY(values<Known>({
      {"column", kRod, {{"ends", "pinned-guided"}}, {362.623082, 3263.60773, 9065.57704, 17768.531, 29372.4696}, 1e-8},
      {"column", kUnit, {{"ends", "fixed-fixed"}}, {4 * pi * pi, 80.7629}, 1e-6},
      {"column", kUnit, {{"ends", "fixed-pinned"}}, {20.1907286, 59.6795159}, 1e-8},
      {"column", kUnit, {{"ends", "free-fixed"}}, {pi * pi / 4, 9 * pi * pi / 4}, 1e-9},
      // a stiff sideways spring at mid-length makes two columns of half the length
      {"column", with(kUnit, {{"support_at", 0.5}, {"support_stiffness", 1e7}}), {}, {4 * pi * pi}, 1e-6},
      // a bed: m^2 + bed / (m^2 pi^4), m = 2
      {"column", with(kUnit, {{"bed", 16 * std::pow(pi, 4)}, {"modes", 1}}), {}, {8 * pi * pi}, 1e-8},
      // shear by Haringx
      {"column",
       with(kUnit, {{"shear_rigidity", 50}, {"modes", 1}}),
       {},
       {25 * (std::sqrt(1 + 4 * pi * pi / 50) - 1)},
       1e-9},
      {"own-weight", kUnit, {{"ends", "fixed-free"}}, {7.83734744}, 1e-8},
      {"portal",
       {{"youngs_modulus", 1}, {"second_moment_column", 1}, {"second_moment_beam", 1e9}, {"height", 1}, {"span", 1}},
       {{"bases", "fixed"}},
       {pi * pi},
       1e-7},
      {"lateral-beam", with(kBeam, {{"end_ratio", -0.5}}), {}, {41082791.3}, 1e-8},
      {"lateral-beam", with(kBeam, {{"load_height", 83}}), {{"loading", "point"}}, {17762.9441}, 1e-6},
      {"lateral-beam",
       with(kBeam, {{"length", 2300}, {"load_height", 83}}),
       {{"loading", "point"}, {"ends", "cantilever"}},
       {13459.9386},
       1e-8},
      {"lateral-beam", kStrip, {}, {98346.1213}, 1e-8},
      {"lateral-beam", kStrip, {{"loading", "uniform"}}, {0.289432419}, 1e-8},
      {"lateral-beam", with(kUneven, {{"monosymmetry", -127.112163}}), {}, {24662969.9}, 1e-8},
      {"lateral-beam", with(kUneven, {{"monosymmetry", 127.112163}}), {}, {13660610.1}, 1e-8},
      {"plate", with(kPlate, {{"side_restraint", 7240.97331}}), {}, {221.100961, 270.591328, 460.952003}, 1e-8},
      {"plate", with(kPlate, {{"along", 0}, {"shear", 1}, {"modes", 1}}), {}, {9.32475 * 40.8366}, 2e-4},
      {"cylinder", kCan, {}, {201.836779, 206.896258, 207.512027}, 1e-8},
      {"cylinder", kCan, {{"strains", "donnell"}}, {210.178319, 210.183541, 210.189421}, 1e-8},
      // a reference that differs in terms of order t / R
      {"cylinder", kTin, {{"load", "lateral-pressure"}}, {0.0712945479, 0.0746770074, 0.0786801493}, 1e-5},
      {"cylinder",
       kTin,
       {{"load", "lateral-pressure"}, {"pressure", "keeps-direction"}},
       {0.0723503714, 0.076097505, 0.0796113707},
       1e-5},
      {"cylinder", kTin, {{"load", "all-round-pressure"}}, {0.0694532851, 0.0721526188, 0.0770768895}, 1e-5},
      {"cylinder",
       with(kTin, {{"radius", 220}, {"thickness", 1.3}, {"length", 480}, {"modes", 1}}),
       {{"load", "torsion"}, {"strains", "donnell"}},
       {76.6728772},
       1e-7},
      {"cylinder", with(kTin, {{"radius", 220}, {"length", 330}}), {{"load", "bending"}}, {449.411809}, 1e-8},
      {"cone",
       {{"youngs_modulus", 71000}, {"poisson_ratio", 0.33}, {"thickness", 1.2}, {"half_angle", 25}},
       {},
       {322721.785},
       1e-8},
      {"sphere",
       {{"youngs_modulus", 71000}, {"poisson_ratio", 0.33}, {"radius", 360}, {"thickness", 1.8}},
       {},
       {2.17122336},
       1e-8},
      {"arch", with(kHoop, {{"opening", 60}}), {}, {4.97}, 1e-8},
      {"arch", with(kHoop, {{"opening", 60}}), {{"ends", "fixed"}}, {10.4125176}, 1e-8},
      {"ring", with(kHoop, {{"radius", 210}}), {}, {5.74991902}, 1e-8},
      {"ring", with(kHoop, {{"radius", 210}}), {{"pressure", "to-the-centre"}}, {8.62487852}, 1e-8},
  }));
  CAPTURE(known.formula, known.words, known.numbers);
  const auto critical = critical_of(known.formula, known.numbers, known.words);
  REQUIRE(critical.size() >= known.critical.size());
  for (std::size_t k = 0; k < known.critical.size(); ++k)
    CHECK(critical[k] == Approx(known.critical[k]).epsilon(known.tolerance));
}

TEST_CASE("theory: laws between formulas", "[theory][fast]") {
  // two pieces that are alike are one column; all the load at the step is a shorter column
  const Numbers stepped = {{"youngs_modulus", 1}, {"second_moment_start", 1}, {"second_moment_end", 1},
                           {"length_start", 0.4}, {"length_end", 0.6},        {"modes", 1}};
  CHECK(critical_of("stepped-column", stepped, {{"ends", "fixed-free"}})[0] ==
        Approx(critical_of("column", kUnit, {{"ends", "fixed-free"}})[0]).epsilon(1e-9));
  CHECK(critical_of("stepped-column", with(stepped, {{"load_end", 0}, {"load_step", 1}}),
                    {{"ends", "fixed-free"}})[0] == Approx(9.8696044011 / 4 / 0.16).epsilon(1e-9));
  // a taper that is none
  CHECK(critical_of(
            "tapered-column",
            {{"youngs_modulus", 1}, {"second_moment_start", 1}, {"second_moment_end", 1}, {"length", 1}, {"modes", 1}},
            {})[0] == Approx(9.8696044011).epsilon(1e-9));
  // a long cylinder under pressure is a row of rings, stiffer by 1 / (1 - nu^2)
  const double t = 1, r = 100, e = 1e5, nu = 0.3;
  const double ring = critical_of(
      "ring", {{"youngs_modulus", e / (1 - nu * nu)}, {"second_moment", t * t * t / 12}, {"radius", r}}, {})[0];
  CHECK(critical_of("cylinder",
                    {{"youngs_modulus", e},
                     {"poisson_ratio", nu},
                     {"radius", r},
                     {"thickness", t},
                     {"length", 200 * r},
                     {"modes", 1}},
                    {{"load", "lateral-pressure"}})[0] == Approx(ring).epsilon(1e-3));
  // the constant load takes its share: along and across of a square plate with one half wave each way
  const double free = critical_of("plate", with(kPlate, {{"modes", 1}}), {})[0];
  CHECK(critical_of("plate", with(kPlate, {{"constant_across", free / 4}, {"modes", 1}}), {})[0] ==
        Approx(0.75 * free).epsilon(1e-9));
  // a cone that hardly tapers is a cylinder
  const Numbers can = {{"youngs_modulus", 71000}, {"poisson_ratio", 0.3}, {"thickness", 1}};
  const double cylinder = critical_of("cylinder", with(can, {{"radius", 200}, {"length", 300}, {"modes", 1}}),
                                      {{"load", "all-round-pressure"}})[0];
  const double angle = 0.01, rise = 150 * std::sin(angle * 3.14159265358979323846 / 180);
  const Numbers cone = with(can, {{"half_angle", angle}, {"small_radius", 200 - rise}, {"large_radius", 200 + rise}});
  CHECK(critical_of("cone", cone, {{"load", "pressure"}})[0] == Approx(cylinder).epsilon(1e-6));
  CHECK(critical_of("cone", cone, {{"load", "bending"}})[0] ==
        Approx(critical_of("cone", cone, {})[0] * (200 - rise) / 2).epsilon(1e-12));
  CHECK_THROWS_AS(critical_of("cone", with(can, {{"half_angle", 20}}), {{"load", "pressure"}}),
                  archway::base::InputError);
  // an isotropic plate through the door for orthotropic ones
  const double d = 205000.0 * 27 / (12 * 0.91);
  CHECK(critical_of("orthotropic-plate",
                    {{"d11", d}, {"d12", 0.3 * d}, {"d22", d}, {"d66", 0.35 * d}, {"length", 350}, {"width", 350}},
                    {})[0] == Approx(free).epsilon(1e-9));
}

TEST_CASE("theory: torsional columns couple as the section's symmetry allows", "[theory][fast]") {
  // two axes of symmetry: three loads that know nothing of each other
  const Numbers doubly = {{"youngs_modulus", 200000}, {"length", 2000},         {"area", 1000},
                          {"second_moment_y", 2e6},   {"second_moment_z", 5e5}, {"torsion_constant", 1e4},
                          {"warping_constant", 1e9}};
  const double wave = std::pow(3.14159265358979323846 / 2000, 2);
  const double twist = (200000 * 1e9 * wave + 200000 / 2.6 * 1e4) / (2.5e6 / 1000);
  const auto plain = critical_of("torsional-column", doubly, {});
  std::vector<double> apart = {200000 * 5e5 * wave, 200000 * 2e6 * wave, twist};
  std::sort(apart.begin(), apart.end());
  for (std::size_t k = 0; k < 3; ++k) CHECK(plain[k] == Approx(apart[k]).epsilon(1e-10));
  const auto coupled = critical_of("torsional-column", with(doubly, {{"shear_centre_y", 30}}), {});
  CHECK(coupled[0] < plain[0] * (1 + 1e-12));
  CHECK(coupled[2] > plain[2]);
}

TEST_CASE("theory: what standards leave of a critical load", "[theory][fast]") {
  CHECK(test_bound_axial(50) == Approx(0.678151163).epsilon(1e-8));
  CHECK(test_bound_axial(1500) == Approx(0.179069152).epsilon(1e-8));
  CHECK(test_bound_bending(500) == Approx(0.449705923).epsilon(1e-8));
  CHECK(column_reduction(1.0, "b") == Approx(0.597023192).epsilon(1e-8));
  CHECK(column_reduction(2.5, "d") == Approx(0.121367256).epsilon(1e-8));
  CHECK(column_reduction(0.2, "a0") == 1.0);
  // medium-length cylinders of the standard against the classical load they are for
  const auto axial = standard_axial(210000, 500, 1, 1000, Fabrication::normal);
  CHECK(axial.critical_stress == archway::test::but_for_rounding(0.605 * 210000.0 / 500));
  const auto pressure = standard_pressure(210000, 500, 1, 1000, Fabrication::normal, RimPair::round);
  const double classical =
      cylinder_modes({210000, 0.3, 500, 1, 1000, ShellTheory::sanders}, CylinderLoad::lateral_pressure, 1)[0].load;
  CHECK(pressure.critical_stress / 500 == Approx(classical).epsilon(0.03));  // a fit, by its authors' word
  // ranges meet without a jump worth speaking of
  const auto at = [](double omega) {
    return standard_torsion(210000, 500, 1, omega * std::sqrt(500.0), Fabrication::high).critical_stress;
  };
  CHECK(at(9.999) == Approx(at(10.001)).epsilon(0.03));
  CHECK(standard_axial(210000, 500, 1, 1000, Fabrication::excellent).reduction > axial.reduction);
}

TEST_CASE("theory: every formula reports what it takes, and refuses what it cannot use", "[theory][fast]") {
  for (const auto& f : formulas()) {
    CAPTURE(f.name);
    CHECK_FALSE(f.title.empty());
    CHECK_FALSE(f.assumes.empty());
    CHECK(f.source.find('[') == 0);
    CHECK_THROWS_AS(evaluate(f, {{"no-such-input", 1}}, {}), archway::base::InputError);
    CHECK_THROWS_AS(evaluate(f, {}, {}), archway::base::InputError);
  }
  CHECK_THROWS_WITH(formula_named("colum"), Catch::Contains("column"));
  CHECK_THROWS_WITH(evaluate(formula_named("column"), kUnit, {{"ends", "welded"}}), Catch::Contains("fixed-free"));
  CHECK_THROWS_AS(evaluate(formula_named("column"), kUnit, {{"ends", "free-free"}}), archway::base::InputError);
  CHECK_THROWS_WITH(evaluate(formula_named("plate"), with(kPlate, {{"constant_along", 1e6}}), {}),
                    Catch::Contains("unstable"));
  CHECK(unit_text({1, -2}, "kN", "m") == "kN/m^2");
  CHECK(unit_text({1, 2}, "N", "mm") == "N mm^2");
  CHECK(value_of("effective_length", "column", kUnit, {{"ends", "fixed-free"}}) ==
        archway::test::but_for_rounding(2.0));
}

}  // namespace formulas_tests
