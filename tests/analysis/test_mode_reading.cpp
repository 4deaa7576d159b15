#include "archway/analysis/mode_reading.hpp"
#include "archway/analysis/system.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
/// A bent sheet on a column, with loads that press, pull and shear; parts "post", "sheet" and "flap".
model::Model shed(const std::string& kind = "") {
  model::Model m = test::with_material(70000, 0.3);
  m.materials[0].expansion = 2e-5;
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 24}, {"height", 16}})));
  const auto faces = kind == "three" ? model::Faces::three : kind == "nine" ? model::Faces::nine : model::Faces::four;
  const int n = kind == "nine" ? 4 : 8;
  model::add_rectangle(m, test::panel_part("sheet", 2), Vec3(0, 0, 600), Vec3(400, 0, 0), Vec3(0, 300, 0), n, n - 2,
                       faces);
  model::add_rectangle(m, test::panel_part("flap", 3), Vec3(0, 0, 600), Vec3(400, 0, 0), Vec3(0, -60, -120), n, n / 4,
                       faces);
  model::add_member(m, test::member_part("post", Vec3::UnitX()), {Vec3(400, 300, 0), Vec3(400, 300, 600), {}}, 4);
  model::merge_coincident_nodes(m, 1e-6);
  test::hold(m, m.groups["post.start"], {0, 1, 2, 3, 4, 5});
  test::hold(m, m.groups["sheet.start"], {0, 1, 2});
  test::hold(m, m.groups["flap.end"], {2});
  test::hold(m, m.groups["flap.start"], {1});
  m.actions.resize(4);
  m.actions[0].name = "push";
  for (const auto& [a, b] : model::edges_among(m, m.groups["sheet.end"]))
    m.actions[0].edge_loads.push_back({a, b, Vec3(-1, 0.1, 0)});
  m.actions[1].name = "weight";
  m.actions[1].node_forces.push_back({m.groups["post.end"][0], Vec3(0, 0, -800), Vec3::Zero()});
  m.actions[2].name = "wind";
  for (int e = 0; e < static_cast<int>(m.shell_elements.size()); ++e)
    if (m.parts[static_cast<std::size_t>(m.shell_elements[static_cast<std::size_t>(e)].part)].name == "sheet")
      m.actions[2].surface_pressures.push_back({e, 2e-3, true});
  m.actions[3].name = "sun";
  m.actions[3].temperatures = {{0, 10}};
  return m;
}

analysis::BucklingOptions mixed(const std::vector<double>& factors) {
  analysis::BucklingOptions options;
  for (std::size_t p = 0; p < factors.size(); ++p) options.variable.terms.emplace_back(static_cast<int>(p), factors[p]);
  options.mode_count = 3;
  options.residual_tolerance = 1e-10;
  return options;
}
double first_factor(const model::Model& m, const analysis::BucklingOptions& options, std::size_t mode = 0) {
  return analysis::linear_buckling(analysis::System(m), options).modes.at(mode).load_factor;
}
}  // namespace

TEST_CASE("modes: shares of loads and parts sum to one, and those of loads predict another mix", "[analysis][fast]") {
  const std::vector<double> mix = {1, 0.7, 0.4, 1.5};
  const auto m = shed();
  const analysis::System system(m);
  const auto options = mixed(mix);
  const auto result = analysis::linear_buckling(system, options);
  const auto readings = analysis::read_modes(system, options, result);
  REQUIRE(readings.size() == result.modes.size());
  for (const auto& r : readings) {
    for (const auto* list : {&r.load_shares, &r.energy, &r.work}) {
      double sum = 0;
      for (const double share : *list) sum += share;
      CHECK(sum == Approx(1).epsilon(1e-9));
    }
    CHECK(r.held_share == 0.0);
    CHECK((r.joint_displacement >= 0 && r.joint_displacement <= 1));
    for (const double share : r.energy) CHECK(share >= 0);
  }
  for (std::size_t p = 0; p < mix.size(); ++p) {
    auto more = mix, less = mix;
    more[p] *= 1 + 1e-4;
    less[p] *= 1 - 1e-4;
    const double f = result.modes[0].load_factor,
                 slope = (first_factor(m, mixed(more)) - first_factor(m, mixed(less))) / 2e-4 / f;
    INFO(m.actions[p].name << ": share " << readings[0].load_shares[p] << ", by difference " << -slope);
    CHECK(readings[0].load_shares[p] == Approx(-slope).margin(1e-5));
  }
}

TEST_CASE("modes: sensitivities agree with differences to five digits, all kinds of shells and a member",
          "[analysis][fast]") {
  const std::string kind = GENERATE("four", "three", "nine");
  INFO(kind);
  auto m = shed(kind);
  m.springs.push_back({"stay", m.groups["sheet.end"].front(), -1, {0, 30, 20, 0, 0, 0}, base::Mat3::Identity()});
  auto options = mixed({1, 0.7, 0.4, 1.5});
  const bool holds = GENERATE(false, true);
  if (holds) {  // weight and sun stay as they are
    options.constant.terms = {options.variable.terms[1], options.variable.terms[3]};
    options.variable.terms = {options.variable.terms[0], options.variable.terms[2]};
  }
  const analysis::System system(m);
  const auto result = analysis::linear_buckling(system, options);
  const auto list = analysis::sensitivities(system, options, result, {0, 1, 2}, {"stay"});
  REQUIRE(list.size() == 4);
  for (const auto& s : list) {
    const auto factor_with = [&](double times) {
      auto changed = m;
      if (s.part < 0) {
        for (double& k : changed.springs[0].stiffness) k *= times;
        return first_factor(changed, options);
      }
      auto& part = changed.parts[static_cast<std::size_t>(s.part)];
      part.thickness *= times;
      if (part.kind == model::PartKind::member) {
        auto& p = changed.profiles[0];
        for (double* v : {&p.area, &p.second_moment_y, &p.second_moment_z, &p.torsion_constant, &p.shear_area_y,
                          &p.shear_area_z, &p.product_moment, &p.shear_area_yz, &p.warping_constant, &p.warping_shear,
                          &p.wagner_y, &p.wagner_z, &p.wagner_warp, &p.fourth_moment})
          *v *= times;
      }
      return first_factor(changed, options);
    };
    const double h = 2e-4, f = result.modes[0].load_factor;
    const double difference =
        (8 * (factor_with(1 + h) - factor_with(1 - h)) - (factor_with(1 + 2 * h) - factor_with(1 - 2 * h))) /
        (12 * h * f);
    INFO((s.part < 0 ? s.springs : m.parts[static_cast<std::size_t>(s.part)].name)
         << ": " << s.relative[0] << ", by difference " << difference << (holds ? ", part held" : ""));
    CHECK(s.relative[0] == Approx(difference).epsilon(1e-5).margin(1e-6));
  }
}

