// Paths of structures drawn by chance: arches, frames, plates, domes and rings, with yield or contact in a third. None
// repeats a state, none leaves its branch unnoticed (steps an eighth as long end at the same load), and nearly all
// reach what they were to stop at. ARCHWAY_CHANCE_PATHS=500 (tools/test.sh --full) draws so many; without it a few of
// each.
#include <cstdlib>
#include <fstream>
#include <random>

#include <catch2/catch.hpp>

#include "support/pieces.hpp"

namespace chance_paths_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// Numbers by a generator that the standard fixes: the same structures on every machine.
class Chance {
 public:
  explicit Chance(unsigned seed) : generator_(seed) {}
  double between(double low, double high) {
    return low + (high - low) * static_cast<double>(generator_()) / static_cast<double>(std::mt19937::max());
  }
  int whole(int low, int high) { return low + static_cast<int>(between(0, high - low + 0.999)); }
  bool once_in(int times) { return whole(1, times) == 1; }

 private:
  std::mt19937 generator_;
};

std::string material(bool yields, double stress) {
  return fmt::format("\n[materials.m]\nyoungs_modulus = 205000\npoisson_ratio = 0.3\n{}",
                     yields ? fmt::format("yield_stress = {}\nyielding = {{ law = \"bilinear\", tangent_modulus = "
                                          "2000 }}\n",
                                          stress)
                            : "");
}

std::string watch(const std::string& at, const std::string& direction) {
  return fmt::format("\n[[watches]]\nname = \"w\"\nat = {}\ndirection = {}\n", at, direction);
}

std::string path(const std::string& kind, double displacement, const std::string& more = "") {
  return step(
      "g", kind,
      fmt::format("load = \"p\"\nstop = {{ watch = \"w\", value = {}, increments = 400 }}\n{}", displacement, more));
}

const std::string kStudy =
    "[study]\ntitle = \"drawn by chance\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n";

/// A rib over 1 m with a force somewhere on it; a floor below in one of three.
std::string arch(Chance& chance) {
  const double rise = chance.between(30, 350), away = chance.between(-0.25, 0.25), depth = chance.between(5, 20);
  const bool floor = chance.once_in(3), clamped = chance.once_in(2);
  // with a floor at -40 to near it, without to below the feet; far from the middle the loops of a rib have no end
  const double height = rise * (1 - 4 * away * away),
               down = floor ? 0.85 * (height + 40) : chance.between(0.8, std::abs(away) > 0.1 ? 1.1 : 2.0) * height;
  const std::string top = fmt::format("{{ near = [{:.4f}, 0, {:.4f}] }}", 1000 * away, rise * (1 - 4 * away * away));
  const std::string ends = clamped ? "[\"x\", \"z\", \"ry\"]" : "[\"x\", \"z\"]";
  return kStudy + "planar = \"xz\"\n" + material(false, 0) +
         profile("r", fmt::format("shape = \"rectangle\"\nwidth = 10\nheight = {:.3f}", depth)) +
         member("a", "[-500, 0, 0]", "[500, 0, 0]",
                fmt::format("elements = {}\nvia = [0, 0, {:.4f}]", 2 * chance.whole(8, 12), rise)) +
         support("\"a.start\"", ends) + support("\"a.end\"", ends) +
         (floor ? "\n[[obstacles]]\nname = \"floor\"\nplane = { point = [0, 0, -40], normal = [0, 0, 1] }\non = \"a\"\n"
                : "") +
         action("p", force(top, "[0, 0, -100]")) + watch(top, "[0, 0, -1]") + path("GNA", down);
}

/// A portal that leans a little under load on its beam; it yields in one of two.
std::string frame(Chance& chance) {
  const double height = chance.between(2000, 5000), width = chance.between(3000, 7000),
               push = chance.between(0.002, 0.05);
  const bool yields = chance.once_in(2), clamped = chance.once_in(2);
  const std::string feet = clamped ? "[\"x\", \"z\", \"ry\"]" : "[\"x\", \"z\"]";
  const std::string h = fmt::format("{:.2f}", height), w = fmt::format("{:.2f}", width);
  return kStudy + "planar = \"xz\"\n" + material(yields, 250) +
         profile("i", fmt::format("shape = \"i\"\nwidth = 100\nheight = {:.2f}\nflange = 8\nweb = 5.5",
                                  chance.between(120, 240))) +
         member("left", "[0, 0, 0]", "[0, 0, " + h + "]", "elements = 8\nup = [-1, 0, 0]", "i") +
         member("right", "[" + w + ", 0, 0]", "[" + w + ", 0, " + h + "]", "elements = 8\nup = [-1, 0, 0]", "i") +
         member("beam", "[0, 0, " + h + "]", "[" + w + ", 0, " + h + "]", "elements = 8", "i") +
         support("\"left.start\"", feet) + support("\"right.start\"", feet) +
         action("p", force("\"left.end\"", fmt::format("[{:.3f}, 0, -10000]", 10000 * push)) + ", " +
                         force("\"right.end\"", "[0, 0, -10000]")) +
         watch("\"left.end\"", "[1, 0, 0]") +
         path(yields ? "GMNA" : "GNA", chance.between(0.05, yields ? 0.15 : 0.5) * height);
}

