#include "archway/base/shape_functions.hpp"
#include "support/digits.hpp"

using namespace archway::base;

TEST_CASE("shape functions: surfaces sum to one, meet their nodes and have the slopes they say", "[base][fast]") {
  const int count = GENERATE(3, 4, 8, 9);
  INFO(count << " nodes");
  const std::array<double, 9> r = {-1, 1, 1, -1, 0, 1, 0, -1, 0}, s = {-1, -1, 1, 1, -1, 0, 1, 0, 0};
  const std::array<double, 3> tr = {0, 1, 0}, ts = {0, 0, 1};
  for (std::size_t k = 0; k < static_cast<std::size_t>(count); ++k) {
    const auto f = count == 3 ? surface_shape(3, tr[k], ts[k]) : surface_shape(count, r[k], s[k]);
    for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i)
      CHECK(f.n[i] == Approx(i == k ? 1 : 0).margin(1e-14));
  }
  const double h = 1e-6, x = 0.23, y = 0.41;
  const auto f = surface_shape(count, x, y);
  double sum = 0, slope_r = 0, slope_s = 0;
  for (std::size_t i = 0; i < 9; ++i) {
    sum += f.n[i];
    slope_r += f.dr[i];
    slope_s += f.ds[i];
    CHECK(f.dr[i] ==
          Approx((surface_shape(count, x + h, y).n[i] - surface_shape(count, x - h, y).n[i]) / (2 * h)).margin(1e-9));
    CHECK(f.ds[i] ==
          Approx((surface_shape(count, x, y + h).n[i] - surface_shape(count, x, y - h).n[i]) / (2 * h)).margin(1e-9));
  }
  CHECK(sum == archway::test::but_for_rounding(1));
  CHECK(std::abs(slope_r) + std::abs(slope_s) < 1e-13);
  double area = 0;
  for (const auto& g : surface_rule(count)) area += g.weight;
  CHECK(area == archway::test::but_for_rounding(count == 3 ? 0.5 : 4));
}

TEST_CASE("shape functions: solids sum to one, meet their nodes and have the slopes they say", "[base][fast]") {
  const int count = GENERATE(8, 20);
  INFO(count << " nodes");
  const auto& nodes = solid_nodes();
  for (std::size_t k = 0; k < static_cast<std::size_t>(count); ++k) {
    const auto f = solid_shape(count, nodes[k]);
    for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i)
      CHECK(f.n[i] == Approx(i == k ? 1 : 0).margin(1e-14));
  }
  const Vec3 x(0.2, -0.5, 0.7);
  const auto f = solid_shape(count, x);
  double sum = 0;
  Vec3 place = Vec3::Zero();
  for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i) {
    sum += f.n[i];
    place += f.n[i] * nodes[i];
    for (int k = 0; k < 3; ++k) {
      const Vec3 step = 1e-6 * Vec3::Unit(k);
      CHECK(f.d[i][k] ==
            Approx((solid_shape(count, x + step).n[i] - solid_shape(count, x - step).n[i]) / 2e-6).margin(1e-9));
    }
  }
  CHECK(sum == archway::test::but_for_rounding(1));
  CHECK((place - x).norm() < 1e-14);
}
