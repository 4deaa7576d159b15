// Where branches end: they meet the path that they left, or another one.
#include <catch2/catch.hpp>

#include "support/pieces.hpp"

namespace branches_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// A pinned arch of 70 degrees under a load at its crown, in a plane of its own, `away` from the origin.
std::string arch(const std::string& analyses, bool lying, double away) {
  const auto place = [&](double along, double up) {
    return lying ? fmt::format("[{}, {}, {}]", away + up, along, 3.0) : fmt::format("[{}, 0, {}]", along, away + up);
  };
  constexpr double kRadius = 400, kHalf = 0.6108652;
  const double s = kRadius * std::sin(kHalf), c = kRadius * std::cos(kHalf), sq = kRadius * std::sin(kHalf / 2),
               cq = kRadius * std::cos(kHalf / 2);
  const std::string out = lying ? "[\"z\", \"ry\", \"rx\"]" : "[\"y\", \"rx\", \"rz\"]",
                    feet = lying ? "[\"x\", \"y\", \"z\", \"ry\", \"rx\"]" : "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]",
                    rise = lying ? "[1, 0, 0]" : "[0, 0, 1]", down = lying ? "[-1, 0, 0]" : "[0, 0, -1]";
  return head() + profile("r", "shape = \"rectangle\"\nwidth = 12\nheight = 5") +
         member("left", place(-s, c), place(0, kRadius), "elements = 6\nvia = " + place(-sq, cq) + "\nup = " + rise) +
         member("right", place(0, kRadius), place(s, c), "elements = 6\nvia = " + place(sq, cq) + "\nup = " + rise) +
         support(
             "{ any = [{ on = \"left\", inner_nodes = true }, { on = \"right\", inner_nodes = true }, \"left.end\"] }",
             out) +
         support("{ any = [\"left.start\", \"right.end\"] }", feet) +
         action("push", force("\"left.end\"", lying ? "[-1000, 0, 0]" : "[0, 0, -1000]")) +
         fmt::format(
             "\n[[watches]]\nname = \"crown\"\nat = \"left.end\"\ndirection = {}\n[[watches]]\nname = \"aside\"\nat = "
             "\"left.end\"\ndirection = {}\n",
             down, lying ? "[0, 1, 0]" : "[1, 0, 0]") +
         analyses;
}
const analysis::PathResult& path_in(const study::StudyResult& r, const std::string& name) {
  return *r.find(name)->path;
}
}  // namespace

TEST_CASE("branches: one that meets the path it left goes on along it where that is stable", "[study][fast]") {
  const bool lying = GENERATE(false, true);
  const double away = GENERATE(0.0, 1e5);
  const auto r = run(arch(step("branch", "GNA",
                               "load = \"push\"\nat_bifurcation = \"branch\"\nfirst_step = 0.1\nstop = { watch = "
                               "\"crown\", value = 165, increments = 100 }\n"),
                          lying, away));
  const auto& branch = path_in(r, "branch");
  CAPTURE(branch.message);
  REQUIRE(branch.usable());
  const auto met = std::find_if(branch.critical_points.begin(), branch.critical_points.end(),
                                [](const auto& point) { return point.meets; });
  REQUIRE(met != branch.critical_points.end());
  const auto at = static_cast<std::size_t>(met->increment);
  CHECK(branch.increments.at(at).event == analysis::PathEvent::bifurcation);
  CHECK(branch.increments.at(at).negative_pivots == 1);
  CHECK(branch.increments.at(at).load_factor == Approx(-1.6321).epsilon(1e-3));
  // halfway along the branch the crown is far beside; the path that it meets is symmetric and stable, and leads on
  double aside = 0;
  for (std::size_t i = 0; i < at; ++i) aside = std::max(aside, std::abs(branch.increments[i].watched[1]));
  CHECK(aside > 8);
  REQUIRE(branch.increments.size() > at + 5);
  for (std::size_t i = at + 2; i < branch.increments.size(); ++i) {
    CHECK(branch.increments[i].negative_pivots == 0);
    CHECK(std::abs(branch.increments[i].watched[1]) < 1e-4);
    CHECK(branch.increments[i].load_factor > branch.increments[i - 1].load_factor);
  }
  CHECK(branch.increments.back().watched[0] == Approx(165));
  const auto& words = r.find("branch")->warnings;
  CHECK(std::any_of(words.begin(), words.end(),
                    [](const auto& w) { return w.find("meets another one") != std::string::npos; }));
}

