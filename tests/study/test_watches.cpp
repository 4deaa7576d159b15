// Watches: what they read against closed forms, how they lead and end a path, and that asking changes nothing of it.
#include "support/pieces.hpp"

namespace watch_tests {

using namespace archway;
using namespace archway::test;

namespace {
const analysis::PathResult& path_of(const study::StudyResult& r, const std::string& name = "g") {
  return *r.find(name)->path;
}
constexpr double kRigidity = 200000.0 * 40 * 8 / 12, kLength = 1000;  // E I of a strip of 40 x 2
/// A strip rolled up by a moment at its end; load factor 1 makes a full circle.
std::string strip(const std::string& watches, const std::string& analysis, const std::string& more = "",
                  double rotations = 1) {
  return head() + profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 2\n" + more) +
         member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 20\nup = [0, 0, 1]") + support("\"a.start\"", "\"all\"") +
         action("p", fmt::format("{{ kind = \"force\", at = \"a.end\", moment = [0, {:.17g}, 0] }}",
                                 -2 * M_PI * rotations * kRigidity / kLength)) +
         watches + analysis;
}
std::string watch(const std::string& name, const std::string& what) {
  return "\n[[watches]]\nname = \"" + name + "\"\n" + what + "\n";
}
const std::string kRotation = watch("tip", "at = \"a.end\"\nabout = [0, -1, 0]");
}  // namespace

TEST_CASE("watch: a rotation counts on over several revolutions, leads and ends a path", "[study][fast]") {
  // pure moments of a member that is stiff or rigid in shear, by every control
  const auto [shear, control] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {"", "control = \"displacement\"\ncontrol_watch = \"tip\"\n"},
      {"shear_deformation = false", "control = \"displacement\"\ncontrol_watch = \"tip\"\n"},
      {"", ""},
      {"shear_deformation = false", ""},
      {"shear_deformation = false", "control = \"load\"\n"},
  }));
  CAPTURE(shear, control);
  const double rotations = GENERATE(0.75, -1.5, 2.0);
  CAPTURE(rotations);
  const auto r = run(strip(
      kRotation,
      step("g", "GNA",
           "load = \"p\"\n" + control +
               fmt::format("stop = {{ watch = \"tip\", value = {:.17g}, increments = 300 }}", rotations * 2 * M_PI)),
      shear, rotations < 0 ? -1 : 1));
  const auto& last = path_of(r).increments.back();
  CAPTURE(path_of(r).message);
  CHECK(path_of(r).usable());
  CHECK(last.watched[0] == Approx(rotations * 2 * M_PI).epsilon(1e-8));
  CHECK(last.load_factor == Approx(std::abs(rotations)).epsilon(2e-4));  // twenty elements of three nodes
  CHECK(last.stored_energy == Approx(0.5 * kRigidity * std::pow(rotations * 2 * M_PI, 2) / kLength).epsilon(4e-4));
}

