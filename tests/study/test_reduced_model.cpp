// The reduced model of several modes, and mixes of modes that are screened by it.
#include "archway/study/sweep.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace reduced_model_tests {

using namespace archway;
using namespace archway::test;

namespace {
std::string perfect(int modes) {
  return step("lba", "LBA", fmt::format("load = \"push\"\nmodes = {}", modes)) +
         step("gna", "GNA",
              fmt::format("loads_of = \"lba\"\npost_buckling = {{ modes = {} }}\nstop = {{ first_loss = true }}",
                          modes));
}
/// Two slender chords with battens in the plane x z, pinned at mid-width: the whole and its shear buckle together.
std::string mast(int panels, const std::string& more) {
  std::string text = head() + profile("chord", "shape = \"rectangle\"\nwidth = 20\nheight = 8") +
                     profile("batten", "shape = \"rectangle\"\nwidth = 20\nheight = 16");
  const double length = 300;
  for (const auto& [side, x] : {std::pair("l", -30), std::pair("r", 30)})
    for (int k = 0; k < panels; ++k)
      text += member(fmt::format("{}{}", side, k), fmt::format("[{}, 0, {}]", x, length * k),
                     fmt::format("[{}, 0, {}]", x, length * (k + 1)), "elements = 3\nup = [1, 0, 0]", "chord");
  for (int k = 0; k <= panels; ++k)
    text += member(fmt::format("b{}", k), fmt::format("[-30, 0, {}]", length * k),
                   fmt::format("[30, 0, {}]", length * k), "elements = 2\nup = [0, 0, 1]", "batten");
  const std::string top = fmt::format("{{ near = [0, 0, {}] }}", length * panels);
  return text + support("{ box = [[-1e4, -1, -1], [1e4, 1, 1e4]], inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
         support("{ near = [0, 0, 0] }", "[\"x\", \"z\"]") + support(top, "[\"x\"]") +
         action("push", force(top, "[0, 0, -1]")) + more;
}
const analysis::ReducedModel& reduced_of(const study::StudyResult& result) {
  const auto* outcome = result.find("gna");
  REQUIRE(outcome != nullptr);
  REQUIRE(outcome->reduced);
  INFO(outcome->reduced->message);
  REQUIRE(outcome->reduced->found);
  return *outcome->reduced;
}
double term(const analysis::ReducedModel& model, const std::vector<int>& modes) {
  for (const auto& t : model.terms)
    if (t.modes == modes) return t.coefficient;
  throw std::runtime_error("no such term");
}
}  // namespace

TEST_CASE("reduced model: its first mode has the coefficients of the branch", "[study][fast]") {
  const auto result = run(mast(4, perfect(3)));
  const auto& model = reduced_of(result);
  const auto& branch = *result.find("gna")->post_buckling;
  REQUIRE(branch.found);
  CHECK(model.modes() == 3);
  CHECK(model.mode_factors[0] == Approx(branch.load_factor).epsilon(1e-4));
  const auto [a, b] = model.coefficients(0);
  CHECK(a == 0);
  CHECK(b == Approx(branch.b).epsilon(0.01));
  CHECK(model.misfit < 1e-4);
}

TEST_CASE("reduced model: without imperfection the critical load, with one what the path says", "[study][fast]") {
  const std::string dent = "\n[[imperfections]]\nname = \"dent\"\nmode_of = \"lba\"\namplitude = {}\n";
  const auto result = run(mast(4, perfect(3)));
  const auto& model = reduced_of(result);
  const auto none = analysis::reduced_peak(model, Eigen::VectorXd::Zero(3));
  REQUIRE(none.found);
  CHECK(none.load_factor == Approx(model.critical).epsilon(1e-3));
  double last = model.critical;
  for (const double w : {0.5, 1.0, 2.0}) {
    const auto predicted = analysis::reduced_peak(model, w * Eigen::VectorXd::Unit(3, 0)),
               reversed = analysis::reduced_peak(model, -w * Eigen::VectorXd::Unit(3, 0));
    REQUIRE(predicted.found);
    CHECK(predicted.load_factor < last);
    CHECK(reversed.load_factor == Approx(predicted.load_factor).epsilon(1e-6));
    last = predicted.load_factor;
    const auto path = run(
        mast(4, fmt::format(dent, w) + step("lba", "LBA", "load = \"push\"\nmodes = 3") +
                    step("fall", "GNIA", "loads_of = \"lba\"\nimperfection = \"dent\"\nstop = { first_loss = true }")));
    INFO(w);
    CHECK(predicted.load_factor == Approx(path_of(path, "fall").peak_load_factor).epsilon(0.01));
  }
}

TEST_CASE("reduced model: two modes of a round structure have no direction of their own", "[study][fast]") {
  // a square strut with equal pins about both axes: terms of fourth order are (a1^2 + a2^2)^2 and nothing else
  const std::string text = head() + profile("r", "shape = \"rectangle\"\nwidth = 30\nheight = 30") +
                           member("a", "[0, 0, 0]", "[0, 0, 600]", "elements = 6") +
                           support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rz\"]") +
                           support("\"a.end\"", "[\"x\", \"y\"]") + action("push", force("\"a.end\"", "[0, 0, -1]")) +
                           perfect(2);
  const auto result = run(text);
  const auto& modes = result.find("lba")->buckling->modes;
  REQUIRE(modes.size() == 2);
  CHECK(modes[0].repeated);
  // the pair is settled: the first moves along x alone, the second along y alone, both forwards
  for (int k = 0; k < 2; ++k) {
    const Eigen::VectorXd& shape = modes[static_cast<std::size_t>(k)].shape;
    double along = 0, across = 0, most = 0;
    for (Eigen::Index n = 0; n < shape.size(); n += model::kNodeDofs) {
      across = std::max(across, std::abs(shape[n + 1 - k]));
      most = std::max(most, shape[n + k]);
      along = std::min(along, shape[n + k]);
    }
    CHECK(across < 1e-6);
    CHECK(most == Approx(1));
    CHECK(along > -1e-9);
  }
  const auto& model = reduced_of(result);
  const double own = term(model, {0, 0, 0, 0});
  CHECK(own > 0);
  CHECK(term(model, {1, 1, 1, 1}) == Approx(own).epsilon(0.02));
  CHECK(term(model, {0, 0, 1, 1}) == Approx(2 * own).epsilon(0.02));
  CHECK(std::abs(term(model, {0, 0, 0, 1})) < 0.02 * own);
}

