// What saves lines in a study: frames in a plane, lists, expressions, foundations along edges, rows of fasteners.
#include <catch2/catch.hpp>

#include "archway/study/check.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace everyday_structure_tests {

using namespace archway;
using namespace archway::test;

namespace {
const std::string kProfile = profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 60");

/// A pinned portal in the plane whose first axis lies and whose second is, its beam hinged at one end.
std::string portal(const std::string& study_keys, int along, int up, const std::string& hold) {
  const auto place = [&](double a, double b) {
    std::array<double, 3> x{7, 7, 7};
    x[static_cast<std::size_t>(along)] = a, x[static_cast<std::size_t>(up)] = b;
    return fmt::format("[{}, {}, {}]", x[0], x[1], x[2]);
  };
  std::array<double, 3> down{}, lean{};
  down[static_cast<std::size_t>(up)] = -10, lean[static_cast<std::size_t>(along)] = 1;
  const std::string rotated = fmt::format("up = [{}, {}, {}]\n", lean[0], lean[1], lean[2]),
                    level = fmt::format("up = [{}, {}, {}]\n", down[0] / -10, down[1] / -10, down[2] / -10);
  return head(study_keys) + kProfile + member("left", place(0, 0), place(0, 2000), rotated + "elements = 2") +
         member("beam", place(0, 2000), place(3000, 2000),
                level + "elements = 2\nrelease_end = [\"rx\", \"ry\", \"rz\"]") +
         member("right", place(3000, 0), place(3000, 2000), rotated + "elements = 2") +
         support("{ any = [\"left.start\", \"right.start\"] }", hold) +
         action("p", fmt::format("{{ kind = \"line\", on = [\"beam\"], force = [{}, {}, {}] }}", down[0], down[1],
                                 down[2])) +
         step("b", "LBA", "load = \"p\"\nmodes = 3");
}
}  // namespace

TEST_CASE("plane: a frame is restrained out of its plane everywhere, in any plane", "[study][fast]") {
  // by hand in xz: everything is restrained in y, rx, rz; the hinge passes on what would let the beam roll
  const std::string by_hand = [] {
    std::string text = portal("", 0, 2, "[\"x\", \"z\"]");
    text.replace(text.find("[\"rx\", \"ry\", \"rz\"]"), 18, "[\"ry\"]");
    return text +
           support(
               "{ any = [{ on = \"left\", inner_nodes = true }, { on = \"beam\", inner_nodes = true }, { on = \"right\", "
               "inner_nodes = true }] }",
               "[\"y\", \"rx\", \"rz\"]");
  }();
  const auto known = run(by_hand);
  const auto [plane, along, up, hold] =
      GENERATE(std::tuple("xz", 0, 2, "[\"x\", \"z\"]"), std::tuple("yz", 1, 2, "[\"y\", \"z\"]"),
               std::tuple("xy", 0, 1, "[\"x\", \"y\"]"), std::tuple("xy", 1, 0, "[\"x\", \"y\", \"z\"]"));
  CAPTURE(plane, along, up);
  const auto r = run(portal(fmt::format("planar = \"{}\"\n", plane), along, up, hold));
  for (std::size_t mode = 1; mode <= 3; ++mode) CHECK(factor(r, mode) == Approx(factor(known, mode)).epsilon(1e-8));
}

TEST_CASE("plane: what lies beside it, is no member, or is loaded across it is reported", "[study][fast]") {
  const auto refused = [](const std::string& more) {
    return complaint_of(portal("planar = \"xz\"\n", 0, 2, "[\"x\", \"z\"]") + more);
  };
  CHECK(refused(member("brace", "[0, 7, 0]", "[3000, 9, 2000]")).find("lies beside it") != std::string::npos);
  CHECK(refused(panel("wall", "[0, 7, 0]", "[3000, 0, 0]", "[0, 0, 2000]", "[2, 2]")).find("'wall' is none of them") !=
        std::string::npos);
  CHECK(complaint_of(portal("planar = \"zx\"\n", 0, 2, "[\"x\", \"z\"]")).find("'zx'") != std::string::npos);
  auto across = portal("planar = \"xz\"\n", 0, 2, "[\"x\", \"z\"]");
  across.replace(across.find("force = [0, 0, -10]"), 19, "force = [0, 2, -10]");
  const auto r = run(across);
  CHECK(told(r.model->remarks, "'p' has 6000 N across the plane"));
  CHECK(told(r.model->remarks, "a frame in the plane xz"));
  // those that the study holds, not what holds the frame in its plane
  CHECK(study::check_model(r.spec, *r.model, false).supported_nodes == 2);
}