TEST_CASE("watch: every kind ends a path and asks for states at its value, and changes nothing of it",
          "[study][fast]") {
  struct Row {
    std::string name, what;
    std::function<double(double)> exact;  // at a load factor
  };
  const double all = 2 * M_PI * kRigidity / kLength, end = 0.9;
  const std::vector<Row> rows = {
      {"moment", "part = \"a\"\nquantity = \"moment-y\"", [&](double f) { return f * all; }},
      {"stored", "energy = \"stored\"", [&](double f) { return 0.5 * f * f * all * all * kLength / kRigidity; }},
      {"stress", "part = \"a\"\nquantity = \"stress\"", [&](double f) { return f * all / (40 * 4 / 6.0); }},
      {"bearing", "reaction = \"1\"\nabout = [0, 1, 0]", [&](double f) { return f * all; }},
      {"closer", "at = \"a.end\"\nrelative_to = \"a.start\"",
       [&](double f) { return kLength - std::abs(kLength * std::sin(M_PI * f) / (M_PI * f)); }},
      {"rotation", "at = \"a.end\"\nabout = [0, -1, 0]", [&](double f) { return 2 * M_PI * f; }},
      {"along", "at = \"a.end\"\ndirection = [-1, 0, 0]",
       [&](double f) { return kLength * (1 - std::sin(2 * M_PI * f) / (2 * M_PI * f)); }},
  };
  std::string watches;
  for (const auto& row : rows) watches += watch(row.name, row.what);
  const std::string held = support("\"a.start\"", "\"all\"");
  const auto text = [&](const std::string& more) {
    return with(strip(watches, step("g", "GNA", "load = \"p\"\nfirst_step = 0.07\n" + more)), held,
                with(held, "at", "name = \"1\"\nat"));
  };
  const auto plain = run(text(fmt::format("stop = {{ load_factor = {} }}", end)));
  for (std::size_t w = 0; w < rows.size(); ++w) {
    const auto& row = rows[w];
    CAPTURE(row.name);
    const double middle = row.exact(0.31), stop = row.exact(0.62);
    const auto r = run(text(fmt::format(
        "output_values = [{{ watch = \"{0}\", value = {1:.17g} }}]\nstop = {{ watch = \"{0}\", value = {2:.17g} }}",
        row.name, middle, stop)));
    const auto& list = path_of(r).increments;
    CHECK(list.back().watched[w] == Approx(stop).epsilon(3e-6));
    CHECK(list.back().load_factor == Approx(0.62).epsilon(1e-3));
    const auto found = std::find_if(list.begin(), list.end(), [&](const analysis::Increment& i) {
      return std::abs(i.watched[w] / middle - 1) < 3e-6;
    });
    REQUIRE(found != list.end());
    CHECK(found->load_factor == Approx(0.31).epsilon(1e-3));
    // the increments before the end are those of the path that was asked for nothing
    const auto& own = path_of(plain).increments;
    std::size_t k = 0;
    for (const auto& i : list)
      if (&i != &*found && &i != &list.back()) CHECK(i.load_factor == Approx(own[k++].load_factor).epsilon(1e-9));
    CHECK(k > 3);
    CHECK(told(std::vector<std::string>{path_of(r).stop_reason}, row.name));
    // and leads: the same end, by states of the same path
    const auto led = run(text(fmt::format(
        "control = \"displacement\"\ncontrol_watch = \"{0}\"\nstop = {{ watch = \"{0}\", value = {1:.17g} }}", row.name,
        stop)));
    const auto& steps = path_of(led).increments;
    CAPTURE(path_of(led).message, steps.size());
    CHECK(path_of(led).usable());
    CHECK(steps.back().watched[w] == Approx(stop).epsilon(3e-6));
    CHECK(steps.back().load_factor == Approx(0.62).epsilon(1e-3));
    CHECK(steps.size() > 4);
    for (const auto& i : steps)
      for (std::size_t other = 0; other < rows.size(); ++other)
        CHECK(i.watched[other] ==
              Approx(rows[other].exact(std::max(i.load_factor, 1e-300))).margin(2e-3 * rows[other].exact(0.62)));
  }
}

TEST_CASE("watch: the volume that a panel displaces, however it is moved", "[study][fast]") {
  // a square on a stiff frame of prescribed displacements: moved along its normal, tilted, and blown up
  const auto [what, value] = GENERATE(Catch::Generators::table<std::string, double>({
      {"{ kind = \"displacement\", at = { z = 0 }, dof = \"z\", value = 7 }", 7 * 200.0 * 100},
      {"{ kind = \"displacement\", at = { z = 0 }, dof = \"z\", value = -7 }", -7 * 200.0 * 100},
      {"{ kind = \"displacement\", at = { x = 200 }, dof = \"z\", value = 4 }, "
       "{ kind = \"displacement\", at = { x = 0 }, dof = \"z\", value = 0 }",
       0.5 * 4 * 200.0 * 100},
  }));
  CAPTURE(what);
  const bool tilts = what.find("x = 200") != std::string::npos;
  const std::string held =
      tilts ? support("{ x = 0 }", "[\"z\"]") + support("{ x = 200 }", "[\"z\"]") : support("{ z = 0 }", "[\"z\"]");
  const auto shape = GENERATE(as<std::string>(), "four", "nine", "three");
  CAPTURE(shape);
  const auto r = run(
      head() + panel("s", "[0, 0, 0]", "[200, 0, 0]", "[0, 100, 0]", "[4, 2]", "element_nodes = " + nodes_of(shape)) +
      support("{ near = [0, 0, 0] }", "[\"x\", \"y\", \"rz\"]") + held + support("{ z = 0 }", "[\"rx\"]") +
      action("p", what) + watch("v", "part = \"s\"\nquantity = \"volume\"") +
      step("g", "GNA", "load = \"p\"\nstop = { load_factor = 1 }"));
  CHECK(path_of(r).increments.back().watched[0] == Approx(value).epsilon(1e-3));
}

