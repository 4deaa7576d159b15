// The rules of a path, each for itself, and paths that begin, branch and run beside each other.
#include <thread>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path_rules.hpp"
#include "archway/analysis/system.hpp"
#include "archway/theory/formulas.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using analysis::PathEvent;
using Eigen::VectorXd;
using test::Vec3;

TEST_CASE("step rule: easy steps grow, hard ones shrink, within bounds", "[analysis][fast]") {
  analysis::PathOptions o;
  o.steps.first = 0.1;
  const analysis::StepRule rule(o);
  CHECK_DIGITS(rule.largest, 0.8, 14, "default");
  CHECK_DIGITS(rule.after(0.1, 4), 0.1, 14, "as many iterations as wanted");
  CHECK_DIGITS(rule.after(0.1, 1), 0.15, 14, "no more than one and a half");
  CHECK_DIGITS(rule.after(0.1, 0), 0.3, 14, "three times after none");
  CHECK_DIGITS(rule.after(0.1, 16), 0.05, 14, "sqrt(4 / 16)");
  CHECK_DIGITS(rule.after(0.7, 1), 0.8, 14, "never above the largest");
  CHECK(rule.too_small(rule.cut(rule.smallest)));
  CHECK(rule.is_smallest(rule.smallest));
  CHECK_FALSE(rule.is_smallest(4 * rule.smallest));
}

namespace {
VectorXd at_dof(int dof, double value) {
  VectorXd full = VectorXd::Zero(2 * model::kNodeDofs);
  full[dof] = value;
  return full;
}
}  // namespace

TEST_CASE("convergence: unbalanced forces count in full, whatever the stiffness", "[analysis][fast]") {
  const analysis::ConvergenceTest rule{1e-6, 1e-10};
  const VectorXd loads = at_dof(0, 1.0);
  const auto balance = [&](const VectorXd& gap) { return rule.balance(gap, loads, loads, 10); };
  CHECK(rule.passes(balance(at_dof(0, 5e-7))));
  CHECK_FALSE(rule.passes(balance(at_dof(0, 2e-6))));
  CHECK_FALSE(rule.passes(balance(at_dof(7, 1e-2))));
  CHECK_FALSE(rule.passes(balance(at_dof(7, std::nan("")))));
  // moments are measured by moments, or by forces times a thousandth of the size where there are next to none
  CHECK_DIGITS(balance(at_dof(10, 1e-3)).residual, 0.1, 12, "1e-3 / (1e-3 x 10 x 1)");
  CHECK(rule.energy_passes(1e-11, 1));
  CHECK_FALSE(rule.energy_passes(1e-9, 1));
}

TEST_CASE("convergence: corrections are measured by translations and rotations", "[analysis][fast]") {
  using Extent = analysis::ConvergenceTest::Extent;
  CHECK(Extent{1e-7, 1e-10}.within(1e-6, {1, 1e-3}, 1000));
  CHECK_FALSE(Extent{1e-5, 0}.within(1e-6, {1, 1e-3}, 1000));
  CHECK_FALSE(Extent{0, 1e-8}.within(1e-6, {1, 1e-3}, 1000));
  CHECK(Extent{0, 1e-9}.within(1e-6, {1, 0}, 1000));
  const auto extent = Extent::of(at_dof(1, -3) + at_dof(9, 2) + at_dof(11, -0.5));
  CHECK(extent.translation == 3);
  CHECK(extent.rotation == 0.5);
}

TEST_CASE("rotation: the cubic through two places and slopes has its rotation there", "[analysis][fast]") {
  const auto cubic = [](double x) { return 3 + 2 * (x - 1.3) * (x - 1.3) * (x - 4); };
  const auto slope = [](double x) { return 4 * (x - 1.3) * (x - 4) + 2 * (x - 1.3) * (x - 1.3); };
  const double left = GENERATE(0.2, 1.0, 1.2), right = GENERATE(1.5, 2.5, 3.0);
  const analysis::PathPlace low{left, cubic(left), slope(left)}, high{right, cubic(right), slope(right)};
  CHECK_DIGITS(analysis::rotation_between(low, high), 1.3, 10, "exact for a cubic");
}

namespace {
analysis::PathOptions column_path(const model::Model& m, double euler) {
  analysis::PathOptions o;
  o.variable = m.load_named("press");
  o.steps.first = o.steps.largest = 0.3 * euler;
  o.stop.increments = 14;
  o.watch.push_back({"middle", 0, Vec3::UnitZ()});
  for (int n = 0; n < m.node_count(); ++n)
    if (std::abs(m.nodes[static_cast<std::size_t>(n)].x() - 500) < 1) o.watch[0].node = n;
  return o;
}
const double kEuler = theory::euler_load(200000, 30 * 12 * 12 * 12 / 12.0, 1000, 1);
}  // namespace

