#include "archway/study/build_model.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "archway/elements/beam.hpp"
#include "archway/model/joints.hpp"
#include "archway/model/mesh_check.hpp"

namespace archway::study {

namespace {
using base::Complaint;

// shear areas of profiles that are not to flex in shear: enough to lose the effect in the fifth digit, while much more
// would drown the axial strain in rounding
constexpr double kStiffShear = 100;
using base::InputError;

template <class List>
std::vector<std::string> names_of(const List& list) {
  std::vector<std::string> names;
  for (const auto& item : list) names.push_back(item.name);
  return names;
}

/// Builds step by step, collecting complaints instead of stopping at the first.
class Builder {
 public:
  explicit Builder(const StudySpec& spec) : spec_(spec) {}

  model::Model build() {
    materials_and_profiles();
    stop_if_wrong();
    parts();
    stop_if_wrong();
    model::merge_coincident_nodes(model_, 1e-6 * model_.size(), bonded_nodes());
    points();
    member_ends();
    joints();
    stop_if_wrong();
    for (const auto& support : spec_.supports) hold(support);
    bonds();
    for (const auto& pattern : spec_.patterns) load(pattern);
    combinations();
    stop_if_wrong();
    model::require_sound(model_);
    return std::move(model_);
  }

 private:
  void stop_if_wrong() {
    if (!complaints_.empty()) throw InputError(std::move(complaints_));
  }
  void complain(const Place& place, std::string problem, std::string remedy) {
    complaints_.push_back(place.complaint(std::move(problem), std::move(remedy)));
  }
  /// Runs a step of the builder and gives what it throws the place in the file.
  template <class Step>
  void at(const Place& place, const Step& step) {
    try {
      step();
    } catch (const InputError& error) {
      for (auto complaint : error.complaints()) {
        const std::string own = complaint.place;
        complaint.place = place.text.empty() ? own : place.text;
        if (!own.empty() && !place.text.empty()) complaint.problem = own + ": " + complaint.problem;
        complaint.excerpt = place.excerpt;
        complaints_.push_back(std::move(complaint));
      }
    }
  }

  void materials_and_profiles() {
    for (const auto& m : spec_.materials) model_.materials.push_back(m.material);
    for (const auto& p : spec_.profiles) at(p.place, [&] { add_profile(p, p.name, p.dimensions); });
  }

  void add_profile(const ProfileSpec& p, const std::string& name, const std::map<std::string, double>& dimensions) {
    auto profile = to_profile(name, p.shape == "polyline" ? theory::thin_walled_properties(p.walls)
                                                          : theory::section_properties(p.shape, dimensions));
    if (!p.shear_flexible) {
      profile.shear_area_y *= kStiffShear;
      profile.shear_area_z *= kStiffShear;
      profile.shear_area_yz *= kStiffShear;
      profile.warping_shear *= kStiffShear;
    }
    model_.profiles.push_back(std::move(profile));
  }

  template <class List>
  int index_in(const List& list, const std::string& name, const Place& place, const char* what) {
    const auto names = names_of(list);
    for (std::size_t i = 0; i < names.size(); ++i)
      if (names[i] == name) return static_cast<int>(i);
    complain(place,
             name.empty() ? fmt::format("no {} is named", what) : fmt::format("there is no {} named '{}'", what, name),
             base::suggestion(name, names));
    return -1;
  }

  model::Part part_of(const std::string& name, model::PartKind kind, const std::string& material, const Place& place) {
    model::Part part;
    part.name = name;
    part.kind = kind;
    part.material = index_in(model_.materials, material, place, "material");
    return part;
  }

  void parts() {
    for (const auto& m : spec_.members) add_member(m);
    for (const auto& b : spec_.bars) {
      model::Part part = part_of(b.name, model::PartKind::bar, b.material, b.place);
      part.profile = index_in(model_.profiles, b.profile, b.place, "profile");
      part.tension_only = b.tension_only;
      at(b.place, [&] { model::add_bar(model_, part, b.line, b.elements); });
    }
    for (const auto& p : spec_.panels) add_panel(p);
    for (const auto& s : spec_.solids) add_solid(s);
  }

