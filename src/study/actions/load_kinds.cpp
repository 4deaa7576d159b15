#include <algorithm>

#include <fmt/format.h>

#include "archway/elements/loads.hpp"
#include "load_kind_detail.hpp"

namespace archway::study {

const std::vector<const LoadKind*>& load_kinds() {
  using namespace detail;
  static const std::vector<const LoadKind*> kinds = {&force_kind(),        &line_kind(),      &edge_kind(),
                                                     &surface_kind(),      &pressure_kind(),  &member_pressure_kind(),
                                                     &acceleration_kind(), &movement_kind(),  &temperature_kind(),
                                                     &gravity_kind(),      &pretension_kind()};
  return kinds;
}

}  // namespace archway::study

namespace archway::study::detail {

void read_sharing(Keys& keys, LoadSpec& l, const char* each) {
  if (keys.has("share")) l.sharing = keys.choice("share", {"total", each}, "") == 0 ? Sharing::total : Sharing::each;
  if (l.value_at && l.sharing == Sharing::total)
    keys.complain(keys.place("share"), "a force that varies from place to place cannot be shared from a total",
                  "leave 'share' out and give the force per length or area");
}

void read_varying_force(Keys& keys, LoadSpec& l) {
  l.value_at = keys.vector_field("force");
  if (!l.value_at) l.value = keys.vector("force");
}

void read_where(Keys& keys, LoadSpec& l) {
  if (!keys.has("where")) return;
  model::Selection where;
  where.box = keys.box("where");
  l.where = where;
}

void LoadBuilder::loads() {
  for (const auto& spec : spec_.actions) {
    model::Action action;
    action.name = spec.name;
    if (spec.loads.empty())
      complain(spec.place, fmt::format("action '{}' has no loads", spec.name), "add one, or remove the action");
    for (const auto& l : spec.loads) at(l.place, [&] { l.kind->build(*this, action, l); });
    model_.actions.push_back(std::move(action));
  }
}

/// Faces on a side of a solid, "part.top" and the like.
LoadBuilder::Faces LoadBuilder::solid_faces(const LoadSpec& l) {
  Faces list;
  const auto group = model_.groups.find(l.part);
  if (l.part.find('.') == std::string::npos || group == model_.groups.end()) return list;
  const std::set<int> chosen(group->second.begin(), group->second.end());
  for (std::size_t e = 0; e < model_.solid_elements.size(); ++e)
    for (int f = 0; f < 6; ++f) {
      const auto& face = model::kSolidFaces[static_cast<std::size_t>(f)];
      const bool all = std::all_of(face.begin(), face.begin() + 4, [&](int k) {
        return chosen.count(model_.solid_elements[e].nodes[static_cast<std::size_t>(k)]) > 0;
      });
      if (all) list.emplace_back(static_cast<int>(e), f);
    }
  return list;
}

/// Parts of a name, or the walls of a profile made of plates, which is one name over many parts; all for no name.
std::set<int> LoadBuilder::parts_named(const std::string& wanted) {
  const std::string walls = wanted + ".";
  std::set<int> parts;
  for (std::size_t p = 0; p < model_.parts.size(); ++p) {
    const std::string& name = model_.parts[p].name;
    if (wanted.empty() || name == wanted ||
        (model_.groups.count(wanted) > 0 && part_index(wanted) < 0 && name.rfind(walls, 0) == 0))
      parts.insert(static_cast<int>(p));
  }
  return parts;
}

LoadBuilder::Faces LoadBuilder::faces(const LoadSpec& l) {
  Faces list = solid_faces(l);
  if (list.empty()) {
    const auto parts = parts_named(l.part);
    for (std::size_t e = 0; e < model_.shell_elements.size(); ++e)
      if (parts.count(model_.shell_elements[e].part) > 0) list.emplace_back(static_cast<int>(e), -1);
  }
  if (list.empty()) return complain_of_nothing(l), list;
  if (!l.where) return list;
  Faces chosen;
  for (const auto& [e, face] : list) {
    const auto nodes = corners(e, face);
    if (inside(l, mean(nodes.data(), nodes.data() + nodes.size()))) chosen.emplace_back(e, face);
  }
  if (chosen.empty())
    complain(l.place, fmt::format("the load acts on nothing: no element of '{}' has its middle in the box", l.part),
             "check 'where'");
  return chosen;
}

void LoadBuilder::complain_of_nothing(const LoadSpec& l) {
  complain(l.place, fmt::format("the load acts on nothing: part '{}' has no elements of that kind", l.part),
           "'line' and 'member-pressure' act on members, 'surface' and 'pressure' on panels");
}

Vec3 LoadBuilder::mean(const int* first, const int* last) const {
  Vec3 sum = Vec3::Zero();
  for (const int* n = first; n != last; ++n) sum += model_.nodes[static_cast<std::size_t>(*n)];
  return sum / static_cast<double>(last - first);
}

std::vector<int> LoadBuilder::corners(int element, int face) const {
  const auto e = static_cast<std::size_t>(element);
  if (face < 0) {
    const auto& shell = model_.shell_elements[e];
    return {shell.begin(), shell.begin() + shell.corners()};
  }
  std::vector<int> nodes;
  for (std::size_t k = 0; k < 4; ++k)
    nodes.push_back(model_.solid_elements[e]
                        .nodes[static_cast<std::size_t>(model::kSolidFaces[static_cast<std::size_t>(face)][k])]);
  return nodes;
}

bool LoadBuilder::inside(const LoadSpec& l, const Vec3& middle) const {
  const Vec3 low = l.where->box->first.cwiseMin(l.where->box->second),
             high = l.where->box->first.cwiseMax(l.where->box->second);
  return (middle - low).minCoeff() >= 0 && (high - middle).minCoeff() >= 0;
}

/// Line elements of a member whose middle lies where the load says.
std::vector<int> LoadBuilder::line_elements(const LoadSpec& l) {
  const auto elements = model::line_elements_of(model_, l.part);
  if (elements.empty()) return complain_of_nothing(l), elements;
  if (!l.where) return elements;
  std::vector<int> chosen;
  for (const int e : elements) {
    const auto& nodes = model_.line_elements[static_cast<std::size_t>(e)].nodes;
    if (inside(l, mean(nodes.data(), nodes.data() + 4))) chosen.push_back(e);
  }
  if (chosen.empty())
    complain(l.place, fmt::format("the load acts on nothing: no element of '{}' has its middle in the box", l.part),
             "check 'where'");
  return chosen;
}

/// Force that the loads add up to.
Vec3 LoadBuilder::total_of(const model::Action& action) const {
  Eigen::VectorXd nodal = Eigen::VectorXd::Zero(model::row(model_.node_count()));
  elements::add_loads(model_, action, 1, elements::State::reference(model_), nodal);
  return elements::resultant(model_.nodes, nodal, Vec3::Zero()).force;
}

}  // namespace archway::study::detail