/// A plate with a wave in it, shortened; thin ones yield in one of three.
std::string plate(Chance& chance) {
  const double length = chance.between(100, 350), thickness = chance.between(1, 3);
  const bool yields = chance.once_in(3);
  const int waves = chance.whole(1, 3);
  return kStudy + material(yields, 300) +
         panel("p", "[0, 0, 0]", fmt::format("[{:.3f}, 0, 0]", length), "[0, 100, 0]",
               fmt::format("[{}, 6]", chance.whole(6, 14)), "", thickness) +
         support("\"p.start\"", "[\"x\", \"z\"]") + support("\"p.end\"", "[\"z\"]") + support("\"p.left\"", "[\"z\"]") +
         support("\"p.right\"", "[\"z\"]") + support("{ near = [0, 0, 0] }", "[\"y\"]") +
         action("p", "{ kind = \"displacement\", at = \"p.end\", dof = \"x\", value = -0.1 }") +
         shape("i",
               fmt::format("on = \"p\"\ndisplacement = [0, 0, \"sin({} * 3.14159265 * x / {:.3f}) * sin(3.14159265 * y "
                           "/ 100)\"]\namplitude = {:.4f}",
                           waves, length, chance.between(0.02, 0.3) * thickness)) +
         watch(fmt::format("{{ near = [{:.3f}, 50, 0] }}", length), "[-1, 0, 0]") +
         path(yields ? "GMNIA" : "GNIA", chance.between(0.002, 0.006) * length, "imperfection = \"i\"");
}

/// A dome of bars, five to eight to a ring, pushed in at its crown by a force that is a little off the axis.
std::string dome(Chance& chance) {
  constexpr double kPi = 3.14159265358979323846;
  const int n = chance.whole(5, 8);
  const double rise = chance.between(15, 40), ring = chance.between(60, 160);
  std::string text = kStudy + material(false, 0) + profile("r", "shape = \"circle\"\ndiameter = 6");
  int count = 0;
  const auto place = [&](double radius, double angle, double z) {
    return fmt::format("[{:.6f}, {:.6f}, {:.4f}]", radius * std::cos(angle), radius * std::sin(angle), z);
  };
  const auto bar = [&](const std::string& from, const std::string& to) {
    text += fmt::format("\n[[bars]]\nname = \"b{}\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = {}\nto = {}\n", ++count,
                        from, to);
  };
  const std::string crown = fmt::format("[0, 0, {:.4f}]", ring + rise);
  for (int k = 0; k < n; ++k) {
    const double a = 2 * kPi * k / n, next = 2 * kPi * (k + 1) / n, half = kPi / n;
    bar(crown, place(250, a, ring));
    bar(place(250, a, ring), place(250, next, ring));
    bar(place(250, a, ring), place(430, a + half, 0));
    bar(place(250, a, ring), place(430, a - half, 0));
  }
  const std::string top = fmt::format("{{ near = {} }}", crown);
  return text + support("{ z = 0 }", "[\"x\", \"y\", \"z\"]") +
         action("p", force(top, fmt::format("[{:.3f}, {:.3f}, -100]", chance.between(-3, 3), chance.between(-3, 3)))) +
         watch(top, "[0, 0, -1]") + path("GNA", chance.between(0.8, 2.5) * rise);
}

