#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/model/joints.hpp"
#include "support/element_contract.hpp"
#include "support/models.hpp"

using namespace archway;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using test::Vec3;

namespace {
int add_node(model::Model& m, const Vec3& x) {
  m.nodes.push_back(x);
  return m.node_count() - 1;
}

model::Model beams_and_sheet() {
  model::Model m = test::with_material();
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 30}})));
  model::add_member(m, test::member_part("first"), {Vec3(0, 0, 0), Vec3(200, 20, 0), {}}, 1);
  model::add_member(m, test::member_part("second"), {Vec3(200, 20, 0), Vec3(300, 90, 60), {}}, 1);
  model::add_rectangle(m, test::panel_part("sheet", 6), Vec3(300, 50, 100), Vec3(160, 10, 0), Vec3(0, 150, 20), 2, 2);
  m.actions.emplace_back().name = "load";
  m.actions[0].node_forces.push_back({m.groups["second.end"][0], Vec3(300, -200, 500), Vec3(4e3, 5e3, -6e3)});
  m.materials[0].expansion = 1.2e-5;
  for (int p = 0; p < 3; ++p) m.actions[0].temperatures.push_back({p, 100.0 * (p + 1)});
  return m;
}

/// Every kind of tie between two beams and a sheet.
model::Model tied(const std::string& kind) {
  model::Model m = beams_and_sheet();
  const int end = m.groups["first.end"][0];
  model::EndJoint joint;
  const base::Mat3 axes = base::exponential(Vec3(0.4, -0.3, 0.2)).toRotationMatrix();
  if (kind == "rigid" || kind == "chain") joint.offset = Vec3(15, -40, 25);
  if (kind == "hinge") joint.free_rotations = {axes.col(1)};
  if (kind == "universal") joint.free_rotations = {axes.col(1), axes.col(2)};
  if (kind == "ball") joint.free_rotations = {axes.col(0), axes.col(1), axes.col(2)};
  if (kind == "slide") joint.free_moves = {axes.col(0), axes.col(2)}, joint.free_rotations = {axes.col(0)};
  model::merge_coincident_nodes(m, 1e-6);
  if (kind == "rigid" || kind == "chain") {
    const int leader = model::join_end(m, 1, 0, joint, kind);
    m.ties.push_back({kind, model::Tie::Kind::carried, leader, {end}, {1.0}, true, true, false, true, {}, {}});
  } else if (kind != "spread" && kind != "carried" && kind != "swing" && kind != "warping" && kind != "askew") {
    model::join_end(m, 1, 0, joint, kind);
  }
  const int tip = m.groups["second.end"][0];
  if (kind == "spread" || kind == "chain") m.ties.push_back(model::spread_coupling(m, tip, m.groups["sheet"], "patch"));
  if (kind ==
      "swing") {  // supports that hold one rotation, of a node of members, one of a wall and one with a rigid arm
    m.supports.push_back({end, model::rotation_z, "held"});
    m.supports.push_back({m.groups["sheet"][4], model::rotation_x, "held"});
    m.supports.push_back({m.groups["sheet"][2], model::rotation_y, "held"});
    const int arm = m.node_count();
    m.nodes.push_back(m.nodes[static_cast<std::size_t>(end)] + Vec3(5, 30, -20));
    m.springs.push_back({"arm", arm, -1, {3, 4, 5, 6e3, 7e3, 8e3}});
    m.ties.push_back({"arm", model::Tie::Kind::carried, arm, {end}, {1.0}, true, true, false, true, {}, {}});
  }
  if (kind == "warping" || kind == "askew")  // a section that warps, and nodes that share one direction
    for (const int node : {m.groups["sheet"][0], m.groups["sheet"][1], m.groups["sheet"][3]}) {
      model::Tie tie;
      tie.follower = node;
      tie.leaders = {tip};
      tie.weights = {1};
      tie.rotations = false;
      if (kind == "warping") tie.warp_move = Vec3(30, -20, 10) * (node % 3 - 1.3);
      if (kind == "askew") tie.arms_rotation = false, tie.free_moves = {axes.col(0), axes.col(2)};
      m.ties.push_back(tie);
    }
  if (kind == "carried") {
    const auto& n = m.groups["sheet"];
    m.ties.push_back({kind,
                      model::Tie::Kind::carried,
                      tip,
                      {n[0], n[1], n[3], n[4]},
                      {0.2, 0.5, 0.4, -0.1},
                      true,
                      true,
                      false,
                      true,
                      {},
                      {}});
  }
  return m;
}

