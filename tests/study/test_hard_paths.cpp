// Paths with many revolutions: each reaches the end that its study states. ARCHWAY_HARD_PATHS=all (tools/test.sh
// --full) follows the slow ones as well; ARCHWAY_WRITE_DOCS=1 does so and writes docs/hard-paths.md.
#include <cstdlib>
#include <map>
#include <set>

#include <catch2/catch.hpp>

#include "support/balance.hpp"
#include "support/followed.hpp"
#include "support/pieces.hpp"

namespace hard_paths_tests {

using namespace archway;
using namespace archway::test;

namespace {
/// More than two seconds each.
const std::set<std::string> kSlow = {"cap-point",      "stiffened",    "tube-bend",    "web-shear",
                                     "trolley-bumper", "riveted-skin", "post-foot-box"};
/// And how much of the work put in may be missing: large meshes that follow lose most, see docs/limits.md.
const std::map<std::string, double> kRubs = {{"rubbing-blocks", 0.05}, {"roller-on-mat", 0.01}};

std::vector<std::filesystem::path> studies() {
  std::vector<std::filesystem::path> list;
  for (const auto& entry : std::filesystem::directory_iterator(ARCHWAY_SOURCE_DIR "/verification/hard"))
    list.push_back(entry.path());
  std::sort(list.begin(), list.end());
  for (const char* example : {"trolley-bumper", "post-foot-box", "riveted-skin"})
    list.push_back(fmt::format(ARCHWAY_SOURCE_DIR "/examples/studies/{}.toml", example));
  return list;
}
/// The load factor or the displacement that the study stops at; a number of increments is none.
bool reached(const analysis::PathResult& path) {
  return path.ending == analysis::Ending::done && path.stop_reason.find(" reached") != std::string::npos &&
         path.stop_reason.find(" reached -") == std::string::npos;
}
}  // namespace

TEST_CASE("hard paths: each reaches its stated end", "[study][fast]") {
  const char *write = std::getenv("ARCHWAY_WRITE_DOCS"), *all = std::getenv("ARCHWAY_HARD_PATHS");
  std::string table;
  int count = 0;
  for (const auto& file : studies()) {
    const std::string name = file.stem().string();
    if (write == nullptr && all == nullptr && kSlow.count(name) > 0) continue;
    CAPTURE(name);
    const auto spec = io::read_study(file.string(), {});
    const auto result = study::run_study(spec);
    const auto& path = *result.outcomes.back().path;
    CAPTURE(path.message, path.stop_reason);
    CHECK(reached(path));
    // every node is balanced to 1e-6 of all forces, n of them together to sqrt(n) times that; or to what a study asks
    // for
    const auto& model = *result.outcomes.back().model;
    CHECK(worst_imbalance(path, model.size()) <=
          std::max(1e-6 * std::sqrt(model.node_count()), result.outcomes.back().spec.tolerance));
    if (const auto rubs = kRubs.find(name); rubs != kRubs.end()) {  // what was put in is stored, or lost to friction
      const auto& end = path.increments.back();
      CHECK(end.dissipated_energy > 0.5 * end.external_work);
      CHECK(std::abs(end.energy_gap) < rubs->second * end.external_work);
    }
    int cuts = 0, iterations = 0;
    for (const auto& i : path.increments) cuts += i.cut_backs, iterations += i.iterations;
    table += fmt::format("| {} | `{}` | {} | {} | {} | {} |\n", spec.title,
                         std::filesystem::relative(file, ARCHWAY_SOURCE_DIR).string(), path.increments.size() - 1,
                         iterations, cuts, path.factorisations);
    ++count;
  }
  CHECK(count >= 17);
  if (write != nullptr)
    std::ofstream(ARCHWAY_SOURCE_DIR "/docs/hard-paths.md")
        << "# Hard paths\n\nWritten by `ARCHWAY_WRITE_DOCS=1 build/fast/tests/test_study \"hard paths*\"`; do not "
           "edit. "
           "Each goes to the end that its study states.\n\n| what | study | increments | corrections | cut back | "
           "factorisations |\n|---|---|---|---|---|---|\n"
        << table;
}

TEST_CASE("hard paths: the examples that fold go the first part of their way", "[study][fast]") {
  const auto [name, values] =
      GENERATE(std::pair("trolley-bumper", std::map<std::string, double>{{"length", 30}, {"along", 15}, {"to", 9}}),
               std::pair("post-foot-box", std::map<std::string, double>{{"to", 0.5}}),
               std::pair("riveted-skin", std::map<std::string, double>{{"to", 0.12}}));
  CAPTURE(name);
  const auto result =
      study::run_study(io::read_study(fmt::format(ARCHWAY_SOURCE_DIR "/examples/studies/{}.toml", name), values));
  const auto& path = *result.outcomes.back().path;
  CAPTURE(path.message, path.stop_reason);
  CHECK(reached(path));
  REQUIRE(path.increments.back().contacts.size() == 1);
  CHECK(path.increments.back().plastic_strain >= 0);
  if (name == std::string("riveted-skin")) CHECK(path.increments.back().contacts[0].pressed > 10);
}

}  // namespace hard_paths_tests