/// Half a ring in compression flat between its feet and its crown; its walls may touch in one of three.
std::string ring(Chance& chance) {
  const double radius = chance.between(60, 150);
  const bool touches = chance.once_in(3);
  const std::string r = fmt::format("{:.3f}", radius), crown = fmt::format("{{ near = [0, 0, {}] }}", r);
  std::string text =
      kStudy + "planar = \"xz\"\n" + material(false, 0) +
      profile("r", fmt::format("shape = \"rectangle\"\nwidth = 10\nheight = {:.3f}", chance.between(1.5, 4))) +
      member("a", "[-" + r + ", 0, 0]", "[" + r + ", 0, 0]",
             fmt::format("elements = {}\nvia = [0, 0, {}]", 2 * chance.whole(8, 14), r));
  if (touches)
    text += fmt::format(
        "\n[[obstacles]]\nname = \"table\"\nplane = {{ point = [0, 0, {:.3f}], normal = [0, 0, 1] }}\non = \"a\"\n",
        -0.05 * radius);
  return text + support("\"a.start\"", "[\"z\", \"ry\"]") + support("\"a.end\"", "[\"z\", \"ry\"]") +
         support(crown, "[\"x\"]") + action("p", force(crown, "[0, 0, -10]")) + watch(crown, "[0, 0, -1]") +
         path("GNA", chance.between(0.3, 0.9) * radius);
}

struct Family {
  const char* name;
  std::string (*draw)(Chance&);
};
const Family kFamilies[] = {{"arch", arch}, {"frame", frame}, {"plate", plate}, {"dome", dome}, {"ring", ring}};

/// Full vectors of two states that are not neighbours on the path and yet the same.
std::string repeated(const analysis::PathResult& r, const model::Model& model) {
  std::vector<Eigen::VectorXd> states;
  double load = 0, moved = 0;
  for (const auto& i : r.increments) {
    states.push_back(i.displacement(model));
    load = std::max(load, std::abs(i.load_factor));
    moved = std::max(moved, states.back().norm());
  }
  for (std::size_t b = 0; b < states.size(); ++b)
    for (std::size_t a = 0; a + 3 < b; ++a)
      if ((states[a] - states[b]).norm() < 1e-7 * moved &&
          std::abs(r.increments[a].load_factor - r.increments[b].load_factor) < 1e-7 * load)
        return fmt::format("increments {} and {}", a, b);
  return "";
}

double highest(const analysis::PathResult& r) {
  double most = 0;
  for (const auto& i : r.increments) most = std::max(most, std::abs(i.load_factor));
  return most;
}
}  // namespace

TEST_CASE("chance: paths of structures drawn by chance arrive, repeat nothing and keep their branch", "[study][fast]") {
  const char* wanted = std::getenv("ARCHWAY_CHANCE_PATHS");
  const int all = wanted != nullptr ? std::atoi(wanted) : 10;
  int arrived = 0, followed = 0, checked = 0;
  std::string lost;
  for (int number = 0; number < all; ++number) {
    const Family& family = kFamilies[number % 5];
    Chance chance(static_cast<unsigned>(4000 + number));
    const std::string text = family.draw(chance);
    CAPTURE(family.name, number, text);
    auto spec = io::parse_study(text, "chance.toml", {});
    const auto result = study::run_study(spec);
    const auto& outcome = result.outcomes.back();
    REQUIRE(outcome.path);
    const auto& r = *outcome.path;
    ++followed;
    CHECK(repeated(r, *outcome.model) == "");
    const bool there = r.ending == analysis::Ending::done && r.stop_reason.find("reached") != std::string::npos;
    arrived += there ? 1 : 0;
    if (!there) lost += fmt::format("{} {}: {}{}\n", family.name, number, r.stop_reason, r.message);
    if (!there || (wanted == nullptr && number > 4)) continue;
    auto& fine = spec.analyses.back();
    fine.control.first_step = 0.25 * r.increments[1].step;
    fine.control.largest_step = 0.5 * r.increments[1].step;
    fine.stop.increments = 6000;
    const auto slow = study::run_study(spec);
    const auto& s = *slow.outcomes.back().path;
    CAPTURE(s.message, s.stop_reason);
    if (s.ending != analysis::Ending::done || s.stop_reason.find("reached") == std::string::npos) continue;
    ++checked;
    const double most = std::max(highest(r), highest(s));
    CHECK(std::abs(r.increments.back().load_factor - s.increments.back().load_factor) < 5e-3 * most);
  }
  INFO(lost);
  CHECK(arrived >= 0.97 * followed - 0.5);
  CHECK(checked > 0);
  if (wanted != nullptr)
    WARN(fmt::format("{} of {} arrived, {} checked by small steps\n{}", arrived, followed, checked, lost));
}

}  // namespace chance_paths_tests