TEST_CASE("loads: one total is shared by area over several parts, named twice or not", "[study][fast]") {
  const auto study = [](const std::string& on) {
    return head() + panel("a", "[0, 0, 0]", "[300, 0, 0]", "[0, 200, 0]", "[3, 2]") +
           panel("b", "[300, 0, 0]", "[100, 0, 0]", "[0, 200, 0]", "[2, 2]") + support("\"a.start\"", "\"all\"") +
           action("p", "{ kind = \"surface\", on = " + on + ", force = [0, 0, -800], distribution = \"total\" }") +
           step("la", "LA", "load = \"p\"");
  };
  const auto both = run(study("[\"a\", \"b\"]")), again = run(study("[\"b\", \"a\", \"b\"]"));
  CHECK(largest_displacement(again) == Approx(largest_displacement(both)).epsilon(1e-12));
  double total = 0;
  for (const auto& s : both.model->actions[0].surface_loads) {
    CHECK(s.force_per_area.z() == Approx(-800.0 / (400 * 200)));
    total += 1;
  }
  CHECK(total == 10);
  CHECK(told(both.model->actions[0].notes, "8e+04 mm^2 of 'a', 'b'") !=
        told(both.model->actions[0].notes, "80000 mm^2"));
  CHECK(complaint_of(study("[\"a\", \"c\"]")).find("part 'c' has no elements") != std::string::npos);
  CHECK(complaint_of(study("7")).find("'on'") != std::string::npos);
}

TEST_CASE("loads: displacements and foundations may be expressions of the place", "[study][fast]") {
  // a strip whose end edge is rotated about y by prescribed displacements of its edge, and one on a foundation that
  // grows
  const auto moved =
      run(head() + panel("a", "[0, 0, 0]", "[100, 0, 0]", "[0, 60, 0]", "[2, 3]") + support("\"a.start\"", "\"all\"") +
          action("p", "{ kind = \"displacement\", at = \"a.end\", dof = \"z\", value = \"0.001 * y\" }") +
          step("la", "LA", "load = \"p\""));
  const auto& u = moved.find("la")->linear->displacement;
  for (std::size_t n = 0; n < moved.model->nodes.size(); ++n)
    if (moved.model->nodes[n].x() == 100)
      CHECK(u[model::row(static_cast<int>(n)) + 2] == Approx(0.001 * moved.model->nodes[n].y()).margin(1e-12));

  const auto bedded = [](const std::string& keys) {
    return run(head() + kProfile + member("beam", "[0, 0, 0]", "[900, 0, 0]", "elements = 3") +
               support("{ on = \"beam\", inner_nodes = true }", "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]") +
               "\n[[foundations]]\nname = \"soil\"\non = \"beam\"\n" + keys + "\n" +
               action("p", "{ kind = \"line\", on = \"beam\", force = [0, 0, -3] }") +
               step("la", "LA", "load = \"p\""));
  };
  // restrained against rotation everywhere it moves as one: total load over total stiffness
  const auto r = bedded("stiffness = [0, 0, \"2 + x / 450\"]");
  CHECK(largest_displacement(r) == Approx(3 * 900 / (900 * 3.0)).epsilon(2e-3));
  double sum = 0;
  for (const auto& s : r.model->springs) sum += s.stiffness[2];
  CHECK(sum == Approx(900 * 3.0).epsilon(1e-12));
}