  void add_member(const MemberSpec& m) {
    model::Part part = part_of(m.name, model::PartKind::member, m.material, m.place);
    part.profile = index_in(model_.profiles, m.profile, m.place, "profile");
    part.up = m.up;
    part.offset_y = m.offset_y;
    part.offset_z = m.offset_z;
    part.warping = m.warping;
    if (m.warping && part.profile >= 0 && model_.profiles[static_cast<std::size_t>(part.profile)].warping_constant <= 0)
      complain(m.place, fmt::format("member '{}' asks for warping, but profile '{}' does not warp", m.name, m.profile),
               "leave warping out: solid sections, tubes and walls through one point twist without it");
    model::Line line = m.line;
    line.from += m.start.offset;
    line.to += m.end.offset;
    const std::size_t first = model_.line_elements.size();
    at(m.place, [&] { model::add_member(model_, part, line, m.elements); });
    if (!m.profile_end.empty()) taper(m, part.profile, first);
  }

  /// Sections at the Gauss points of a tapered member, from dimensions that go straight from one end to the other.
  void taper(const MemberSpec& m, int start, std::size_t first) {
    const int end = index_in(model_.profiles, m.profile_end, m.place, "profile");
    if (start < 0 || end < 0) return;
    const ProfileSpec &a = spec_.profiles[static_cast<std::size_t>(start)],
                      &b = spec_.profiles[static_cast<std::size_t>(end)];
    if (a.shape != b.shape || a.shape == "polyline" || a.dimensions.size() != b.dimensions.size())
      return complain(m.place,
                      fmt::format("member '{}' cannot taper from '{}' to '{}'", m.name, m.profile, m.profile_end),
                      "both must be of one shape, with the same dimensions given, and not polylines");
    const auto count = static_cast<double>(model_.line_elements.size() - first);
    for (std::size_t e = first; e < model_.line_elements.size(); ++e)
      for (std::size_t g = 0; g < 3; ++g) {
        const double s = (static_cast<double>(e - first) + elements::BeamBatch::gauss_places()[g]) / count;
        auto dimensions = a.dimensions;
        for (auto& [key, value] : dimensions) value += s * (b.dimensions.at(key) - value);
        at(m.place, [&] {
          add_profile(a, fmt::format("{} at {:.3f}", m.name, s), dimensions);
          model_.line_elements[e].profiles[g] = static_cast<int>(model_.profiles.size()) - 1;
        });
      }
  }

  void add_panel(const PanelSpec& p) {
    model::Part part = part_of(p.name, model::PartKind::panel, p.material, p.place);
    part.thickness = p.thickness;
    part.offset_z = p.offset;
    if (!(p.thickness > 0))
      complain(p.place, fmt::format("the thickness of panel '{}' is {}", p.name, p.thickness), "it must be above zero");
    const double angle = p.angle_degrees * M_PI / 180;
    at(p.place, [&] {
      if (p.surface == Surface::rectangle)
        model::add_rectangle(model_, part, p.corner, p.along, p.across, p.divisions[0], p.divisions[1], p.faces);
      else if (p.surface == Surface::cylinder)
        model::add_cylinder_strip(model_, part, p.axis_from, p.axis_to, p.start, angle, p.divisions[0], p.divisions[1],
                                  p.faces);
      else
        model::add_revolution(model_, part, p.axis_from, p.axis_to, p.line, angle, p.divisions[0], p.divisions[1],
                              p.faces);
    });
  }

