// What analyses of one structure share: the order of its equations, the factor of its stiffness.
#include <catch2/catch.hpp>

#include "support/pieces.hpp"

namespace shared_work_tests {

using namespace archway;
using namespace archway::test;

namespace {
std::string plate(const std::string& analyses) {
  return head() + panel("p", "[0, 0, 0]", "[600, 0, 0]", "[0, 300, 0]", "[40, 20]") +
         support("{ any = [{ x = 0 }, { x = 600 }, { y = 0 }, { y = 300 }] }", "[\"z\"]") +
         support("{ near = [0, 0, 0] }", "[\"x\", \"y\"]") + support("{ near = [600, 0, 0] }", "[\"y\"]") +
         action(
             "p",
             "{ kind = \"edge\", at = \"p.end\", force = [-300, 0, 0], distribution = \"total\" }, { kind = \"edge\", at = "
             "\"p.start\", force = [300, 0, 0], distribution = \"total\" }") +
         analyses;
}
const std::string kStatic = step("la", "LA", "load = \"p\""), kModes = step("b", "LBA", "load = \"p\"\nmodes = 4"),
                  kBoth = step("b", "LBA", "load = \"p\"\nmodes = 4\nreversed_load = \"show\"");
}  // namespace

TEST_CASE("shared work: check, LA and LBA take one order and one factor of the stiffness", "[study][fast]") {
  const auto one = run(plate(kStatic));
  CHECK(one.cost.orderings == 1);
  CHECK(one.cost.analyses == 1);
  CHECK(one.cost.factorisations == 1);
  // the proof of the modes takes one at a shift, on the mesh of half the elements as well
  const auto two = run(plate(kStatic + kModes));
  CHECK(two.cost.orderings == 2);
  CHECK(two.cost.analyses == 2);
  CHECK(two.cost.factorisations <= 4);
  CHECK(two.find("b")->buckling->complete());
  CHECK_FALSE(two.find("b")->buckling->sought_negative);
  // the same numbers, whoever came before
  const auto alone = run(plate(kModes));
  for (std::size_t k = 1; k <= 4; ++k) CHECK(factor(alone, k) == factor(two, k));
  CHECK(alone.cost.factorisations == two.cost.factorisations);
}

TEST_CASE("shared work: factors of the load reversed are sought where asked for, or where no other is there",
          "[study][fast]") {
  const auto shown = run(plate(kBoth));
  CHECK(shown.find("b")->buckling->sought_negative);
  const auto rotated = run(
      plate(step("b", "LBA", "load = \"pull\"\nmodes = 2") +
            action("pull", "{ kind = \"force\", at = \"p.end\", force = [1000, 0, 0], distribution = \"total\" }")));
  const auto& r = *rotated.find("b")->buckling;
  if (r.modes.empty()) {
    CHECK(r.sought_negative);
    CHECK(told(rotated.find("b")->warnings, "with the load reversed the structure would buckle at"));
  }
  REQUIRE(shown.find("b")->buckling->modes.size() == 4);
  const auto never = run(plate(step("b", "LBA", "load = \"p\"\nmodes = 4\nreversed_load = \"leave-out\"")));
  CHECK_FALSE(never.find("b")->buckling->sought_negative);
  for (std::size_t k = 1; k <= 4; ++k) CHECK(factor(never, k) == Approx(factor(shown, k)).epsilon(1e-9));
}

TEST_CASE("shared work: structures with prescribed displacements and stages have their own equations",
          "[study][fast]") {
  const std::string moved = action("m", "{ kind = \"displacement\", at = \"p.end\", dof = \"x\", value = -0.01 }");
  const auto r = run(plate(moved + kStatic + step("lm", "LA", "load = \"m\"")));
  REQUIRE(r.find("la")->linear->usable());
  REQUIRE(r.find("lm")->linear->usable());
  // 'la' does not hold the edge that 'm' moves
  const auto alone = run(plate(kStatic));
  CHECK((r.find("la")->linear->displacement - alone.find("la")->linear->displacement).norm() <=
        1e-12 * alone.find("la")->linear->displacement.norm());
  CHECK(r.cost.orderings == 2);
}

}  // namespace shared_work_tests