TEST_CASE("branches: beside another path they end where they meet it", "[study][fast]") {
  const auto r = run(arch(step("tree", "GNA",
                               "load = \"push\"\nfirst_step = 0.1\nbranches = { increments = 60 }\nstop = { first_loss "
                               "= true }"),
                          false, 0));
  const auto& path = path_in(r, "tree");
  REQUIRE(path.branches.size() == 2);
  const auto &one = *path.branches[0].path, &other = *path.branches[1].path;
  for (const auto* branch : {&one, &other}) CHECK(branch->stop_reason.find("meets another path") != std::string::npos);
  CHECK(one.increments.back().load_factor == Approx(other.increments.back().load_factor).epsilon(1e-5));
  CHECK(one.increments.back().load_factor < 0);
}

namespace {
/// Straight legs from a ring of feet to one tip, in compression down: both sideways displacements of the tip lose their
/// stability together.
struct Legs {
  int count;
  double rotated, away;
  static constexpr double kRadius = 100, kHeight = 500, kStiffness = 200000.0 * 100, kPush = 1e5;
  std::array<double, 2> foot(int leg) const {
    const double angle = rotated + 2 * M_PI * leg / count;
    return {kRadius * std::cos(angle), kRadius * std::sin(angle)};
  }
  std::string study() const {
    std::string text = head() + profile("leg", "shape = \"rectangle\"\nwidth = 10\nheight = 10");
    for (int k = 0; k < count; ++k)
      text += fmt::format(
          "\n[[bars]]\nname = \"leg{}\"\nmaterial = \"m\"\nprofile = \"leg\"\nfrom = [{}, {}, {}]\nto = [{}, 0, {}]\n",
          k, away + foot(k)[0], foot(k)[1], away, away, away + kHeight);
    for (int k = 0; k < count; ++k) text += support(fmt::format("\"leg{}.start\"", k), "[\"x\", \"y\", \"z\"]");
    text += action("push", force("\"leg0.end\"", fmt::format("[0, 0, {}]", -kPush)));
    for (int k = 0; k < 3; ++k)
      text += fmt::format("\n[[watches]]\nname = \"u{}\"\nat = \"leg0.end\"\ndirection = [{}, {}, {}]\n", k,
                          int(k == 0), int(k == 1), int(k == 2));
    return text +
           step("tree", "GNA",
                "load = \"push\"\nfirst_step = 0.2\nbranches = { increments = 6 }\nstop = { first_loss = true }");
  }
  /// What is left of the forces at the tip where it has moved by u under so much load.
  Eigen::Vector3d left(const std::vector<double>& u, double factor) const {
    Eigen::Vector3d sum(0, 0, -factor * kPush);
    const double length = std::hypot(kRadius, kHeight);
    for (int k = 0; k < count; ++k) {
      const Eigen::Vector3d leg(u[0] - foot(k)[0], u[1] - foot(k)[1], kHeight + u[2]);
      sum -= kStiffness * (leg.norm() / length - 1) * leg.normalized();
    }
    return sum;
  }
};
}  // namespace

TEST_CASE("branches: where two modes buckle together, also mixes of both are followed", "[study][fast]") {
  const auto legs = GENERATE(Legs{4, 0, 0}, Legs{4, 0.3, 0}, Legs{3, 0, 0}, Legs{3, 1.1, 1e5});
  CAPTURE(legs.count, legs.rotated, legs.away);
  const auto r = run(legs.study());
  const auto& path = path_in(r, "tree");
  REQUIRE(path.first_loss >= 0);
  REQUIRE(path.critical_points.front().multiplicity == 2);
  // along every plane of symmetry, both ways
  const int rays = legs.count == 4 ? 8 : 6;
  REQUIRE(static_cast<int>(path.branches.size()) == rays);
  std::vector<double> rotations;
  for (const auto& branch : path.branches) {
    const auto& own = branch.path->increments;
    REQUIRE(own.size() == 7);
    for (const auto& i : own)
      CHECK(legs.left(i.watched, i.load_factor).norm() < 1e-5 * std::abs(i.load_factor) * Legs::kPush);
    const double angle = std::atan2(own.back().watched[1], own.back().watched[0]) - legs.rotated;
    CHECK(std::abs(std::remainder(angle, 2 * M_PI / rays)) < 1e-3);
    rotations.push_back(std::remainder(angle, 2 * M_PI));
    const bool mixed = branch.mix.size() > 0;
    CHECK((!mixed || branch.mix.norm() == Approx(1)));
    CHECK((analysis::way_text(branch).find(" and ") != std::string::npos) == mixed);
  }
  std::sort(rotations.begin(), rotations.end());
  for (std::size_t i = 1; i < rotations.size(); ++i) CHECK(rotations[i] - rotations[i - 1] > 1.5 * M_PI / rays);
}

}  // namespace branches_tests
