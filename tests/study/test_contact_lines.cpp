// Members, bars and free edges that touch: faces, each other, crossing and side by side. What rubs.
#include <catch2/catch.hpp>

#include "archway/study/build_model.hpp"
#include "support/followed.hpp"
#include "support/pieces.hpp"

namespace contact_lines_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
std::string contact(const std::string& more) {
  return "\n[[contacts]]\nname = \"joint\"\n" + more + "\n";
}
const std::string kSections =
    profile("r", "shape = \"circle\"\ndiameter = 8") + profile("flat", "shape = \"rectangle\"\nwidth = 12\nheight = 5");
const std::string kUpper = member("a", "[0, 0, 12]", "[260, 0, 12]", "elements = 6");
const std::string kEnd = step("g", "GNA", "load = \"push\"\nfirst_step = 0.1\nstop = { load_factor = 1 }");
/// An arm that is pushed down on to something below it: a rod like itself, gap 4, or a plate of 5, gap 5.5.
std::string pushed_on(const std::string& below, double push, const std::string& more = "") {
  return head() + kSections + kUpper + below + support("\"a.start\"", "\"all\"") +
         contact("between = [\"a\", \"b\"]\n" + more) +
         action("push", force("\"a.end\"", fmt::format("[0, 0, {}]", -push))) + kEnd;
}
const double kBending = 200000 * 3.14159265358979 * 4096 / 64;
const analysis::ContactForce& last(const study::StudyResult& r) {
  return path_of(r).increments.back().contacts.at(0);
}
/// Force between two cantilevers: the upper one, loaded at its end, meets the lower one (flexibility `lower` there) at
/// `at` from its root after a gap. Small bending.
double force_between(double push, double at, double lower, double gap) {
  const double bending = kBending, length = 260;
  const double falls = push * at * at * (3 * length - at) / (6 * bending), own = at * at * at / (3 * bending);
  return (falls - gap) / (own + lower);
}
}  // namespace

TEST_CASE("contact of lines: rods that cross or lie along each other meet with their faces", "[study][fast]") {
  // the lower one reaches 20 mm beyond the place where they cross
  const auto [from, to, reach] = GENERATE(std::tuple("[200, -150, 0]", "[200, 20, 0]", 150.0),
                                          std::tuple("[350, 150, 0]", "[180, -20, 0]", std::hypot(150.0, 150.0)));
  const double lower = reach * reach * reach / (3 * kBending);
  const auto r = run(pushed_on(member("b", from, to, "elements = 6") + support("\"b.start\"", "\"all\""), 90));
  const double known = force_between(90, 200, lower, 4);
  REQUIRE(known > 2);
  CHECK(last(r).pressed == Approx(known).epsilon(0.01));
  CHECK(last(r).force.norm() == Approx(last(r).pressed).epsilon(1e-3));
  CHECK(std::abs(last(r).gap) < 1e-6);
}

TEST_CASE("contact of lines: side by side", "[study][fast]") {
  // tip on tip but for 20 mm: the force goes to where the lower one ends
  const auto r =
      run(pushed_on(member("b", "[450, 0, 0]", "[240, 0, 0]", "elements = 8") + support("\"b.start\"", "\"all\""), 80));
  const double low = force_between(80, 240, 210. * 210 * 210 / (3 * kBending), 4),
               high = force_between(80, 260, 190. * 190 * 190 / (3 * kBending), 4);
  CHECK(last(r).pressed > 0.98 * std::min(low, high));
  CHECK(last(r).pressed < 1.02 * std::max(low, high));
}

TEST_CASE("contact of lines: a rod on a plate, whichever side is said to lead", "[study][fast]") {
  std::vector<double> forces;
  for (const char* leads : {"", "independent = \"a\"", "independent = \"b\""}) {
    const auto r = run(pushed_on(panel("b", "[150, -60, 0]", "[100, 0, 0]", "[0, 120, 0]", "[5, 6]", "", 5) +
                                     support("\"b.left\"", "\"all\"") + support("\"b.right\"", "\"all\""),
                                 100, leads));
    forces.push_back(last(r).pressed);
    CHECK(last(r).area == 0.0);  // along a line
    CHECK(forces.back() == Approx(forces.front()).epsilon(1e-6));
  }
  // the plate hardly yields: the rod lies on the edge that is farthest out
  CHECK(forces.front() == Approx(force_between(100, 250, 0, 5.5)).epsilon(0.02));
}

TEST_CASE("contact of lines: free edges touch when they are asked to", "[study][fast]") {
  // a leaf comes down on a plate with its edge
  const auto leaf = [](const std::string& edges, double down) {
    return head() + panel("leaf", "[40, 10, 6]", "[0, 40, 0]", "[0, 15, 60]", "[5, 4]", "", 3) +
           panel("plate", "[0, 0, 0]", "[80, 0, 0]", "[0, 60, 0]", "[6, 5]", "", 5) +
           support("\"plate.start\"", "\"all\"") + support("\"plate.end\"", "\"all\"") +
           support("\"leaf.right\"", "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]") +
           contact("between = [\"leaf\", \"plate\"]\n" + edges) +
           action("push", "{ kind = \"displacement\", at = \"leaf.right\", dof = \"z\", value = " +
                              fmt::format("{} }}", -down)) +
           step("g", "GNA", "load = \"push\"\nfirst_step = 0.2\nstop = { load_factor = 1 }");
  };
  const auto with = run(leaf("edge_contact = true", 2.5));
  CHECK(last(with).pressed > 10);
  CHECK(last(with).force.norm() == Approx(last(with).pressed).epsilon(0.05));
  const auto without = run(leaf("", 8));
  CHECK(last(without).pressed < 1e-6);
  CHECK(told(without.find("g")->warnings, "pass through"));
}

