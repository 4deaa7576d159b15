// However many modes are asked for, they are the first ones, and proved to be all of them.
#include "archway/analysis/buckling.hpp"
#include "support/pieces.hpp"

namespace mode_count_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// A strut in a plane over several spans, on springs at its nodes.
std::string strut(int spans, double spring, int elements) {
  std::string text =
      "[study]\ntitle = \"strut\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 210000\n"
      "poisson_ratio = 0.3\n" +
      profile("r",
              "shape = \"given\"\narea = 100\nsecond_moment_y = 800\nsecond_moment_z = 900\ntorsion_constant = "
              "1500\nshear_area_y = 3e4\nshear_area_z = 3e4") +
      member("s", "[0, 0, 0]", "[1000, 0, 0]", fmt::format("elements = {}\nup = [0, 0, 1]", elements)) +
      support("{ on = \"s\" }", "[\"y\", \"rx\", \"rz\"]") + support("\"s.start\"", "[\"x\"]");
  for (int k = 0; k <= spans; ++k)
    text += support(fmt::format("{{ near = [{}, 0, 0] }}", 1000.0 * k / spans), "[\"z\"]");
  if (spring > 0)
    text +=
        fmt::format("\n[[springs]]\nname = \"bed\"\nat = {{ on = \"s\" }}\nstiffness = [0, 0, {}, 0, 0, 0]\n", spring);
  return text + action("p", force("\"s.end\"", "[-1, 0, 0]"));
}
}  // namespace

TEST_CASE("mode counts: as many as are asked for, whatever is next to them", "[study][fast]") {
  const int spans = GENERATE(1, 2, 3), elements = 64;
  const double spring = GENERATE(0.0, 4.0, 13.125, 26.25, 1000.0);
  CAPTURE(spans, elements, spring);
  const analysis::System system(study::build_model(io::parse_study(strut(spans, spring, elements), "trial.toml", {})));
  analysis::BucklingOptions options;
  options.variable = system.model().load_named("p");
  options.mode_count = 9;
  const auto known = analysis::linear_buckling(system, options).modes;
  REQUIRE(known.size() >= 9);
  for (int modes = 1; modes < 9; ++modes) {
    CAPTURE(modes);
    options.mode_count = modes;
    const auto r = analysis::linear_buckling(system, options);
    CAPTURE(r.message);
    CHECK(r.usable());
    CHECK(r.complete());
    REQUIRE(static_cast<int>(r.modes.size()) >= modes);
    for (std::size_t m = 0; m < r.modes.size(); ++m)
      CHECK(r.modes[m].load_factor == Approx(known[m].load_factor).epsilon(1e-6));  // as the modes are solved
  }
}

}  // namespace mode_count_tests
