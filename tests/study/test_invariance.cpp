// One structure, written in many ways: moved, rotated, mirrored, in other units, in another order, members reversed.
// What is found is the same: factors to 1e-8, paths to 1e-6, stresses and words.
#include <catch2/catch.hpp>

#include "archway/base/rotation.hpp"
#include "support/pieces.hpp"

namespace invariance_tests {

using namespace archway;
using namespace archway::test;
using Eigen::Vector3d;

namespace {
/// How a structure is written: where it lies, in which units, in which order.
struct Writing {
  const char* words;
  Eigen::Matrix3d rotation = Eigen::Matrix3d::Identity();  // may mirror
  Vector3d shift = Vector3d::Zero();
  double length = 1, force = 1;  // in the study's unit, of a mm and a N
  bool backwards = false;        // parts in reverse order, members from their other ends
  int threads = 1;

  std::string point(double x, double y, double z) const {
    return spot(length * (rotation * Vector3d(x, y, z) + shift));
  }
  std::string way(double x, double y, double z) const { return spot(rotation * Vector3d(x, y, z)); }
  std::string lengths(double x, double y, double z) const { return spot(length * (rotation * Vector3d(x, y, z))); }
  std::string forces(double x, double y, double z) const { return spot(force * (rotation * Vector3d(x, y, z))); }
  std::string size(double mm) const { return fmt::format("{:.17g}", length * mm); }
  std::string load(double newton) const { return fmt::format("{:.17g}", force * newton); }
  double stress() const { return force / (length * length); }
  static std::string spot(const Vector3d& v) { return fmt::format("[{:.17g}, {:.17g}, {:.17g}]", v.x(), v.y(), v.z()); }

