#include <set>

#include <Eigen/Eigenvalues>

#include "archway/elements/shell.hpp"
#include "support/element_contract.hpp"
#include "support/models.hpp"

using namespace archway;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using test::Vec3;

namespace {
struct Pencil {
  MatrixXd k, g;
};

/// Dense stiffness and geometric stiffness on the free degrees of freedom for a share of drilling stiffness.
Pencil assembled(const model::Model& m, double drilling) {
  const elements::ShellBatch batch(m, drilling);
  const auto state = elements::State::reference(m);
  const auto size = 6 * static_cast<Eigen::Index>(m.nodes.size());
  MatrixXd k = MatrixXd::Zero(size, size), g = k;
  const auto add = [&](MatrixXd& sum, const MatrixXd& local, int e) {
    for (int i = 0; i < 4; ++i)
      for (int j = 0; j < 4; ++j)
        sum.block<6, 6>(6 * batch.nodes(e)[i], 6 * batch.nodes(e)[j]) += local.block<6, 6>(6 * i, 6 * j);
  };
  for (int e = 0; e < batch.size(); ++e) add(k, test::evaluate(batch, state, e).tangent, e);
  std::vector<Eigen::Index> free;
  std::set<Eigen::Index> held;
  for (const auto& s : m.supports) held.insert(6 * s.node + s.dof);
  for (Eigen::Index i = 0; i < size; ++i)
    if (held.count(i) == 0) free.push_back(i);
  VectorXd load = VectorXd::Zero(size);
  for (const auto& f : m.actions[0].node_forces) load.segment<3>(6 * f.node) += f.force;
  const MatrixXd kf = k(free, free);
  const VectorXd uf = kf.ldlt().solve(VectorXd(load(free)));
  VectorXd full = VectorXd::Zero(model::row(m.nodes.size()));
  for (std::size_t i = 0; i < free.size(); ++i)
    full[model::row(free[i] / 6) + free[i] % 6] = uf[static_cast<Eigen::Index>(i)];
  for (int e = 0; e < batch.size(); ++e) add(g, test::evaluate(batch, state, e, &full).geometric, e);
  return {kf, g(free, free)};
}

/// The first positive factors.
std::vector<double> factors(const model::Model& m, double drilling, std::size_t count) {
  const Pencil p = assembled(m, drilling);
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> solver(p.g, p.k, Eigen::EigenvaluesOnly);
  std::vector<double> list;  // G x = mu K x, factor = -1 / mu
  for (Eigen::Index i = 0; i < solver.eigenvalues().size() && list.size() < count; ++i)
    if (solver.eigenvalues()[i] < 0) list.push_back(-1 / solver.eigenvalues()[i]);
  return list;
}

void press(model::Model& m, const std::vector<int>& nodes, const Vec3& force) {
  if (m.actions.empty()) m.actions.emplace_back().name = "press";
  for (const int n : nodes) m.actions[0].node_forces.push_back({n, force, Vec3::Zero()});
}

model::Model plate() {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("a", 2), Vec3::Zero(), Vec3(200, 0, 0), Vec3(0, 100, 0), 10, 5);
  for (const char* side : {"a.start", "a.end", "a.left", "a.right"}) test::hold(m, m.groups[side], {2});
  test::hold(m, m.groups["a.start"], {0});
  test::hold(m, {0}, {1});
  press(m, m.groups["a.end"], Vec3(-1, 0, 0));
  return m;
}
model::Model fold() {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("a", 2), Vec3::Zero(), Vec3(200, 0, 0), Vec3(0, 50, 0), 10, 3);
  model::add_rectangle(m, test::panel_part("b", 2), Vec3::Zero(), Vec3(200, 0, 0), Vec3(0, 0, 60), 10, 3);
  model::add_rectangle(m, test::panel_part("c", 2), Vec3::Zero(), Vec3(200, 0, 0), Vec3(0, -40, 30), 10, 3);
  model::merge_coincident_nodes(m, 1e-6);
  for (const char* part : {"a", "b", "c"}) {
    test::hold(m, m.groups[std::string(part) + ".start"], {0, 1, 2});
    test::hold(m, m.groups[std::string(part) + ".end"], {1, 2});
    press(m, m.groups[std::string(part) + ".end"], Vec3(-1, 0, 0));
  }
  return m;
}
model::Model tube() {
  model::Model m = test::with_material();
  model::add_cylinder_strip(m, test::panel_part("a", 1), Vec3::Zero(), Vec3(0, 0, 120), Vec3(60, 0, 0), 2 * M_PI, 16,
                            6);
  test::hold(m, m.groups["a.left"], {0, 1, 2});
  test::hold(m, m.groups["a.right"], {0, 1});
  press(m, m.groups["a.right"], Vec3(0, 0, -1));
  return m;
}
}  // namespace

TEST_CASE("shell: factors do not hang on the share of drilling stiffness", "[elements][fast]") {
  const std::string name = GENERATE("plate", "fold", "tube");
  const model::Model m = name == "plate" ? plate() : name == "fold" ? fold() : tube();
  const auto usual = factors(m, elements::ShellBatch::kDrillingRest, 20);
  REQUIRE(usual.size() == 20);
  for (const double share : {1e-12, 1e-11, 1e-10, 1e-9, 1e-8, 1e-7}) {
    INFO(name << ", share " << share);
    const auto other = factors(m, share, 20);
    for (std::size_t i = 0; i < 20; ++i) {
      INFO("factor " << i + 1);
      CHECK(test::matching_digits(other[i], usual[i]) >= 5);
    }
  }
}