/// Unbalanced force on the free degrees of freedom.
VectorXd gap(const analysis::System& system, const analysis::State& state) {
  VectorXd internal;
  analysis::AssemblyRequest request;
  request.internal_force = &internal;
  (void)system.assemble(state, request);
  return system.free_part(internal - system.loads({1}, state));
}
}  // namespace

TEST_CASE("ties: the tangent with everything tied is the derivative of the unbalanced force", "[analysis][fast]") {
  const std::string kind = GENERATE("rigid", "hinge", "universal", "ball", "slide", "spread", "carried", "chain",
                                    "swing", "warping", "askew");
  INFO(kind);
  const analysis::System system(tied(kind));
  std::mt19937 random(11);
  auto state = analysis::State::reference(system.model());
  std::uniform_real_distribution<double> uniform(-1, 1);
  for (int step = 0; step < 3; ++step) {
    VectorXd free(system.free_count());
    for (int i = 0; i < system.full_size(); ++i)
      if (system.equation(i) >= 0) free[system.equation(i)] = uniform(random) * (i % model::kNodeDofs < 3 ? 5.0 : 0.15);
    system.advance(state, system.to_full(free, state));
  }
  algebra::SymmetricMatrix tangent(system.pattern());
  analysis::AssemblyRequest request;
  request.tangent = &tangent;
  (void)system.assemble(state, request);
  system.add_load_stiffness({1}, state, -1, tangent);
  MatrixXd difference(system.free_count(), system.free_count());
  for (int i = 0; i < system.full_size(); ++i) {
    if (system.equation(i) < 0) continue;
    const double h = i % model::kNodeDofs < 3 ? 1e-4 : 1e-6;
    VectorXd free = VectorXd::Zero(system.free_count());
    free[system.equation(i)] = h;
    auto plus = state, minus = state;
    system.advance(plus, system.to_full(free, state));
    system.advance(minus, system.to_full(-free, state));
    difference.col(system.equation(i)) = (gap(system, plus) - gap(system, minus)) / (2 * h);
  }
  const MatrixXd k = tangent.dense();
  CHECK((k - 0.5 * (difference + difference.transpose())).norm() < 1e-6 * k.norm());
  // values of free directions come back from the displacements
  VectorXd free = VectorXd::Random(system.free_count());
  CHECK((system.free_values(system.to_full(free, state), state) - free).norm() < 1e-9 * free.norm());
}

TEST_CASE("ties: a rotation of 300 degrees leaves everything tied free of force", "[analysis][fast]") {
  const std::string kind = GENERATE("rigid", "hinge", "universal", "slide", "spread", "carried", "chain");
  INFO(kind);
  const analysis::System system(tied(kind));
  auto state = analysis::State::reference(system.model());
  const int parts = 600;  // of half a degree
  for (int i = 0; i < parts; ++i) {
    VectorXd step = VectorXd::Zero(system.full_size());
    const Vec3 spin = Vec3(1, -2, 0.5).normalized() * (300.0 / parts * M_PI / 180);
    for (int n = 0; n < system.node_count(); ++n) {
      const Vec3& x = state.position[static_cast<std::size_t>(n)];
      step.segment<3>(model::row(n)) = base::exponential(spin) * x - x;
      step.segment<3>(model::row(n) + 3) = spin;
    }
    system.advance(state, step);
  }
  VectorXd internal;
  analysis::AssemblyRequest request;
  request.internal_force = &internal;
  REQUIRE(system.assemble(state, request) == base::Verdict::good);
  CHECK(internal.cwiseAbs().maxCoeff() < 1e-3);  // N and N mm, of structures that break at thousands
}