TEST_CASE("loads: a prescribed displacement acts in the axes of its support, rotated with them or not",
          "[study][fast]") {
  // a strip in tension along its own axis by its end: the same force whichever way it lies
  std::vector<double> forces;
  for (const double angle : {0.0, 0.7, 2.0}) {
    const double c = std::cos(angle), d = std::sin(angle);
    const auto vector = [](double x, double y) { return fmt::format("[{:.15g}, {:.15g}, 0]", x, y); };
    const std::string axes = "axes = { along = " + vector(c, d) + ", up = [0, 0, 1] }";
    for (const std::string hold : {"[\"y\", \"z\"]", "[\"x\", \"y\", \"z\"]"}) {  // of the end that is in tension
      const auto r =
          run(head() + panel("p", "[0, 0, 0]", vector(300 * c, 300 * d), vector(-60 * d, 60 * c), "[6, 2]") +
              support("\"p.start\"", "\"all\"", axes) + support("\"p.end\"", hold, axes + "\nname = \"pull\"") +
              action("u", "{ kind = \"displacement\", at = \"p.end\", dof = \"x\", value = 0.3 }") +
              step("la", "LA", "load = \"u\""));
      double sum = 0;
      const auto& la = *r.find("la")->linear;
      for (const auto& reaction : analysis::reactions_by_support(*r.find("la")->model, la.reactions, la.spring_forces))
        if (reaction.name == "pull") sum += reaction.force.dot(base::Vec3(c, d, 0));
      forces.push_back(sum);
      CHECK(largest_displacement(r) == Approx(0.3).epsilon(1e-6));
    }
  }
  for (const double f : forces) CHECK_DIGITS(f, forces[0], 8, "the same strip");
}

TEST_CASE("couplings: nodes share a direction of their own, as they share a global one", "[study][fast]") {
  // a strip whose end stays straight and moves along the strip only, whichever way it lies
  std::vector<double> factors, moved;
  for (const auto& [angle, own] :
       {std::pair(0.0, false), std::pair(0.0, true), std::pair(0.6, true), std::pair(2.5, true)}) {
    const double c = std::cos(angle), d = std::sin(angle);
    const auto vector = [](double x, double y) { return fmt::format("[{:.15g}, {:.15g}, 0]", x, y); };
    const std::string axes = own ? "axes = { along = " + vector(c, d) + ", up = [0, 0, 1] }" : "";
    const auto r =
        run(head() + panel("p", "[0, 0, 0]", vector(300 * c, 300 * d), vector(-90 * d, 90 * c), "[8, 3]", "", 2) +
            support("\"p.start\"", "[\"x\", \"y\", \"z\"]", "axes = { along = " + vector(c, d) + ", up = [0, 0, 1] }") +
            "\n[[couplings]]\nname = \"head\"\nkind = \"equal\"\ndofs = [\"x\", \"z\"]\nat = \"p.end\"\n" + axes +
            "\n" + support("{ on = \"p.left\", without = \"p.end\" }", "[\"z\"]") +
            action("q", "{ kind = \"force\", at = \"p.end\", force = " + vector(-1000 * c, -1000 * d) +
                            ", distribution = \"total\" }, { kind = \"pressure\", on = \"p\", value = 0.0004 }") +
            action("b", "{ kind = \"force\", at = \"p.end\", force = " + vector(-1000 * c, -1000 * d) +
                            ", distribution = \"total\" }") +
            step("b", "LBA", "load = \"b\"\nmodes = 2") + step("g", "GNA", "load = \"q\"\nstop = { load_factor = 1 }"));
    factors.push_back(factor(r));
    moved.push_back(path_of(r).increments.back().largest_displacement);
  }
  for (const double f : factors) CHECK_DIGITS(f, factors[0], 7, "the same strip");
  for (const double m : moved) CHECK_DIGITS(m, moved[0], 6, "the same strip");
  CHECK_THAT(
      complaint_of(head() + panel("p", "[0, 0, 0]", "[300, 0, 0]", "[0, 90, 0]", "[4, 2]") +
                   support("\"p.start\"", "\"all\"") +
                   "\n[[couplings]]\nname = \"head\"\nkind = \"equal\"\ndofs = [\"x\"]\nat = \"p.end\"\naxes = { "
                   "axis = [[0, 0, 0], [0, 0, 1]] }\n" +
                   action("q", force("\"p.end\"", "[0, 0, -1]")) + step("la", "LA", "load = \"q\"")),
      Catch::Contains("share no direction"));
}

