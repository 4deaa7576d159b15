#include <algorithm>

#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"
#include "archway/elements/loads.hpp"

namespace archway::study {

const std::vector<const LoadKind*>& load_kinds() {
  using namespace detail;
  static const std::vector<const LoadKind*> kinds = {
      &force_kind(),           &line_kind(),         &edge_kind(),         &surface_kind(),     &pressure_kind(),
      &member_pressure_kind(), &acceleration_kind(), &displacement_kind(), &temperature_kind(), &gravity_kind(),
      &pretension_kind(),      &lack_of_fit_kind()};
  return kinds;
}

}  // namespace archway::study

namespace archway::study {
std::string LoadSpec::names() const {
  return fmt::format("'{}'", fmt::join(parts, "', '"));
}
}  // namespace archway::study

namespace archway::study::detail {

void read_sharing(Keys& keys, LoadSpec& l, const char* each) {
  if (keys.has("distribution"))
    l.sharing = keys.choice("distribution", {"total", each}, "") == 0 ? Sharing::total : Sharing::each;
  if (l.value_at && l.sharing == Sharing::total)
    keys.complain(keys.place("distribution"), "a force that varies from place to place cannot be shared from a total",
                  "leave 'distribution' out and give the force per length or area");
}

void read_varying_force(Keys& keys, LoadSpec& l) {
  l.value_at = keys.vector_field("force");
  if (!l.value_at) l.value = keys.vector("force");
}

void read_parts(Keys& keys, LoadSpec& l) {
  if (!keys.has("on")) (void)keys.text("on");  // it is missed
  l.parts = keys.texts("on");
}

void read_where(Keys& keys, LoadSpec& l) {
  if (!keys.has("where")) return;
  model::Selection where;
  where.box = keys.two_points("where");
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
LoadBuilder::Faces LoadBuilder::solid_faces(const std::string& part) {
  Faces list;
  const auto group = model_.groups.find(part);
  if (part.find('.') == std::string::npos || group == model_.groups.end()) return list;
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

std::set<int> LoadBuilder::parts_of(const LoadSpec& l) {
  if (l.parts.empty()) return parts_named("");
  std::set<int> all;
  for (const auto& name : l.parts) {
    const auto some = parts_named(name);
    if (name.empty() || some.empty())
      complain(l.place, fmt::format("no part is called '{}'", name), "name parts with 'on'");
    all.insert(some.begin(), some.end());
  }
  return all;
}

LoadBuilder::Faces LoadBuilder::faces(const LoadSpec& l) {
  Faces list;
  std::set<std::pair<int, int>> known;
  for (const auto& name : l.parts) {
    Faces own = solid_faces(name);
    if (own.empty()) {
      const auto parts = parts_named(name);
      for (std::size_t e = 0; e < model_.shell_elements.size(); ++e)
        if (parts.count(model_.shell_elements[e].part) > 0) own.emplace_back(static_cast<int>(e), -1);
    }
    if (own.empty()) complain_of_nothing(l, name);
    for (const auto& one : own)  // named twice it is still one
      if (known.insert(one).second) list.push_back(one);
  }
  if (list.empty()) return list;
  if (!l.where) return list;
  Faces chosen;
  for (const auto& [e, face] : list) {
    const auto nodes = corners(e, face);
    if (inside(l, mean(nodes.data(), nodes.data() + nodes.size()))) chosen.emplace_back(e, face);
  }
  if (chosen.empty())
    complain(l.place, fmt::format("the load acts on nothing: no element of {} has its middle in the box", l.names()),
             "check 'where'");
  return chosen;
}

void LoadBuilder::complain_of_nothing(const LoadSpec& l, const std::string& part) {
  complain(l.place, fmt::format("the load acts on nothing: part '{}' has no elements of that kind", part),
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
  std::vector<int> elements;
  std::set<int> known;
  for (const auto& name : l.parts) {
    const auto own = model::line_elements_of(model_, name);
    if (own.empty()) complain_of_nothing(l, name);
    for (const int e : own)
      if (known.insert(e).second) elements.push_back(e);
  }
  if (elements.empty()) return elements;
  if (!l.where) return elements;
  std::vector<int> chosen;
  for (const int e : elements) {
    const auto& nodes = model_.line_elements[static_cast<std::size_t>(e)].nodes;
    if (inside(l, mean(nodes.data(), nodes.data() + 4))) chosen.push_back(e);
  }
  if (chosen.empty())
    complain(l.place, fmt::format("the load acts on nothing: no element of {} has its middle in the box", l.names()),
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
