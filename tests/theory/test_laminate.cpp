#include <catch2/catch.hpp>

#include "archway/base/errors.hpp"
#include "archway/theory/laminate.hpp"
#include "support/digits.hpp"

namespace laminate_tests {

using namespace archway::theory;

namespace {
Ply carbon(double angle, double thickness = 0.25) {
  return {126000, 8800, 0.31, 4300, 4300, 3000, thickness, angle, 1.6e-9};
}
std::vector<Ply> lay(const std::vector<double>& angles) {
  std::vector<Ply> plies;
  for (const double a : angles) plies.push_back(carbon(a));
  return plies;
}
}  // namespace

TEST_CASE("laminate: stiffnesses of known stacks, and what symmetry makes zero", "[theory][fast]") {
  const auto cross = laminate_stiffness(lay({0, 90, 90, 0}));
  CHECK(cross.bending(0, 0) == Approx(9341.8669).epsilon(1e-8));
  CHECK(cross.bending(0, 1) == Approx(228.869447).epsilon(1e-8));
  CHECK(cross.bending(1, 1) == Approx(1967.37116).epsilon(1e-8));
  CHECK(cross.bending(2, 2) == Approx(358.333333).epsilon(1e-8));
  CHECK(std::abs(cross.bending(0, 2)) < 1e-9);
  CHECK(cross.coupling.isZero(0.0));
  CHECK(cross.thickness == 1.0);
  const auto angle = laminate_stiffness(lay({45, -45, -45, 45}));
  CHECK(angle.bending(0, 0) == Approx(3300.07757).epsilon(1e-8));
  CHECK(angle.bending(0, 2) == Approx(1843.62394).epsilon(1e-8));
  CHECK(angle.bending(2, 2) == Approx(2712.87479).epsilon(1e-8));
  CHECK(std::abs(angle.membrane(0, 2)) < 1e-9 * angle.membrane(0, 0));
  CHECK_FALSE(laminate_stiffness(lay({0, 90})).coupling.isZero(1.0));
}

TEST_CASE("laminate: rotated axes, one layer of metal and a quasi-isotropic stack", "[theory][fast]") {
  // the same stack with its plies rotated is the stack seen from axes rotated the other way
  const auto whole = laminate_stiffness(lay({10, 55, -20})), rotated = laminate_stiffness(lay({40, 85, 10}));
  const auto seen = whole.in_axes_rotated(-30 * M_PI / 180);
  CHECK((seen.membrane - rotated.membrane).norm() < 1e-9 * rotated.membrane.norm());
  CHECK((seen.coupling - rotated.coupling).norm() < 1e-9 * rotated.membrane.norm());
  CHECK((seen.bending - rotated.bending).norm() < 1e-9 * rotated.bending.norm());
  CHECK((seen.shear - rotated.shear).norm() < 1e-9 * rotated.shear.norm());
  const double e = 70000, nu = 0.3, g = e / 2.6;
  const auto metal = laminate_stiffness({{e, e, nu, g, g, g, 2, 33, 0}});
  CHECK(metal.bending(0, 0) == archway::test::but_for_rounding(e * 8 / (12 * 0.91)));
  CHECK(metal.shear(0, 0) == archway::test::but_for_rounding(5.0 / 6 * g * 2));
  // four directions in equal parts: isotropic in the plane
  const auto quasi = laminate_stiffness(lay({0, 45, 90, -45}));
  CHECK(quasi.membrane(0, 0) == archway::test::but_for_rounding(quasi.membrane(1, 1)));
  CHECK(quasi.membrane(2, 2) == archway::test::but_for_rounding((quasi.membrane(0, 0) - quasi.membrane(0, 1)) / 2));
  CHECK_THROWS_AS(laminate_stiffness({}), archway::base::InputError);
  auto wrong = lay({0, 90});
  wrong[1].shear_23 = 0;
  CHECK_THROWS_WITH(laminate_stiffness(wrong), Catch::Contains("ply 2"));
}

}  // namespace laminate_tests
