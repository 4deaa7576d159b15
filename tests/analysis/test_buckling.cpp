#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/outline.hpp"
#include "archway/theory/formulas.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
analysis::BucklingResult buckle(const model::Model& m, const std::string& load, int count, const std::string& held = "",
                                analysis::Negative negative = analysis::Negative::leave_out) {
  analysis::BucklingOptions options;
  options.variable = m.load_named(load);
  if (!held.empty()) options.constant = m.load_named(held);
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
  // dead loads on a plate pivoted at one point would flip it round: hold both ends of the centre line
  test::hold(m, nearest(a / 2, b / 2), {0});
  for (const double x : {0.0, a}) test::hold(m, nearest(x, b / 2), {1});
  model::Action press;
  press.name = "press";
  for (const auto& [edge, sign] : {std::pair{"plate.start", 1.0}, {"plate.end", -1.0}})
    for (const auto& [i, j] : model::edges_among(m, m.groups[edge]))
      press.edge_loads.push_back({i, j, Vec3(sign, 0, 0)});
  m.actions.push_back(press);
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

TEST_CASE("buckling: constant part + factor x variable part", "[analysis][fast]") {
  auto m = test::pinned_column(1540, 28, 15, 8);
  m.combinations.push_back({"held", {{0, 1700}}});
  m.combinations.push_back({"live", {{0, 850}}});
  const auto alone = buckle(m, "press", 2), both = buckle(m, "live", 2, "held");
  REQUIRE(both.complete());
  CHECK(both.variable_imbalance < 1e-10);
  CHECK_DIGITS(both.variable_reacted.force.x(), 850, 10, "the support meets the variable load");
  for (std::size_t i = 0; i < 2; ++i)
    CHECK_DIGITS(1700 + 850 * both.modes[i].load_factor, alone.modes[i].load_factor, 9,
                 "one line of action: the parts add up");
  m.combinations[0].terms[0].second = 1e6;
  const auto beyond = buckle(m, "live", 2, "held");
  CHECK(beyond.ending == analysis::Ending::preload_unstable);
  CHECK_FALSE(beyond.usable());
}

TEST_CASE("buckling: a load that only pulls has no positive factor, and says so", "[analysis][fast]") {
  auto m = test::pinned_column(1000, 30, 12, 4);
  const auto pressed = buckle(m, "press", 1);
  m.actions[0].node_forces[0].force = Vec3(1, 0, 0);
  const auto pulled = buckle(m, "press", 3, "", analysis::Negative::show);
  CHECK(pulled.no_compression);
  CHECK(pulled.usable());
  CHECK(pulled.modes.empty());
  CHECK_THAT(pulled.message, Catch::Contains("no positive load factor"));
  REQUIRE_FALSE(pulled.negative_modes.empty());
  CHECK_DIGITS(pulled.negative_modes[0].load_factor, -pressed.modes[0].load_factor, 9, "the load reversed");
  CHECK(buckle(m, "press", 3).negative_modes.empty());
}

TEST_CASE("buckling: shapes are normalised and signed, pairs are seen", "[analysis][fast]") {
  auto m = test::pinned_column(1000, 20, 20, 6);  // square section, free to leave the plane as well
  m.supports.clear();
  test::hold(m, m.groups["column.start"], {0, 1, 2, 3});
  test::hold(m, m.groups["column.end"], {1, 2});
  const auto r = buckle(m, "press", 3);
  REQUIRE(r.complete());
  CHECK(r.modes.size() == 4);  // the third is one of a pair, so the fourth comes along
  for (const auto& mode : r.modes) {
    CHECK(mode.repeated);
    // of the waves the one farthest along x goes forwards
    double component = 0, farthest = -1;
    for (Eigen::Index n = 0; n < mode.shape.size(); n += model::kNodeDofs) {
      const double x = m.nodes[static_cast<std::size_t>(n / model::kNodeDofs)].x();
      if (mode.shape.segment<3>(n).norm() < 0.9 || x < farthest) continue;
      farthest = x;
      Eigen::Index k = 0;
      mode.shape.segment<3>(n).cwiseAbs().maxCoeff(&k);
      component = mode.shape[n + k];
    }
    CHECK_DIGITS(elements::Outline(m).largest(mode.shape), 1, 12, "largest displacement of the outline is one");
    CHECK(component > 0);
    CHECK(mode.residual < 1e-6);
  }
}

TEST_CASE("linear static: prescribed displacement, reactions and their balance", "[analysis][fast]") {
  auto m = test::pinned_column(1000, 30, 12, 4);
  model::Action squeeze;
  squeeze.name = "squeeze";
  squeeze.displacements.push_back({m.groups["column.end"][0], 0, -0.5});
  m.actions.push_back(squeeze);
  const auto r = analysis::linear_static(analysis::System(m), m.load_named("squeeze"));
  REQUIRE(r.usable());
  CHECK_DIGITS(r.reactions[model::row(m.groups["column.start"][0])], 200000 * 360 * 0.5 / 1000, 10, "E A u / L");
  CHECK_DIGITS(r.member_forces[0].points[1].axial, -200000 * 360 * 0.5 / 1000, 10, "E A u / L, compression negative");
  CHECK_DIGITS(r.displacement[model::row(m.groups["column.end"][0])], -0.5, 15, "as prescribed");
  CHECK(r.imbalance < 1e-10);
}
