#include "archway/model/selection.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/model/surface.hpp"

namespace archway::model {

std::string Selection::text() const {
  std::vector<std::string> rules;
  if (!group.empty()) rules.push_back("'" + group + "'");
  for (int axis = 0; axis < 3; ++axis)
    if (plane[axis]) rules.push_back(fmt::format("{} = {}", kDofNames[static_cast<std::size_t>(axis)], *plane[axis]));
  if (box) rules.push_back("inside the box");
  if (inclined)
    rules.push_back(fmt::format("in the plane through ({}, {}, {})", inclined->point.x(), inclined->point.y(),
                                inclined->point.z()));
  if (cylinder)
    rules.push_back(cylinder->least == cylinder->most
                        ? fmt::format("{} from the axis", cylinder->most)
                        : fmt::format("{} to {} from the axis", cylinder->least, cylinder->most));
  if (free_edges) rules.emplace_back("on free edges");
  if (normal) rules.push_back(fmt::format("looking along ({}, {}, {})", normal->x(), normal->y(), normal->z()));
  const auto list = [](const std::vector<Selection>& all) {
    std::vector<std::string> texts;
    for (const auto& one : all) texts.push_back(one.text());
    return fmt::format("{}", fmt::join(texts, " or "));
  };
  if (!any.empty()) rules.push_back("(" + list(any) + ")");
  if (!without.empty()) rules.push_back("not (" + list(without) + ")");
  if (near)
    rules.push_back(radius > 0 ? fmt::format("within {} of ({}, {}, {})", radius, near->x(), near->y(), near->z())
                               : fmt::format("near ({}, {}, {})", near->x(), near->y(), near->z()));
  return rules.empty() ? "everything" : fmt::format("{}", fmt::join(rules, " and "));
}

namespace {
using base::at;

using Marks = std::vector<char>;  // one a node

Marks on_free_edges(const Model& model) {
  Marks marks(model.nodes.size(), 0);
  const auto middles = edge_middles(model);
  for (const auto& edge : free_edges(model)) {
    marks[static_cast<std::size_t>(edge.first)] = marks[static_cast<std::size_t>(edge.second)] = 1;
    if (const auto middle = middles.find(edge); middle != middles.end())
      marks[static_cast<std::size_t>(middle->second)] = 1;
  }
  return marks;
}

Marks looking(const Model& model, const Vec3& direction, double degrees) {
  Marks marks(model.nodes.size(), 0);
  const double least = std::cos(degrees * M_PI / 180) - 1e-12;
  for (const auto& facet : outer_facets(model)) {
    const auto x = [&](std::size_t k) { return model.nodes[static_cast<std::size_t>(facet.nodes[k])]; };
    const std::size_t last = static_cast<std::size_t>(facet.corners()) - 1;
    const Vec3 normal = last == 2 ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(2) - x(0)).cross(x(3) - x(1));
    if (normal.normalized().dot(direction.normalized()) >= least)
      for (const int n : facet.nodes) marks[static_cast<std::size_t>(n)] = 1;
  }
  return marks;
}

Marks marked(const Model& model, const std::vector<Selection>& list) {
  Marks marks(model.nodes.size(), 0);
  for (const auto& one : list)
    for (const int n : select(model, one)) marks[static_cast<std::size_t>(n)] = 1;
  return marks;
}

/// The node nearest to a point; of those equally near the one with the smallest x, of those the smallest y, then z, so
/// that neither rounding nor the order of numbers decides.
int nearest_of(const Model& model, const std::vector<int>& nodes, const Vec3& point, double tolerance) {
  const auto x = [&](int n) -> const Vec3& { return model.nodes[static_cast<std::size_t>(n)]; };
  double least = HUGE_VAL;
  for (const int n : nodes) least = std::min(least, (x(n) - point).norm());
  int best = -1;
  for (const int n : nodes) {
    if ((x(n) - point).norm() > least + tolerance) continue;
    const auto before = [&](const Vec3& a, const Vec3& b) {
      for (int k = 0; k < 3; ++k)
        if (std::abs(a[k] - b[k]) > tolerance) return a[k] < b[k];
      return false;
    };
    if (best < 0 || before(x(n), x(best))) best = n;
  }
  return best;
}

/// The rules on a place alone.
bool stands_where(const Selection& s, const Vec3& p, double tolerance) {
  for (int axis = 0; axis < 3; ++axis)
    if (s.plane[axis] && std::abs(p[axis] - *s.plane[axis]) > tolerance) return false;
  if (s.inclined && std::abs((p - s.inclined->point).dot(s.inclined->normal.normalized())) > tolerance) return false;
  if (s.cylinder) {
    const Vec3 axis = (s.cylinder->axis_to - s.cylinder->axis_from).normalized();
    const double distance = axis.cross(p - s.cylinder->axis_from).norm();
    if (distance < s.cylinder->least - tolerance || distance > s.cylinder->most + tolerance) return false;
  }
  if (s.box) {
    const Vec3 low = s.box->first.cwiseMin(s.box->second).array() - tolerance;
    const Vec3 high = s.box->first.cwiseMax(s.box->second).array() + tolerance;
    if ((p - low).minCoeff() < 0 || (high - p).minCoeff() < 0) return false;
  }
  return !(s.near && s.radius > 0 && (p - *s.near).norm() > s.radius + tolerance);
}
}  // namespace

