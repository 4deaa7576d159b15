// Paths by default control against exact answers, within 0.2 %: the elastica, rings, arches, trusses, a strut between
// walls.
#include "support/elastica.hpp"
#include "support/pieces.hpp"

namespace exact_path_tests {

using namespace archway;
using namespace archway::test;

namespace {
constexpr double kWithin = 2e-3;
constexpr double kRigidity = 200000.0 * 20 / 12;  // E I of a strip of 20 x 1
const std::string kStrip = profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 1\nshear_deformation = false");
// of arcs, whose `up` is at right angles to their plane
const std::string kArc = profile("r", "shape = \"rectangle\"\nwidth = 1\nheight = 20\nshear_deformation = false");
const std::string kPlane = support("{ inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]");

std::string watch(const std::string& name, const std::string& at, const std::string& direction) {
  return "\n[[watches]]\nname = \"" + name + "\"\nat = " + at + "\ndirection = " + direction + "\n";
}
const analysis::PathResult& path_of(const study::StudyResult& r) {
  return *r.find("g")->path;
}
/// Load factors of the states that were asked for, in their order; watch 0 reads the values.
void compare_at(const analysis::PathResult& path, const std::vector<std::pair<double, double>>& exact) {
  for (const auto& [value, load] : exact) {
    CAPTURE(value);
    const auto found = std::find_if(path.increments.begin(), path.increments.end(), [&](const auto& i) {
      return std::abs(i.watched[0] - value) <= 1e-6 * std::abs(value);
    });
    REQUIRE(found != path.increments.end());
    CHECK(found->load_factor == Approx(load).epsilon(kWithin));
  }
}
std::string asked_for(const std::vector<std::pair<double, double>>& exact) {
  std::string list;
  for (std::size_t k = 0; k + 1 < exact.size(); ++k)
    list += fmt::format("{{ watch = \"w\", value = {:.17g} }}, ", exact[k].first);
  return fmt::format("output_values = [{}]\nstop = {{ watch = \"w\", value = {:.17g}, increments = 400 }}\n", list,
                     exact.back().first);
}
}  // namespace

TEST_CASE("exact paths: struts on their branches follow the elastica", "[study][fast]") {
  // length, in which the strut is so many times a pinned one of a part of it; unit loads and large ones
  struct Row {
    const char *name, *start, *end;
    double parts;  // pinned lengths within it
  };
  const auto row = GENERATE(Row{"pinned", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]", "[\"y\", \"z\", \"rx\", \"rz\"]", 1},
                            Row{"cantilever", "\"all\"", "[\"y\", \"rx\", \"rz\"]", 0.5},
                            Row{"clamped", "\"all\"", "[\"y\", \"z\", \"rx\", \"ry\", \"rz\"]", 2});
  const double unit = GENERATE(1.0, 1e4), length = 600;
  const std::string sense = GENERATE(as<std::string>(), "branch", "branch-reversed");
  CAPTURE(row.name, unit, sense);
  const double euler = std::pow(M_PI * row.parts / length, 2) * kRigidity;
  std::vector<std::pair<double, double>> exact;  // shortening, load factor
  for (const double degrees : {20.0, 60.0, 110.0}) {
    const auto e = pinned_elastica(degrees * M_PI / 180);
    exact.emplace_back(e.shortening * length, e.load * euler / unit);
  }
  const auto r = run(head() + kStrip + member("a", "[0, 0, 0]", "[600, 0, 0]", "elements = 16\nup = [0, 0, 1]") +
                     kPlane + support("\"a.start\"", row.start) + support("\"a.end\"", row.end) +
                     action("p", force("\"a.end\"", fmt::format("[{}, 0, 0]", -unit))) +
                     watch("w", "\"a.end\"", "[-1, 0, 0]") + step("b", "LBA", "load = \"p\"\nmodes = 1") +
                     step("g", "GNA", "loads_of = \"b\"\nat_bifurcation = \"" + sense + "\"\n" + asked_for(exact)));
  CAPTURE(path_of(r).message);
  CHECK(path_of(r).usable());
  compare_at(path_of(r), exact);
}

TEST_CASE("exact paths: a ring pinched and in tension, to a tenth of its size", "[study][fast]") {
  // a quarter, from the side (angle pi / 2, x = R) to the load: its start moves along x only, its end along y
  const double radius = 100, sense = GENERATE(1.0, -1.0);
  CAPTURE(sense);
  std::vector<std::pair<double, double>> exact;  // displacement of the end towards the middle, load on the quarter
  Eigen::VectorXd x = Eigen::Vector3d(0, 0, 0.05 * sense);  // moment at the start, its place, force
  for (const double share : {0.2, 0.5, 0.8}) {
    const double wanted = radius * (sense > 0 ? share : -0.4 * share);
    const auto off = [&](const Eigen::VectorXd& u) {
      ArcState s;
      s.x = 1 + u[1], s.angle = M_PI / 2, s.moment = u[0];
      const auto end = along_arc(s, M_PI / 2, 1, 0, u[2]);
      return Eigen::VectorXd(Eigen::Vector3d(end.x, end.angle - M_PI, 1 - end.y - wanted / radius));
    };
    x = root_of(off, x);
    REQUIRE(x.allFinite());
    exact.emplace_back(wanted, std::abs(x[2]) * kRigidity / (radius * radius));
  }
  const double half = radius * std::sqrt(0.5);
  const auto r = run(head() + kArc +
                     member("a", "[100, 0, 0]", "[0, 0, 100]",
                            fmt::format("via = [{:.17g}, 0, {:.17g}]\nelements = 16\nup = [0, 1, 0]", half, half)) +
                     kPlane + support("\"a.start\"", "[\"y\", \"z\", \"rx\", \"ry\", \"rz\"]") +
                     support("\"a.end\"", "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]") +
                     action("p", force("\"a.end\"", fmt::format("[0, 0, {}]", -sense))) +
                     watch("w", "\"a.end\"", "[0, 0, -1]") + step("g", "GNA", "load = \"p\"\n" + asked_for(exact)));
  CAPTURE(path_of(r).message);
  CHECK(path_of(r).usable());
  compare_at(path_of(r), exact);
}

TEST_CASE("exact paths: arches loaded at their crown, far beyond the limit point", "[study][fast]") {
  // half of an arch between its crown and a foot; rise of 40 degrees: it is slender, so that it is inextensible
  const bool clamped = GENERATE(false, true);
  const double half_angle = GENERATE(0.9, 1.3), radius = 400;
  CAPTURE(clamped, half_angle);
  std::vector<std::pair<double, double>> exact;
  Eigen::VectorXd x = Eigen::Vector3d(0.1, -0.1, -0.1);  // moment and forces at the crown
  const double foot_x = std::sin(half_angle), foot_y = std::cos(half_angle) - 1;
  for (const double share : {0.03, 0.1, 0.2, 0.3}) {
    const double wanted = share * radius * (1 - std::cos(half_angle)) * 2;
    const auto off = [&](const Eigen::VectorXd& u) {
      ArcState s;
      s.moment = u[0], s.y = -wanted / radius;
      const auto end = along_arc(s, half_angle, -1, u[1], u[2]);
      return Eigen::VectorXd(
          Eigen::Vector3d(end.x - foot_x, end.y - foot_y, clamped ? end.angle + half_angle : end.moment));
    };
    x = root_of(off, x);
    REQUIRE(x.allFinite());
    exact.emplace_back(wanted, std::abs(x[2]) * kRigidity / (radius * radius));
  }
  const auto at_angle = [&](double a) {
    return fmt::format("[{:.17g}, 0, {:.17g}]", radius * std::sin(a), radius * (std::cos(a) - 1));
  };
  const auto r = run(head() + kArc +
                     member("a", "[0, 0, 0]", at_angle(half_angle),
                            "via = " + at_angle(half_angle / 2) + "\nelements = 16\nup = [0, 1, 0]") +
                     kPlane + support("\"a.start\"", "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]") +
                     support("\"a.end\"", clamped ? "\"all\"" : "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
                     action("p", force("\"a.start\"", "[0, 0, -1]")) + watch("w", "\"a.start\"", "[0, 0, -1]") +
                     step("g", "GNA", "load = \"p\"\n" + asked_for(exact)));
  CAPTURE(path_of(r).message);
  CHECK(path_of(r).usable());
  compare_at(path_of(r), exact);
}

TEST_CASE("exact paths: two bars snap through, alone and through a soft spring", "[study][fast]") {
  // engineering strain: N = E A (l0 - l) / l0; the crown carries 2 N times its inclination
  const double half = GENERATE(100.0, 40.0), rise = 20, area = 100, modulus = 200000;
  const bool soft = GENERATE(false, true);
  CAPTURE(half, soft);
  const double first = std::hypot(half, rise);
  const auto load_at = [&](double down) {
    const double h = rise - down, l = std::hypot(half, h);
    return 2 * modulus * area * (first - l) / first * h / l;
  };
  double peak = 0;
  for (int k = 0; k <= 20000; ++k) peak = std::max(peak, load_at(k * 1e-3));
  const double stiffness = 0.1 * peak / rise;
  std::vector<std::pair<double, double>> exact;
  for (const double down : {4.0, 11.0, 20.0 + 1e-9, 31.0, 45.0}) exact.emplace_back(down, load_at(down) / 1000);
  const std::string load = soft ? "\"k.end\"" : "\"a.end\"";
  const auto r =
      run(head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
          fmt::format("\n[[bars]]\nname = \"a\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [{0}, 0, 0]\nto = "
                      "[0, 0, 20]\n\n[[bars]]\nname = \"b\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [-{0}, "
                      "0, 0]\nto = [0, 0, 20]\n",
                      half) +
          support("\"a.start\"", "[\"x\", \"y\", \"z\"]") + support("\"b.start\"", "[\"x\", \"y\", \"z\"]") +
          support("\"a.end\"", "[\"x\", \"y\"]") +
          (soft ? fmt::format("\n[profiles.thin]\nshape = \"rectangle\"\nwidth = 1\nheight = {:.17g}\n"
                              "\n[[bars]]\nname = \"k\"\nmaterial = \"m\"\nprofile = \"thin\"\nfrom = [0, 0, "
                              "20]\nto = [0, 0, 400020]\n",
                              stiffness * 400000 / modulus) +
                      support("\"k.end\"", "[\"x\", \"y\"]")
                : "") +
          action("p", force(load, "[0, 0, -1000]")) + watch("w", "\"a.end\"", "[0, 0, -1]") +
          step("g", "GNA", "load = \"p\"\n" + asked_for(exact)));
  CAPTURE(path_of(r).message);
  CHECK(path_of(r).usable());
  for (auto& [value, factor] : exact)
    if (std::abs(factor) < 1e-6 * peak / 1000) factor = 0;
  for (const auto& [value, factor] : exact)
    if (factor != 0.0) compare_at(path_of(r), {{value, factor}});
  if (half > 50) {  // the tall one bifurcates sideways only where it may
    CHECK(path_of(r).peak_is_limit_point);
    CHECK(path_of(r).peak_load_factor == Approx(peak / 1000).epsilon(kWithin));
  }
}

TEST_CASE("exact paths: a cantilever under a load that keeps its direction", "[study][fast]") {
  const double length = 500;
  std::vector<std::pair<double, double>> exact;
  Eigen::VectorXd x = Eigen::VectorXd::Constant(1, 0.5);  // moment at the root
  for (const double load : {1.0, 2.0, 4.0, 7.0, 10.0}) {
    const auto off = [&](const Eigen::VectorXd& u) {
      ArcState s;
      s.moment = u[0];
      return Eigen::VectorXd(Eigen::VectorXd::Constant(1, along_arc(s, 1, 0, 0, load).moment));
    };
    x = root_of(off, x);
    REQUIRE(x.allFinite());
    ArcState s;
    s.moment = x[0];
    exact.emplace_back(along_arc(s, 1, 0, 0, load).y * length, load * kRigidity / (length * length));
  }
  const auto r = run(head() + kStrip + member("a", "[0, 0, 0]", "[500, 0, 0]", "elements = 12\nup = [0, 0, 1]") +
                     kPlane + support("\"a.start\"", "\"all\"") + support("\"a.end\"", "[\"y\", \"rx\", \"rz\"]") +
                     action("p", force("\"a.end\"", "[0, 0, 1]")) + watch("w", "\"a.end\"", "[0, 0, 1]") +
                     step("g", "GNA", "load = \"p\"\n" + asked_for(exact)));
  CAPTURE(path_of(r).message);
  CHECK(path_of(r).usable());
  compare_at(path_of(r), exact);
}

}  // namespace exact_path_tests
