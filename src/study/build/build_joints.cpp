#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/model/joints.hpp"
#include "archway/study/limits.hpp"
#include "build/build_model_detail.hpp"

namespace archway::study::detail {

std::vector<model::KeptApart> JointBuilder::bonded_nodes() {
  std::vector<model::KeptApart> list;
  for (const auto& b : spec_.bonds) {
    const auto to = model_.groups.find(b.to);
    if (to == model_.groups.end()) continue;
    const std::set<int> other(to->second.begin(), to->second.end());
    model::KeptApart pair;
    pair.lead = to->second;
    for (const int n : model::select(model_, b.follow.selection))
      if (other.count(n) == 0) pair.follow.push_back(n);
    list.push_back(std::move(pair));
  }
  // solids lie against each other with their nodes; panels that have nodes in one place are joined there
  const auto is_solid = [&](const std::string& name) {
    return std::any_of(spec_.solids.begin(), spec_.solids.end(), [&](const SolidSpec& s) { return s.name == name; });
  };
  for (const auto& c : spec_.contacts) {
    if (c.between.size() != 2 || !(is_solid(c.between[0]) || is_solid(c.between[1]))) continue;
    const auto one = model_.groups.find(c.between[0]), other = model_.groups.find(c.between[1]);
    if (one == model_.groups.end() || other == model_.groups.end()) continue;
    list.push_back({one->second, other->second});
  }
  return list;
}

void JointBuilder::member_ends() {
  for (const auto& m : spec_.members) {
    std::size_t first = model_.line_elements.size(), last = 0;
    const int part = part_index(m.name);
    for (std::size_t e = 0; e < model_.line_elements.size(); ++e)
      if (model_.line_elements[e].part == part) first = std::min(first, e), last = e;
    if (first == model_.line_elements.size()) continue;
    member_end(m, m.start, first, 0, m.name + ".start");
    member_end(m, m.end, last, 3, m.name + ".end");
  }
}

void JointBuilder::member_end(const MemberSpec& m, const MemberEnd& end, std::size_t element, std::size_t place,
                              const std::string& group) {
  const bool free_warping = m.warping && end.warping == MemberEnd::Warping::free;
  if (m.warping && end.warping == MemberEnd::Warping::fixed)
    model_.supports.push_back({model_.line_elements[element].nodes[place], model::warp, group + " warping"});
  if (end.released.empty() && end.offset.isZero(0.0) && !free_warping) return;
  const base::Mat3 axes = elements::nodal_axes(model_, model_.line_elements[element])[place].toRotationMatrix();
  model::EndJoint joint;
  joint.offset = end.offset;
  joint.own_warping = free_warping || !m.warping;
  for (const int f : end.released) (f < 3 ? joint.free_moves : joint.free_rotations).push_back(axes.col(f % 3));
  const int leader = model::join_end(model_, element, place, joint, group);
  model_.groups[group] = {leader};
  auto& all = model_.groups[m.name];
  const int own = model_.line_elements[element].nodes[place];
  std::replace(all.begin(), all.end(), leader, own);
  all.push_back(leader);
}

/// The end section keeps its shape and may warp: its nodes follow the point, and are displaced along the member by the
/// sectorial coordinate times the amplitude of warping; walls rotate freely there. Free: the amplitude belongs to a
/// node that nothing else knows.
std::vector<model::Tie> JointBuilder::warping_end(const MemberSpec& m, bool end, int point,
                                                  const std::vector<int>& nodes) {
  const auto& how = end ? m.end : m.start;
  const auto profile = std::find_if(spec_.profiles.begin(), spec_.profiles.end(),
                                    [&](const ProfileSpec& p) { return p.name == m.profile; });
  const auto section = section_of(*profile, profile->dimensions);
  const std::string group = m.name + (end ? ".end" : ".start");
  const base::Mat3 axes = model::axes_at(m.line, end ? 1 : 0, m.up);
  const Vec3 at = model_.nodes[static_cast<std::size_t>(point)];
  std::vector<model::Tie> ties;
  int leader = point;
  if (how.warping == MemberEnd::Warping::free) {
    model_.nodes.push_back(at);
    leader = model_.node_count() - 1;
    ties = model::rigid_coupling(model_, point, {leader}, true, group);
  }
  for (const int n : nodes) {
    if (n == point) continue;
    auto own = model::rigid_coupling(model_, leader, {n}, false, group);
    const Vec3 place = axes.transpose() * (model_.nodes[static_cast<std::size_t>(n)] - at);
    for (auto& tie : own) {
      tie.warp_move = -theory::sectorial_coordinate(section, place.y(), place.z()) * axes.col(0);
      ties.push_back(std::move(tie));
    }
  }
  return ties;
}

void JointBuilder::plate_ends(const MemberSpec& m) {
  for (const bool end : {false, true}) {
    const std::string group = m.name + (end ? ".end" : ".start");
    const Vec3 at = end ? m.line.to : m.line.from;
    auto nodes = model_.groups.at(group);
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
    const int point = model::node_at(model_, at, 1e-6 * model_.size());
    const MemberEnd& how = end ? m.end : m.start;
    auto ties = m.warping && how.warping != MemberEnd::Warping::fixed
                    ? warping_end(m, end, point, nodes)
                    : model::rigid_coupling(model_, point, nodes, true, group);
    model_.ties.insert(model_.ties.end(), ties.begin(), ties.end());
    model_.groups[group + ".section"] = nodes;
    model_.groups[group] = {point};
  }
}

void JointBuilder::joints() {
  for (const auto& m : spec_.members)
    if (m.plates > 0) at(m.place, [&] { plate_ends(m); });
  for (const auto& c : spec_.couplings) at(c.place, [&] { couple(c); });
  for (const auto& s : spec_.springs)
    at(s.place, [&] {
      node_at_point(s.from);
      if (s.to) node_at_point(*s.to);
      add_springs(s);
    });
  for (const auto& f : spec_.fasteners) at(f.place, [&] { fasten(f); });
}

/// A node of its own at the point, whatever else is there; the one node of a group where the study names one; and one
/// for all couplings that have their points in one place.
int JointBuilder::point_of(const CouplingSpec& c) {
  if (!c.point_at.empty()) {
    const auto group = model_.groups.find(c.point_at);
    if (group != model_.groups.end() && group->second.size() == 1) return group->second[0];
    std::vector<std::string> names;
    for (const auto& [name, nodes] : model_.groups)
      if (nodes.size() == 1) names.push_back(name);
    complain(c.place,
             group == model_.groups.end()
                 ? fmt::format("nothing is called '{}'", c.point_at)
                 : fmt::format("'{}' has {} nodes, the point of a coupling is one", c.point_at, group->second.size()),
             base::suggestion(c.point_at, names, "single nodes"));
    return -1;
  }
  const double same = 1e-6 * model_.size();
  for (const auto& [place, node] : coupling_points_)
    if ((place - c.point).norm() <= same) return node;
  model_.nodes.push_back(c.point);
  coupling_points_.emplace_back(c.point, model_.node_count() - 1);
  return model_.node_count() - 1;
}

/// Without a point the first node by place leads, so that neither rounding nor the order of numbers decides.
void JointBuilder::move_alike(const CouplingSpec& c, const std::vector<int>& nodes) {
  const double same = 1e-6 * model_.size();
  const auto before = [&](int a, int b) {
    const Vec3 &x = model_.nodes[static_cast<std::size_t>(a)], &y = model_.nodes[static_cast<std::size_t>(b)];
    for (int k = 0; k < 3; ++k)
      if (std::abs(x[k] - y[k]) > same) return x[k] < y[k];
    return false;
  };
  int leader = c.led ? point_of(c) : nodes[0];
  if (leader < 0) return;
  for (const int n : nodes)
    if (!c.led && before(n, leader)) leader = n;
  model_.groups[c.name] = {leader};
  if (is_there(c.during))
    model::move_alike(model_, leader, nodes, {c.share, c.share_rotations, c.times, c.axes}, c.name);
}

void JointBuilder::couple(const CouplingSpec& c) {
  auto nodes = nodes_at(c.at, "this coupling");
  if (nodes.empty()) return;
  if (c.kind == CouplingKind::alike) return move_alike(c, nodes);
  const int point = point_of(c);
  if (point < 0) return;
  model_.groups[c.name] = {point};
  nodes.erase(std::remove_if(nodes.begin(), nodes.end(),
                             [&](int n) {
                               return c.radius > 0 && (model_.nodes[static_cast<std::size_t>(n)] - c.point).norm() >
                                                          c.radius * (1 + 1e-9);
                             }),
              nodes.end());
  if (nodes.empty())
    return complain(c.place, fmt::format("no chosen node lies within {} of the point", c.radius), "enlarge 'radius'");
  if (c.kind == CouplingKind::spread) {
    if (std::find(nodes.begin(), nodes.end(), point) != nodes.end())
      return complain(c.place,
                      fmt::format("the point of coupling '{}' is one of the nodes it spreads over (node {}): it "
                                  "would be coupled to itself",
                                  c.name, point),
                      "move the point off the surface, or choose the nodes without it");
    if (is_there(c.during)) model_.ties.push_back(model::spread_coupling(model_, point, nodes, c.name));
  } else {
    const auto ties = model::rigid_coupling(model_, point, nodes, c.rotations, c.name);
    if (ties.empty())
      return complain(c.place, fmt::format("coupling '{}' couples node {} to itself", c.name, point),
                      "choose other nodes than its point");
    if (is_there(c.during)) model_.ties.insert(model_.ties.end(), ties.begin(), ties.end());
  }
}

template <class Spec>
model::SpringElement JointBuilder::spring_of(const Spec& s) {
  model::SpringElement spring;
  spring.name = s.name;
  spring.stiffness = s.stiffness;
  spring.axes = base::axes_from(s.along, s.up);
  for (const auto& c : s.curves) {
    if (const std::string fault = material::fault_of(c.curve); !fault.empty())
      complain(c.place, fmt::format("a curve of '{}' cannot be followed: {}", s.name, fault),
               "for instance points = [[-2, -30], [0, 0], [2, 30]], unloading = \"elastic\"");
    spring.curves[c.axis] = static_cast<int>(model_.spring_curves.size());
    model_.spring_curves.push_back({s.name, c.curve});
  }
  return spring;
}

/// A point of the study that nothing else is on is a node where a spring wants one.
void JointBuilder::node_at_point(const Spot& spot) {
  const auto point = spec_.points.find(spot.selection.group);
  if (point == spec_.points.end() || model_.groups.count(point->first) > 0) return;
  model_.nodes.push_back(point->second);
  model_.groups[point->first] = {model_.node_count() - 1};
}

void JointBuilder::add_springs(const SpringSpec& s) {
  model::SpringElement spring = spring_of(s);
  const auto from = nodes_at(s.from, "this spring");
  remark_on(s, from.size());
  if (!s.to) {
    for (const int n : from) {
      spring.first = n;
      model_.springs.push_back(spring);
    }
    return;
  }
  spring.as_if_in_one_place = !s.axes_rotation;
  const auto to = nodes_at(*s.to, "this spring");
  if (from.size() != to.size())
    return complain(
        s.place,
        fmt::format("spring '{}' has {} nodes on one side and {} on the other", s.name, from.size(), to.size()),
        "give one node on each side, or as many");
  std::set<int> taken;
  double apart = 0;
  const double closer = 1e-9 * model_.size();
  for (const int n : from) {  // the closest of the other side that is still free
    const auto distance = [&](int m) {
      return (model_.nodes[static_cast<std::size_t>(n)] - model_.nodes[static_cast<std::size_t>(m)]).norm();
    };
    int best = -1;
    for (const int m : to)
      if (taken.count(m) == 0 && (best < 0 || distance(m) < distance(best) - closer)) best = m;
    taken.insert(best);
    apart = std::max(apart, distance(best));
    spring.first = n;
    spring.second = best;
    model_.springs.push_back(spring);
  }
  if (apart > 0 && !s.axes_rotation)
    model_.remarks.push_back(
        fmt::format("spring '{}' joins nodes {:.4g} {} apart: it acts as if they lay in one place, along "
                    "axes that stay (corotational = true: as a link whose axes rotate with it)",
                    s.name, apart, spec_.units.length));
}

void JointBuilder::remark_on(const SpringSpec& s, std::size_t count) {
  if (count > 1)
    model_.remarks.push_back(
        fmt::format("spring '{}' acts at each of {} nodes: a finer mesh has more of them, and so a "
                    "stiffer support (a foundation is given per length or area)",
                    s.name, count));
}

/// Places along an edge, evenly and no further apart than the pitch.
std::vector<Vec3> JointBuilder::row_along(const FastenerSpec& f) {
  std::map<int, std::vector<int>> next;
  for (const auto& [a, b] : model::edges_among(model_, nodes_at(*f.edge, "this row of fasteners")))
    next[a].push_back(b), next[b].push_back(a);
  std::vector<int> ends;
  bool forks = next.empty();
  for (const auto& [node, others] : next) {
    if (others.size() == 1) ends.push_back(node);
    forks = forks || others.size() > 2;
  }
  std::vector<int> chain;
  if (!forks) chain.push_back(ends.empty() ? next.begin()->first : ends[0]);
  for (std::set<int> seen(chain.begin(), chain.end()); !chain.empty();) {
    const auto& others = next.at(chain.back());
    const auto fresh = std::find_if(others.begin(), others.end(), [&](int n) { return seen.count(n) == 0; });
    if (fresh == others.end()) break;
    seen.insert(*fresh);
    chain.push_back(*fresh);
  }
  if (chain.size() != next.size() || chain.empty()) {
    complain(f.place, fmt::format("'{}' is to run along an edge, and what it names is none, or several", f.name),
             "name one edge of a panel, for instance \"skin.left\"");
    return {};
  }
  const bool closed = ends.empty();
  if (closed) chain.push_back(chain[0]);
  std::vector<double> way{0};
  for (std::size_t i = 1; i < chain.size(); ++i)
    way.push_back(way.back() + (model_.nodes[base::at(chain[i])] - model_.nodes[base::at(chain[i - 1])]).norm());
  const auto count = static_cast<int>(std::min(1.0 * kMostParts, std::ceil(way.back() / f.pitch - 1e-9)));
  std::vector<Vec3> row;
  std::size_t i = 1;
  for (int k = 0; k < count + (closed ? 0 : 1); ++k) {
    const double s = way.back() * k / count;
    while (i + 1 < way.size() && way[i] < s) ++i;
    const double share = (s - way[i - 1]) / (way[i] - way[i - 1]);
    row.push_back((1 - share) * model_.nodes[base::at(chain[i - 1])] + share * model_.nodes[base::at(chain[i])]);
  }
  return row;
}

void JointBuilder::fasten(const FastenerSpec& f) {
  const model::SpringElement spring = spring_of(f);
  const auto size_of_element = [&](const std::string& part) {
    const auto facets = model::facets_of(model_, part);
    double size = 0;
    for (const auto& facet : facets)
      size += (model_.nodes[static_cast<std::size_t>(facet.nodes[0])] -
               model_.nodes[static_cast<std::size_t>(facet.nodes[2])])
                  .norm();
    return size / static_cast<double>(facets.size());
  };
  const double reach = 3 * std::min(size_of_element(f.first), size_of_element(f.second));
  std::vector<Vec3> points = f.points;
  if (f.edge) {
    const auto row = row_along(f);
    points.insert(points.end(), row.begin(), row.end());
  }
  for (const Vec3& point : points) model::add_fastener(model_, f.first, f.second, point, reach, spring);
}

void JointBuilder::bonds() {
  for (const auto& b : spec_.bonds)
    at(b.place, [&] {
      const auto nodes = nodes_at(b.follow, "this bond");
      if (nodes.empty()) return;
      const auto ties = model::bond(model_, nodes, b.to, b.tolerance, b.rotations, b.name);
      if (is_there(b)) model_.ties.insert(model_.ties.end(), ties.begin(), ties.end());
    });
}

}  // namespace archway::study::detail