TEST_CASE("ties: a strut between hinges of any kind buckles at Euler's load, with an offset later than without",
          "[analysis][fast]") {
  const auto factor = [](bool hinged, double offset) {
    model::Model m = test::with_material();
    m.profiles.push_back(
        test::profile_of("bar", theory::section_properties("rectangle", {{"width", 60}, {"height", 12}})));
    model::add_member(m, test::member_part("strut"), {Vec3(offset, 0, 0), Vec3(1000 - offset, 0, 0), {}}, 8);
    for (const std::size_t e : {std::size_t{0}, m.line_elements.size() - 1}) {
      model::EndJoint joint;
      joint.offset = Vec3(e == 0 ? offset : -offset, 0, 0);
      if (hinged) joint.free_rotations = {Vec3::UnitY()};
      m.groups[e == 0 ? "foot" : "head"] = {model::join_end(m, e, e == 0 ? 0 : 3, joint, "joint")};
    }
    test::hold(m, m.groups["foot"], {0, 1, 2, 3, 5});
    test::hold(m, m.groups["head"], {1, 2, 3, 5});
    if (hinged)
      test::hold(m, {m.groups["foot"][0], m.groups["head"][0]}, {4});  // the joints cannot rotate, the strut can
    model::Action press;
    press.name = "press";
    press.node_forces.push_back({m.groups["head"][0], Vec3(-1, 0, 0), Vec3::Zero()});
    m.actions.push_back(press);
    analysis::BucklingOptions options;
    options.variable = m.load_named("press");
    options.mode_count = 1;
    const auto r = analysis::linear_buckling(analysis::System(m), options);
    REQUIRE(r.complete());
    return r.modes[0].load_factor;
  };
  const double euler = M_PI * M_PI * 200000 * 60 * 12 * 12 * 12 / 12 / 1e6;
  CHECK_DIGITS(factor(true, 0), euler, 2.5, "less a little shear");
  // rigid ends of c: k tan(k (L - 2c) / 2) = 1 / c for a symmetric mode
  const double c = 100, l = 800;
  double low = 1e-6, high = M_PI / l - 1e-9;
  for (int i = 0; i < 100; ++i) {
    const double k = 0.5 * (low + high);
    (k * std::tan(k * l / 2) < 1 / c ? low : high) = k;
  }
  CHECK_DIGITS(factor(false, c), low * low * 200000 * 60 * 12 * 12 * 12 / 12, 2.5, "transcendental equation");
}

TEST_CASE("ties: a load spread over a patch keeps its resultant and does not stiffen", "[analysis][fast]") {
  const auto sheet = [](bool spread, const Vec3& off) {
    model::Model m = test::with_material();
    model::add_rectangle(m, test::panel_part("sheet", 5), Vec3::Zero(), Vec3(200, 0, 0), Vec3(0, 200, 0), 8, 8);
    test::hold(m, m.groups["sheet.start"], {0, 1, 2, 3, 4, 5});
    const int point = add_node(m, Vec3(100, 100, 0) + off);
    std::vector<int> patch;
    for (const int n : m.groups["sheet"])
      if ((m.nodes[static_cast<std::size_t>(n)] - Vec3(100, 100, 0)).norm() < 60) patch.push_back(n);
    if (spread)
      m.ties.push_back(model::spread_coupling(m, point, patch, "patch"));
    else
      for (auto& tie : model::rigid_coupling(m, point, patch, true, "plate")) m.ties.push_back(tie);
    m.actions.emplace_back().name = "load";
    m.actions[0].node_forces.push_back({point, Vec3(30, -20, -100), Vec3(0, 500, 0)});
    const auto r = analysis::linear_static(analysis::System(m), m.load_named("load"));
    REQUIRE(r.usable());
    CHECK(r.imbalance < 1e-9);
    CHECK((r.applied.moment + r.reacted.moment).norm() < 1e-6 * r.applied.moment.norm());
    return r.displacement.segment<3>(model::row(point)).z();
  };
  CHECK(sheet(true, Vec3::Zero()) < sheet(false, Vec3::Zero()));  // downwards: the spread patch yields more
  CHECK(sheet(true, Vec3(40, 10, 30)) < sheet(true, Vec3::Zero()));
}
