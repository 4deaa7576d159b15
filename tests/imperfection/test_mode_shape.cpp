#include "archway/base/errors.hpp"
#include "archway/elements/shell.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using imperfection::from_shapes;
using test::Vec3;

namespace {
Eigen::VectorXd half_wave(const model::Model& m, int waves, double raw_size) {
  Eigen::VectorXd shape = Eigen::VectorXd::Zero(model::row(m.node_count()));
  for (int n = 0; n < m.node_count(); ++n)
    shape[model::row(n) + 2] = raw_size * std::sin(waves * M_PI * m.nodes[static_cast<std::size_t>(n)].x() / 1000);
  return shape;
}
}  // namespace

TEST_CASE("imperfection: the amplitude is what was asked, whatever the raw size of the mode", "[imperfection][fast]") {
  const auto m = test::pinned_column(1000, 20, 10, 6);
  for (const double raw : {1e-6, 1.0, 1e7}) {
    const auto shape = half_wave(m, 1, raw);
    const auto i = from_shapes(m, {{&shape, 1}}, 2.5);
    CHECK_DIGITS(i.displacement[9].z(), 2.5, 10, "crown of the half wave");
    CHECK_DIGITS(i.largest, 2.5, 14, "as asked");
    CHECK(i.root_mean_square < 2.5);
    CHECK(i.root_mean_square > 1.5);
  }
  const auto shape = half_wave(m, 1, 1);
  CHECK_DIGITS(from_shapes(m, {{&shape, 1}}, -2.5).displacement[9].z(), -2.5, 10,
               "a negative amplitude flips it round");
}

TEST_CASE("imperfection: a mix weighs shapes of equal size, then scales the whole", "[imperfection][fast]") {
  const auto m = test::pinned_column(1000, 20, 10, 6);
  const auto one = half_wave(m, 1, 3.0), three = half_wave(m, 3, 1e4);
  const auto i = from_shapes(m, {{&one, 1}, {&three, -1}}, 4);
  CHECK_DIGITS(i.displacement[9].z(), 4, 9, "both crowns add up in the middle: largest there");
  const double quarter = (std::sin(M_PI / 6) - std::sin(M_PI / 2)) / 2 * 4;
  CHECK_DIGITS(i.displacement[3].z(), quarter, 7, "half of each elsewhere");
}

TEST_CASE("imperfection: a shape that moves nothing is refused", "[imperfection][fast]") {
  const auto m = test::pinned_column(1000, 20, 10, 2);
  const Eigen::VectorXd nothing = Eigen::VectorXd::Zero(model::row(m.node_count()));
  CHECK_THROWS_AS(from_shapes(m, {{&nothing, 1}}, 1), base::InputError);
}

TEST_CASE("imperfection: the moved model is free of stress and has new directors", "[imperfection][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("sheet", 2), Vec3::Zero(), Vec3(1000, 0, 0), Vec3(0, 400, 0), 10, 4);
  const auto shape = half_wave(m, 1, 1);
  const auto moved = imperfection::apply(m, from_shapes(m, {{&shape, 1}}, 50));
  const elements::ShellBatch shells(moved);
  const auto state = elements::State::reference(moved);
  for (int e = 0; e < shells.size(); ++e) {
    std::array<double, 24> force{};
    REQUIRE(shells.evaluate(state, &e, 1, {force.data(), nullptr, nullptr}, {}) == base::Verdict::good);
    for (const double f : force) CHECK(std::abs(f) < 1e-6);
  }
  CHECK(elements::corner_directors(moved)[0][0].x() < -0.05);  // the sheet leans back at its start
}
