// Jumps as motions in time: frequency, overshoot and the state at rest against what mechanics says without a program.
#include "support/pieces.hpp"

namespace swing_tests {

using namespace archway;
using namespace archway::test;

namespace {
constexpr double kHalf = 500, kRise = 60, kArea = 100, kModulus = 200000, kDensity = 8e-9;
const double kBar = std::hypot(kHalf, kRise);
/// What the crown of two bars carries and has stored, so far down.
double load_at(double down) {
  const double l = std::hypot(kHalf, kRise - down);
  return 2 * kModulus * kArea * (kBar - l) / kBar * (kRise - down) / l;
}
double stored_at(double down) {
  return kModulus * kArea * std::pow(kBar - std::hypot(kHalf, kRise - down), 2) / kBar;
}

std::string bars(const std::string& jump, double unit = 1000) {
  return head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
         "\n[[bars]]\nname = \"a\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [-500, 0, 0]\nto = [0, 0, 60]\n"
         "\n[[bars]]\nname = \"b\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [500, 0, 0]\nto = [0, 0, 60]\n" +
         support("\"a.start\"", "[\"x\", \"y\", \"z\"]") + support("\"b.start\"", "[\"x\", \"y\", \"z\"]") +
         support("\"a.end\"", "[\"x\", \"y\"]") + action("p", force("\"a.end\"", fmt::format("[0, 0, {}]", -unit))) +
         "\n[[watches]]\nname = \"crown\"\nat = \"a.end\"\ndirection = [0, 0, -1]\n" +
         step("g", "GNA",
              "load = \"p\"\ncontrol = \"load\"\njumps = 1\n" + jump + "\nstop = { watch = \"crown\", value = 122 }");
}
}  // namespace

TEST_CASE("swing: two bars snap through, overshoot by their energy and come to rest in balance", "[study][fast]") {
  const double damping = GENERATE(0.02, 0.1, 0.7), unit = GENERATE(1.0, 1e4);
  const std::string by = GENERATE(as<std::string>(), "jump_damping", "jump_stiffness_damping");
  CAPTURE(damping, unit, by);
  const auto r = run(bars(fmt::format("{} = {}", by, damping), unit));
  const auto& path = *r.find("g")->path;
  CAPTURE(path.message);
  REQUIRE(path.usable());
  REQUIRE(path.swings.size() == 1);
  const auto& swing = path.swings[0];
  const auto& last = path.increments.at(static_cast<std::size_t>(swing.increment));
  CHECK(last.event == analysis::PathEvent::jump);
  CHECK(last.negative_pivots == 0);
  CHECK(load_at(last.watched[0]) == Approx(last.load_factor * unit).epsilon(1e-4));
  // half of both bars moves with the crown
  const double stiffness = 2 * kModulus * kArea * kRise * kRise / std::pow(kBar, 3), mass = kDensity * kArea * kBar;
  CHECK(swing.frequency == Approx(std::sqrt(stiffness / mass) / (2 * M_PI)).epsilon(1e-3));
  // without damping the load's work from where it began is all stored at the far end of the first swing
  const double load = last.load_factor * unit, begin = path.increments.at(last.number - 1).watched[0];
  double far = last.watched[0];
  while (load * (far - begin) > stored_at(far) - stored_at(begin)) far += 0.01;
  const double beyond = (swing.largest_displacement - last.watched[0]) / (far - last.watched[0]);
  if (damping < 0.05) {
    CHECK(beyond < 1);
    CHECK(beyond > 0.9);
  } else if (damping < 0.5) {
    CHECK(beyond < 0.9);
    CHECK(beyond > 0.4);
  } else {
    CHECK(beyond < 0.2);
  }
  const auto row =
      std::find_if(r.comparison.begin(), r.comparison.end(), [](const auto& c) { return c.meaning == "jump"; });
  REQUIRE(row != r.comparison.end());
  CHECK_THAT(row->note, Catch::Contains("at rest after") && Catch::Contains("steps of time"));
}

TEST_CASE("swing: a shallow arch of members comes to the state that a damped descent finds", "[study][fast]") {
  const auto arch = [](const std::string& jump) {
    return head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 4") +
           member("a", "[-400, 0, 0]", "[400, 0, 0]", "via = [0, 0, 40]\nelements = 8\nup = [0, 0, 1]") +
           support("{ inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
           support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
           support("\"a.end\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
           action("p", "{ kind = \"line\", on = \"a\", force = [0, 0, -1] }") +
           "\n[[watches]]\nname = \"crown\"\nat = { near = [0, 0, 40] }\ndirection = [0, 0, -1]\n" +
           step("g", "GNA",
                "load = \"p\"\ncontrol = \"load\"\njumps = 1\n" + jump + "\nstop = { watch = \"crown\", value = 60 }");
  };
  const auto damped = run(arch("")), swung = run(arch("jump_damping = 0.1"));
  const auto &a = *damped.find("g")->path, &b = *swung.find("g")->path;
  CAPTURE(a.message, b.message);
  REQUIRE(b.swings.size() == 1);
  const auto& there = b.increments.at(static_cast<std::size_t>(b.swings[0].increment));
  const auto& other = a.increments.at(static_cast<std::size_t>(b.swings[0].increment));
  CHECK(other.event == analysis::PathEvent::jump);
  CHECK(there.load_factor == Approx(other.load_factor).epsilon(1e-9));
  CHECK(there.watched[0] == Approx(other.watched[0]).epsilon(1e-6));
}

TEST_CASE("swing: what it needs is asked for before the path begins", "[study][fast]") {
  const auto [text, words] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {with(bars("jump_damping = 0.05"), "density = 8e-9", "density = 0"), "needs mass"},
      {with(bars("jump_damping = 0.05"), "jumps = 1", "jumps = 0"), "is for jumps"},
      {bars("jump_damping = 5"), "between 0 and 1"},
      {bars("jump_stiffness_damping = -1"), "between 0 and 1"},
      {with(bars("jump_stiffness_damping = 0.05"), "density = 8e-9", "density = 0"), "needs mass"},
  }));
  INFO(words);
  CHECK_THAT(complaint_of(text), Catch::Contains(words));
}

}  // namespace swing_tests
