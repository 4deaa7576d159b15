// States of equilibrium beside a path, found by deflation: all that a two-bar truss has, the branches of struts against
// the elastica, wherever the structure lies, and what is refused.
#include "support/elastica.hpp"
#include "support/pieces.hpp"
#include "support/studies.hpp"

namespace other_state_tests {

using namespace archway;
using namespace archway::test;

namespace {
constexpr double kHalf = 500, kRise = 60, kArea = 100, kModulus = 200000;
const double kBar = std::hypot(kHalf, kRise);
double load_at(double down) {
  const double l = std::hypot(kHalf, kRise - down);
  return 2 * kModulus * kArea * (kBar - l) / kBar * (kRise - down) / l;
}
double potential_at(double down, double load) {
  return kModulus * kArea * std::pow(kBar - std::hypot(kHalf, kRise - down), 2) / kBar - load * down;
}
/// Every displacement of the crown that balances a load.
std::vector<double> states_under(double load) {
  std::vector<double> list;
  for (double down = -100; down < 200; down += 0.5) {
    double low = down, high = down + 0.5;
    if ((load_at(low) - load) * (load_at(high) - load) > 0) continue;
    for (int k = 0; k < 60; ++k) {
      const double middle = 0.5 * (low + high);
      ((load_at(low) - load) * (load_at(middle) - load) <= 0 ? high : low) = middle;
    }
    list.push_back(low);
  }
  return list;
}
std::string at(double x, double z, const Vec3& shift) {
  return fmt::format("[{:.17g}, {:.17g}, {:.17g}]", x + shift.x(), shift.y(), z + shift.z());
}
std::string truss(double unit, double target, const Vec3& shift, const std::string& more) {
  const auto bar = [&](const char* name, double x) {
    return fmt::format("\n[[bars]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = {}\nto = {}\n", name,
                       at(x, 0, shift), at(0, kRise, shift));
  };
  return head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") + bar("a", -kHalf) + bar("b", kHalf) +
         support("\"a.start\"", "[\"x\", \"y\", \"z\"]") + support("\"b.start\"", "[\"x\", \"y\", \"z\"]") +
         support("\"a.end\"", "[\"x\", \"y\"]") + action("p", force("\"a.end\"", fmt::format("[0, 0, {}]", -unit))) +
         "\n[[watches]]\nname = \"crown\"\nat = \"a.end\"\ndirection = [0, 0, -1]\n" +
         step("g", "GNA",
              fmt::format("load = \"p\"\ncontrol = \"load\"\nother_states = 8\nstop = {{ load_factor = {:.17g} }}\n{}",
                          target, more));
}
const analysis::OtherStates& states_of(const study::StudyResult& r) {
  REQUIRE(r.find("g")->other_states);
  return *r.find("g")->other_states;
}
}  // namespace

TEST_CASE("other states: a two-bar truss has three under every load that it can carry", "[study][fast]") {
  double most = 0;
  for (double down = 0; down < kRise; down += 0.1) most = std::max(most, load_at(down));
  const double share = GENERATE(0.05, 0.4, 0.9, -0.7), unit = GENERATE(1.0, 1e4);
  const Vec3 shift = GENERATE(as<Vec3>(), Vec3::Zero(), Vec3(1e5, -2e5, 3e4));
  CAPTURE(share, unit, shift.x());
  const double load = share * most;
  const auto r = run(truss(unit, load / unit, shift, ""));
  const auto& path = path_of(r);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  const auto& found = states_of(r);
  CHECK(found.message.empty());
  const double own = path.increments.back().watched[0];
  std::vector<double> left = states_under(load);
  REQUIRE(left.size() == 3);
  for (const auto& s : found.states) {
    CAPTURE(s.state.watched[0]);
    const double down = s.state.watched[0];
    const auto which = std::min_element(left.begin(), left.end(),
                                        [&](double a, double b) { return std::abs(a - down) < std::abs(b - down); });
    REQUIRE(which != left.end());
    CHECK(down == Approx(*which).margin(1e-4));
    CHECK(std::abs(own - *which) > 1);
    left.erase(which);
    const bool between = down > 20 && down < 100;  // the crown is near the line of its supports
    CHECK(s.stable() == !between);
    CHECK(s.distance == Approx(std::abs(down - own)).margin(1e-4));
    CHECK(s.potential == Approx(potential_at(down, load)).epsilon(1e-4));
    CHECK(s.state.residual <= 1e-6);
  }
  REQUIRE(found.states.size() == 2);  // the third is that of the path
  CHECK(found.states[0].potential <= found.states[1].potential);
  CHECK(found.potentials.back() == Approx(potential_at(own, load)).epsilon(1e-4));
  const auto rows =
      std::count_if(r.comparison.begin(), r.comparison.end(), [](const auto& c) { return c.meaning == "other state"; });
  CHECK(rows == 2);
}

TEST_CASE("other states: a strut beyond its Euler load has its branches beside it", "[study][fast]") {
  // the straight path is unstable there: the two bent states of the first mode are stable, whatever others there are
  constexpr double kLength = 600, kRigidity = 200000.0 * 20 / 12;
  const double times = GENERATE(1.05, 1.3, 2.0);
  CAPTURE(times);
  const double euler = std::pow(M_PI / kLength, 2) * kRigidity;
  const auto r =
      run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 1\nshear_deformation = false") +
          member("a", "[0, 0, 0]", "[600, 0, 0]", "elements = 16\nup = [0, 0, 1]") +
          support("{ inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
          support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
          support("\"a.end\"", "[\"y\", \"z\", \"rx\", \"rz\"]") + action("p", force("\"a.end\"", "[-1, 0, 0]")) +
          "\n[[watches]]\nname = \"end\"\nat = \"a.end\"\ndirection = [-1, 0, 0]\n" +
          "\n[[watches]]\nname = \"middle\"\nat = { near = [300, 0, 0] }\ndirection = [0, 0, 1]\n" +
          step("b", "LBA", "load = \"p\"\nmodes = 1") +
          step("g", "GNA",
               fmt::format("loads_of = \"b\"\nother_states = 2\nstop = {{ load_factor = {} }}", times * euler)));
  const auto& found = states_of(r);
  // the elastica under this load: its end slope
  double slope = 0.1;
  for (double high = 3; high - slope > 1e-9;) {
    const double middle = 0.5 * (slope + high);
    (pinned_elastica(middle).load < times ? slope : high) = middle;
  }
  const auto bent = pinned_elastica(slope);
  int up = 0, down = 0, stable = 0;
  for (const auto& s : found.states) {
    stable += s.stable() ? 1 : 0;
    if (std::abs(s.state.watched[0] - bent.shortening * kLength) > 2e-3 * kLength) continue;
    CHECK(std::abs(s.state.watched[1]) == Approx(bent.middle * kLength).epsilon(2e-3));
    CHECK(s.stable());
    (s.state.watched[1] > 0 ? up : down)++;
  }
  CHECK(up == 1);
  CHECK(down == 1);
  CHECK(stable == 2);
  REQUIRE(found.states.size() >= 2);
  CHECK(found.states[0].stable());  // the lowest potential
}

TEST_CASE("other states: what is no function of the load is refused, and loads without a potential have none",
          "[study][fast]") {
  CHECK_THAT(complaint_of(with(truss(1, 10, Vec3::Zero(), ""), "kind = \"GNA\"", "kind = \"GMNA\"")),
             Catch::Contains("yields"));
  CHECK_THAT(complaint_of(with(truss(1, 10, Vec3::Zero(), ""), "other_states = 8", "other_states = -1")),
             Catch::Contains("other_states"));
  const auto wall = run(truss(1, 10, Vec3::Zero(), "") +
                        "\n[[obstacles]]\nname = \"stop\"\nplane = { point = [0, 0, -50], normal = [0, 0, 1] }\n");
  CHECK_THAT(states_of(wall).message, Catch::Contains("contact"));
  const auto none = run(with(truss(1, 10, Vec3::Zero(), ""), "other_states = 8", ""));
  CHECK(!none.find("g")->other_states);
}

}  // namespace other_state_tests
