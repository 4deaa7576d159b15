#include <algorithm>
#include <cmath>

#include "archway/model/mesh_check.hpp"
#include "build_model_detail.hpp"

namespace archway::study {

using base::Complaint;
using base::InputError;

namespace {
/// Points, supports, loads and combinations on the finished structure.
class Builder : public detail::SupportBuilder {
 public:
  using SupportBuilder::SupportBuilder;

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
    beddings();
    supports();
    bonds();
    for (const auto& pattern : spec_.patterns) load(pattern);
    anchor();
    combinations();
    stop_if_wrong();
    model::require_sound(model_);
    return std::move(model_);
  }

 private:
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
    const auto middles = model::edge_middles(model_);
    for (const auto& [a, b] : edges) {
      const auto middle = middles.find(std::minmax(a, b));
      pattern.edge_loads.push_back({a, b, share * l.value, middle == middles.end() ? -1 : middle->second});
    }
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
