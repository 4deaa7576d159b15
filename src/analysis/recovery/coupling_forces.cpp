#include "archway/analysis/coupling_forces.hpp"

#include <algorithm>
#include <map>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using base::at;
using Kind = model::Tie::Kind;

/// Pull of the elements that have followers, where they pull.
Eigen::VectorXd pull_on_followers(const System& system, const State& state, const elements::Memory* memory,
                                  const elements::StressSource& source) {
  Eigen::VectorXd pull = Eigen::VectorXd::Zero(system.full_size());
  const auto& sets = system.geometry().sets();
  for (std::size_t s = 0; s < sets.size(); ++s) {
    const auto& batch = *sets[s].batch;
    const Eigen::Index own = batch.dof_count();
    Eigen::VectorXd force(own);
    const bool corrected = state.correction.size() > 0 && source.linear == nullptr;
    Eigen::MatrixXd tangent(corrected ? own : 0, corrected ? own : 0);
    elements::Outputs out;
    out.force = force.data();
    if (corrected) out.tangent = tangent.data();
    for (const auto& [element, local] : system.topology()->set(s).tied) {
      (void)batch.evaluate(system.geometry().trial(state, memory, batch), &element, 1, out, source);
      const auto dofs = Topology::dofs_of(batch, element);
      if (corrected) force += tangent * state.correction(dofs);
      for (std::size_t i = 0; i < dofs.size(); ++i) pull[dofs[i]] += force[static_cast<Eigen::Index>(i)];
    }
  }
  return pull;
}

/// The node that all ties of a name lead to; -1: there are several.
struct Middle {
  int lead = -2;
  Vec3 sum = Vec3::Zero();
  int followers = 0;
  void add(const model::Tie& tie, const State& state) {
    const int own = tie.kind == Kind::mean ? tie.follower : tie.leaders.size() == 1 ? tie.leaders[0] : -1;
    lead = lead == -2 || lead == own ? own : -1;
    sum += state.position[at(tie.follower)];
    ++followers;
  }
  Vec3 place(const State& state) const { return lead >= 0 ? state.position[at(lead)] : Vec3(sum / followers); }
};
}  // namespace

std::vector<CouplingForce> coupling_forces(const System& system, const std::vector<double>& factors, const State& state,
                                           const elements::Memory* memory, const elements::StressSource& source) {
  const auto& ties = system.ties();
  std::map<std::string, Middle> middles;
  for (int t = 0; t < ties.size(); ++t)
    if (!ties.tie(t).name.empty()) middles[ties.tie(t).name].add(ties.tie(t), state);
  if (middles.empty()) return {};
  std::map<std::string, CouplingForce> sums;
  for (const auto& [name, middle] : middles) sums[name] = {name, Vec3::Zero(), Vec3::Zero(), middle.place(state)};
  Eigen::VectorXd gap =
      pull_on_followers(system, state, memory, source) - system.loading().acting_loads(factors, state);
  ties.gather(state, gap, [&](int t, const Eigen::Matrix<double, 7, 1>& carried) {
    const auto& tie = ties.tie(t);
    const auto own = sums.find(tie.name);
    if (own == sums.end()) return;
    // a spread coupling's follower is its point: what it gets, the nodes give
    const double sense = tie.kind == Kind::mean ? -1 : 1;
    const Vec3 force = sense * carried.head<3>(), arm = state.position[at(tie.follower)] - own->second.about;
    own->second.force += force;
    own->second.moment += arm.cross(force) + sense * carried.segment<3>(3);
  });
  std::vector<CouplingForce> list;
  for (auto& [name, sum] : sums) list.push_back(sum);
  return list;
}

}  // namespace archway::analysis
