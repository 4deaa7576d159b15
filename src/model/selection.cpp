#include "archway/model/selection.hpp"

#include <algorithm>
#include <limits>
#include <set>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::model {

std::string Selection::text() const {
  std::vector<std::string> rules;
  if (!group.empty()) rules.push_back("'" + group + "'");
  for (int axis = 0; axis < 3; ++axis)
    if (plane[axis])
      rules.push_back(fmt::format("{} = {}", kFreedomNames[static_cast<std::size_t>(axis)], *plane[axis]));
  if (box) rules.push_back("inside the box");
  if (near) rules.push_back(fmt::format("near ({}, {}, {})", near->x(), near->y(), near->z()));
  return rules.empty() ? "everything" : fmt::format("{}", fmt::join(rules, " and "));
}

std::vector<int> select(const Model& model, const Selection& selection) {
  std::vector<int> candidates;
  if (selection.group.empty()) {
    for (int n = 0; n < model.node_count(); ++n) candidates.push_back(n);
  } else if (const auto group = model.groups.find(selection.group); group != model.groups.end()) {
    candidates = group->second;
  }
  const double tolerance = 1e-6 * model.size();
  std::vector<char> inside(model.nodes.size(), 0);
  if (selection.ends_only)
    for (const auto& element : model.line_elements)
      for (const std::size_t k : {1u, 2u}) inside[static_cast<std::size_t>(element.nodes[k])] = 1;
  for (const int n : model.anchors) inside[static_cast<std::size_t>(n)] = 1;
  const auto caught = [&](int n) {
    const Vec3& p = model.nodes[static_cast<std::size_t>(n)];
    if (inside[static_cast<std::size_t>(n)]) return false;
    for (int axis = 0; axis < 3; ++axis)
      if (selection.plane[axis] && std::abs(p[axis] - *selection.plane[axis]) > tolerance) return false;
    if (selection.box) {
      const Vec3 low = selection.box->first.cwiseMin(selection.box->second).array() - tolerance;
      const Vec3 high = selection.box->first.cwiseMax(selection.box->second).array() + tolerance;
      if ((p - low).minCoeff() < 0 || (high - p).minCoeff() < 0) return false;
    }
    return true;
  };
  std::vector<int> nodes;
  std::copy_if(candidates.begin(), candidates.end(), std::back_inserter(nodes), caught);
  if (selection.near && !nodes.empty()) {
    const auto distance = [&](int n) {
      return (model.nodes[static_cast<std::size_t>(n)] - *selection.near).squaredNorm();
    };
    nodes = {*std::min_element(nodes.begin(), nodes.end(), [&](int a, int b) { return distance(a) < distance(b); })};
  }
  std::sort(nodes.begin(), nodes.end());
  nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
  return nodes;
}

std::vector<std::pair<int, int>> edges_among(const Model& model, const std::vector<int>& nodes) {
  const std::set<int> chosen(nodes.begin(), nodes.end());
  std::set<std::pair<int, int>> edges;
  for (const auto& element : model.shell_elements)
    for (std::size_t k = 0; k < static_cast<std::size_t>(element.corners()); ++k) {
      const int a = element.nodes[k], b = element.nodes[(k + 1) % static_cast<std::size_t>(element.corners())];
      if (chosen.count(a) && chosen.count(b)) edges.insert(std::minmax(a, b));
    }
  return {edges.begin(), edges.end()};
}

std::map<std::pair<int, int>, int> edge_middles(const Model& model) {
  std::map<std::pair<int, int>, int> middles;
  for (const auto& e : model.shell_elements)
    for (std::size_t k = 0; e.count == 9 && k < 4; ++k)
      middles[std::minmax(e.nodes[k], e.nodes[(k + 1) % 4])] = e.nodes[k + 4];
  return middles;
}

namespace {
int part_index(const Model& model, const std::string& name) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < model.parts.size(); ++i) {
    if (model.parts[i].name == name) return static_cast<int>(i);
    names.push_back(model.parts[i].name);
  }
  throw base::InputError("", fmt::format("there is no part named '{}'", name), base::suggestion(name, names, "parts"));
}

template <class Element>
std::vector<int> of_part(const std::vector<Element>& elements, int part) {
  std::vector<int> found;
  for (std::size_t e = 0; e < elements.size(); ++e)
    if (elements[e].part == part) found.push_back(static_cast<int>(e));
  return found;
}
}  // namespace

std::vector<int> line_elements_of(const Model& model, const std::string& part) {
  return of_part(model.line_elements, part_index(model, part));
}
std::vector<int> shell_elements_of(const Model& model, const std::string& part) {
  return of_part(model.shell_elements, part_index(model, part));
}

}  // namespace archway::model