TEST_CASE("branching: a perfect column leaves its axis at the bifurcation, either way", "[analysis][fast]") {
  const auto m = test::pinned_column(1000, 30, 12, 6, 200000);
  auto o = column_path(m, kEuler);
  const analysis::System system(m);
  o.stop.watch = 0;
  o.stop.increments = 40;
  o.branches.at_bifurcation = GENERATE(analysis::Branching::branch, analysis::Branching::branch_reversed);
  o.stop.displacement = o.branches.at_bifurcation == analysis::Branching::branch ? 200 : -200;
  const auto r = analysis::follow_path(system, o);
  REQUIRE(r.usable());
  REQUIRE(r.first_loss > 0);
  REQUIRE(r.critical_points.size() == 1);
  const auto& point = r.critical_points[0];
  CHECK(point.increment == r.first_loss);
  CHECK(point.multiplicity == 1);
  CHECK_DIGITS(std::abs(point.shapes(model::row(o.watch[0].node) + 2, 0)), 1.0, 3, "the middle moves most");
  const auto& last = r.increments.back();
  CHECK_DIGITS(last.watched[0], o.stop.displacement, 9, "its sign included");
  // the elastica rises slowly: P / P_E = 1 + (pi w / L)^2 / 8 for a middle displacement w
  const double w = last.watched[0], start = r.increments[static_cast<std::size_t>(r.first_loss)].load_factor;
  for (const auto& increment : r.increments)
    if (const double own = std::abs(increment.watched[0]); own > 5 && own < 80)
      CHECK_DIGITS(increment.load_factor / start, 1 + std::pow(M_PI * own / 1000, 2) / 8, 3.3, "second order");
  CHECK(last.negative_pivots == 0);  // the branch is stable
  for (std::size_t i = 1; i < r.increments.size(); ++i) {
    CHECK(r.increments[i].parent < r.increments[i].number);
    if (static_cast<int>(i) > r.first_loss) CHECK(r.increments[i].parent >= r.first_loss);
  }
  o.branches.at_bifurcation = o.branches.at_bifurcation == analysis::Branching::branch
                                  ? analysis::Branching::branch_reversed
                                  : analysis::Branching::branch;
  o.stop.displacement = -o.stop.displacement;
  CHECK(analysis::follow_path(system, o).increments.back().watched[0] * w < 0);
}

TEST_CASE("path start: it goes on from a kept state, to the same places", "[analysis][fast]") {
  auto m = test::pinned_column(1000, 30, 12, 6, 200000);
  m.actions[0].node_forces.push_back({m.groups.at("column.end")[0], Vec3::Zero(), Vec3(0, 2, 0)});  // bends it
  auto o = column_path(m, 0.3 * kEuler);
  const analysis::System system(m);
  o.stop.load_factor = 0.5 * kEuler;
  o.stop.increments = 60;
  const auto whole = analysis::follow_path(system, o);
  REQUIRE(whole.usable());
  REQUIRE(whole.increments.size() > 4);
  o.start = std::make_shared<const analysis::PathStart>(analysis::PathStart{whole.increments[3].kept, {}, 0});
  const auto rest = analysis::follow_path(system, o);
  REQUIRE(rest.usable());
  CHECK(rest.increments[0].load_factor == whole.increments[3].load_factor);
  CHECK(rest.increments[0].watched == whole.increments[3].watched);
  CHECK_DIGITS(rest.increments.back().watched[0], whole.increments.back().watched[0], 6, "the same end");
  // another structure, or other loads, are reported
  const auto other = test::pinned_column(1000, 30, 12, 8, 200000);
  CHECK_THROWS_AS(analysis::follow_path(analysis::System(other), o), base::InputError);
  auto wrong = *whole.increments[3].kept;
  wrong.load_factor *= 1.1;
  o.start = std::make_shared<const analysis::PathStart>(
      analysis::PathStart{std::make_shared<const analysis::KeptState>(wrong), {}, 0});
  CHECK_THROWS_AS(analysis::follow_path(system, o), base::InputError);
}

