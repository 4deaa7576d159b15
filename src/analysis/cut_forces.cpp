#include "archway/analysis/cut_forces.hpp"

#include <map>

#include "archway/base/errors.hpp"

namespace archway::analysis {

namespace {
using Vec7 = Eigen::Matrix<double, 7, 1>;

/// What the elements on each side exert on their nodes.
struct Sides {
  std::map<int, Vec7> ahead, behind;
};

Sides sides_of(const System& system, const State& state, const Eigen::VectorXd* linear, const elements::Memory* memory,
               const CutPlane& plane, CutForces& cut) {
  Sides sides;
  elements::StressSource source;
  source.linear = linear;
  for (const auto& set : system.geometry().sets()) {
    const auto& batch = *set.batch;
    std::vector<double> force(static_cast<std::size_t>(batch.freedom_count()));
    for (int e = 0; e < batch.size(); ++e) {
      const int part = batch.part(e);
      if (part < 0 || (!plane.parts.empty() && plane.parts.count(part) == 0)) continue;
      Vec3 middle = Vec3::Zero();
      for (int k = 0; k < batch.nodes_per_element(); ++k)
        middle += system.model().nodes[static_cast<std::size_t>(batch.nodes(e)[k])];
      middle /= batch.nodes_per_element();
      const bool is_ahead = plane.normal.dot(middle - plane.point) > 0;
      ++(is_ahead ? cut.ahead : cut.behind);
      (void)batch.evaluate(system.geometry().trial(state, memory, batch), &e, 1, {force.data()}, source);
      auto& side = is_ahead ? sides.ahead : sides.behind;
      const int width = batch.freedoms_per_node();
      for (int k = 0; k < batch.nodes_per_element(); ++k) {
        auto& own = side.try_emplace(batch.nodes(e)[k], Vec7::Zero()).first->second;
        for (int i = 0; i < width; ++i) own[i] += force[static_cast<std::size_t>(k * width + i)];
      }
    }
  }
  return sides;
}
}  // namespace

CutForces cut_forces(const System& system, const State& state, const Eigen::VectorXd* linear,
                     const elements::Memory* memory, const CutPlane& plane, const Vec3& about) {
  CutForces cut;
  cut.about = about;
  const Sides sides = sides_of(system, state, linear, memory, plane, cut);
  if (cut.ahead == 0 || cut.behind == 0)
    throw base::InputError("", "the plane leaves all elements on one side", "move it, or name other parts");
  // a node pushes back on the elements: what those ahead exert on it is minus their internal force
  const auto add = [&](int node, const Vec7& internal, double sign) {
    const auto n = static_cast<std::size_t>(node);
    const Vec3 place = linear != nullptr ? system.model().nodes[n] : state.position[n];
    const Vec3 f = -sign * internal.head<3>(), m = -sign * internal.segment<3>(3);
    cut.force += f;
    cut.moment += m + (place - about).cross(f);
    cut.nodes.push_back(node);
  };
  for (const auto& [node, internal] : sides.ahead)
    if (sides.behind.count(node) != 0) add(node, internal, 1);
  const auto only = [](const std::map<int, Vec7>& side, const std::map<int, Vec7>& other, int node) {
    return side.count(node) != 0 && other.count(node) == 0;
  };
  for (const auto& tie : system.model().ties) {  // followers on one side of leaders on the other
    for (const bool follower_ahead : {true, false}) {
      const auto &own = follower_ahead ? sides.ahead : sides.behind,
                 &other = follower_ahead ? sides.behind : sides.ahead;
      if (!only(own, other, tie.follower)) continue;
      bool across = !tie.leaders.empty();
      for (const int leader : tie.leaders) across = across && only(other, own, leader);
      if (across) add(tie.follower, own.at(tie.follower), follower_ahead ? 1 : -1);
    }
  }
  return cut;
}

}  // namespace archway::analysis
