// A shelf of modes with the words an expert gives them; what the program says is scored against it.
#include "archway/study/verdicts.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace mode_words_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// A study with an LBA called "b", and what is to be said of its first modes: pieces that must all be there, "|"
/// between words of which one must, "!" before words that must not.
struct Shelf {
  std::string name, study;
  std::vector<std::vector<std::string>> modes;
};

std::string press(const std::string& at) {
  return action("p", force(at, "[0, 0, -1]"));
}
std::string lba(std::size_t modes) {
  return step("b", "LBA", fmt::format("load = \"p\"\nmodes = {}\nreversed_load = \"leave-out\"", modes));
}
const std::string kForkStart = "[\"x\", \"y\", \"z\", \"rz\"]", kForkEnd = "[\"x\", \"y\", \"rz\"]";

/// An upright member of 16 elements, its height towards x.
std::string upright(const std::string& shape, double length, const std::string& start, const std::string& end,
                    const std::string& more = "") {
  return head() + profile("r", shape) +
         member("a", "[0, 0, 0]", fmt::format("[0, 0, {}]", length), "up = [1, 0, 0]\nelements = 16\n" + more) +
         support("\"a.start\"", start) + (end.empty() ? "" : support("\"a.end\"", end)) + press("\"a.end\"");
}
/// A beam along x between forks, bent by moments at its ends or a force.
std::string beam(const std::string& shape, double length, const std::string& loads,
                 const std::string& more = "warping = true\n") {
  return head() + profile("r", shape) +
         member("a", "[0, 0, 0]", fmt::format("[{}, 0, 0]", length), "elements = 16\n" + more) +
         support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") + support("\"a.end\"", "[\"y\", \"z\", \"rx\"]") +
         action("p", loads);
}
/// A profile of plates along x between diaphragms, in compression evenly at both ends.
std::string tube(const std::string& shape, double length, int along, int across) {
  return head() + profile("s", shape) +
         fmt::format(
             "\n[[panels]]\nname = \"c\"\nform = \"extrusion\"\nmaterial = \"m\"\nprofile = \"s\"\nfrom = [0, 0, "
             "0]\nto = "
             "[{}, 0, 0]\ndivisions = [{}, {}]\n",
             length, along, across) +
         support("{ x = 0 }", "[\"y\", \"z\"]") + support(fmt::format("{{ x = {} }}", length), "[\"y\", \"z\"]") +
         support(fmt::format("{{ x = {} }}", length / 2), "[\"x\"]") +
         action(
             "p",
             fmt::format(
                 "{{ kind = \"edge\", at = {{ x = {} }}, force = [-1, 0, 0] }}, {{ kind = \"edge\", at = {{ x = 0 }}, "
                 "force = [1, 0, 0] }}",
                 length));
}
/// A plate restrained at its edges, in compression along x.
std::string plate(double length, double width, const std::string& divisions, const std::string& edges) {
  return head() +
         panel("s", "[0, 0, 0]", fmt::format("[{}, 0, 0]", length), fmt::format("[0, {}, 0]", width), divisions, "",
               2) +
         edges + support("{ near = [0, 0, 0] }", "[\"x\", \"y\"]") +
         support(fmt::format("{{ near = [{}, 0, 0] }}", length), "[\"y\"]") +
         action("p",
                "{ kind = \"edge\", at = \"s.end\", force = [-1, 0, 0] }, { kind = \"edge\", at = \"s.start\", force = "
                "[1, 0, 0] }");
}
/// A portal of square posts 1000 high and a beam of 2000, in the x-z plane.
std::string portal(const std::string& base, const std::string& more) {
  std::string out = head() + profile("r", "shape = \"rectangle\"\nwidth = 30\nheight = 30");
  out += member("left", "[0, 0, 0]", "[0, 0, 1000]", "up = [1, 0, 0]") +
         member("right", "[2000, 0, 0]", "[2000, 0, 1000]", "up = [1, 0, 0]") +
         member("beam", "[0, 0, 1000]", "[2000, 0, 1000]");
  return out + support("{ z = 0 }", base) + support("{ inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") + more +
         action("p", force("\"beam.start\"", "[0, 0, -1]") + ", " + force("\"beam.end\"", "[0, 0, -1]"));
}
std::string ring_waves(const std::string& loads, double height, const std::string& divisions) {
  return head() +
         fmt::format(
             "\n[[panels]]\nname = \"can\"\nmaterial = \"m\"\nthickness = 1\nform = \"cylinder\"\nelement_nodes = "
             "9\naxis = [[0, "
             "0, 0], [0, 0, {}]]\nstart = [200, 0, 0]\nangle_deg = 360\ndivisions = {}\n",
             height, divisions) +
         support("\"can.left\"", "[\"x\", \"y\", \"z\"]") + support("\"can.right\"", "[\"x\", \"y\"]") +
         action("p", loads);
}