TEST_CASE("foundations: an edge is restrained sideways, along, across and against rotation, in its own directions",
          "[study][fast]") {
  // rigid plate (thick), lying rotated in space by an angle: it moves and rotations on the foundation of one edge alone
  const double angle = GENERATE(0.0, 0.7);
  const double c = std::cos(angle), s = std::sin(angle);
  const auto text =
      head() +
      panel("a", "[5, 6, 7]", fmt::format("[{}, {}, 0]", 100 * c, 100 * s), fmt::format("[{}, {}, 0]", -40 * s, 40 * c),
            "[2, 2]", "", 40) +
      "\n[[foundations]]\nname = \"putty\"\nat = \"a.left\"\ntransverse = 2\nalong = 3\nnormal = 5\nrotational = "
      "7000\n" +
      action("p", fmt::format("{{ kind = \"edge\", at = \"a.left\", force = [{}, {}, -4] }}", 1.5 * c - 1 * s,
                              1.5 * s + 1 * c)) +
      action("m", fmt::format("{{ kind = \"force\", at = {{ near = [{}, {}, 7] }}, force = [0, 0, 0], "
                              "moment = [{}, {}, 0] }}",
                              5 + 50 * c, 6 + 50 * s, 7000 * c, 7000 * s)) +
      step("la", "LA", "load = \"p\"") + step("rotation", "LA", "load = \"m\"");
  const auto r = run(text);
  const auto& u = r.find("la")->linear->displacement;
  const auto& rotation = r.find("rotation")->linear->displacement;
  for (std::size_t n = 0; n < r.model->nodes.size(); ++n) {
    const base::Vec3 x = r.model->nodes[n] - base::Vec3(5, 6, 7);
    if (std::abs(-s * x.x() + c * x.y()) > 1e-9) continue;  // on the edge
    const auto row = model::row(static_cast<int>(n));
    CHECK(c * u[row] + s * u[row + 1] == Approx(1.5 / 3).epsilon(0.01));   // along
    CHECK(-s * u[row] + c * u[row + 1] == Approx(1.0 / 2).epsilon(0.01));  // sideways
    CHECK(u[row + 2] == Approx(-4.0 / 5).epsilon(0.01));                   // across
    CHECK(c * rotation[row + 3] + s * rotation[row + 4] == Approx(7000 / (7000 * 100.0)).epsilon(0.02));
  }
  CHECK(complaint_of(head() + kProfile + member("b", "[0, 0, 0]", "[900, 0, 0]") +
                     "\n[[foundations]]\nname = \"x\"\non = \"b\"\ntransverse = 2\n")
            .find("directions of an edge") != std::string::npos);
}

TEST_CASE("fasteners: rows by pitch, between two points or along an edge", "[study][fast]") {
  const auto study = [](const std::string& row) {
    return head() + panel("skin", "[0, 0, 0]", "[400, 0, 0]", "[0, 100, 0]", "[8, 2]") +
           panel("strap", "[0, 30, 4]", "[400, 0, 0]", "[0, 40, 0]", "[8, 1]") + support("\"skin.start\"", "\"all\"") +
           "\n[[fasteners]]\nname = \"rivets\"\nparts = [\"skin\", \"strap\"]\nstiffness = [1e5, 1e5, 1e5, 1e4, 1e4, "
           "1e4]\n" +
           row + "\n" + action("p", "{ kind = \"edge\", at = \"strap.end\", force = [1, 0, 0] }") +
           step("la", "LA", "load = \"p\"");
  };
  const std::string listed = "points = [[0, 50, 2], [100, 50, 2], [200, 50, 2], [300, 50, 2], [400, 50, 2]]";
  const auto one = run(study(listed)), other = run(study("from = [0, 50, 2]\nto = [400, 50, 2]\npitch = 110"));
  CHECK(other.model->springs.size() == 5);
  CHECK(largest_displacement(other) == Approx(largest_displacement(one)).epsilon(1e-9));
  const auto edge = run(study("edge = \"strap.left\"\npitch = 100"));
  REQUIRE(edge.model->springs.size() == 5);
  for (std::size_t k = 0; k < 5; ++k) {
    const auto& s = edge.model->springs[k];
    CHECK(edge.model->nodes.at(static_cast<std::size_t>(s.first)).y() == Approx(30));
  }
  CHECK(complaint_of(study("")).find("from, to and pitch") != std::string::npos);
  CHECK(complaint_of(study("edge = { any = [\"skin.left\", \"skin.right\"] }\npitch = 100"))
            .find("is none, or several") != std::string::npos);
  CHECK(complaint_of(study("from = [0, 50, 2]\nto = [400, 50, 2]\npitch = -1")).find("pitch above zero") !=
        std::string::npos);
}