TEST_CASE("contact of lines: a hairpin that touches itself", "[study][fast]") {
  // two legs joined by a bow, in compression together by their tips beyond the gap between them
  const auto r =
      run(head() + profile("r", "shape = \"circle\"\ndiameter = 3") +
          member("leg", "[0, 0, -10]", "[80, 0, -10]", "elements = 8") +
          member("bow", "[0, 0, -10]", "[0, 0, 10]", "elements = 6\nvia = [-10, 0, 0]") +
          member("other", "[0, 0, 10]", "[80, 0, 10]", "elements = 9") + support("{ near = [-10, 0, 0] }", "\"all\"") +
          contact("self_contact = [\"leg\", \"bow\", \"other\"]") +
          action("push", force("\"leg.end\"", "[0, 0, 60]") + ", " + force("\"other.end\"", "[0, 0, -60]")) +
          step("g", "GNA", "load = \"push\"\nfirst_step = 0.1\nstop = { load_factor = 1 }"));
  const auto& end = path_of(r).increments.back();
  REQUIRE(end.load_factor == Approx(1));
  const auto& x = end.kept->state.position;
  const auto& m = *r.find("g")->model;
  double near = 1e9;
  for (std::size_t i = 0; i < x.size(); ++i)
    for (std::size_t k = 0; k < i; ++k)
      if (m.nodes[i].x() > 70 && m.nodes[k].x() > 70 && m.nodes[i].z() * m.nodes[k].z() < 0)
        near = std::min(near, (x[i] - x[k]).norm());
  CHECK(near > 3 * 0.9999);
  CHECK(near < 3 * 1.05);
  CHECK(end.contacts.at(0).pressed > 10);
}

namespace {
/// A block that is pushed on a longer one and in tension along it, by its top.
std::string rubbed(double friction, const std::string& stages, const std::string& rotation = "") {
  const auto block = [](const std::string& name, double from, double low, double length, const std::string& divisions) {
    return fmt::format(
        "\n[[solids]]\nname = \"{}\"\nmaterial = \"m\"\ncorner = [{}, 0, {}]\nalong = [{}, 0, 0]\nacross = [0, 10, "
        "0]\nup = [0, 0, 5]\ndivisions = {}\n",
        name, from, low, length, divisions);
  };
  return head() + block("lower", 0, 0, 40, "[14, 3, 1]") + block("upper", 5, 5, 10, "[4, 4, 1]") +
         support("\"lower.bottom\"", "[\"x\", \"y\", \"z\"]") + support("\"upper.top\"", "[\"y\"]") +
         contact(fmt::format("between = [\"upper\", \"lower\"]\nfriction = {}", friction) + rotation) +
         action("press",
                "{ kind = \"displacement\", at = \"upper.top\", dof = \"z\", value = -0.01 }, { kind = "
                "\"displacement\", at = \"upper.top\", dof = \"x\", value = 0 }") +
         action("drag", "{ kind = \"displacement\", at = \"upper.top\", dof = \"x\", value = 6 }") +
         step("g", "GNA", "first_step = 0.05\nlargest_step = 0.05\nstages = [" + stages + "]");
}
}  // namespace

TEST_CASE("contact with friction: blocks rub on each other, and lose what they slide", "[study][fast]") {
  const std::string rotation = GENERATE("", "\nindependent = \"upper\"");
  const auto r =
      run(rubbed(0.25,
                 "{ name = \"down\", load = \"press\", to_load_factor = 1 }, { name = \"along\", load = \"drag\", "
                 "to_load_factor = 1 }",
                 rotation));
  const auto& path = path_of(r);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  const auto& end = path.increments.back();
  const Vec3 force = end.contacts.at(0).force;
  CHECK(std::abs(force.x()) == Approx(0.25 * std::abs(force.z())).epsilon(2e-3));
  CHECK(end.dissipated_energy > 0);
  // in compression alike all the way, it loses force times way but for what sticks first
  CHECK(end.dissipated_energy == Approx(std::abs(force.x()) * 6).epsilon(0.03));
}

TEST_CASE("contact with friction: nothing is lost where nothing rubs, to and fro", "[study][fast]") {
  const auto r = run(rubbed(
      0,
      "{ name = \"down\", load = \"press\", to_load_factor = 1 }, { name = \"along\", load = \"drag\", to_load_factor = 1 "
      "}, { unload = \"drag\" }"));
  const auto& path = path_of(r);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  double stored = 0, highest = 0;
  for (const auto& i : path.increments) {
    highest = std::max(highest, i.stored_energy);
    if (i.load_factor == 1.0 && stored == 0) stored = i.stored_energy;
    CHECK(i.dissipated_energy == 0.0);
  }
  CHECK(path.increments.back().stored_energy == Approx(stored).epsilon(1e-4));
  CHECK(highest < 1.02 * stored);  // what the meshes pass over
}

}  // namespace contact_lines_tests