TEST_CASE("watch: what cannot be watched, or lead, is refused with its place", "[study][fast]") {
  const auto [watches, analysis, words] = GENERATE(Catch::Generators::table<std::string, std::string, std::string>({
      {watch("v", "part = \"a\"\nquantity = \"volume\""), "", "'a' is no panel"},
      {watch("e", "energy = \"kinetic\""), "", "'energy' of this watch point is 'kinetic'"},
      {watch("e", "energy = \"stored\""), "control = \"displacement\"\ncontrol_watch = \"x\"\n",
       "no watch point named 'x'"},
      {kRotation, "stop = { value = 3 }\n", "'value' needs the watch that reads it"},
      {kRotation, "stop = { watch = \"tip\", value = 0 }\n", "must not be zero"},
  }));
  INFO(words);
  CHECK_THAT(complaint_of(strip(watches, step("g", "GNA", "load = \"p\"\n" + analysis))), Catch::Contains(words));
}

TEST_CASE("watch: first contact is located, for every control, gap and load", "[study][fast]") {
  // a cantilever whose tip meets a stop: small slopes, so the load that closes the gap is 3 E I gap / L^3
  const double gap = GENERATE(0.01, 1.0, 8.0), unit = GENERATE(1.0, 1000.0);
  const auto control = GENERATE(as<std::string>(), "", "control = \"load\"\n", "control = \"automatic\"\n");
  CAPTURE(gap, unit, control);
  const double rigidity = 200000.0 * 20 * 27000 / 12, load = 3 * rigidity * gap / 1e9;
  const auto r =
      run(head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30\nshear_deformation = false") +
          member("a", "[0, 0, 0]", "[1000, 0, 0]", "elements = 4\nup = [0, 0, 1]") + support("\"a.start\"", "\"all\"") +
          action("p", force("\"a.end\"", fmt::format("[0, 0, {}]", -unit))) +
          fmt::format("\n[[obstacles]]\nname = \"stop\"\nplane = {{ point = [0, 0, {}], normal = [0, 0, 1] "
                      "}}\non = \"a\"\n",
                      -gap) +
          step("g", "GNA",
               "load = \"p\"\n" + control + fmt::format("stop = {{ load_factor = {:.17g} }}", 3 * load / unit)));
  const auto& list = path_of(r).increments;
  const auto touch =
      std::find_if(list.begin(), list.end(), [](const auto& i) { return i.event == analysis::PathEvent::touch; });
  REQUIRE(touch != list.end());
  CHECK(touch->load_factor == Approx(load / unit).epsilon(gap > 1 ? 2e-3 : 3e-4));
  const auto row = std::find_if(r.comparison.begin(), r.comparison.end(),
                                [](const auto& c) { return c.meaning == "first contact"; });
  REQUIRE(row != r.comparison.end());
  CHECK(row->load_factor == touch->load_factor);
  CHECK(row->note == "'stop'");
}

TEST_CASE("watch: a strut that sways to a guard goes on there, by every control to one state", "[study][fast]") {
  // its tip is restrained by the guard from 30 on: stiff where it was soft, and the path has a corner
  const double across = GENERATE(0.5, 2.0, 10.0);
  const auto kind = GENERATE(as<std::string>(), "GNA", "GMNA");
  CAPTURE(across, kind);
  const auto push = [&](const std::string& control) {
    const auto r =
        run(head("") + "yield_stress = 400\nyielding = { law = \"perfect\" }\n" +
            profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 10") +
            member("a", "[0, 0, 0]", "[0, 0, 1000]", "elements = 10\nup = [1, 0, 0]") +
            support("\"a.start\"", "\"all\"") + action("p", force("\"a.end\"", fmt::format("[{}, 0, -1000]", across))) +
            "\n[[obstacles]]\nname = \"guard\"\nplane = { point = [30, 0, 0], normal = [-1, 0, 0] }\non = "
            "\"a\"\n" +
            watch("force", "reaction = \"guard\"\ndirection = [-1, 0, 0]") +
            step("g", kind, "load = \"p\"\n" + control + "stop = { load_factor = 1.5 }"));
    const auto& path = path_of(r);
    CAPTURE(control, path.message);
    REQUIRE(path.usable());
    for (const auto& i : path.increments) {  // nothing pulls, and loads, supports and guard are in balance
      CHECK(i.watched[0] >= 0);
      CHECK((i.applied.force + i.reacted.force).norm() <= 5e-6 * std::max(1.0, i.applied.force.norm()));
    }
    return path.increments.back().watched[0];
  };
  const double by_arc = push("");
  CHECK(by_arc > 5);
  CHECK(push("control = \"load\"\n") == Approx(by_arc).epsilon(1e-4));
  CHECK(push("control = \"automatic\"\n") == Approx(by_arc).epsilon(1e-4));
}

}  // namespace watch_tests