TEST_CASE("reduced model: the worst of screened mixes is worse than the first mode, and as predicted",
          "[study][fast]") {
  const auto spec =
      io::parse_study(mast(4, step("lba", "LBA", "load = \"push\"\nmodes = 4") +
                                  "\n[[imperfections]]\nname = \"dent\"\nmode_of = \"lba\"\namplitude = 1\n" +
                                  step("fall", "GNIA", "loads_of = \"lba\"\nimperfection = \"dent\"") +
                                  "\n[[sweeps]]\nname = \"worst\"\nanalysis = \"fall\"\nworst_of = \"lba\"\nmodes = 4\n"
                                  "amplitudes = [1.5]\nscreen = 100\npaths = 1\nsteps = 0\n"),
                      "trial.toml", {});
  study::Sweep sweep(spec, spec.sweeps.front(), {});
  const auto all = sweep.screened();
  REQUIRE(all.mixes.size() >= 108);
  for (std::size_t k = 1; k < all.mixes.size(); ++k) CHECK(all.mixes[k - 1].predicted <= all.mixes[k].predicted);
  const auto again = sweep.screened();
  CHECK(again.mixes.front().predicted == all.mixes.front().predicted);
  const auto few = study::unlike(all.mixes, 1);
  const auto steps = sweep.worst(few, {});
  REQUIRE(steps.size() == 3);
  CHECK(steps[2].result.load_factor() == Approx(few[0].predicted).epsilon(0.01));
  CHECK(steps[2].result.load_factor() <= steps[0].result.load_factor() * 1.0001);
}

TEST_CASE("reduced model: what it cannot report is said", "[study][fast]") {
  // a shallow arch under a pressure that bends it: a limit point, no bifurcation
  const std::string text =
      head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 20") +
      member("a", "[0, 0, 0]", "[1000, 0, 0]", "via = [500, 0, 20]\nelements = 8\nup = [0, 1, 0]") +
      support("{ on = \"a\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
      support("\"a.start\"", "[\"x\", \"y\", \"z\"]") + support("\"a.end\"", "[\"x\", \"y\", \"z\"]") +
      action("push", force("{ near = [500, 0, 20] }", "[0, 0, -1]")) + perfect(2);
  const auto result = run(text);
  REQUIRE(result.find("gna")->reduced);
  CHECK_FALSE(result.find("gna")->reduced->found);
  CHECK(result.find("gna")->reduced->message.find("no bifurcation") != std::string::npos);
}

TEST_CASE("modes: signs and axes of pairs do not hang on the mesh, its numbering or the place", "[study][fast]") {
  // a drum under outer pressure, its axis rotated by the angle and moved far away: modes come in pairs
  const auto drum = [](int around, double start, const std::string& away) {
    return run(head() +
               fmt::format("[[panels]]\nname = \"skin\"\nmaterial = \"m\"\nthickness = 1\nform = \"cylinder\"\n"
                           "axis = [[{0}, 0, 0], [{0}, 0, 100]]\nstart = [\"{0} + 100 * cos({1})\", "
                           "\"100 * sin({1})\", 0]\nangle_deg = 360\nelement_nodes = 9\ndivisions = [{2}, 4]\n",
                           away, start, around) +
               support("\"skin.left\"", "[\"x\", \"y\", \"z\"]") + support("\"skin.right\"", "[\"x\", \"y\"]") +
               action("press", "{ kind = \"pressure\", on = \"skin\", value = 0.01 }") +
               step("b", "LBA", "load = \"press\"\nmodes = 2"));
  };
  const auto [around, start, away] =
      GENERATE(std::tuple(32, 0.0, "0"), std::tuple(48, 0.0, "0"), std::tuple(32, 0.7853981633974483, "0"),
               std::tuple(32, 3.141592653589793, "1e6"));
  const auto result = drum(around, start, away);
  const auto& modes = result.find("b")->buckling->modes;
  REQUIRE(modes.size() == 2);
  INFO(around << " " << start << " " << away);
  CHECK(modes[0].load_factor == Approx(modes[1].load_factor).epsilon(1e-6));
  const double x0 = result.model->nodes[0].x() - 100 * std::cos(start);
  for (std::size_t n = 0; n < result.model->nodes.size(); ++n) {
    base::Vec3 place = result.model->nodes[n];
    place.x() -= x0;
    if ((place - base::Vec3(100, 0, 50)).norm() > 1e-3) continue;
    // the node that lies farthest along x, half way up: there the first moves out by the most, the second not at all
    CHECK(modes[0].shape[model::row(static_cast<int>(n))] == Approx(1).epsilon(0.02));
    CHECK(std::abs(modes[1].shape[model::row(static_cast<int>(n))]) < 1e-3);
  }
}

}  // namespace reduced_model_tests
