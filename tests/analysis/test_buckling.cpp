#include "archway/analysis/buckling.hpp"
#include "archway/theory/formulas.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
analysis::BucklingResult buckle(const model::Model& m, const std::string& load, int count, const std::string& held = "",
                                analysis::Negative negative = analysis::Negative::leave_out) {
  analysis::BucklingOptions options;
  options.growing = m.load_named(load);
  if (!held.empty()) options.held = m.load_named(held);
  options.mode_count = count;
  options.negative = negative;
  return analysis::linear_buckling(analysis::System(m), options);
}

/// Square-ish plate a x b in the x-y plane, compressed along x by 1 N/mm on both short edges, simply supported.
model::Model compressed_plate(double a, double b, double t, int nx, int ny) {
  model::Model m = test::with_material(70000, 0.3);
  model::add_rectangle(m, test::panel_part("plate", t), Vec3::Zero(), Vec3(a, 0, 0), Vec3(0, b, 0), nx, ny);
  for (const char* edge : {"plate.start", "plate.end", "plate.left", "plate.right"}) test::hold(m, m.groups[edge], {2});
  const auto nearest = [&](double x, double y) {
    model::Selection place;
    place.near = Vec3(x, y, 0);
    return model::select(m, place);
  };
  // dead loads on a plate pivoted at one point would turn it round: hold both ends of the centre line
  test::hold(m, nearest(a / 2, b / 2), {0});
  for (const double x : {0.0, a}) test::hold(m, nearest(x, b / 2), {1});
  model::LoadPattern press;
  press.name = "press";
  for (const auto& [edge, sign] : {std::pair{"plate.start", 1.0}, {"plate.end", -1.0}})
    for (const auto& [i, j] : model::edges_among(m, m.groups[edge]))
      press.edge_loads.push_back({i, j, Vec3(sign, 0, 0)});
  m.patterns.push_back(press);
  return m;
}
}  // namespace

TEST_CASE("buckling: pinned column, four modes on eight elements", "[analysis][fast]") {
  const double length = 1370, e = 207000;
  auto m = test::pinned_column(length, 34, 13, 8, e);
  const auto result = buckle(m, "press", 4);
  REQUIRE(result.usable());
  REQUIRE(result.complete());
  const double inertia = 34.0 * 13 * 13 * 13 / 12, shear = e / 2.6 * 34 * 13 * 5 / 6;
  for (int n = 1; n <= 4; ++n) {
    const double euler = theory::euler_load(e, inertia, length / n, 1);
    const double got = result.modes[static_cast<std::size_t>(n - 1)].load_factor;
    CHECK_DIGITS(got, theory::haringx_load(euler, shear), 3.5,
                 "cubic beams, error of order h^6, two elements a half wave at worst");
  }
}

TEST_CASE("buckling: simply supported plate", "[analysis][fast]") {
  const int n = 16;
  const double b = 320, t = 1.0;
  for (const int ratio : {1, 3}) {
    const auto result = buckle(compressed_plate(ratio * b, b, t, ratio * n, n), "press", 4);
    REQUIRE(result.complete());
    const double k = 4 * result.modes[0].load_factor / theory::plate_load(4, 70000, 0.3, t, b);
    INFO("k = " << k);
    CHECK(std::abs(k - 4) < 0.02);
  }
}