  std::string head(const std::string& more = "") const {
    return fmt::format(
        "[study]\ntitle = \"trial\"\nformat = 1\nunits = {{ force = \"{}\", length = \"{}\" }}\n[materials.m]\nyoungs_modulus = "
        "{:.17g}\npoisson_ratio "
        "= 0.3\n{}\n",
        force == 1 ? "N" : "kN", length == 1 ? "mm" : "m", 200000 * stress(), more);
  }
  std::string yields(double yield) const {
    return fmt::format("yield_stress = {:.17g}\nyielding = {{ law = \"bilinear\", tangent_ratio = 0.01 }}",
                       yield * stress());
  }
  std::string hold(const std::string& at, const std::string& what) const {
    return support(at, what, fmt::format("axes = {{ along = {}, up = {} }}", way(1, 0, 0), way(0, 0, 1)));
  }
  /// A member between two places; `up` the way its height leans.
  std::string member(const std::string& name, const Vector3d& a, const Vector3d& b, const Vector3d& up,
                     const std::string& profile, const std::string& more = "elements = 6") const {
    const Vector3d &from = backwards ? b : a, &to = backwards ? a : b;
    return fmt::format(
        "\n[[members]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"{}\"\nfrom = {}\nto = {}\nup = {}\n{}\n", name,
        profile, point(from.x(), from.y(), from.z()), point(to.x(), to.y(), to.z()), way(up.x(), up.y(), up.z()), more);
  }
  std::string start(const std::string& name) const {
    return fmt::format("\"{}.{}\"", name, backwards ? "end" : "start");
  }
  std::string end(const std::string& name) const { return fmt::format("\"{}.{}\"", name, backwards ? "start" : "end"); }
  std::string ordered(std::vector<std::string> pieces) const {
    if (backwards) std::reverse(pieces.begin(), pieces.end());
    return fmt::format("{}", fmt::join(pieces, ""));
  }
};

std::vector<Writing> writings() {
  const Eigen::Matrix3d odd = base::exponential(Vector3d(0.3, -0.7, 1.1)).toRotationMatrix();
  const Eigen::Matrix3d mirror = Vector3d(1, -1, 1).asDiagonal();
  std::vector<Writing> list = {{"as it is"},    {"moved by 1e5"},  {"rotated by an odd angle"},
                               {"mirrored"},    {"in kN and m"},   {"backwards"},
                               {"all at once"}, {"by two threads"}};
  list[1].shift = list[6].shift = Vector3d(1e5, -1e5, 1e5);
  list[2].rotation = odd;
  list[3].rotation = mirror;
  list[6].rotation = odd * mirror;
  list[4].length = list[6].length = 1e-3;
  list[4].force = list[6].force = 1e-3;
  list[5].backwards = list[6].backwards = true;
  list[6].threads = list[7].threads = 2;
  return list;
}

/// What is compared: load factors of modes, of a path, its largest displacement in mm, stress in N/mm^2, words.
struct Answers {
  std::vector<double> modes;
  double last = 0, moved = 0, stress = 0, yield = 0;
  std::vector<std::string> words;
};
Answers answers(const Writing& w, const study::StudyResult& r) {
  Answers a;
  for (const auto& o : r.outcomes) {
    if (o.buckling)
      for (const auto& mode : o.buckling->modes) a.modes.push_back(mode.load_factor);
    if (!o.path) continue;
    const auto& last = o.path->increments.back();
    CAPTURE(o.path->message);
    CHECK(o.path->usable());
    a.last = last.load_factor;
    a.moved = last.largest_displacement / w.length;
    for (const auto& peak : last.peaks) a.stress = std::max(a.stress, peak.stress / w.stress());
    if (o.path->first_yield.part >= 0) a.yield = o.path->first_yield.load_factor;
    for (const auto& i : o.path->increments) a.words.emplace_back(analysis::to_text(i.event));
  }
  return a;
}

/// Runs a study with the threads of its writing.
Answers answers(const Writing& w, const std::string& text) {
  const char* const set = std::getenv("ARCHWAY_THREADS");
  const std::string before = set != nullptr ? set : "";
  setenv("ARCHWAY_THREADS", std::to_string(w.threads).c_str(), 1);
  const auto result = run(text);
  set != nullptr ? setenv("ARCHWAY_THREADS", before.c_str(), 1) : unsetenv("ARCHWAY_THREADS");
  return answers(w, result);
}

void compare(const Answers& own, const Answers& first) {
  REQUIRE(own.modes.size() == first.modes.size());
  for (std::size_t m = 0; m < own.modes.size(); ++m) CHECK(own.modes[m] == Approx(first.modes[m]).epsilon(1e-8));
  CHECK(own.last == Approx(first.last).epsilon(1e-9));
  CHECK(own.moved == Approx(first.moved).epsilon(1e-6));
  CHECK(own.stress == Approx(first.stress).epsilon(1e-6));
  CHECK(own.yield == Approx(first.yield).epsilon(1e-6));
  CHECK(own.words == first.words);
}

using Family = std::function<std::string(const Writing&)>;
std::string profile_of(const Writing& w, const std::string& name, const std::string& shape,
                       const std::vector<std::pair<const char*, double>>& sizes) {
  std::string text = "shape = \"" + shape + "\"\n";
  for (const auto& [key, mm] : sizes) text += fmt::format("{} = {}\n", key, w.size(mm));
  return profile(name, text);
}
const std::string kPath = "first_step = 0.25\nstop = { load_factor = 1 }";

/// A frame of two members, swaying under loads in and out of its plane.
std::string frame(const Writing& w) {
  return w.head() + profile_of(w, "r", "rectangle", {{"width", 20}, {"height", 30}}) +
         w.ordered({w.member("post", {0, 0, 0}, {0, 0, 900}, {1, 0, 0}, "r"),
                    w.member("beam", {0, 0, 900}, {700, 0, 900}, {0, 0, 1}, "r")}) +
         w.hold(w.start("post"), "\"all\"") + w.hold(w.end("beam"), "[\"z\", \"y\"]") +
         action("p", force(w.end("post"), w.forces(0, 0, -20000))) +
         action("q", force(w.end("post"), w.forces(60, 40, -15000))) + step("b", "LBA", "load = \"p\"\nmodes = 3") +
         step("g", "GNA", "load = \"q\"\n" + kPath);
}
/// A thin channel, loaded beside its axes, with warping.
std::string channel(const Writing& w) {
  return w.head() + profile_of(w, "c", "channel", {{"width", 40}, {"height", 80}, {"flange", 3}, {"web", 3}}) +
         w.member("a", {0, 0, 0}, {1500, 0, 0}, {0, 0, 1}, "c", "elements = 6\nwarping = true") +
         w.hold(w.start("a"), "\"all\"") + action("p", force(w.end("a"), w.forces(-8000, 0, 0))) +
         action("q", force(w.end("a"), w.forces(-3000, 0, -150))) + step("b", "LBA", "load = \"p\"\nmodes = 2") +
         step("g", "GNA", "load = \"q\"\n" + kPath);
}
/// A plate of some kind of faces under compression and a small load across.
std::string plate(const Writing& w, const std::string& faces) {
  const std::string wall = fmt::format(
      "\n[[panels]]\nname = \"w\"\nmaterial = \"m\"\nthickness = {}\ncorner = {}\nalong = {}\nacross = {}\ndivisions = "
      "[8, 4]\nelement_nodes = {}\n",
      w.size(3), w.point(0, 0, 0), w.lengths(400, 0, 0), w.lengths(0, 200, 0), test::nodes_of(faces));
  return w.head() + wall + w.hold("\"w.start\"", "[\"x\", \"y\", \"z\"]") +
         w.hold("{ any = [\"w.end\", \"w.left\", \"w.right\"] }", "[\"z\"]") +
         action("p", fmt::format("{{ kind = \"force\", at = \"w.end\", force = {}, distribution = \"total\" }}",
                                 w.forces(-30000, 0, 0))) +
         action(
             "q",
             fmt::format(
                 "{{ kind = \"force\", at = \"w.end\", force = {}, distribution = \"total\" }}, {{ kind = \"pressure\", "
                 "on = \"w\", value = {:.17g} }}",
                 w.forces(-9000, 0, 0), 0.004 * w.stress())) +
         step("b", "LBA", "load = \"p\"\nmodes = 3") + step("g", "GNA", "load = \"q\"\n" + kPath);
}
/// A mast restrained by ropes that go slack.
std::string mast(const Writing& w) {
  const auto rope = [&](const char* name, double x, double y) {
    return fmt::format(
        "\n[[bars]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"o\"\nfrom = {}\nto = {}\ntension_only = true\n", name,
        w.point(x, y, 0), w.point(0, 0, 3000));
  };
  return w.head() + profile_of(w, "t", "circular-hollow", {{"diameter", 60}, {"thickness", 3}}) +
         profile_of(w, "o", "circle", {{"diameter", 6}}) +
         w.ordered({w.member("mast", {0, 0, 0}, {0, 0, 3000}, {1, 0, 0}, "t"), rope("r1", 1500, 0),
                    rope("r2", -800, 1300), rope("r3", -800, -1300)}) +
         w.hold(w.start("mast"), "[\"x\", \"y\", \"z\", \"rz\"]") +
         w.hold("{ any = [\"r1.start\", \"r2.start\", \"r3.start\"] }", "[\"x\", \"y\", \"z\"]") +
         action("pull",
                fmt::format("{{ kind = \"pretension\", on = [\"r1\", \"r2\", \"r3\"], value = {} }}", w.load(600))) +
         action("wind", force(w.end("mast"), w.forces(900, 300, -500))) +
         step(
             "g", "GNA",
             "stages = [{ load = \"pull\", to_load_factor = 1 }, { load = \"wind\", to_load_factor = 1, first_step = 0.25 }]");
}
/// A cantilever that yields, with residual stresses, unloaded and loaded again.
std::string yielding(const Writing& w) {
  return w.head(w.yields(235)) + profile_of(w, "i", "i", {{"width", 60}, {"height", 80}, {"flange", 6}, {"web", 4}}) +
         w.member("a", {0, 0, 0}, {800, 0, 0}, {0, 0, 1}, "i") + w.hold(w.start("a"), "\"all\"") +
         "\n[[residual_stresses]]\non = [\"a\"]\npattern = \"welded-i\"\n" +
         action("p", force(w.end("a"), w.forces(-4000, 300, -10500))) +
         step(
             "g", "GMNA",
             "stages = [{ load = \"p\", to_load_factor = 1, first_step = 0.25 }, { unload = \"p\" }, { load = \"p\", to_load_factor = 0.9 "
             "}]");
}
/// A block of solids of either kind, bent.
std::string block(const Writing& w, bool quadratic) {
  const std::string body = fmt::format(
      "\n[[solids]]\nname = \"s\"\nmaterial = \"m\"\nbody = \"block\"\ncorner = {}\nalong = {}\nacross = {}\nup = "
      "{}\ndivisions "
      "= [6, 2, 2]\nelement_nodes = {}\n",
      w.point(0, 0, 0), w.lengths(300, 0, 0), w.lengths(0, 20, 0), w.lengths(0, 0, 14), quadratic ? 20 : 8);
  return w.head() + body + w.hold("\"s.start\"", "[\"x\", \"y\", \"z\"]") +
         action("p", fmt::format("{{ kind = \"force\", at = \"s.end\", force = {}, distribution = \"total\" }}",
                                 w.forces(-900, 0, 0))) +
         action("q", fmt::format("{{ kind = \"force\", at = \"s.end\", force = {}, distribution = \"total\" }}",
                                 w.forces(-300, 20, -50))) +
         step("b", "LBA", "load = \"p\"\nmodes = 2") + step("g", "GNA", "load = \"q\"\n" + kPath);
}
/// Two members hinged to each other by a stiff arm and a spring.
std::string links(const Writing& w) {
  return w.head() + profile_of(w, "r", "rectangle", {{"width", 25}, {"height", 25}}) +
         w.ordered({w.member("low", {0, 0, 0}, {0, 0, 600}, {1, 0, 0}, "r", "elements = 4\nrigid = \"shear\""),
                    w.member("high", {0, 0, 600}, {0, 0, 1200}, {1, 0, 0}, "r", "elements = 4")}) +
         w.hold(w.start("low"), "[\"x\", \"y\", \"z\", \"rz\"]") + w.hold(w.end("high"), "[\"x\", \"y\"]") +
         fmt::format(
             "\n[[springs]]\nname = \"k\"\nat = {}\nstiffness = [{:.17g}, {:.17g}, 0, 0, 0, 0]\nalong = {}\nup = {}\n",
             w.end("low"), 30 * w.force / w.length, 55 * w.force / w.length, w.way(1, 0, 0), w.way(0, 0, 1)) +
         action("p", force(w.end("high"), w.forces(0, 0, -20000))) +
         action("q",
                fmt::format("{{ kind = \"force\", at = {}, force = {} }}, {{ kind = \"force\", at = {}, force = {} }}",
                            w.end("high"), w.forces(0, 0, -15000), w.end("low"), w.forces(120, 90, 0))) +
         step("b", "LBA", "load = \"p\"\nmodes = 2") + step("g", "GNA", "load = \"q\"\n" + kPath);
}
}  // namespace

TEST_CASE("invariance: one structure has one answer, however it is written", "[study][fast]") {
  const std::vector<std::pair<const char*, Family>> families = {
      {"frame", frame},
      {"channel", channel},
      {"plate, four", [](const Writing& w) { return plate(w, "four"); }},
      {"plate, three", [](const Writing& w) { return plate(w, "three"); }},
      {"plate, nine", [](const Writing& w) { return plate(w, "nine"); }},
      {"mast", mast},
      {"yielding", yielding},
      {"solid, eight", [](const Writing& w) { return block(w, false); }},
      {"solid, twenty", [](const Writing& w) { return block(w, true); }},
      {"links", links}};
  const auto all = writings();
  for (const auto& [name, family] : families) {
    const Answers first = answers(all[0], family(all[0]));
    for (std::size_t k = 1; k < all.size(); ++k) {
      const std::string what = all[k].words;
      CAPTURE(name, what);
      // triangles and pressures have a sense; a channel has a hand
      const bool flips = all[k].rotation.determinant() < 0;
      if (flips && std::string(name) != "frame" && std::string(name) != "links" && std::string(name) != "mast")
        continue;
      if (all[k].backwards && std::string(name) == "channel") continue;
      const Answers own = answers(all[k], family(all[k]));
      compare(own, first);
    }
  }
}

namespace {
using Sizes = std::vector<std::pair<const char*, double>>;

/// A cantilever of some section, in compression, bent both ways and twisted.
Family cantilever(const std::string& shape, const Sizes& sizes) {
  return [=](const Writing& w) {
    return w.head("yield_stress = " + fmt::format("{:.17g}", 235 * w.stress())) + profile_of(w, "c", shape, sizes) +
           w.member("a", {0, 0, 0}, {900, 0, 0}, {0, 0.2, 1}, "c", "elements = 3") + w.hold(w.start("a"), "\"all\"") +
           action("p", force(w.end("a"), w.forces(-4000, 0, 0))) +
           action("q", force(w.end("a"), w.forces(-800, 60, -90))) + step("b", "LBA", "load = \"p\"\nmodes = 3") +
           step("g", "GNA", "load = \"q\"\n" + kPath);
  };
}
/// A strut of two profiles, of some other feature, on loads along and across.
Family strut(const std::string& more, const std::function<std::string(const Writing&)>& pieces,
             const std::string& held = "[\"x\", \"y\", \"z\", \"rx\"]") {
  return [=](const Writing& w) {
    return w.head("thermal_expansion = 1.2e-5") + profile_of(w, "r", "rectangle", {{"width", 20}, {"height", 30}}) +
           profile_of(w, "s", "rectangle", {{"width", 20}, {"height", 50}}) +
           w.member("a", {0, 0, 0}, {1000, 0, 0}, {0, 0, 1}, "r", "elements = 4\n" + more) +
           w.hold(w.start("a"), held) + pieces(w);
  };
}
std::string pressed(const Writing& w) {
  return action("p", force(w.end("a"), w.forces(-5000, 0, 0))) +
         action("q", force(w.end("a"), w.forces(-2500, 0, 0)) + ", { kind = \"line\", on = \"a\", force = " +
                         w.spot(w.force / w.length * (w.rotation * Vector3d(0, 0.4, -0.9))) + " }") +
         step("b", "LBA", "load = \"p\"\nmodes = 2") + step("g", "GNA", "load = \"q\"\n" + kPath);
}
std::string slide(const Writing& w) {
  return w.hold(w.end("a"), "[\"y\", \"z\"]");
}
/// A cylinder of nine-node walls, in compression and dimpled by its first mode.
std::string cylinder(const Writing& w) {
  return w.head() +
         fmt::format(
             "\n[[panels]]\nname = \"w\"\nmaterial = \"m\"\nthickness = {}\nform = \"cylinder\"\naxis = [{}, {}]\n"
             "\nstart = {}\nangle_deg = 360\ndivisions = [12, 3]\nelement_nodes = 9\n",
             w.size(2), w.point(0, 0, 0), w.point(0, 0, 150), w.point(100, 0, 0)) +
         w.hold("\"w.left\"", "[\"x\", \"y\", \"z\"]") + w.hold("\"w.right\"", "[\"x\", \"y\"]") +
         action("p", "{ kind = \"force\", at = \"w.right\", force = " + w.forces(0, 0, -1e5) +
                         ", distribution = \"total\" }") +
         step("b", "LBA", "load = \"p\"\nmodes = 1") +
         step("g", "GNA", "load = \"p\"\nfirst_step = 2\nstop = { load_factor = 6 }");
}
/// A plate that yields as it is bent, with a stiff point that its edge follows.
Family bent_plate(const std::string& coupling) {
  return [=](const Writing& w) {
    return w.head(w.yields(235)) +
           fmt::format(
               "\n[[panels]]\nname = \"w\"\nmaterial = \"m\"\nthickness = {}\ncorner = {}\nalong = {}\nacross = {}\n"
               "divisions = [6, 3]\n",
               w.size(5), w.point(0, 0, 0), w.lengths(200, 0, 0), w.lengths(0, 90, 0)) +
           w.hold("\"w.start\"", "\"all\"") +
           fmt::format("\n[[couplings]]\nname = \"head\"\nkind = \"{}\"\npoint = {}\nat = \"w.end\"\n", coupling,
                       w.point(230, 45, 0)) +
           action("p", force("\"head\"", w.forces(-900, 150, -420))) + step("g", "GMNA", "load = \"p\"\n" + kPath);
  };
}
}  // namespace

TEST_CASE("invariance: sections, joints, beds, couplings and loads have one answer, far away and all at once",
          "[study][fast]") {
  const auto spring = [](const Writing& w) {
    return w.hold(w.end("a"), "[\"y\"]") +
           fmt::format(
               "\n[[springs]]\nname = \"k\"\nat = {}\nstiffness = [{:.17g}, 0, 0, 0, 0, 0]\nalong = {}\nup = {}\n",
               w.end("a"), 12 * w.force / w.length, w.way(0, 0, 1), w.way(1, 0, 0));
  };
  const auto bed = [](const Writing& w) {
    const double k = 0.02 * w.force / (w.length * w.length);
    return fmt::format("\n[[foundations]]\non = \"a\"\nstiffness = [{0:.17g}, {0:.17g}, {0:.17g}]\n", k);
  };
  const std::vector<std::pair<std::string, Family>> families = {
      {"rectangle", cantilever("rectangle", {{"width", 20}, {"height", 40}})},
      {"circle", cantilever("circle", {{"diameter", 30}})},
      {"box", cantilever("rectangular-hollow", {{"width", 30}, {"height", 50}, {"thickness", 3}})},
      {"tube", cantilever("circular-hollow", {{"diameter", 40}, {"thickness", 3}})},
      {"i", cantilever("i", {{"width", 40}, {"height", 60}, {"flange", 4}, {"web", 3}})},
      {"angle", cantilever("angle", {{"width", 30}, {"height", 50}, {"thickness", 4}})},
      {"tee", cantilever("tee", {{"width", 40}, {"height", 50}, {"flange", 4}, {"web", 4}})},
      {"zed", cantilever("zed", {{"width", 30}, {"height", 60}, {"thickness", 4}})},
      {"lipped", cantilever("lipped-channel", {{"width", 30}, {"height", 60}, {"lip", 10}, {"thickness", 3}})},
      {"cross", cantilever("cross", {{"width", 40}, {"height", 50}, {"thickness", 5}})},
      {"pinned strut", strut("", [](const Writing& w) { return slide(w) + pressed(w); })},
      {"propped by a spring", strut(
                                  "", [&](const Writing& w) { return spring(w) + pressed(w); }, "\"all\"")},
      {"bedded", strut("", [&](const Writing& w) { return slide(w) + bed(w) + pressed(w); })},
      {"rigid in shear", strut("rigid = \"shear\"", [](const Writing& w) { return slide(w) + pressed(w); })},
      {"heated",
       strut("",
             [](const Writing& w) {
               return w.hold(w.end("a"), "[\"x\", \"y\", \"z\"]") +
                      action("p", "{ kind = \"temperature\", on = \"a\", value = 60 }") +
                      action("q",
                             "{ kind = \"temperature\", on = \"a\", value = 50 }, { kind = \"line\", on = \"a\", "
                             "force = " +
                                 w.spot(w.force / w.length * (w.rotation * Vector3d(0, 0.1, -0.2))) + " }") +
                      step("b", "LBA", "load = \"p\"\nmodes = 2") + step("g", "GNA", "load = \"q\"\n" + kPath);
             })},
      {"displaced", strut("",
                          [](const Writing& w) {
                            return w.hold(w.end("a"), "[\"x\", \"y\", \"z\"]") +
                                   action("q", "{ kind = \"displacement\", at = " + w.end("a") +
                                                   ", dof = \"z\", value = " + w.size(120) + " }") +
                                   step("g", "GNA", "load = \"q\"\n" + kPath);
                          })},
      {"a mode's shape", strut("",
                               [](const Writing& w) {
                                 return slide(w) + action("p", force(w.end("a"), w.forces(-5000, 0, 0))) +
                                        step("b", "LBA", "load = \"p\"\nmodes = 1") +
                                        shape("i", "mode_of = \"b\"\namplitude = " + w.size(8)) +
                                        step("g", "GNIA", "loads_of = \"b\"\nimperfection = \"i\"\n" + kPath);
                               })},
      {"an eccentric end", strut("",
                                 [](const Writing& w) {
                                   return slide(w) +
                                          action("q", "{ kind = \"force\", at = " + w.end("a") +
                                                          ", force = " + w.forces(-9000, 0, 0) +
                                                          ", arm = " + w.lengths(0, 6, 9) + " }") +
                                          step("g", "GNA", "load = \"q\"\n" + kPath);
                                 })},
      {"cylinder", cylinder},
      {"plate on a stiff head", bent_plate("rigid")}};
  auto all = writings();
  all[6].rotation = all[2].rotation;  // not mirrored: sections and walls have a hand
  for (const auto& [name, family] : families) {
    const Answers first = answers(all[0], family(all[0]));
    for (const std::size_t k : {2u, 6u, 7u}) {
      if (k == 6 && (name == "angle" || name == "tee" || name == "zed" || name == "lipped")) all[6].backwards = false;
      const std::string what = all[k].words;
      CAPTURE(name, what);
      const Answers own = answers(all[k], family(all[k]));
      all[6].backwards = true;
      compare(own, first);
    }
  }
}

TEST_CASE("invariance: one rotation held and two free have one answer, however axes, steps and places are written",
          "[study][fast]") {
  // a bar twisted and bent both ways by an eccentric force, far; its foot is free to rotate but about its axis
  struct Row {
    std::string what, hold, axes, extra;
    base::Mat3 rotation = base::Mat3::Identity();
  };
  const base::Mat3 askew = base::exponential(base::Vec3(0.3, -0.5, 0.8)).toRotationMatrix();
  const auto vec = [](const base::Vec3& v) { return fmt::format("[{:.15g}, {:.15g}, {:.15g}]", v.x(), v.y(), v.z()); };
  const auto axes = [&](const base::Vec3& along, const base::Vec3& up) {
    return "axes = { along = " + vec(along) + ", up = " + vec(up) + " }";
  };
  const std::string z = "[\"x\", \"y\", \"z\", \"rz\"]";
  std::vector<Row> rows = {
      {"global axes", z, "", "first_step = 0.05\nlargest_step = 0.1"},
      {"other steps", z, "", "first_step = 0.4"},
      {"load control", z, "", "control = \"load\"\nfirst_step = 0.1"},
      {"own axes", z, axes({1, 0, 0}, {0, 0, 1}), "first_step = 0.1"},
      {"free axes askew", z, axes({0.6, 0.8, 0}, {0, 0, 1}), "first_step = 0.1"},
      {"another name", "[\"x\", \"y\", \"z\", \"rx\"]", axes({0, 0, 1}, {1, 0, 0}), "first_step = 0.1"},
      {"rotated", z, axes(askew.col(0), askew.col(2)), "first_step = 0.1", askew}};
  std::optional<base::Vec3> first;
  for (const auto& row : rows) {
    INFO(row.what);
    const auto at = [&](double x, double y, double zz) { return vec(row.rotation * base::Vec3(x, y, zz)); };
    const auto r =
        run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
            member("m", at(0, 0, 0), at(0, 0, 1000), "elements = 4\nup = " + at(1, 0, 0)) +
            support("\"m.start\"", row.hold, row.axes) +
            "\n[[springs]]\nname = \"s\"\nat = \"m.end\"\nstiffness = [0.6, 0.9, 0, 0, 0, 0]\nalong = " + at(1, 0, 0) +
            "\nup = " + at(0, 0, 1) + "\n" +
            action("P", "{ kind = \"force\", at = \"m.end\", force = " + at(300, 350, 0) + ", arm = " + at(0, 80, 0) +
                            " }") +
            step("g", "GNA", "load = \"P\"\n" + row.extra + "\nstop = { load_factor = 1 }"));
    const auto& path = path_of(r);
    REQUIRE(path.usable());
    const auto& last = path.increments.back();
    REQUIRE(last.load_factor == Approx(1));
    const auto& o = *r.find("g");
    int tip = -1;
    for (int n = 0; n < o.model->node_count(); ++n)
      if ((o.model->nodes[static_cast<std::size_t>(n)] - row.rotation * base::Vec3(0, 0, 1000)).norm() < 1e-6) tip = n;
    REQUIRE(tip >= 0);
    const base::Vec3 moved =
        row.rotation.transpose() * base::Vec3(last.displacement(*o.model).segment<3>(model::row(tip)));
    if (!first) first = moved;
    CHECK(moved.norm() > 400);
    CHECK((moved - *first).norm() < 1e-5 * moved.norm());
  }
}

}  // namespace invariance_tests
