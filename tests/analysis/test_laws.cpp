// Laws instead of numbers: what may not change an answer, and by how much something else must.
#include <numeric>
#include <random>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
/// A frame of beams carrying a shell shelf: both kinds of element, three-dimensional, no symmetry.
model::Model shelf() {
  model::Model m = test::with_material(70000, 0.3, 2.7e-9);
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 12}, {"height", 18}})));
  const Vec3 feet[] = {{0, 0, 0}, {400, 30, 0}, {380, 300, 0}, {-20, 280, 0}},
             heads[] = {{0, 0, 500}, {400, 0, 500}, {400, 300, 500}, {0, 300, 500}};
  for (int k = 0; k < 4; ++k)
    model::add_member(m, test::member_part("leg" + std::to_string(k), Vec3(1, 0.2, 0)), {feet[k], heads[k], {}}, 3);
  model::add_rectangle(m, test::panel_part("top", 3), Vec3(0, 0, 500), Vec3(400, 0, 0), Vec3(0, 300, 0), 6, 5);
  model::merge_coincident_nodes(m, 1e-6);
  model::Selection floor;
  for (int k = 0; k < 4; ++k) test::hold(m, m.groups["leg" + std::to_string(k) + ".start"], {0, 1, 2, 5});
  model::Action load;
  load.name = "load";
  for (const int e : model::shell_elements_of(m, "top")) load.surface_loads.push_back({e, Vec3(0, 0, -0.01), false});
  for (const int e : model::shell_elements_of(m, "top")) load.surface_pressures.push_back({e, 0.002, true});
  m.actions.push_back(load);
  return m;
}

std::vector<double> factors(const model::Model& m, int count = 4) {
  analysis::BucklingOptions options;
  options.variable = m.load_named("load");
  options.mode_count = count;
  const auto r = analysis::linear_buckling(analysis::System(m), options);
  REQUIRE(r.complete());
  std::vector<double> list;
  for (const auto& mode : r.modes) list.push_back(mode.load_factor);
  return list;
}

void check_scaled(const std::vector<double>& got, const std::vector<double>& want, double scale, double digits,
                  const char* reason) {
  for (std::size_t i = 0; i < std::min(got.size(), want.size()); ++i)
    CHECK_DIGITS(got[i], scale * want[i], digits, reason);
}
}  // namespace

TEST_CASE("law: doubling E doubles the load factors", "[analysis][fast]") {
  model::Model m = shelf();
  const auto before = factors(m);
  m.materials[0].youngs_modulus *= 2;
  check_scaled(factors(m), before, 2, 8, "linear in E; a residual of 1e-6 leaves eight digits to a factor");
}

TEST_CASE("law: the same structure in metres has the same factors", "[analysis][fast]") {
  model::Model m = shelf();
  const auto before = factors(m);
  for (auto& n : m.nodes) n *= 1e-3;
  m.materials[0].youngs_modulus *= 1e6;
  m.parts.back().thickness *= 1e-3;
  m.profiles[0] =
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 0.012}, {"height", 0.018}}));
  for (auto& l : m.actions[0].surface_loads) l.force_per_area *= 1e6;
  for (auto& l : m.actions[0].surface_pressures) l.pressure *= 1e6;
  check_scaled(factors(m), before, 1, 7, "only the numbers' units change");
}

TEST_CASE("law: a rotated structure has the same factors", "[analysis][fast]") {
  model::Model m = shelf();
  const auto before = factors(m);
  const auto r = base::exponential(Vec3(0.7, -1.3, 2.1)).toRotationMatrix();
  // supports hold global axes: let them hold everything, in both models
  const auto clamp = [](model::Model& x) {
    for (int k = 0; k < 4; ++k) test::hold(x, x.groups["leg" + std::to_string(k) + ".start"], {3, 4});
  };
  model::Model rotated = m;
  clamp(m);
  clamp(rotated);
  for (auto& n : rotated.nodes) n = r * n;
  for (auto& p : rotated.parts) p.up = r * p.up;
  for (auto& l : rotated.actions[0].surface_loads) l.force_per_area = r * l.force_per_area;
  check_scaled(factors(rotated), factors(m), 1, 8, "nothing in the elements knows the global axes");
  CHECK(before[0] < factors(m)[0]);  // and holding more never lowers the first factor here
}

