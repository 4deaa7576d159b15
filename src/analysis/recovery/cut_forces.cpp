#include "archway/analysis/cut_forces.hpp"

#include <array>
#include <set>

#include "archway/analysis/system.hpp"
#include "archway/base/errors.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using Eigen::VectorXd;

/// What the elements on one side exert, full, and the nodes that they do so at: followers have given it to their
/// leaders.
struct Side {
  VectorXd force;
  std::set<int> nodes;
};

/// A node, and what it follows.
void touch(const model::Model& model, int node, std::set<int>& nodes) {
  if (!nodes.insert(node).second) return;
  for (const auto& tie : model.ties) {
    if (tie.follower != node) continue;
    for (const int leader : tie.leaders) touch(model, leader, nodes);
    for (const int leader : tie.alike)
      if (leader >= 0) touch(model, leader, nodes);
    if (tie.rotations_like >= 0) touch(model, tie.rotations_like, nodes);
  }
}

void add_element(const System& system, const elements::Batch& batch, int element, const std::vector<double>& force,
                 Side& side) {
  const int width = batch.dofs_per_node();
  for (int k = 0; k < batch.nodes_per_element(); ++k) {
    const int node = batch.nodes(element)[k];
    touch(system.model(), node, side.nodes);
    for (int i = 0; i < width; ++i) side.force[model::row(node) + i] += force[static_cast<std::size_t>(k * width + i)];
  }
}

/// Behind and ahead of the plane, by the middles of elements. Springs and fasteners belong to no part: they are there
/// where all parts are.
std::array<Side, 2> sides_of(const System& system, const State& state, const VectorXd* linear,
                             const elements::Memory* memory, const CutPlane& plane, CutForces& cut) {
  std::array<Side, 2> sides;
  for (auto& side : sides) side.force.setZero(system.full_size());
  elements::StressSource source;
  source.linear = linear;
  for (const auto& set : system.geometry().sets()) {
    const auto& batch = *set.batch;
    if (set.kind == ElementKind::touch) continue;  // obstacles act from outside
    std::vector<double> force(static_cast<std::size_t>(batch.dof_count()));
    for (int e = 0; e < batch.size(); ++e) {
      if (!plane.parts.empty() && plane.parts.count(batch.part(e)) == 0) continue;
      const auto x = [&](int k) { return system.model().nodes[static_cast<std::size_t>(batch.nodes(e)[k])]; };
      if (set.kind == ElementKind::spring && batch.nodes(e)[0] == batch.nodes(e)[1]) continue;  // to the ground
      Vec3 middle = Vec3::Zero();
      for (int k = 0; k < batch.nodes_per_element(); ++k) middle += x(k) / batch.nodes_per_element();
      const bool ahead = plane.normal.dot(middle - plane.point) > 0;
      ++(ahead ? cut.ahead : cut.behind);
      (void)batch.evaluate(system.geometry().trial(state, memory, batch), &e, 1, {force.data()}, source);
      add_element(system, batch, e, force, sides[ahead ? 1 : 0]);
    }
  }
  for (auto& side : sides) system.ties().gather(state, side.force);
  return sides;
}
}  // namespace

CutForces cut_forces(const System& system, const State& state, const VectorXd* linear, const elements::Memory* memory,
                     const CutPlane& plane, const Vec3& about) {
  CutForces cut;
  cut.about = about;
  const auto [behind, ahead] = sides_of(system, state, linear, memory, plane, cut);
  if (cut.ahead == 0 || cut.behind == 0)
    throw base::InputError("", "the plane leaves all elements on one side", "move it, or name other parts");
  for (const int node : ahead.nodes) {
    if (behind.nodes.count(node) == 0) continue;
    // what acts on a node from outside belongs to the side that it lies on: the other side's elements report
    const Vec3 lies = system.model().nodes[static_cast<std::size_t>(node)],
               place = linear != nullptr ? lies : state.position[static_cast<std::size_t>(node)];
    const bool in_front = plane.normal.dot(lies - plane.point) > 0;
    const double sign = in_front ? 1 : -1;
    const VectorXd& told_by = in_front ? behind.force : ahead.force;
    const Vec3 f = sign * told_by.segment<3>(model::row(node)), m = sign * told_by.segment<3>(model::row(node) + 3);
    cut.force += f;
    cut.moment += m + (place - about).cross(f);
    cut.nodes.push_back(node);
  }
  return cut;
}

}  // namespace archway::analysis
