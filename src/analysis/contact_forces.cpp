#include "archway/analysis/contact_forces.hpp"

#include <cmath>

#include "archway/base/index.hpp"

namespace archway::analysis {

std::vector<ContactForce> contact_forces(const System& system, const State& state, const elements::Memory* memory) {
  std::vector<ContactForce> list(system.model().obstacles.size());
  for (std::size_t o = 0; o < list.size(); ++o) list[o].obstacle = static_cast<int>(o), list[o].gap = HUGE_VAL;
  const auto& batch = system.geometry().touches();
  const auto trial = system.geometry().trial(state, memory, batch);
  for (int t = 0; t < batch.size(); ++t) {
    const auto& touch = batch.touch(t);
    const auto one = batch.contact(trial, t);
    auto& sum = list[base::at(touch.obstacle)];
    sum.gap = std::min(sum.gap, one.gap);
    if (!(one.normal_force > 0)) continue;
    ++sum.touching;
    sum.force += one.force;
    sum.moment += state.position[base::at(touch.node)].cross(one.force);
    sum.pressed += one.normal_force;
    if (one.normal_force > sum.largest * (1 + 1e-9)) sum.largest = one.normal_force, sum.node = touch.node;
  }
  return list;
}

std::vector<double> contact_at_nodes(const Geometry& geometry, const State& state, const elements::Memory* memory) {
  std::vector<double> values(3 * state.position.size(), 0.0);
  const auto& batch = geometry.touches();
  const auto trial = geometry.trial(state, memory, batch);
  for (int t = 0; t < batch.size(); ++t) {
    const Vec3 force = batch.contact(trial, t).force;
    for (std::size_t k = 0; k < 3; ++k)
      values[3 * base::at(batch.touch(t).node) + k] += force[static_cast<Eigen::Index>(k)];
  }
  return values;
}

}  // namespace archway::analysis