TEST_CASE("modes: a column gives back its effective length, where it yields first, and windows of its factors",
          "[analysis][fast]") {
  auto m = test::pinned_column(1000, 20, 10, 8);
  m.materials[0].yield_stress = 150;
  const analysis::System system(m);
  analysis::BucklingOptions options;
  options.variable = system.model().load_named("press");
  options.mode_count = 4;
  const auto result = analysis::linear_buckling(system, options);
  const auto base = analysis::base_state(system, options, result);
  CHECK(base.yield.load_factor == Approx(150 * 200).epsilon(1e-7));  // found by halving
  const auto lengths = analysis::first_taken_along(analysis::effective_lengths(
      m, model::joined_members(m), base, result, analysis::read_modes(system, options, result)));
  REQUIRE(lengths.size() == 1);
  CHECK(lengths[0].about_y == Approx(1000).epsilon(1e-3));  // shear shortens it by nothing to speak of
  CHECK(lengths[0].axial == archway::test::but_for_rounding(result.modes[0].load_factor));
  CHECK(lengths[0].slenderness == archway::test::but_for_rounding(std::sqrt(200 * 150 / lengths[0].axial)));
  options.lower = 0.5 * (result.modes[0].load_factor + result.modes[1].load_factor);
  options.upper = 1.001 * result.modes[3].load_factor;
  options.mode_count = 1;
  const auto window = analysis::linear_buckling(system, options);
  CHECK(window.complete());
  REQUIRE(window.modes.size() == 3);
  for (std::size_t k = 0; k < 3; ++k)
    CHECK(window.modes[k].load_factor == Approx(result.modes[k + 1].load_factor).epsilon(1e-9));
  options.upper = 1.001 * options.lower;
  CHECK(analysis::linear_buckling(system, options).modes.empty());
  options.upper = options.lower;
  CHECK_THROWS_WITH(analysis::linear_buckling(system, options), Catch::Contains("is empty"));
}

TEST_CASE("modes: dozens of clustered modes of a tube come out whole, slice by slice", "[analysis]") {
  model::Model m = test::with_material(70000, 0.33);
  model::add_cylinder_strip(m, test::panel_part("tube", 1), Vec3::Zero(), Vec3(0, 0, 220), Vec3(150, 0, 0), 2 * M_PI,
                            96, 32);
  model::merge_coincident_nodes(m, 1e-6);
  test::hold(m, m.groups["tube.left"], {0, 1, 2});
  test::hold(m, m.groups["tube.right"], {0, 1});
  m.actions.emplace_back().name = "press";
  for (const auto& [a, b] : model::edges_among(m, m.groups["tube.right"]))
    m.actions[0].edge_loads.push_back({a, b, Vec3(0, 0, -1)});
  const analysis::System system(m);
  analysis::BucklingOptions options;
  options.variable = m.load_named("press");
  options.mode_count = 60;
  const auto many = analysis::linear_buckling(system, options);
  REQUIRE(many.complete());
  REQUIRE(many.modes.size() >= 60);
  CHECK(many.proof.counted_below_cut == static_cast<int>(many.modes.size()));
  options.mode_count = 7;
  const auto few = analysis::linear_buckling(system, options);
  REQUIRE(few.complete());
  for (std::size_t k = 0; k < few.modes.size(); ++k)
    CHECK(few.modes[k].load_factor == Approx(many.modes[k].load_factor).epsilon(1e-8));
  options.mode_count = 1;
  options.upper = 0.5 * (many.modes[40].load_factor + many.modes[41].load_factor);
  const auto below = analysis::linear_buckling(system, options);
  CHECK(below.complete());
  CHECK(below.modes.size() == 41);
  std::size_t from = 15;
  while (many.modes[from].load_factor < (1 + 1e-4) * many.modes[from - 1].load_factor) ++from;
  options.lower = 0.5 * (many.modes[from - 1].load_factor + many.modes[from].load_factor);
  const auto window = analysis::linear_buckling(system, options);
  CHECK(window.complete());
  REQUIRE(window.modes.size() == 41 - from);
  options.upper = HUGE_VAL;
  options.mode_count = 6;
  const auto above = analysis::linear_buckling(system, options);
  CHECK(above.complete());
  REQUIRE(above.modes.size() >= 6);
  for (std::size_t k = 0; k < 6; ++k) {
    CHECK(window.modes[k].load_factor == Approx(many.modes[from + k].load_factor).epsilon(1e-8));
    CHECK(above.modes[k].load_factor == Approx(many.modes[from + k].load_factor).epsilon(1e-8));
  }
}