TEST_CASE("threads: the same bits with one and with several, alone and side by side on one topology",
          "[analysis][fast]") {
  model::Model m = test::with_material(70000, 0.3);
  model::add_rectangle(m, test::panel_part("sheet", 3), Vec3::Zero(), Vec3(600, 0, 0), Vec3(0, 300, 0), 40, 24);
  test::hold(m, m.groups["sheet.start"], {0, 1, 2});
  for (const char* edge : {"sheet.end", "sheet.left", "sheet.right"}) test::hold(m, m.groups[edge], {2});
  m.actions.emplace_back().name = "press";
  for (const auto& [a, b] : model::edges_among(m, m.groups["sheet.end"]))
    m.actions[0].edge_loads.push_back({a, b, Vec3(-1, 0, 0)});
  m.actions[0].node_forces.push_back({m.node_count() / 2, Vec3(0, 0, 5), Vec3::Zero()});
  const auto shared = std::make_shared<const model::Model>(m);
  struct Answer {
    std::vector<double> factors;
    std::vector<double> path;
  };
  const auto solve = [&](const analysis::System& system) {
    Answer answer;
    analysis::BucklingOptions b;
    b.variable = m.load_named("press");
    for (const auto& mode : analysis::linear_buckling(system, b).modes) answer.factors.push_back(mode.load_factor);
    analysis::PathOptions o;
    o.variable = b.variable;
    o.steps.first = 0.3 * answer.factors.at(0);
    o.stop.increments = 4;
    for (const auto& i : analysis::follow_path(system, o).increments) {
      answer.path.push_back(i.load_factor);
      answer.path.push_back(i.largest_displacement);
    }
    return answer;
  };
  const analysis::System one(shared, base::make_executor(1));
  const Answer alone = solve(one);
  REQUIRE(alone.factors.size() >= 4);
  REQUIRE(alone.path.size() == 10);
  const auto same = [&](const Answer& other) { return other.factors == alone.factors && other.path == alone.path; };
  CHECK(same(solve(analysis::System(shared, base::make_executor(3)))));
  // two at once, with the topology of the first
  const analysis::System left(shared, base::make_executor(2), one.topology()),
      right(shared, base::make_executor(2), one.topology());
  Answer first, second;
  std::thread beside([&] { first = solve(left); });
  second = solve(right);
  beside.join();
  CHECK(same(first));
  CHECK(same(second));
}

TEST_CASE("topology: shared by systems on one mesh, refused on another, its symbolic work done once",
          "[analysis][fast]") {
  const auto m = test::pinned_column(1000, 30, 12, 6, 200000);
  const analysis::System system(m);
  auto moved = m;
  moved.nodes[3] += Vec3(0, 0, 1);
  moved.materials[0].youngs_modulus *= 2;
  const analysis::System other(std::make_shared<const model::Model>(moved), system.shared_executor(),
                               system.topology());
  CHECK(other.pattern() == system.pattern());
  algebra::SymmetricMatrix k(system.pattern());
  analysis::AssemblyRequest request;
  request.tangent = &k;
  (void)system.assemble(analysis::State::reference(m), request);
  for (const int analyses : {1, 0}) {
    const auto factorisation = other.factorisation();
    CHECK(factorisation->factor(k).done());
    CHECK(factorisation->cost().analyses == analyses);
  }
  auto held = m;
  held.supports.push_back({3, 2, "prop"});
  const auto longer = test::pinned_column(1000, 30, 12, 7, 200000);
  for (const auto& wrong : {held, longer})
    CHECK_THROWS_AS(
        analysis::System(std::make_shared<const model::Model>(wrong), system.shared_executor(), system.topology()),
        std::invalid_argument);
}

namespace {
/// A spring to the ground, written by a caller: what contact will be.
class Prop final : public analysis::Contribution {
 public:
  Prop(const analysis::System& system, int dof, double stiffness) : system_(system), dof_(dof), stiffness_(stiffness) {}
  base::Verdict add(const analysis::State& state, const analysis::AssemblyRequest& request) const override {
    const auto node = static_cast<std::size_t>(dof_ / model::kNodeDofs);
    const int k = dof_ % model::kNodeDofs, equation = system_.equation(dof_);
    const double displacement = state.position[node][k] - system_.model().nodes[node][k];
    if (request.internal_force != nullptr) (*request.internal_force)[dof_] += stiffness_ * displacement;
    if (request.tangent != nullptr) request.tangent->diagonal_entry(equation) += stiffness_;
    if (request.tangent_times != nullptr) (*request.tangent_times)[dof_] += stiffness_ * (*request.direction)[dof_];
    return base::Verdict::good;
  }

 private:
  const analysis::System& system_;
  int dof_;
  double stiffness_;
};
}  // namespace

TEST_CASE("contribution: what a caller joins is next to the elements, in LBA and on the path", "[analysis][fast]") {
  const auto m = test::pinned_column(1000, 30, 12, 6, 200000);
  auto o = column_path(m, 0.5 * kEuler);
  const int node = o.watch[0].node;
  auto sprung = m;
  model::SpringElement spring;
  spring.first = node;
  spring.stiffness[2] = 30;
  sprung.springs.push_back(spring);
  const analysis::System with_spring(sprung);
  analysis::System joined(m);
  joined.join(std::make_shared<Prop>(joined, static_cast<int>(model::row(node)) + 2, 30));
  analysis::BucklingOptions b;
  b.variable = o.variable;
  const double want = analysis::linear_buckling(with_spring, b).modes.at(0).load_factor;
  CHECK(want > 1.5 * kEuler);
  CHECK_DIGITS(analysis::linear_buckling(joined, b).modes.at(0).load_factor, want, 9, "the same structure");
  o.variable = m.load_named("press");
  o.stop.load_factor = 0.9 * want;
  CHECK_DIGITS(analysis::follow_path(joined, o).increments.back().largest_displacement,
               analysis::follow_path(with_spring, o).increments.back().largest_displacement, 9, "the same path");
}