  void add_solid(const SolidSpec& s) {
    const model::Part part = part_of(s.name, model::PartKind::solid, s.material, s.place);
    const bool block = s.body == Body::block;
    const Vec3 axis = s.axis_to - s.axis_from;
    if (block && std::abs(s.along.cross(s.across).dot(s.up)) <= 1e-9 * s.along.norm() * s.across.norm() * s.up.norm())
      return complain(s.place, fmt::format("the sides of solid '{}' span no volume", s.name),
                      "give 'along', 'across' and 'up' that do not lie in one plane");
    const Vec3 arm = block ? Vec3(Vec3::UnitX()) : Vec3(s.start - s.axis_from);
    const Vec3 out = block ? arm : Vec3(arm - arm.dot(axis) / axis.squaredNorm() * axis);
    if (!block && (axis.norm() == 0.0 || !(out.norm() > 1e-9 * axis.norm()) || !(s.angle_degrees > 0) ||
                   s.angle_degrees > 360 + 1e-9))
      return complain(
          s.place, fmt::format("tube '{}' has no axis, no inner radius or no angle", s.name),
          "axis_from and axis_to must differ, start must lie off the axis, angle must be above 0 and at most 360");
    at(s.place, [&] {
      model::add_body(model_, part, s.divisions, !block && s.angle_degrees > 360 - 1e-7, s.quadratic,
                      [&](double a, double b, double c) -> Vec3 {
                        if (block) return s.corner + a * s.along + b * s.across + c * s.up;
                        const Eigen::AngleAxisd turn(a * s.angle_degrees * M_PI / 180, axis.normalized());
                        return s.axis_from + turn * (arm + c * s.wall * out.normalized()) + b * axis;
                      });
    });
  }

  /// Nodes of bonded edges and faces must not merge with the part they are bonded to, even where they coincide.
  std::vector<int> bonded_nodes() {
    if (spec_.bonds.empty()) return {};
    std::vector<int> kinds(model_.nodes.size(), 0);
    for (const auto& b : spec_.bonds) {
      const auto to = model_.groups.find(b.to);
      if (to == model_.groups.end()) continue;
      const std::set<int> other(to->second.begin(), to->second.end());
      for (const int n : model::select(model_, b.follow.selection))
        if (other.count(n) == 0) kinds[static_cast<std::size_t>(n)] = 1;
    }
    return kinds;
  }

  /// Releases, offsets and warping at the ends of members: where there is any, the end gets a node of its own.
  void member_ends() {
    for (std::size_t p = 0; p < spec_.members.size(); ++p) {
      std::size_t first = model_.line_elements.size(), last = 0;
      for (std::size_t e = 0; e < model_.line_elements.size(); ++e)
        if (model_.line_elements[e].part == static_cast<int>(p)) first = std::min(first, e), last = e;
      const auto& m = spec_.members[p];
      if (first == model_.line_elements.size()) continue;
      member_end(m, m.start, first, 0, m.name + ".start");
      member_end(m, m.end, last, 3, m.name + ".end");
    }
  }

  void member_end(const MemberSpec& m, const MemberEnd& end, std::size_t element, std::size_t place,
                  const std::string& group) {
    const bool free_warping = m.warping && end.warping == MemberEnd::Warping::free;
    if (m.warping && end.warping == MemberEnd::Warping::fixed)
      model_.supports.push_back({model_.line_elements[element].nodes[place], model::warp, group + " warping"});
    if (end.released.empty() && end.offset.isZero(0.0) && !free_warping) return;
    const base::Mat3 axes = elements::nodal_axes(model_, model_.line_elements[element])[place].toRotationMatrix();
    model::EndJoint joint;
    joint.offset = end.offset;
    joint.own_warping = free_warping || !m.warping;
    for (const int f : end.released) (f < 3 ? joint.free_moves : joint.free_turns).push_back(axes.col(f % 3));
    const int leader = model::join_end(model_, element, place, joint, group);
    model_.groups[group] = {leader};
    auto& all = model_.groups[m.name];
    const int own = model_.line_elements[element].nodes[place];
    std::replace(all.begin(), all.end(), leader, own);
    all.push_back(leader);
  }