TEST_CASE("supports: all, a list with all in it and one word hold what they say", "[study][fast]") {
  const auto held = [](const std::string& hold) {
    return run(head() + kProfile + member("beam", "[0, 0, 0]", "[900, 0, 0]", "elements = 3") +
               support("\"beam.start\"", hold) + support("\"beam.end\"", "\"z\"") +
               action("p", "{ kind = \"line\", on = \"beam\", force = [0, 1, -3] }") +
               step("la", "LA", "load = \"p\""));
  };
  const double known = largest_displacement(held("[\"x\", \"y\", \"z\", \"rx\", \"ry\", \"rz\", \"warp\"]"));
  CHECK(largest_displacement(held("\"all\"")) == known);
  CHECK(largest_displacement(held("[\"all\"]")) == known);
  CHECK(largest_displacement(held("[\"x\", \"all\"]")) == known);
}

TEST_CASE("points: a spring may stand between points with nothing else on them", "[study][fast]") {
  const auto r =
      run(head() + "\n[points]\nhook = [0, 0, 500]\nring = [0, 0, 300]\n" +
          "\n[[springs]]\nname = \"rope\"\nat = \"hook\"\nto = \"ring\"\nstiffness = [0, 0, 20, 0, 0, 0]\nalong "
          "= [1, 0, 0]\n" +
          support("\"hook\"", "[\"x\", \"y\", \"z\"]") + support("\"ring\"", "[\"x\", \"y\"]") +
          action("p", force("\"ring\"", "[0, 0, -40]")) + step("la", "LA", "load = \"p\""));
  CHECK(largest_displacement(r) == Approx(2.0));
}

namespace {
/// A stringer of a panel that is riveted down, seated on a spring and loaded: by itself, `rotated` and put at `y`.
std::string stringer(const std::string& name, double y) {
  const std::string tail = name == "web" ? "" : name.substr(3);
  return panel(name, fmt::format("[0, {}, 2]", y), "[300, 0, 0]", "[0, 0, 30]", "[6, 2]", "", 2) +
         panel("foot" + tail, fmt::format("[0, {}, 2]", y), "[300, 0, 0]", "[0, 20, 0]", "[6, 1]", "", 2) +
         fmt::format(
             "\n[[fasteners]]\nname = \"rivets{}\"\nparts = [\"skin\", \"foot{}\"]\nfrom = [20, {}, 1]\nto = [280, "
             "{}, 1]\npitch = 130\nstiffness = [1e4, 1e4, 2e4, 1e3, 1e3, 1e3]\nalong = [1, 0, 0]\n",
             tail, tail, y + 12, y + 12) +
         fmt::format(
             "\n[[springs]]\nname = \"seat{}\"\nat = {{ on = \"{}\", x = 300, z = 32 }}\nstiffness = [0, 40, 70, "
             "0, 0, 0]\n",
             tail, name) +
         fmt::format("\n[[supports]]\nname = \"shoe{}\"\nat = {{ on = \"{}\", x = 0 }}\nrestrain = [\"x\", \"z\"]\n",
                     tail, name);
}
std::string load_on(const std::string& name) {
  return fmt::format("{{ kind = \"edge\", at = \"{}.right\", force = [-3, 1, -2] }}", name);
}
std::string stiffened(const std::string& stringers, const std::string& loads) {
  return head() + panel("skin", "[0, 0, 0]", "[300, 0, 0]", "[0, 160, 0]", "[6, 8]", "", 2) + stringers +
         support("\"skin.start\"", "\"all\"") + action("push", loads) + step("la", "LA", "load = \"push\"") +
         step("b", "LBA", "load = \"push\"\nmodes = 2");
}
}  // namespace

