// What a path may not do unnoticed: leave its branch, be changed by what is asked of it, stop on the wrong side, begin
// with a step that knows nothing of its load, hang on the unit of it.
#include <cmath>

#include <catch2/catch.hpp>

#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace path_guards_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// Two bars that snap through their feet, and a third that is in tension then.
std::string truss(const std::string& analysis, double load = 1000) {
  return head("planar = \"xz\"\n") + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
         "\n[[bars]]\nname = \"left\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [-300, 0, 0]\nto = [0, 0, 60]\n"
         "\n[[bars]]\nname = \"right\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [300, 0, 0]\nto = [0, 0, 60]\n" +
         support("\"left.start\"", "[\"x\", \"z\"]") + support("\"right.start\"", "[\"x\", \"z\"]") +
         action("p", force("\"left.end\"", fmt::format("[0, 0, {}]", -load))) +
         "\n[[watches]]\nname = \"down\"\nat = \"left.end\"\ndirection = [0, 0, -1]\n" + analysis;
}

/// An arch with a force at its crown: it sways at a bifurcation before it snaps.
std::string arch(const std::string& analysis, double load = 100) {
  return head("planar = \"xz\"\n") + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 6") +
         member("a", "[-500, 0, 0]", "[500, 0, 0]", "elements = 16\nvia = [0, 0, 200]") +
         support("\"a.start\"", "[\"x\", \"z\"]") + support("\"a.end\"", "[\"x\", \"z\"]") +
         action("p", force("{ near = [0, 0, 200] }", fmt::format("[0, 0, {}]", -load))) +
         "\n[[watches]]\nname = \"down\"\nat = { near = [0, 0, 200] }\ndirection = [0, 0, -1]\n" +
         "\n[[watches]]\nname = \"aside\"\nat = { near = [0, 0, 200] }\ndirection = [1, 0, 0]\n" + analysis;
}

const analysis::PathResult& path_of(const study::StudyResult& result) {
  return *result.find("g")->path;
}
const study::ComparisonRow* row(const study::StudyResult& result, const std::string& meaning) {
  for (const auto& r : result.comparison)
    if (r.meaning.find(meaning) != std::string::npos) return &r;
  return nullptr;
}
}  // namespace

TEST_CASE("path guards: no step under a given load leaps over a snap unnoticed", "[study][fast]") {
  // the limit point of two shallow bars; steps from much below it to five times as large
  for (const double first : {0.5, 20.0, 80.0, 300.0}) {
    const std::string load = fmt::format("load = \"p\"\ncontrol = \"load\"\nfirst_step = {}\n", first);
    CAPTURE(first);
    const auto ended = run(truss(step("g", "GNA", load + "stop = { load_factor = 400, increments = 400 }")));
    const auto& r = path_of(ended);
    CHECK(r.message.find("this may be a limit point") != std::string::npos);
    CHECK(r.increments.back().watched[0] < 26);
    CHECK(r.increments.back().load_factor == Approx(59.2104).epsilon(0.02));
    const auto jumped =
        run(truss(step("g", "GNA", load + "jumps = 1\nstop = { load_factor = 400, increments = 400 }")));
    const auto& s = path_of(jumped);
    CAPTURE(s.message);
    REQUIRE(s.usable());
    int far = 0;
    for (std::size_t k = 1; k < s.increments.size(); ++k)
      if (s.increments[k].watched[0] - s.increments[k - 1].watched[0] > 50) {
        ++far;
        CHECK(s.increments[k].event == analysis::PathEvent::jump);
      }
    CHECK(far == 1);
    CHECK(row(jumped, "jump") != nullptr);
  }
}

TEST_CASE("path guards: what is asked for changes nothing of the path", "[study][fast]") {
  const std::string branch = "load = \"p\"\nat_bifurcation = \"branch\"\n";
  for (const std::string& stop : {std::string("stop = { watch = \"down\", value = 150, increments = 300 }"),
                                  std::string("stop = { watch = \"down\", value = 60, increments = 300 }")}) {
    const auto plain = run(arch(step("g", "GNA", branch + stop)));
    const auto asked = run(
        arch(step("g", "GNA",
                  branch +
                      "output_load_factors = [1, 3, 5.5]\noutput_values = [{ watch = \"down\", value = 5 }, { watch "
                      "= \"down\", value = 41 }, { watch = \"down\", value = 57 }]\n" +
                      stop)));
    const auto &a = path_of(plain), &b = path_of(asked);
    CAPTURE(a.stop_reason, b.stop_reason, a.increments.size(), b.increments.size());
    REQUIRE(a.usable());
    REQUIRE(b.usable());
    CHECK(b.increments.size() > a.increments.size());
    // every state of the plain path is one of the other, to the digits that states are balanced to
    for (const auto& i : a.increments) {
      double nearest = HUGE_VAL;
      for (const auto& k : b.increments)
        nearest = std::min(nearest, std::abs(i.watched[0] - k.watched[0]) + std::abs(i.load_factor - k.load_factor));
      CHECK(nearest < 1e-4);
    }
    for (const double wanted : {5.0, 41.0, 57.0}) {
      const auto* found = row(asked, fmt::format("'down' moves {:.5g}", wanted));
      REQUIRE(found != nullptr);
      CHECK(found->note.empty());
    }
  }
}