  void joints() {
    for (const auto& c : spec_.couplings) at(c.place, [&] { couple(c); });
    for (const auto& s : spec_.springs) at(s.place, [&] { add_springs(s); });
    for (const auto& f : spec_.fasteners) at(f.place, [&] { fasten(f); });
  }

  void couple(const CouplingSpec& c) {
    auto nodes = nodes_at(c.at, "this coupling");
    if (nodes.empty()) return;
    const int point = model::node_at(model_, c.point, 1e-6 * model_.size());
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
      model_.ties.push_back(model::spread_coupling(model_, point, nodes, c.name));
    } else {
      const auto ties = model::rigid_coupling(model_, point, nodes, c.turns, c.name);
      if (ties.empty())
        return complain(c.place, fmt::format("coupling '{}' couples node {} to itself", c.name, point),
                        "choose other nodes than its point");
      model_.ties.insert(model_.ties.end(), ties.begin(), ties.end());
    }
  }

  void add_springs(const SpringSpec& s) {
    model::SpringElement spring;
    spring.name = s.name;
    spring.stiffness = s.stiffness;
    spring.axes = base::axes_from(s.along, s.up);
    const auto from = nodes_at(s.from, "this spring");
    if (!s.to) {
      for (const int n : from) {
        spring.first = n;
        model_.springs.push_back(spring);
      }
      return;
    }
    const auto to = nodes_at(*s.to, "this spring");
    if (from.size() != to.size())
      return complain(
          s.place,
          fmt::format("spring '{}' has {} nodes on one side and {} on the other", s.name, from.size(), to.size()),
          "give one node on each side, or as many");
    std::set<int> taken;
    for (const int n : from) {  // the closest of the other side that is still free
      const auto distance = [&](int m) {
        return (model_.nodes[static_cast<std::size_t>(n)] - model_.nodes[static_cast<std::size_t>(m)]).norm();
      };
      int best = -1;
      for (const int m : to)
        if (taken.count(m) == 0 && (best < 0 || distance(m) < distance(best))) best = m;
      taken.insert(best);
      spring.first = n;
      spring.second = best;
      model_.springs.push_back(spring);
    }
  }

  void fasten(const FastenerSpec& f) {
    model::SpringElement spring;
    spring.name = f.name;
    spring.stiffness = f.stiffness;
    spring.axes = base::axes_from(f.along, f.up);
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
    for (const Vec3& point : f.points) model::add_fastener(model_, f.first, f.second, point, reach, spring);
  }

  void bonds() {
    for (const auto& b : spec_.bonds)
      at(b.place, [&] {
        const auto nodes = nodes_at(b.follow, "this bond");
        if (nodes.empty()) return;
        const auto ties = model::bond(model_, nodes, b.to, b.tolerance, b.turns, b.name);
        model_.ties.insert(model_.ties.end(), ties.begin(), ties.end());
      });
    drop_followed_supports();
  }

  /// A support on a bonded node says nothing new when all it follows is held in the same direction.
  void drop_followed_supports() {
    std::set<std::pair<int, int>> held;
    for (const auto& s : model_.supports) held.insert({s.node, s.freedom});
    std::map<int, const model::Tie*> followers;
    for (const auto& tie : model_.ties)
      if (tie.leaders.size() > 1 && tie.kind == model::Tie::Kind::carried) followers[tie.follower] = &tie;
    auto& supports = model_.supports;
    supports.erase(std::remove_if(supports.begin(), supports.end(),
                                  [&](const model::Support& s) {
                                    const auto tie = followers.find(s.node);
                                    if (tie == followers.end()) return false;
                                    const auto& leaders = tie->second->leaders;
                                    return std::all_of(leaders.begin(), leaders.end(), [&](int n) {
                                      return held.count({n, s.freedom}) > 0;
                                    });
                                  }),
                   supports.end());
  }