std::vector<Shelf> shelf() {
  const std::string flat = "shape = \"rectangle\"\nwidth = 20\nheight = 30",
                    i = "shape = \"i\"\nwidth = 50\nheight = 100\nflange = 6\nweb = 4",
                    strip = "shape = \"rectangle\"\nwidth = 5\nheight = 60",
                    cross = "shape = \"cross\"\nwidth = 100\nheight = 100\nthickness = 2",
                    angle = "shape = \"angle\"\nwidth = 60\nheight = 60\nthickness = 3",
                    channel = "shape = \"channel\"\nwidth = 40\nheight = 100\nflange = 3\nweb = 3";
  const std::string ends =
      "{ kind = \"force\", at = \"a.start\", moment = [0, 1000, 0] }, { kind = \"force\", at = \"a.end\", moment = [0, "
      "-1000, 0] }";
  const std::string middle = "{ kind = \"force\", at = { near = [1500, 0, 0] }, force = [0, 0, -1] }";
  const std::string simply = support("{ free_edges = true }", "[\"z\"]");
  const std::string outstand = support("{ any = [{ x = 0 }, { x = 600 }, { y = 0 }] }", "[\"z\"]");
  std::vector<Shelf> list = {
      {"pinned column",
       upright(flat, 1000, kForkStart, kForkEnd) + lba(3),
       {{"flexural about z", "1 half wave"},
        {"flexural about y", "1 half wave"},
        {"flexural about z", "2 half waves"}}},
      {"cantilever column", upright(flat, 1000, "\"all\"", "") + lba(2), {{"flexural about z"}, {"flexural about y"}}},
      {"clamped column",
       upright(flat, 1000, "\"all\"", "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]") + lba(2),
       {{"flexural about z"}, {"flexural about y|flexural about z"}}},
      {"pinned I column",
       upright(i, 3000, kForkStart, kForkEnd, "warping = true") + lba(2),
       {{"flexural about z", "1 half wave"}, {"flexural about z|torsional", "half wave"}}},
      {"cruciform", upright(cross, 800, kForkStart, kForkEnd) + lba(1), {{"torsional", "of twist", "!flexural"}}},
      {"short angle", upright(angle, 800, kForkStart, kForkEnd) + lba(1), {{"flexural-torsional|torsional"}}},
      {"long angle", upright(angle, 4000, kForkStart, kForkEnd) + lba(1), {{"flexural", "1 half wave", "!torsional"}}},
      {"short channel",
       upright(channel, 600, kForkStart, kForkEnd, "warping = true") + lba(1),
       {{"flexural-torsional", "1 half wave"}}},
      {"long channel",
       upright(channel, 5000, kForkStart, kForkEnd, "warping = true") + lba(1),
       {{"flexural about z", "1 half wave"}}},
      {"beam under end moments",
       beam(i, 3000, ends) + lba(2),
       {{"lateral-torsional", "1 half wave"}, {"lateral-torsional", "2 half waves"}}},
      {"beam under a force",
       beam(i, 3000, middle) + lba(2),
       {{"lateral-torsional", "1 half wave"}, {"lateral-torsional"}}},
      {"strip under end moments", beam(strip, 1000, ends, "") + lba(2), {{"lateral-torsional"}, {"lateral-torsional"}}},
      {"strip cantilever",
       head() + profile("r", strip) + member("a", "[0, 0, 0]", "[800, 0, 0]", "elements = 16") +
           support("\"a.start\"", "\"all\"") + press("\"a.end\"") + lba(2),
       {{"lateral-torsional"}, {"lateral-torsional"}}},
      {"I cantilever",
       head() + profile("r", i) + member("a", "[0, 0, 0]", "[2000, 0, 0]", "elements = 16\nwarping = true") +
           support("\"a.start\"", "\"all\"") + press("\"a.end\"") + lba(2),
       {{"lateral-torsional"}, {"lateral-torsional"}}},
      {"pinned portal",
       portal("[\"x\", \"y\", \"z\", \"rx\", \"rz\"]", "") + lba(2),
       {{"sway"}, {"!sway", "local|flexural"}}},
      {"clamped portal", portal("\"all\"", "") + lba(2), {{"sway"}, {"!sway"}}},
      {"braced portal",
       portal("[\"x\", \"y\", \"z\", \"rx\", \"rz\"]", support("\"beam.end\"", "[\"x\"]")) + lba(2),
       {{"!sway", "local|flexural"}, {"!sway", "local|flexural"}}},
      {"two storeys",
       portal("[\"x\", \"y\", \"z\", \"rx\", \"rz\"]",
              member("left2", "[0, 0, 1000]", "[0, 0, 2000]", "up = [1, 0, 0]") +
                  member("right2", "[2000, 0, 1000]", "[2000, 0, 2000]", "up = [1, 0, 0]") +
                  member("beam2", "[0, 0, 2000]", "[2000, 0, 2000]")) +
           lba(1),
       {{"sway"}}},
      {"two-hinged arch",
       head() + profile("r", flat) + member("a", "[-1000, 0, 0]", "[1000, 0, 0]", "via = [0, 0, 400]\nelements = 16") +
           support("{ any = [\"a.start\", \"a.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
           support("{ inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
           action("p", "{ kind = \"member-pressure\", on = \"a\", value = 1, plane_normal = [0, 1, 0] }") + lba(1),
       {{"flexural about y", "2 half waves", "!sway"}}},
      {"arch of two members, its crown held sideways",
       head() + profile("r", flat) +
           member("l", "[-1000, 0, 0]", "[0, 0, 400]", "via = [-520, 0, 299]\nelements = 10") +
           member("r", "[0, 0, 400]", "[1000, 0, 0]", "via = [520, 0, 299]\nelements = 10") +
           support("{ any = [\"l.start\", \"r.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
           support("{ inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") + support("\"l.end\"", "[\"x\", \"ry\"]") +
           press("\"l.end\"") + lba(1),
       {{"!sway"}}},
      {"column on a bed",
       upright(flat, 2000, kForkStart, kForkEnd) + support("{ inner_nodes = true }", "[\"y\"]") +
           "\n[[foundations]]\non = \"a\"\nstiffness = [4.44, 0, 0]\n" + lba(1),
       {{"flexural about y", "3 half waves"}}},
      {"a column beside an unrelated one",
       upright(flat, 1000, kForkStart, kForkEnd) + member("far", "[9000, 0, 0]", "[9000, 0, 500]", "up = [1, 0, 0]") +
           support("\"far.start\"", "\"all\"") + lba(2),
       {{"flexural about z"}, {"flexural about y"}}},
      {"square plate",
       plate(300, 300, "[16, 16]", simply) + lba(2),
       {{"1 half wave along, 1 half wave across"}, {"2 half waves along, 1 half wave across"}}},
      {"plate of three squares",
       plate(900, 300, "[36, 12]", simply) + lba(1),
       {{"3 half waves along, 1 half wave across"}}},
      {"outstand", plate(600, 100, "[36, 8]", outstand) + lba(1), {{"1 half wave along", "tilting across"}}},
      {"thin channel of plates",
       tube("shape = \"channel\"\nwidth = 60\nheight = 100\nflange = 0.6\nweb = 0.6", 300, 40, 8) + lba(2),
       {{"local"}, {"local"}}},
      {"slender channel of plates",
       tube("shape = \"channel\"\nwidth = 60\nheight = 100\nflange = 6\nweb = 6", 4000, 100, 4) + lba(1),
       {{"flexural", "!torsional", "!distortional"}}},
      {"thin box",
       tube("shape = \"rectangular-hollow\"\nwidth = 100\nheight = 100\nthickness = 1", 400, 40, 10) + lba(3),
       {{"local"}, {"local"}, {"local"}}},
      {"long box",
       tube("shape = \"rectangular-hollow\"\nwidth = 60\nheight = 40\nthickness = 3", 4000, 80, 3) + lba(2),
       {{"flexural", "1 half wave"}, {"flexural"}}},
      {"I of plates, long",
       tube(i, 4000, 80, 6) + lba(2),
       {{"flexural", "!distortional"}, {"flexural|torsional", "!distortional"}}},
      {"cruciform of plates",
       tube("shape = \"cross\"\nwidth = 100\nheight = 100\nthickness = 3", 800, 32, 8) + lba(1),
       {{"torsional", "!distortional"}}},
      {"angle of plates",
       tube("shape = \"angle\"\nwidth = 60\nheight = 60\nthickness = 3", 700, 40, 6) + lba(1),
       {{"torsional", "!distortional"}}},
      {"lipped channel",
       tube("shape = \"lipped-channel\"\nwidth = 60\nheight = 90\nlip = 6\nthickness = 2.5", 500, 40, 8) + lba(1),
       {{"distortional"}}},
      {"can under pressure",
       ring_waves("{ kind = \"pressure\", on = \"can\", value = 1 }", 300, "[40, 8]") + lba(2),
       {{"waves around", "1 half wave along"}, {"waves around", "1 half wave along"}}},
      {"plates bent as a beam",
       head() + profile("r", i) +
           member("a", "[0, 0, 0]", "[3000, 0, 0]", "elements = 60\nidealisation = \"plates\"\nelements_across = 6") +
           support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") + support("\"a.end\"", "[\"y\", \"z\", \"rx\"]") +
           action("p", ends) + lba(2),
       {{"lateral-torsional", "!distortional"}, {"lateral-torsional", "!distortional"}}},
  };
  // a shelf board on ribs: between stiff ribs it buckles by itself, with weak ones they go along
  const auto board = [&](double rib) {
    std::string out = head() + panel("skin", "[0, 0, 0]", "[600, 0, 0]", "[0, 400, 0]", "[30, 20]", "", 2);
    for (const int y : {100, 200, 300})
      out += panel(fmt::format("rib{}", y / 100), fmt::format("[0, {}, 0]", y), "[600, 0, 0]",
                   fmt::format("[0, 0, {}]", rib), "[30, 2]", "", 3);
    return out + support("{ on = \"skin\", free_edges = true }", "[\"z\"]") +
           support("{ near = [0, 0, 0] }", "[\"x\", \"y\"]") + support("{ near = [600, 0, 0] }", "[\"y\"]") +
           action("p",
                  "{ kind = \"edge\", at = { x = 600 }, force = [-1, 0, 0] }, { kind = \"edge\", at = { x = 0 }, force "
                  "= [1, 0, 0] }");
  };
  list.push_back({"board on stiff ribs", board(40) + lba(2), {{"local"}, {"local"}}});
  list.push_back({"board on weak ribs", board(6) + lba(1), {{"overall"}}});
  return list;
}

bool says(const std::string& words, const std::string& wanted) {
  if (wanted[0] == '!') return words.find(wanted.substr(1)) == std::string::npos;
  for (std::size_t from = 0; from <= wanted.size();) {
    const std::size_t to = std::min(wanted.find('|', from), wanted.size());
    if (words.find(wanted.substr(from, to - from)) != std::string::npos) return true;
    from = to + 1;
  }
  return false;
}
}  // namespace

TEST_CASE("mode words: a shelf of sixty modes, scored against an expert", "[analysis]") {
  int asked = 0, right = 0;
  std::string missed;
  for (const auto& one : shelf()) {
    const auto r = run(one.study);
    const auto& b = *r.find("b");
    for (std::size_t m = 0; m < one.modes.size(); ++m) {
      ++asked;
      const std::string words = m < b.readings.size() ? study::mode_in_words(*b.model, b.readings[m]) : "no such mode";
      const bool good =
          std::all_of(one.modes[m].begin(), one.modes[m].end(), [&](const auto& w) { return says(words, w); });
      right += good ? 1 : 0;
      if (!good)
        missed +=
            fmt::format("\n{}, mode {}: wanted {}; said {}", one.name, m + 1, fmt::join(one.modes[m], " & "), words);
    }
  }
  INFO(right << " of " << asked << missed);
  CHECK(asked >= 60);
  CHECK(right >= asked - asked / 20);
}

}  // namespace mode_words_tests
