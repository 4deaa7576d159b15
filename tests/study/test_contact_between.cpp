// Contact between parts on paths: what is pressed through, wherever it stands and whichever side leads; parts that
// touch themselves; bonds that become contact; what is refused.
#include <catch2/catch.hpp>

#include "archway/study/build_model.hpp"
#include "support/pieces.hpp"

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
std::string block(const std::string& name, double low, double height, const std::string& divisions,
                  const std::string& more = "") {
  return fmt::format(
      "\n[[solids]]\nname = \"{}\"\nmaterial = \"m\"\ncorner = [0, 0, {}]\nalong = [10, 0, 0]\nacross = [0, 10, 0]\nup "
      "= [0, 0, {}]\ndivisions = {}\n{}\n",
      name, low, height, divisions, more);
}
std::string contact(const std::string& more) {
  return "\n[[contacts]]\nname = \"joint\"\n" + more + "\n";
}
const std::string kBlocks = support("{ z = 0 }", "[\"z\"]") + support("{ x = 0 }", "[\"x\"]") +
                            support("{ y = 0 }", "[\"y\"]") +
                            action("push", "{ kind = \"surface\", on = \"upper.top\", force = [0, 0, -20] }");
const std::string kPress = "grow = \"push\"\nfirst_step = 0.5\ntolerance = 1e-9\nstop = { load_factor = 1 }";

/// Largest difference of movements from those of a block under uniform pressure, over the largest movement.
double unevenness(const study::StudyResult& r) {
  const auto& path = path_of(r);
  const auto& model = *r.find("g")->model;
  const auto& state = path.increments.back().kept->state;
  const double top = state.position.back().z() - model.nodes.back().z();
  // one strain everywhere: read off the highest corner
  const Vec3 far = model.nodes.back(), strain = (state.position.back() - far).cwiseQuotient(far);
  double worst = 0;
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    worst = std::max(worst, (state.position[n] - model.nodes[n] - strain.cwiseProduct(model.nodes[n])).norm());
  return worst / std::abs(top);
}
}  // namespace

TEST_CASE("contact between parts: a uniform pressure passes through whatever meshes meet", "[study][fast]") {
  const auto [lower, upper] = GENERATE(std::pair<std::string, std::string>("[3, 3, 2]", "[4, 4, 2]"),
                                       std::pair<std::string, std::string>("[1, 1, 1]", "[7, 7, 1]"));
  const std::string leads = GENERATE("upper", "lower");
  const std::string kind = GENERATE("", "quadratic = true");
  const auto r =
      run(head() + block("lower", 0, 5, lower, kind) + block("upper", 5, 5, upper, kind) +
          contact("between = [\"upper\", \"lower\"]\nleads = \"" + leads + "\"") + kBlocks + step("g", "GNA", kPress));
  CHECK(unevenness(r) < 1e-8);
  CHECK(path_of(r).increments.back().contacts.at(0).pressed == Approx(2000).epsilon(1e-9));
}