  void points() {
    for (const auto& [name, position] : spec_.points) {
      model::Selection here;
      here.near = position;
      const auto nodes = model::select(model_, here);
      if (!nodes.empty() &&
          (model_.nodes[static_cast<std::size_t>(nodes[0])] - position).norm() <= 1e-6 * model_.size())
        model_.groups[name] = nodes;
    }
  }

  /// Nodes of a spot; complains when it catches none or names an unknown group.
  std::vector<int> nodes_at(const Spot& spot, const char* what) {
    const auto& group = spot.selection.group;
    if (!group.empty() && model_.groups.count(group) == 0) {
      std::vector<std::string> known;
      for (const auto& [name, nodes] : model_.groups) known.push_back(name);
      complain(spot.place, fmt::format("nothing is called '{}'", group), base::suggestion(group, known));
      return {};
    }
    auto nodes = model::select(model_, spot.selection);
    if (nodes.empty())
      complain(spot.place,
               fmt::format("the selection {} catches no node, so {} does nothing", spot.selection.text(), what),
               "check the name and the coordinates; planes and boxes must pass through mesh nodes");
    return nodes;
  }

  void hold(const SupportSpec& support) {
    for (const int node : nodes_at(support.at, "this support"))
      for (const int freedom : support.freedoms) model_.supports.push_back({node, freedom, support.name});
  }

  void load(const PatternSpec& spec) {
    model::LoadPattern pattern;
    pattern.name = spec.name;
    if (spec.loads.empty())
      complain(spec.place, fmt::format("load pattern '{}' has no loads", spec.name), "add one, or remove the pattern");
    for (const auto& l : spec.loads) at(l.place, [&] { add(pattern, l); });
    model_.patterns.push_back(std::move(pattern));
  }

  void add(model::LoadPattern& pattern, const LoadSpec& l) {
    switch (l.kind) {
      case LoadKind::force:
        return add_forces(pattern, l);
      case LoadKind::acceleration:
        pattern.accelerations.push_back(l.value);
        return check_mass(l);
      case LoadKind::edge:
        return add_edges(pattern, l);
      case LoadKind::movement:
        for (const int node : nodes_at(l.at, "this movement")) pattern.movements.push_back({node, l.freedom, l.amount});
        return;
      case LoadKind::line:
        for (const int e : chosen(l, model::line_elements_of(model_, l.part), model_.line_elements))
          pattern.member_loads.push_back({e, l.value, l.projected, l.height_y, l.height_z});
        return;
      case LoadKind::member_pressure:
        for (const int e : chosen(l, model::line_elements_of(model_, l.part), model_.line_elements))
          pattern.member_pressures.push_back({e, l.amount, l.plane_normal.normalized(), l.follows});
        return;
      case LoadKind::surface:
        if (const auto faces = solid_faces(l); !faces.empty()) {
          for (const auto& [e, face] : faces) pattern.surface_loads.push_back({e, l.value, l.projected, face});
          return;
        }
        for (const int e : chosen(l, model::shell_elements_of(model_, l.part), model_.shell_elements))
          pattern.surface_loads.push_back({e, l.value, l.projected});
        return;
      case LoadKind::pressure:
        if (const auto faces = solid_faces(l); !faces.empty()) {
          for (const auto& [e, face] : faces) pattern.surface_pressures.push_back({e, l.amount, l.follows, face});
          return;
        }
        for (const int e : chosen(l, model::shell_elements_of(model_, l.part), model_.shell_elements))
          pattern.surface_pressures.push_back({e, l.amount, l.follows});
        return;
    }
  }