std::vector<int> select(const Model& model, const Selection& selection) {
  std::vector<int> candidates;
  if (selection.group.empty()) {
    for (int n = 0; n < model.node_count(); ++n) candidates.push_back(n);
  } else if (const auto group = model.groups.find(selection.group); group != model.groups.end()) {
    candidates = group->second;
  }
  const double tolerance = 1e-6 * model.size();
  Marks out(model.nodes.size(), 0);
  const auto keep = [&](const Marks& marks, char wanted) {
    for (std::size_t n = 0; n < out.size(); ++n) out[n] = static_cast<char>(out[n] != 0 || marks[n] != wanted);
  };
  if (selection.ends_only)
    for (const auto& element : model.line_elements)
      for (const std::size_t k : {1u, 2u}) out[at(element.nodes[k])] = 1;
  for (const int n : model.anchors) out[at(n)] = 1;
  if (selection.free_edges) keep(on_free_edges(model), 1);
  if (selection.normal) keep(looking(model, *selection.normal, selection.within_degrees), 1);
  if (!selection.any.empty()) keep(marked(model, selection.any), 1);
  if (!selection.without.empty()) keep(marked(model, selection.without), 0);
  std::vector<int> nodes;
  for (const int n : candidates)
    if (!out[at(n)] && stands_where(selection, model.nodes[at(n)], tolerance)) nodes.push_back(n);
  if (selection.near && selection.radius <= 0 && !nodes.empty()) {
    nodes = {nearest_of(model, nodes, *selection.near, tolerance)};
  }
  std::sort(nodes.begin(), nodes.end());
  nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
  return nodes;
}

namespace {
/// Calls use(element, first corner, second corner) for every edge of every panel element.
template <class Use>
void each_edge(const Model& model, const Use& use) {
  for (const auto& e : model.shell_elements)
    for (std::size_t k = 0, n = static_cast<std::size_t>(e.corners()); k < n; ++k)
      use(e, e.nodes[k], e.nodes[(k + 1) % n]);
}
std::map<std::pair<int, int>, int> edge_uses(const Model& model) {
  std::map<std::pair<int, int>, int> uses;
  each_edge(model, [&](const ShellElement&, int a, int b) { ++uses[std::minmax(a, b)]; });
  return uses;
}
}  // namespace

std::vector<std::pair<int, int>> edges_among(const Model& model, const std::vector<int>& nodes) {
  const std::set<int> chosen(nodes.begin(), nodes.end());
  const auto uses = edge_uses(model);
  std::set<std::pair<int, int>> edges, across;
  each_edge(model, [&](const ShellElement& e, int a, int b) {
    if (chosen.count(a) == 0 || chosen.count(b) == 0) return;
    const auto edge = std::minmax(a, b);
    const bool whole = std::all_of(e.begin(), e.begin() + e.corners(), [&](int n) { return chosen.count(n) > 0; });
    if (whole && uses.at(edge) > 1) across.insert(edge);
    edges.insert(edge);
  });
  std::vector<std::pair<int, int>> list;
  std::set_difference(edges.begin(), edges.end(), across.begin(), across.end(), std::back_inserter(list));
  return list;
}

std::vector<std::pair<int, int>> free_edges(const Model& model) {
  std::vector<std::pair<int, int>> free;
  for (const auto& [edge, count] : edge_uses(model))
    if (count == 1) free.push_back(edge);
  return free;
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
