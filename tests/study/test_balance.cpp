// States are in balance, whatever is stiff, far away, lightly loaded, heated, unloaded or yielded.
#include <catch2/catch.hpp>

#include "archway/analysis/stress_recovery.hpp"
#include "support/balance.hpp"
#include "support/pieces.hpp"

namespace balance_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// Loads and reactions of every increment cancel. \param arm  of forces at a clamp: what they are times what acts
void check_balance(const analysis::PathResult& path, double arm = 1) {
  CHECK(worst_imbalance(path) <= 1e-6 * arm);
  const double largest = largest_acting(path);
  for (const auto& i : path.increments) {
    CAPTURE(i.number, i.load_factor);
    // an unloaded state is measured by a millionth of the largest forces
    CHECK(i.residual <= (acting(i) <= 1e-6 * largest ? 1e-3 : 1e-6));
  }
}
/// The path of "g"; it reached its end.
const analysis::PathResult& followed(const study::StudyResult& r, double arm = 1) {
  const auto& path = path_of(r);
  CAPTURE(path.message, path.stop_reason);
  REQUIRE(path.ending == analysis::Ending::done);
  check_balance(path, arm);
  return path;
}
/// Flow has not been taken back anywhere, as seen from the state that each increment was reached from.
void check_flow_grows(const analysis::PathResult& path) {
  for (const auto& i : path.increments)
    if (i.parent >= 0)
      CHECK(i.plastic_strain >= path.increments[static_cast<std::size_t>(i.parent)].plastic_strain * (1 - 1e-9));
}

std::string place(const Eigen::Vector3d& v) {
  return fmt::format("[{}, {}, {}]", v.x(), v.y(), v.z());
}
std::string steel(const std::string& yielding = "") {
  return "[study]\ntitle = \"trial\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\n"
         "poisson_ratio = 0.3\nthermal_expansion = 1.2e-5\n" +
         (yielding.empty() ? "" : "yield_stress = 240\nyielding = " + yielding + "\n");
}
}  // namespace

TEST_CASE("balance: a cantilever rigid in shear bends alike on any mesh", "[study][fast]") {
  const int elements = GENERATE(10, 40, 160);
  CAPTURE(elements);
  const auto r =
      run(steel() + profile("r", "shape = \"rectangle\"\nwidth = 15\nheight = 4") +
          member("c", "[0, 0, 0]", "[350, 0, 0]", fmt::format("elements = {}\nrigid = \"shear\"", elements)) +
          support("\"c.start\"", "\"all\"") + action("p", force("\"c.end\"", "[0, 0, -1]")) +
          "\n[[watches]]\nname = \"tip\"\nat = \"c.end\"\ndirection = [0, 0, -1]\n" +
          step("g", "GNA", "load = \"p\"\nfirst_step = 10\noutput_load_factors = [20]\nstop = { load_factor = 100 }"));
  const auto& path = followed(r);
  const auto at_20 = std::find_if(path.increments.begin(), path.increments.end(),
                                  [](const auto& i) { return std::abs(i.load_factor - 20) < 1e-9; });
  REQUIRE(at_20 != path.increments.end());
  // th'' = -(P L^2 / E I) cos th by shooting, tip = L times the integral of sin th
  CHECK(at_20->watched.at(0) == Approx(17.81695).epsilon(1e-5));
  CHECK(path.increments.back().watched.at(0) == Approx(83.98999).epsilon(1e-5));
  for (const auto& i : path.increments) CHECK(i.reacted.force.z() == Approx(i.load_factor).epsilon(1e-6));
}

TEST_CASE("balance: small loads move stiff members as straight theory says", "[study][fast]") {
  const std::string rigid = GENERATE("", "rigid = \"shear\"", "rigid = [\"axial\", \"shear\"]");
  const double load = GENERATE(1e-6, 1e-3, 1.0);
  const double away = GENERATE(0.0, 1e5);
  CAPTURE(rigid, load, away);
  const Eigen::Vector3d from(away, -away, away), to = from + Eigen::Vector3d(1000, 0, 0);
  const auto r =
      run(steel() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30\nshear_deformation = false") +
          member("c", place(from), place(to), "elements = 20\n" + rigid) + support("\"c.start\"", "\"all\"") +
          action("p", force("\"c.end\"", place({0, 0, -load}))) +
          "\n[[watches]]\nname = \"tip\"\nat = \"c.end\"\ndirection = [0, 0, -1]\n" +
          step("g", "GNA", "stages = [{ load = \"p\", to_load_factor = 1 }, { unload = \"p\" }]"));
  const auto& path = followed(r);
  const double straight = load * 1e9 / (3 * 200000 * 45000.0);
  const auto& loaded = path.increments.at(static_cast<std::size_t>(path.stages.at(0).last));
  CHECK(loaded.watched.at(0) == Approx(straight).epsilon(away > 0 && load < 1e-3 ? 1e-3 : 2e-6));
  CHECK(std::abs(path.increments.back().watched.at(0)) < 1e-6 * straight + 1e-10);
}