TEST_CASE("copies: what belongs to a part goes along with it", "[study][fast]") {
  const auto known = run(stiffened(stringer("web", 20) + stringer("web-2", 60) + stringer("web-3", 100),
                                   load_on("web") + ", " + load_on("web-2") + ", " + load_on("web-3")));
  const std::string carry = GENERATE("\"all\"", "[\"rivets\", \"seat\", \"shoe\", \"push\"]");
  const auto r = run(stiffened(stringer("web", 20) +
                                   "\n[[copies]]\nparts = [\"web\", \"foot\"]\nmove = [0, 40, 0]\ncount = "
                                   "2\nwith = " +
                                   carry + "\n",
                               load_on("web")));
  CHECK(r.model->springs.size() == known.model->springs.size());
  CHECK(largest_displacement(r) == Approx(largest_displacement(known)).epsilon(1e-9));
  for (const std::size_t mode : {1u, 2u}) CHECK(factor(r, mode) == Approx(factor(known, mode)).epsilon(1e-8));
}

TEST_CASE("copies: companions are mirrored and rotated with their parts", "[study][fast]") {
  // a bracket and its companions, mirrored or rotated by half a revolution, on a skin of the same symmetry: the copy
  // answers as the original does
  const auto [motion, sense] =
      GENERATE(std::pair("mirror = { point = [0, 80, 0], normal = [0, 1, 0] }", 1.0),
               std::pair("rotate = { axis = [[150, 80, 0], [150, 80, 1]], angle_deg = 180 }", -1.0));
  CAPTURE(motion);
  const auto r = run(head() + panel("skin", "[0, 0, 0]", "[300, 0, 0]", "[0, 160, 0]", "[6, 8]", "", 2) +
                     stringer("web", 20) + support("\"skin.start\"", "\"all\"") + support("\"skin.end\"", "\"all\"") +
                     action("push", load_on("web")) + "\n[[copies]]\nparts = [\"web\", \"foot\"]\n" + motion +
                     "\nwith = \"all\"\n" + step("la", "LA", "load = \"push\""));
  const auto& u = r.find("la")->linear->displacement;
  const auto at = [&](double x, double y) {
    model::Selection s;
    s.near = base::Vec3(x, y, 32);
    return base::Vec3(u.segment<3>(model::row(model::select(*r.model, s).at(0))));
  };
  for (const double x : {100.0, 250.0}) {
    const base::Vec3 own = at(x, 20), other = at(sense > 0 ? x : 300 - x, 140);
    CHECK(own.norm() > 1e-3);
    CHECK(other.x() == Approx(sense * own.x()).margin(1e-9));
    CHECK(other.y() == Approx(-own.y()).margin(1e-9));
    CHECK(other.z() == Approx(own.z()).margin(1e-9));
  }
}

TEST_CASE("copies: what cannot go along is reported", "[study][fast]") {
  const auto refused = [](const std::string& motion, const std::string& carry, const std::string& more) {
    return complaint_of(stiffened(stringer("web", 20) + more + "\n[[copies]]\nparts = [\"web\", \"foot\"]\n" + motion +
                                      "\nwith = " + carry + "\n",
                                  load_on("web")));
  };
  CHECK(refused("move = [0, 40, 0]", "[\"nails\"]", "").find("nothing called 'nails' to carry along") !=
        std::string::npos);
  CHECK(refused("rotate = { axis = [[150, 80, 0], [150, 80, 1]], angle_deg = 30 }", "[\"moss\"]",
                "\n[[foundations]]\nname = \"moss\"\non = \"foot\"\nstiffness = [0, 0, 1]\n")
            .find("foundation 'moss' has stiffness along global axes") != std::string::npos);
  CHECK(
      refused(
          "rotate = { axis = [[150, 80, 0], [150, 80, 1]], angle_deg = 30 }", "[\"pad\"]",
          "\n[[supports]]\nname = \"pad\"\nat = { on = \"web\", box = [[0, 0, 0], [10, 90, 40]] }\nrestrain = [\"y\"]\n")
          .find("the selection of 'pad' cannot be rotated") != std::string::npos);
}