TEST_CASE("law: renumbering nodes and elements changes nothing", "[analysis][fast]") {
  model::Model m = shelf();
  const auto before = factors(m);
  std::vector<int> to(m.nodes.size());
  std::iota(to.begin(), to.end(), 0);
  std::mt19937 random(17);
  std::shuffle(to.begin(), to.end(), random);
  model::Model other = m;
  for (std::size_t n = 0; n < to.size(); ++n) other.nodes[static_cast<std::size_t>(to[n])] = m.nodes[n];
  for (auto& e : other.line_elements)
    for (int& n : e.nodes) n = to[static_cast<std::size_t>(n)];
  for (auto& e : other.shell_elements) {
    for (int& n : e.nodes) n = to[static_cast<std::size_t>(n)];
    std::rotate(e.nodes.begin(), e.nodes.begin() + 1, e.nodes.begin() + 4);  // another first corner
  }
  std::reverse(other.line_elements.begin(), other.line_elements.end());
  for (auto& s : other.supports) s.node = to[static_cast<std::size_t>(s.node)];
  check_scaled(factors(other), before, 1, 7, "numbers are names");
}

TEST_CASE("law: more modes asked never change the first", "[analysis][fast]") {
  const model::Model m = shelf();
  const auto few = factors(m, 1), many = factors(m, 12);
  REQUIRE(many.size() >= 12);
  check_scaled({few[0]}, {many[0]}, 1, 9, "the same mode");
}

TEST_CASE("law: the same run gives the same digits", "[analysis][fast]") {
  const model::Model m = shelf();
  CHECK(factors(m) == factors(m));
}

TEST_CASE("law: the drilling share does not carry the answer", "[analysis][fast]") {
  // a folded strip without anything to stop in-plane rotates but the elements themselves: no false low modes
  model::Model m = test::with_material(70000, 0.3);
  model::add_rectangle(m, test::panel_part("a", 1), Vec3::Zero(), Vec3(300, 0, 0), Vec3(0, 60, 0), 20, 4);
  model::add_rectangle(m, test::panel_part("b", 1), Vec3::Zero(), Vec3(300, 0, 0), Vec3(0, 0, 40), 20, 3);
  model::merge_coincident_nodes(m, 1e-6);
  for (const char* end : {"a.start", "b.start", "a.end", "b.end"}) test::hold(m, m.groups[end], {1, 2});
  test::hold(m, {m.groups["a.start"][0]}, {0});
  model::Action p;
  p.name = "load";
  for (const auto& [end, sign] : {std::pair{"a.start", 1.0}, {"b.start", 1.0}, {"a.end", -1.0}, {"b.end", -1.0}})
    for (const auto& [i, j] : model::edges_among(m, m.groups[end])) p.edge_loads.push_back({i, j, Vec3(sign, 0, 0)});
  m.actions.push_back(p);
  // long-plate theory for the wider leg, one edge free: k between 0.425 and 1.28 of pi^2 D / b^2
  const double d = 70000 / (12 * 0.91), unit = M_PI * M_PI * d / 3600;
  const double first = factors(m)[0];
  CHECK(first > 0.425 * unit);
  CHECK(first < 1.28 * unit);
}

TEST_CASE("law: shell strip and beam of the same column agree", "[analysis][fast]") {
  const double length = 300, width = 12, t = 3, e = 70000;
  model::Model beam = test::pinned_column(length, width, t, 6, e);
  beam.materials[0].poisson_ratio = 0;
  beam.actions[0].name = "load";
  model::Model strip = test::with_material(e, 0.0);
  model::add_rectangle(strip, test::panel_part("strip", t), Vec3::Zero(), Vec3(length, 0, 0), Vec3(0, width, 0), 24, 2);
  test::hold(strip, strip.groups["strip.start"], {0, 2});
  test::hold(strip, strip.groups["strip.end"], {2});
  for (int n = 0; n < strip.node_count(); ++n) test::hold(strip, {n}, {1, 3, 5});
  model::Action p;
  p.name = "load";
  for (const auto& [i, j] : model::edges_among(strip, strip.groups["strip.end"]))
    p.edge_loads.push_back({i, j, Vec3(-1 / width, 0, 0)});
  strip.actions.push_back(p);
  const auto from_beam = factors(beam, 3), from_strip = factors(strip, 3);
  for (std::size_t i = 0; i < 3; ++i)
    CHECK_DIGITS(from_strip[i], from_beam[i], i == 0 ? 2.5 : 1.5, "24 elements a length, error of order h^2");
}