namespace {
/// A strip 400 x 20 x 8 along x, restrained at its start and loaded at its end, of panels or solids.
std::string strip(const std::string& kind, const Eigen::Vector3d& corner, const std::string& yielding) {
  if (kind.rfind("solid", 0) == 0)
    return steel(yielding) +
           fmt::format(
               "\n[[solids]]\nname = \"s\"\nmaterial = \"m\"\ncorner = {}\nalong = [400, 0, 0]\nacross = [0, 20, "
               "0]\nup = [0, 0, 8]\ndivisions = [8, 1, 1]\nelement_nodes = {}\n",
               place(corner), kind == "solid20" ? 20 : 8);
  return steel(yielding) + panel("s", place(corner), "[400, 0, 0]", "[0, 20, 0]", kind == "nine" ? "[8, 1]" : "[16, 2]",
                                 "element_nodes = " + nodes_of(kind), 8);
}
/// Supports at the start of a strip, or at some places.
std::string clamp(const std::string& kind, const std::string& at = "\"s.start\"") {
  return support(at, kind.rfind("solid", 0) == 0 ? "[\"x\", \"y\", \"z\"]" : "\"all\"");
}
}  // namespace

TEST_CASE("balance: walls and solids under unit loads, near and far, and unloaded again", "[study][fast]") {
  const std::string kind = GENERATE("four", "three", "nine", "solid8", "solid20");
  const double load = GENERATE(1e-3, 1.0);
  const double away = GENERATE(0.0, 1e5);
  CAPTURE(kind, load, away);
  const Eigen::Vector3d corner(away, -away, away);
  const auto r =
      run(strip(kind, corner, "") + clamp(kind) +
          action("p", fmt::format("{{ kind = \"force\", at = \"s.end\", force = {}, distribution = \"total\" }}",
                                  place({0, 0, -load}))) +
          fmt::format("\n[[watches]]\nname = \"tip\"\nat = {{ near = {} }}\ndirection = [0, 0, -1]\n",
                      place(corner + Eigen::Vector3d(400, 20, 0))) +
          step("la", "LA", "load = \"p\"") +
          step("g", "GNA", "stages = [{ load = \"p\", to_load_factor = 1 }, { unload = \"p\" }]"));
  const auto& path = followed(r, 400.0 / 8);
  const auto& loaded = path.increments.at(static_cast<std::size_t>(path.stages.at(0).last));
  const auto& nodes = r.find("la")->model->nodes;
  std::size_t tip = 0;
  for (std::size_t n = 0; n < nodes.size(); ++n)
    if ((nodes[n] - corner - Eigen::Vector3d(400, 20, 0)).norm() <
        (nodes[tip] - corner - Eigen::Vector3d(400, 20, 0)).norm())
      tip = n;
  const double linear = -r.find("la")->linear->displacement[model::row(tip) + 2];
  CHECK(loaded.watched.at(0) == Approx(linear).epsilon(load == 1.0 ? 1e-4 : 1e-5));
  CHECK(std::abs(path.increments.back().watched.at(0)) < 1e-6 * linear + 1e-9);
}

TEST_CASE("balance: what has yielded is unloaded to zero, reversed and loaded again", "[study][fast]") {
  const std::string kind = GENERATE("four", "nine", "solid8", "solid20", "member");
  const std::string law =
      GENERATE("{ law = \"bilinear\", tangent_ratio = 0.02 }", "{ law = \"power\", proof_stress = 240, exponent = 8 }");
  const bool bent = GENERATE(false, true);
  CAPTURE(kind, law, bent);
  const std::string body = kind == "member"
                               ? steel(law) + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 8") +
                                     member("s", "[0, 0, 0]", "[400, 0, 0]", "elements = 4")
                               : strip(kind, Eigen::Vector3d::Zero(), law);
  // straight: 38 400 N reach the yield stress; bent: 128 N do, 192 N all of the section
  // (the points of solids lie further inside)
  const bool solid = kind.rfind("solid", 0) == 0;
  const std::string direction = bent ? (solid ? "[0, 0, -240]" : "[0, 0, -170]") : "[42000, 0, 0]";
  const auto r = run(
      body + clamp(kind) +
      action("p",
             fmt::format("{{ kind = \"force\", at = \"s.end\", force = {}, distribution = \"total\" }}", direction)) +
      step(
          "g", "GMNA",
          "stages = [{ load = \"p\", to_load_factor = 1 }, { unload = \"p\" }, { load = \"p\", to_load_factor = -0.9 }, { "
          "unload = \"p\" }, { load = \"p\", to_load_factor = 1.02 }]"));
  const auto& path = followed(r, bent ? 400.0 / 8 : 1.0);
  CHECK(path.increments.back().load_factor == Approx(1.02));
  CHECK(path.increments.back().plastic_strain > 1e-5);
  check_flow_grows(path);
}