  /// Faces on a side of a solid, "part.top" and the like.
  std::vector<std::pair<int, int>> solid_faces(const LoadSpec& l) {
    std::vector<std::pair<int, int>> faces;
    const auto group = model_.groups.find(l.part);
    if (l.part.find('.') == std::string::npos || group == model_.groups.end()) return faces;
    const std::set<int> chosen(group->second.begin(), group->second.end());
    for (std::size_t e = 0; e < model_.solid_elements.size(); ++e)
      for (int f = 0; f < 6; ++f) {
        const auto& corners = model::kSolidFaces[static_cast<std::size_t>(f)];
        const bool inside = std::all_of(corners.begin(), corners.begin() + 4, [&](int k) {
          return chosen.count(model_.solid_elements[e].nodes[static_cast<std::size_t>(k)]) > 0;
        });
        if (inside) faces.emplace_back(static_cast<int>(e), f);
      }
    return faces;
  }

  Vec3 mean(const int* first, const int* last) const {
    Vec3 sum = Vec3::Zero();
    for (const int* n = first; n != last; ++n) sum += model_.nodes[static_cast<std::size_t>(*n)];
    return sum / static_cast<double>(last - first);
  }
  Vec3 middle_of(const model::LineElement& e) const { return mean(e.nodes.data(), e.nodes.data() + 4); }
  Vec3 middle_of(const model::ShellElement& e) const { return mean(e.begin(), e.begin() + e.corners()); }

  /// Elements whose middle lies where the load says.
  template <class Element>
  std::vector<int> chosen(const LoadSpec& l, const std::vector<int>& elements, const std::vector<Element>& list) {
    if (elements.empty()) {
      complain(l.place, fmt::format("the load acts on nothing: part '{}' has no elements of that kind", l.part),
               "'line' and 'member-pressure' act on members, 'surface' and 'pressure' on panels");
      return {};
    }
    if (!l.where) return elements;
    std::vector<int> inside;
    for (const int e : elements) {
      const Vec3 middle = middle_of(list[static_cast<std::size_t>(e)]);
      const Vec3 low = l.where->box->first.cwiseMin(l.where->box->second),
                 high = l.where->box->first.cwiseMax(l.where->box->second);
      if ((middle - low).minCoeff() >= 0 && (high - middle).minCoeff() >= 0) inside.push_back(e);
    }
    if (inside.empty())
      complain(l.place, fmt::format("the load acts on nothing: no element of '{}' has its middle in the box", l.part),
               "check 'where'");
    return inside;
  }

  void add_forces(model::LoadPattern& pattern, const LoadSpec& l) {
    const auto nodes = nodes_at(l.at, "this force");
    if (nodes.size() > 1 && l.sharing == Sharing::unset) {
      complain(l.place,
               fmt::format("the force acts on {} nodes, but does not say whether it is their total or acts on each",
                           nodes.size()),
               fmt::format("add share = \"total\" ({:.6g} on each node) or share = \"each\" ({:.6g} in total)",
                           l.value.norm() / static_cast<double>(nodes.size()),
                           l.value.norm() * static_cast<double>(nodes.size())));
      return;
    }
    const double share = l.sharing == Sharing::total ? 1.0 / static_cast<double>(nodes.size()) : 1.0;
    for (const int node : nodes) pattern.node_forces.push_back({node, share * l.value, share * l.moment, l.arm});
    if (nodes.size() > 1)
      pattern.notes.push_back(fmt::format("force on {} nodes ({}): {:.6g} {} each, {:.6g} {} in total", nodes.size(),
                                          l.at.selection.text(), share * l.value.norm(), spec_.units.force,
                                          share * l.value.norm() * static_cast<double>(nodes.size()),
                                          spec_.units.force));
  }