TEST_CASE("lack of fit: a strut between walls buckles when it is too long", "[study][fast]") {
  const double away = GENERATE(0.0, 2000.0);
  const auto r = run(
      head() + profile("s", "shape = \"rectangle\"\nwidth = 10\nheight = 14") +
      member("strut", fmt::format("[{}, 0, 0]", away), fmt::format("[{}, 0, 800]", away + 600), "elements = 6", "s") +
      support("{ any = [\"strut.start\", \"strut.end\"] }", "\"all\"") +
      action("fit", "{ kind = \"lack-of-fit\", on = [\"strut\"], value = 0.1 }") +
      step("b", "LBA", "load = \"fit\"\nmodes = 1"));
  const double inertia = 14 * 1000.0 / 12, area = 140, length = 1000, euler = 4 * M_PI * M_PI * 2e5 * inertia / 1e6,
               shear = 2e5 / 2.6 * area * 5 / 6, critical = euler / (1 + euler / shear);
  CHECK(factor(r) == Approx(critical / (2e5 * area) * length / 0.1).epsilon(1e-4));
  CHECK(told(r.model->actions[0].notes, "'strut' made 0.1 mm too long"));
}

TEST_CASE("pretension: a string carries across by what it is in tension by", "[study][fast]") {
  // nothing moves while it is in tension
  const auto r = run(
      head() + profile("w", "shape = \"circle\"\ndiameter = 1") +
      member("wire", "[0, 0, 0]", "[1000, 0, 0]", "elements = 20", "w") +
      support("{ any = [\"wire.start\", \"wire.end\"] }", "[\"x\", \"y\", \"z\", \"rx\"]") +
      action("pull", "{ kind = \"pretension\", on = \"wire\", value = 300 }") +
      action("hang", force("{ near = [500, 0, 0] }", "[0, 0, -8]")) +
      "\n[[watches]]\nname = \"sag\"\nat = { near = [500, 0, 0] }\ndirection = [0, 0, -1]\n" +
      step("g", "GNA",
           "control = \"load\"\nfirst_step = 0.25\nstages = [{ name = \"on\", load = \"pull\", to_load_factor = 1 }, { "
           "name = \"load\", load = \"hang\", to_load_factor = 1 }]"));
  const auto& path = path_of(r);
  CAPTURE(path.message, path.stop_reason);
  REQUIRE(path.usable());
  const double sag = path.increments.back().watched.at(0), half = std::hypot(500, sag),
               pull = 300 + 2e5 * M_PI / 4 * (half / 500 - 1);
  // its bending, over sqrt(E I / pull) = 6 mm, makes it stiffer by that much of half its length
  CHECK(2 * pull * sag / half == Approx(8).epsilon(0.015));
  CHECK(sag > 1);
}