TEST_CASE("balance: heated and misfitting structures that cannot move load their supports and go forward",
          "[study][fast]") {
  const std::string kind = GENERATE("member", "four", "nine");
  const std::string cause = GENERATE("temperature", "lack-of-fit");
  if (kind != "member" && cause != "temperature") return;
  CAPTURE(kind, cause);
  const std::string body = kind == "member" ? steel() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 8") +
                                                  member("s", "[0, 0, 0]", "[400, 0, 0]", "elements = 4")
                                            : strip(kind, Eigen::Vector3d::Zero(), "");
  const std::string load = cause == "temperature" ? "{ kind = \"temperature\", value = 10.0 }"
                                                  : "{ kind = \"lack-of-fit\", on = \"s\", value = 0.048 }";
  const auto r = run(body + support("\"s.start\"", "\"all\"") + support("\"s.end\"", "\"all\"") + action("t", load) +
                     step("g", "GNA", "load = \"t\"\nstop = { load_factor = 0.9, increments = 60 }"));
  const auto& path = followed(r);
  for (std::size_t i = 1; i < path.increments.size(); ++i)
    CHECK(path.increments[i].load_factor > path.increments[i - 1].load_factor);
  CHECK(path.increments.back().load_factor == Approx(0.9));
  CHECK(path.increments.back().largest_displacement < 0.01);
}

TEST_CASE("balance: bonded panels that yield begin where nothing acts, near and far", "[study][fast]") {
  const double away = GENERATE(0.0, 1e5);
  CAPTURE(away);
  const Eigen::Vector3d o(away, -away, away);
  const std::string law = "{ law = \"bilinear\", tangent_ratio = 0.01 }";
  const auto r =
      run(steel(law) + panel("base", place(o), "[300, 0, 0]", "[0, 120, 0]", "[9, 4]") +
          panel("rib", place(o + Eigen::Vector3d(0, 60, 0)), "[300, 0, 0]", "[0, 0, 50]", "[7, 2]") +
          support("{ any = [\"base.start\", \"rib.start\"] }", "\"all\"") +
          action("p", "{ kind = \"force\", at = \"base.end\", force = [0, 0, -900], distribution = \"total\" }") +
          step("g", "GMNA", "stages = [{ load = \"p\", to_load_factor = 1 }, { unload = \"p\" }]"));
  const auto& path = followed(r);
  static double first = path.increments.at(static_cast<std::size_t>(path.stages.at(0).last)).largest_displacement;
  CHECK(path.increments.at(static_cast<std::size_t>(path.stages.at(0).last)).largest_displacement ==
        Approx(first).epsilon(1e-6));
}

TEST_CASE("balance: a load on a rigid arm buckles it though no element is stressed before", "[study][fast]") {
  const double height = 350;
  const auto r = run(
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\nplanar = \"xz\"\n[materials.m]\n"
      "youngs_modulus = 200000\npoisson_ratio = 0.3\n" +
      profile("r", "shape = \"rectangle\"\nwidth = 1\nheight = 1") +
      "\n[[bars]]\nname = \"stay\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 350]\nto = [500, 0, "
      "350]\n" +
      "\n[[couplings]]\nname = \"arm\"\nkind = \"rigid\"\npoint = [0, 0, 0]\nat = \"stay.start\"\n" +
      support("\"arm\"", "[\"x\", \"z\"]") + support("\"stay.end\"", "[\"x\", \"z\"]") +
      action("p", force("\"stay.start\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"\nmodes = 1"));
  // P h = k h^2 with the stay's k = E A / L
  CHECK(factor(r) == Approx(200000.0 / 500 * height).epsilon(1e-9));
}

TEST_CASE("balance: supports that hold one node share its reaction, in either order", "[study][fast]") {
  const bool rotated = GENERATE(false, true);
  const std::string one =
                        "\n[[supports]]\nname = \"one\"\nat = \"c.start\"\nrestrain = [\"x\", \"y\", \"z\", \"rx\"]\n",
                    other = "\n[[supports]]\nname = \"other\"\nat = \"c.start\"\nrestrain = [\"z\", \"ry\", \"rz\"]\n";
  const auto r = run(steel() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
                     member("c", "[0, 0, 0]", "[1000, 0, 0]") + (rotated ? other + one : one + other) +
                     action("p", force("\"c.end\"", "[5, 0, -8]")) + step("la", "LA", "load = \"p\"") +
                     step("g", "GNA", "load = \"p\"\nstop = { load_factor = 1 }"));
  const auto check = [](const std::vector<analysis::SupportReaction>& list) {
    REQUIRE(list.size() == 2);
    CHECK(list[0].force.x() == Approx(-5));
    CHECK(list[1].force.x() == 0.0);
    CHECK(list[0].force.z() == Approx(4));
    CHECK(list[1].force.z() == Approx(4));
    CHECK(list[0].moment.y() == 0.0);
    CHECK(std::abs(list[1].moment.y()) == Approx(8000).epsilon(1e-2));
  };
  const auto& linear = *r.find("la")->linear;
  check(analysis::reactions_by_support(*r.find("la")->model, linear.reactions, linear.spring_forces));
  check(path_of(r).increments.back().reactions);
}

}  // namespace balance_tests