  void add_edges(model::LoadPattern& pattern, const LoadSpec& l) {
    const auto nodes = nodes_at(l.at, "this edge load");
    if (nodes.empty()) return;
    const auto edges = model::edges_among(model_, nodes);
    if (edges.empty()) {
      complain(l.place, "the edge load acts on nothing: the selected nodes are not neighbours along a panel",
               "choose an edge, for instance \"skin.start\"");
      return;
    }
    double length = 0;
    for (const auto& [a, b] : edges)
      length += (model_.nodes[static_cast<std::size_t>(a)] - model_.nodes[static_cast<std::size_t>(b)]).norm();
    const double share = l.sharing == Sharing::total ? 1 / length : 1;
    const auto middles = middles_of_edges();
    for (const auto& [a, b] : edges) {
      const auto middle = middles.find(std::minmax(a, b));
      pattern.edge_loads.push_back({a, b, share * l.value, middle == middles.end() ? -1 : middle->second});
    }
    pattern.notes.push_back(
        fmt::format("edge load on {}: {:.6g} {}/{} over {:.6g} {}, {:.6g} {} in total if of one sense",
                    l.at.selection.text(), share * l.value.norm(), spec_.units.force, spec_.units.length, length,
                    spec_.units.length, share * l.value.norm() * length, spec_.units.force));
  }

  /// Middle nodes of the edges of nine-node shells.
  std::map<std::pair<int, int>, int> middles_of_edges() const {
    std::map<std::pair<int, int>, int> middles;
    for (const auto& e : model_.shell_elements)
      for (std::size_t k = 0; e.count == 9 && k < 4; ++k)
        middles[std::minmax(e.nodes[k], e.nodes[(k + 1) % 4])] = e.nodes[k + 4];
    return middles;
  }

  void check_mass(const LoadSpec& l) {
    for (const auto& m : model_.materials)
      if (m.density > 0) return;
    complain(l.place, "the acceleration acts on nothing: no material has a density", "give the materials a density");
  }

  void combinations() {
    for (const auto& c : spec_.combinations) {
      model::Combination combination;
      combination.name = c.name;
      for (const auto& [pattern, factor] : c.terms)
        combination.terms.emplace_back(index_in(model_.patterns, pattern, c.place, "load pattern"), factor);
      model_.combinations.push_back(std::move(combination));
    }
  }

  const StudySpec& spec_;
  model::Model model_;
  std::vector<Complaint> complaints_;
};
}  // namespace

model::Profile to_profile(const std::string& name, const theory::SectionProperties& s) {
  model::Profile p;
  p.name = name;
  p.area = s.area;
  p.second_moment_y = s.second_moment_y;
  p.second_moment_z = s.second_moment_z;
  p.torsion_constant = s.torsion_constant;
  p.shear_area_y = s.shear_area_y;
  p.shear_area_z = s.shear_area_z;
  p.fibre_y = s.fibre_y;
  p.fibre_z = s.fibre_z;
  p.outline = s.outline;
  p.product_moment = s.product_moment;
  p.shear_area_yz = s.shear_area_yz;
  p.shear_centre_y = s.shear_centre_y;
  p.shear_centre_z = s.shear_centre_z;
  p.warping_constant = s.warping_constant;
  p.warping_shear = s.warping_shear;
  p.wagner_y = s.wagner_y;
  p.wagner_z = s.wagner_z;
  p.wagner_warp = s.wagner_warp;
  p.fourth_moment = s.fourth_moment;
  return p;
}

model::Model build_model(const StudySpec& spec) {
  return Builder(spec).build();
}

std::vector<int> watch_nodes(const StudySpec& spec, const model::Model& model) {
  std::vector<int> nodes;
  std::vector<Complaint> complaints;
  for (const auto& watch : spec.watches) {
    const auto caught = model::select(model, watch.at.selection);
    if (caught.size() != 1)
      complaints.push_back(
          watch.at.place.complaint(fmt::format("watch point '{}' catches {} nodes", watch.name, caught.size()),
                                   "it must be exactly one: use near = [x, y, z] or a named point"));
    nodes.push_back(caught.empty() ? -1 : caught[0]);
  }
  if (!complaints.empty()) throw InputError(std::move(complaints));
  return nodes;
}

}  // namespace archway::study
