#include "archway/model/joints.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"

namespace archway::model {

namespace {
using base::at;

}  // namespace

int node_at(Model& model, const Vec3& position, double tolerance) {
  std::vector<char> inside(model.nodes.size(), 0);  // nodes inside beam elements join nothing
  for (const auto& e : model.line_elements) inside[at(e.nodes[1])] = inside[at(e.nodes[2])] = 1;
  for (int n = 0; n < model.node_count(); ++n)
    if (!inside[at(n)] && (model.nodes[at(n)] - position).norm() <= tolerance) return n;
  model.nodes.push_back(position);
  return model.node_count() - 1;
}

int join_end(Model& model, std::size_t element, std::size_t place, const EndJoint& joint, const std::string& name) {
  const int before = model.line_elements[element].nodes[place];
  const Vec3 end = model.nodes[at(before)];
  Tie tie;
  tie.name = name;
  tie.free_moves = joint.free_moves;
  tie.free_rotations = joint.free_rotations;
  tie.warps = !joint.own_warping;
  tie.weights = {1.0};
  model.nodes.push_back(end);
  tie.follower = model.node_count() - 1;
  tie.leaders = {joint.offset.isZero(0.0) ? before : node_at(model, end - joint.offset, 1e-6 * model.size())};
  model.line_elements[element].nodes[place] = tie.follower;
  model.ties.push_back(tie);
  return tie.leaders[0];
}

int hold_in_axes(Model& model, int node, const base::Mat3& axes, const std::set<int>& dofs, const std::string& name) {
  Tie tie;
  tie.name = name;
  tie.follower = node;
  tie.weights = {1.0};
  tie.moves = tie.rotations = false;
  for (const int f : dofs) (f < 3 ? tie.moves : tie.rotations) = true;
  for (int f = 0; f < 6; ++f)
    if (dofs.count(f) == 0 && (f < 3 ? tie.moves : tie.rotations))
      (f < 3 ? tie.free_moves : tie.free_rotations).push_back(axes.col(f % 3));
  model.nodes.push_back(model.nodes[at(node)]);
  const int anchor = model.node_count() - 1;
  tie.leaders = {anchor};
  model.anchors.push_back(anchor);
  for (int f = 0; f < 6; ++f) model.supports.push_back({anchor, f, name});
  model.ties.push_back(tie);
  return anchor;
}

std::vector<Tie> rigid_coupling(const Model&, int point, const std::vector<int>& nodes, bool rotations,
                                const std::string& name) {
  std::vector<Tie> ties;
  for (const int n : nodes) {
    if (n == point) continue;
    Tie tie;
    tie.name = name;
    tie.follower = n;
    tie.leaders = {point};
    tie.weights = {1.0};
    tie.rotations = rotations;
    ties.push_back(tie);
  }
  return ties;
}

namespace {
/// The node has one leader in this: nobody yet, or the same.
void lead(Tie& tie, int& has, int leader, const std::string& name, const std::string& what) {
  if (has >= 0 && has != leader)
    throw base::InputError(fmt::format("coupling '{}'", name),
                           fmt::format("node {} {} like the nodes of '{}' already", tie.follower, what, tie.name),
                           "take all these nodes into one coupling, or leave this one out of one of them");
  has = leader;
  if (std::find(tie.leaders.begin(), tie.leaders.end(), leader) == tie.leaders.end())
    tie.leaders.push_back(leader), tie.weights.push_back(1);
}
}  // namespace

namespace {
/// Along axes of their own nodes are carried by the leader, free along the others.
void move_alike_askew(Model& model, int leader, const std::vector<int>& nodes, const Shared& shared,
                      const std::string& name) {
  for (Tie tie : rigid_coupling(model, leader, nodes, shared.rotations, name)) {
    tie.arms_rotation = false;
    for (std::size_t k = 0; k < 3; ++k)
      if (!shared.axes[k]) tie.free_moves.push_back(shared.own->col(static_cast<Eigen::Index>(k)));
    tie.moves = tie.free_moves.size() < 3;
    model.ties.push_back(std::move(tie));
  }
}
}  // namespace

void move_alike(Model& model, int leader, const std::vector<int>& nodes, const Shared& shared,
                const std::string& name) {
  if (shared.own) return move_alike_askew(model, leader, nodes, shared, name);
  for (const int n : nodes) {
    if (n == leader) continue;
    auto tie = std::find_if(model.ties.begin(), model.ties.end(),
                            [&](const Tie& t) { return t.follower == n && t.kind == Tie::Kind::alike; });
    if (tie == model.ties.end()) {
      Tie fresh;
      fresh.name = name;
      fresh.kind = Tie::Kind::alike;
      fresh.follower = n;
      fresh.moves = fresh.rotations = false;
      tie = model.ties.insert(model.ties.end(), fresh);
    }
    for (std::size_t k = 0; k < 3; ++k) {
      if (!shared.axes[k]) continue;
      if (tie->alike[k] == leader && tie->times[k] != shared.times)
        throw base::InputError(fmt::format("coupling '{}'", name),
                               fmt::format("node {} moves {:g} times as far along {} by '{}' already", n, tie->times[k],
                                           kDofNames[k], tie->name),
                               "omit it of one of them");
      lead(*tie, tie->alike[k], leader, name, fmt::format("moves along {}", kDofNames[k]));
      tie->times[k] = shared.times;
    }
    if (shared.rotations) lead(*tie, tie->rotations_like, leader, name, "rotations");
  }
}

Tie spread_coupling(const Model& model, int point, const std::vector<int>& nodes, const std::string& name) {
  Tie tie;
  tie.name = name;
  tie.kind = Tie::Kind::mean;
  tie.follower = point;
  tie.leaders = nodes;
  tie.weights = tributary_shares(model, nodes);
  return tie;
}

void add_fastener(Model& model, const std::string& first, const std::string& second, const Vec3& point, double reach,
                  const SpringElement& spring) {
  SpringElement own = spring;
  for (const auto& [part, end] : {std::pair(first, &own.first), std::pair(second, &own.second)}) {
    const FacetSearch search(model, facets_of(model, part));
    const FacetPlace place = search.nearest(point);
    if (place.gap > reach)
      throw base::InputError(
          fmt::format("fastener '{}'", spring.name),
          fmt::format("part '{}' is {:.4g} away from ({:.6g}, {:.6g}, {:.6g})", part, place.gap, point.x(), point.y(),
                      point.z()),
          fmt::format("a fastener reaches {:.4g} (three elements): move the point, or the part", reach));
    Tie tie;
    tie.name = spring.name;
    for (const auto& [node, weight] : place.weights) {
      tie.leaders.push_back(node);
      tie.weights.push_back(weight);
    }
    const bool shell = search.facets()[place.facet].rotations;
    if (!shell)
      tie.kind = Tie::Kind::mean, tie.weights.assign(tie.leaders.size(), 1.0 / static_cast<double>(tie.leaders.size()));
    model.nodes.push_back(point);
    *end = tie.follower = model.node_count() - 1;
    model.ties.push_back(tie);
  }
  model.springs.push_back(own);
}

}  // namespace archway::model