TEST_CASE("path guards: stops have a sign", "[study][fast]") {
  const std::string pulled = "load = \"p\"\nfirst_step = 1\n";
  // the load is rotated round: the crown rises
  const auto up =
      run(truss(step("g", "GNA", pulled + "stop = { watch = \"down\", value = 5, increments = 12 }"), -1000));
  CHECK(path_of(up).stop_reason.find("increments done") != std::string::npos);
  CHECK(told(up.find("g")->warnings, "has moved in the opposite direction"));
  const auto signed_stop =
      run(truss(step("g", "GNA", pulled + "stop = { watch = \"down\", value = -5, increments = 60 }"), -1000));
  CHECK(path_of(signed_stop).stop_reason.find("reached -5") != std::string::npos);
  CHECK_DIGITS(path_of(signed_stop).increments.back().watched[0], -5, 9, "exactly");
  const auto falling = run(truss(step("g", "GNA", "load = \"p\"\nfirst_step = 1\nstop = { load_factor = -4 }")));
  CHECK_DIGITS(path_of(falling).increments.back().load_factor, -4, 12, "a load factor below zero");
}

TEST_CASE("path guards: the largest step is one of the load, on branches too", "[study][fast]") {
  for (const double largest : {0.2, 0.5, 1.0}) {
    const auto result =
        run(arch(step("g", "GNA",
                      fmt::format("load = \"p\"\nfirst_step = 0.2\nlargest_step = {}\nat_bifurcation = "
                                  "\"branch\"\nstop = {{ watch = \"down\", value = 120, increments = 400 }}",
                                  largest))));
    const auto& r = path_of(result);
    CAPTURE(largest, r.stop_reason, r.message);
    REQUIRE(r.usable());
    CHECK(r.branched);
    for (std::size_t k = 1; k < r.increments.size(); ++k)
      CHECK(std::abs(r.increments[k].load_factor - r.increments[k - 1].load_factor) < 1.1 * largest);
  }
}

TEST_CASE("path guards: the first step knows the size of the load", "[study][fast]") {
  std::vector<std::size_t> lengths;
  std::vector<double> peaks;
  for (const double load : {1e-3, 1.0, 100.0, 1e5}) {
    const auto result = run(arch(step("g", "GNA", "load = \"p\"\nstop = { first_loss = true }"), load));
    const auto& r = path_of(result);
    CAPTURE(load, r.message, r.stop_reason);
    REQUIRE(r.first_loss >= 0);
    lengths.push_back(r.increments.size());
    peaks.push_back(r.increments[static_cast<std::size_t>(r.first_loss)].load_factor * load);
    CHECK(lengths.back() == lengths.front());
    CHECK(peaks.back() == Approx(peaks.front()).epsilon(1e-5));
  }
}

TEST_CASE("path guards: automatic control passes a snap", "[study][fast]") {
  const auto result =
      run(truss(step("g", "GNA",
                     "load = \"p\"\ncontrol = \"automatic\"\nfirst_step = 1\nstop = { watch = \"down\", "
                     "value = 130, increments = 300 }")));
  const auto& r = path_of(result);
  CAPTURE(r.message, r.stop_reason);
  REQUIRE(r.usable());
  CHECK_DIGITS(r.increments.back().watched[0], 130, 9, "through the snap");
  CHECK(r.peak_is_limit_point);
}

TEST_CASE("path guards: buckling about a path takes its last stable state", "[study][fast]") {
  const auto result = run(arch(step("g", "GNA", "load = \"p\"\nstop = { first_loss = true }") +
                               step("about", "LBA", "state_of = \"g\"\nload = \"p\"\nmodes = 1")));
  const auto& r = path_of(result);
  const auto& about = *result.find("about");
  REQUIRE(about.buckling);
  REQUIRE(!about.buckling->modes.empty());
  const auto& state = r.increments[static_cast<std::size_t>(about.spec.increment)];
  CHECK(state.negative_pivots == 0);
  CHECK(state.event == analysis::PathEvent::none);
  CHECK(about.spec.increment < r.first_loss);
  const double predicted = state.load_factor + about.buckling->modes[0].load_factor;
  CHECK(predicted == Approx(r.increments[static_cast<std::size_t>(r.first_loss)].load_factor).epsilon(0.05));
}

TEST_CASE("path guards: first contact and the peak of a reaction are rows", "[study][fast]") {
  const auto result =
      run(arch("\n[[obstacles]]\nname = \"floor\"\nplane = { point = [0, 0, 140], normal = [0, 0, 1] }\non = \"a\"\n"
               "touches = \"nodes\"\nat = { near = [0, 0, 200] }\n"
               "\n[[watches]]\nname = \"foot\"\nreaction = \"floor\"\ndirection = [0, 0, 1]\n" +
               step("g", "GNA", "load = \"p\"\nfirst_step = 1\nstop = { load_factor = 12, increments = 200 }")));
  const auto* touch = row(result, "first contact");
  REQUIRE(touch != nullptr);
  CHECK(touch->note.find("'floor'") != std::string::npos);
  CHECK(touch->displacement == Approx(60).epsilon(0.1));
  const auto* force = row(result, "of 'foot'");
  REQUIRE(force != nullptr);
  CHECK(force->note.find(" N") != std::string::npos);
}

TEST_CASE("path guards: what a path may take ends it within an increment, with what was reached", "[study][fast]") {
  for (const int most : {12, 30}) {
    const auto result =
        run(arch(step("g", "GNA",
                      fmt::format("load = \"p\"\nat_bifurcation = \"branch\"\nstop = {{ factorisations = {}, "
                                  "increments = 300 }}",
                                  most))));
    const auto& r = path_of(result);
    CAPTURE(most, r.message, r.stop_reason);
    CHECK(r.ending == analysis::Ending::done);
    CHECK(r.stop_reason.find("factorisations done") != std::string::npos);
    CHECK(r.factorisations <= most + 2);
    CHECK(r.increments.size() > 1);
  }
}

}  // namespace path_guards_tests
