#include "archway/study/build_model.hpp"

#include <cmath>

#include <fmt/format.h>

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
    model::merge_coincident_nodes(model_, 1e-6 * model_.size());
    points();
    for (const auto& support : spec_.supports) hold(support);
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
    for (const auto& p : spec_.profiles)
      at(p.place, [&] {
        auto profile = to_profile(p.name, theory::section_properties(p.shape, p.dimensions));
        if (!p.shear_flexible) {
          profile.shear_area_y *= kStiffShear;
          profile.shear_area_z *= kStiffShear;
          profile.shear_area_yz *= kStiffShear;
          profile.warping_shear *= kStiffShear;
        }
        model_.profiles.push_back(std::move(profile));
      });
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

  void parts() {
    for (const auto& m : spec_.members) {
      model::Part part;
      part.name = m.name;
      part.kind = model::PartKind::member;
      part.material = index_in(model_.materials, m.material, m.place, "material");
      part.profile = index_in(model_.profiles, m.profile, m.place, "profile");
      part.up = m.up;
      at(m.place, [&] { model::add_member(model_, part, m.line, m.elements); });
    }
    for (const auto& p : spec_.panels) {
      model::Part part;
      part.name = p.name;
      part.kind = model::PartKind::panel;
      part.material = index_in(model_.materials, p.material, p.place, "material");
      part.thickness = p.thickness;
      if (!(p.thickness > 0))
        complain(p.place, fmt::format("the thickness of panel '{}' is {}", p.name, p.thickness),
                 "it must be above zero");
      at(p.place, [&] {
        if (p.surface == Surface::rectangle)
          model::add_rectangle(model_, part, p.corner, p.along, p.across, p.divisions[0], p.divisions[1]);
        else
          model::add_cylinder_strip(model_, part, p.axis_from, p.axis_to, p.start, p.angle_degrees * M_PI / 180,
                                    p.divisions[0], p.divisions[1]);
      });
    }
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
          pattern.member_loads.push_back({e, l.value, l.projected});
        return;
      case LoadKind::member_pressure:
        for (const int e : chosen(l, model::line_elements_of(model_, l.part), model_.line_elements))
          pattern.member_pressures.push_back({e, l.amount, l.plane_normal.normalized(), l.follows});
        return;
      case LoadKind::surface:
        for (const int e : chosen(l, model::shell_elements_of(model_, l.part), model_.shell_elements))
          pattern.surface_loads.push_back({e, l.value, l.projected});
        return;
      case LoadKind::pressure:
        for (const int e : chosen(l, model::shell_elements_of(model_, l.part), model_.shell_elements))
          pattern.surface_pressures.push_back({e, l.amount, l.follows});
        return;
    }
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
    for (const int node : nodes) pattern.node_forces.push_back({node, share * l.value, share * l.moment});
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
    for (const auto& [a, b] : edges) pattern.edge_loads.push_back({a, b, share * l.value});
    pattern.notes.push_back(
        fmt::format("edge load on {}: {:.6g} {}/{} over {:.6g} {}, {:.6g} {} in total if of one sense",
                    l.at.selection.text(), share * l.value.norm(), spec_.units.force, spec_.units.length, length,
                    spec_.units.length, share * l.value.norm() * length, spec_.units.force));
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