TEST_CASE("members: a buckling curve gives the resistance, by the slenderness of the mode", "[study][fast]") {
  const auto [curve, imperfection] = GENERATE(std::pair("a0", 0.13), std::pair("b", 0.34), std::pair("d", 0.76));
  const auto study = [&](const std::string& yield) {
    auto text = head() + profile("s", "shape = \"rectangle\"\nwidth = 30\nheight = 20") +
                member("strut", "[0, 0, 0]", "[0, 0, 900]",
                       fmt::format("elements = 4\nup = [1, 0, 0]\nbuckling_curve = \"{}\"", curve), "s") +
                support("\"strut.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") +
                support("\"strut.end\"", "[\"x\", \"y\"]") + action("p", force("\"strut.end\"", "[0, 0, -20000]")) +
                step("b", "LBA", "load = \"p\"\nmodes = 1");
    text.replace(text.find("poisson_ratio"), 0, yield);
    return text;
  };
  const auto r = run(study("yield_stress = 235\n"));
  const auto& length = r.find("b")->lengths.at(0);
  const double critical = 20000 * factor(r), slenderness = std::sqrt(600 * 235 / critical),
               phi = 0.5 * (1 + imperfection * (slenderness - 0.2) + slenderness * slenderness),
               reduction = 1 / (phi + std::sqrt(phi * phi - slenderness * slenderness));
  CHECK(length.slenderness == Approx(slenderness).epsilon(1e-6));
  CHECK(length.reduction == Approx(reduction).epsilon(1e-6));
  CHECK(length.resistance == Approx(reduction * 600 * 235).epsilon(1e-6));
  CHECK(length.at_factor_one == Approx(20000).epsilon(1e-6));
  CHECK(complaint_of(study("")).find("has a buckling curve, but 'm' has no yield stress") != std::string::npos);
}

TEST_CASE("thickness: by place, in x, y, z and radius and angle about the z axis", "[study][fast]") {
  const auto study = [](const std::string& thickness, const std::string& more = "") {
    auto text = head(more) + panel("w", "[100, 0, 0]", "[300, 0, 0]", "[0, 200, 0]", "[6, 4]") +
                support("\"w.start\"", "\"all\"") +
                action("p", "{ kind = \"surface\", on = \"w\", force = [0, 0, -1], distribution = \"total\" }") +
                step("la", "LA", "load = \"p\"");
    text.replace(text.find("thickness = 4"), 13, "thickness = " + thickness);
    return text;
  };
  const auto model = *run(study("\"2 + 0.01 * x\"")).model;
  for (const auto& e : model.shell_elements)
    CHECK(model.thickness(e) == Approx(2 + 0.01 * model.middle(e).x()).epsilon(1e-12));
  const auto round = *run(study("\"2 + 0.01 * r + theta\"")).model;
  for (const auto& e : round.shell_elements) {
    const auto x = round.middle(e);
    CHECK(round.thickness(e) == Approx(2 + 0.01 * std::hypot(x.x(), x.y()) + std::atan2(x.y(), x.x())).epsilon(1e-12));
  }
  // a uniform expression is a number
  CHECK(largest_displacement(run(study("\"4 + 0 * x\""))) ==
        Approx(largest_displacement(run(study("4")))).epsilon(1e-12));
  CHECK(complaint_of(study("\"x - 200\"")).find("not above zero at") != std::string::npos);
}

TEST_CASE("pictures and charts: what they name must be there", "[study][fast]") {
  const auto study = [](const std::string& more) {
    return head() + kProfile + member("c", "[0, 0, 0]", "[0, 0, 500]") + support("\"c.start\"", "\"all\"") +
           "\n[[watches]]\nname = \"top\"\nat = \"c.end\"\n\n[[watches]]\nname = \"turn\"\nat = \"c.end\"\nabout = [1, 0, "
           "0]\n" +
           action("p", force("\"c.end\"", "[0, 0, -1]")) + step("b", "LBA", "load = \"p\"") + more;
  };
  const auto refused = [&](const std::string& more) { return complaint_of(study(more)); };
  CHECK(refused("\n[pictures]\nhide = [\"d\"]\n").find("hides 'd'") != std::string::npos);
  CHECK(refused("\n[[charts]]\nname = \"k\"\nwatches = [\"tip\"]\n").find("'tip', which is no watch point") !=
        std::string::npos);
  CHECK(refused("\n[[charts]]\nname = \"k\"\nwatches = [\"top\"]\nanalyses = [\"b\"]\n").find("is no path") !=
        std::string::npos);
  CHECK(refused("\n[[charts]]\nname = \"k\"\nwatches = [\"top\", \"turn\"]\n").find("different kinds") !=
        std::string::npos);
  CHECK(refused("\n[pictures]\nview_from = [0, 0, 0]\n").find("no length") != std::string::npos);
  CHECK(refused("") == "");
}

}  // namespace everyday_structure_tests
