#include "archway/model/mesh.hpp"

#include <cmath>
#include <functional>
#include <numeric>
#include <unordered_map>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::model {

namespace {
struct Circle {
  Vec3 centre, axis;
  double angle = 0;  // swept from `from` to `to` through `via`
};

Circle circle_through(const Vec3& from, const Vec3& via, const Vec3& to) {
  const Vec3 a = via - from, b = to - from, normal = a.cross(b);
  if (normal.norm() < 1e-9 * a.norm() * b.norm())
    throw base::InputError("", "the three points of an arc lie on one straight line",
                           "move 'via' off the line, or leave it out for a straight member");
  Circle circle;
  circle.centre = from + (b.squaredNorm() * a - a.squaredNorm() * b).cross(normal) * (-0.5 / normal.squaredNorm());
  circle.axis = normal.normalized();
  const Vec3 x = from - circle.centre, y = circle.axis.cross(x);
  const auto turned = [&](const Vec3& p) {
    const double angle = std::atan2((p - circle.centre).dot(y), (p - circle.centre).dot(x));
    return angle < 0 ? angle + 2 * M_PI : angle;
  };
  circle.angle = turned(to);
  return circle;
}

int add_node(Model& model, const Vec3& position) {
  model.nodes.push_back(position);
  return model.node_count() - 1;
}

int add_part(Model& model, const Part& part) {
  model.parts.push_back(part);
  return static_cast<int>(model.parts.size()) - 1;
}

/// Nodes on a (rows + 1) x (columns + 1) grid, then elements; a closed grid wraps its first index.
void add_grid(Model& model, const Part& part, int rows, int columns, bool closed,
              const std::function<Vec3(double, double)>& surface) {
  const int index = add_part(model, part);
  const int lines = closed ? rows : rows + 1;
  const int first = model.node_count();
  for (int i = 0; i < lines; ++i)
    for (int j = 0; j <= columns; ++j)
      model.groups[part.name].push_back(
          add_node(model, surface(static_cast<double>(i) / rows, static_cast<double>(j) / columns)));
  const auto at = [&](int i, int j) { return first + (i % lines) * (columns + 1) + j; };
  for (int i = 0; i < rows; ++i)
    for (int j = 0; j < columns; ++j)
      model.shell_elements.push_back({{at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)}, index});
  for (int j = 0; j <= columns; ++j) {
    model.groups[part.name + ".start"].push_back(at(0, j));
    model.groups[part.name + ".end"].push_back(at(rows, j));
  }
  for (int i = 0; i < lines; ++i) {
    model.groups[part.name + ".left"].push_back(at(i, 0));
    model.groups[part.name + ".right"].push_back(at(i, columns));
  }
}

void require_divisions(int count, const char* what) {
  if (count < 1) throw base::InputError("", fmt::format("{} is {}", what, count), "use at least 1");
}
}  // namespace

Vec3 Line::at(double s) const {
  if (!via) return from + s * (to - from);
  const Circle circle = circle_through(from, *via, to);
  return circle.centre + Eigen::AngleAxisd(s * circle.angle, circle.axis) * (from - circle.centre);
}

double Line::length() const {
  if (!via) return (to - from).norm();
  const Circle circle = circle_through(from, *via, to);
  return circle.angle * (from - circle.centre).norm();
}

void add_member(Model& model, const Part& part, const Line& line, int elements) {
  require_divisions(elements, "the number of elements of a member");
  if (!(line.length() > 0))
    throw base::InputError(fmt::format("member '{}'", part.name), "it has no length",
                           "its ends must be different points");
  const int index = add_part(model, part);
  auto& group = model.groups[part.name];
  group.push_back(add_node(model, line.at(0)));
  for (int e = 0; e < elements; ++e) {
    LineElement element;
    element.part = index;
    element.nodes[0] = group.back();
    for (int k = 1; k <= 3; ++k) {
      element.nodes[static_cast<std::size_t>(k)] = add_node(model, line.at((e + k / 3.0) / elements));
      group.push_back(element.nodes[static_cast<std::size_t>(k)]);
    }
    model.line_elements.push_back(element);
  }
  model.groups[part.name + ".start"] = {group.front()};
  model.groups[part.name + ".end"] = {group.back()};
}

void add_rectangle(Model& model, const Part& part, const Vec3& corner, const Vec3& along, const Vec3& across,
                   int divisions_along, int divisions_across) {
  require_divisions(divisions_along, "the number of divisions of a panel");
  require_divisions(divisions_across, "the number of divisions of a panel");
  if (along.cross(across).norm() <= 1e-9 * along.norm() * across.norm() || along.norm() == 0.0)
    throw base::InputError(fmt::format("panel '{}'", part.name), "its sides 'along' and 'across' are parallel or zero",
                           "give two sides that span an area");
  add_grid(model, part, divisions_along, divisions_across, false,
           [&](double s, double t) -> Vec3 { return corner + s * along + t * across; });
}

void add_cylinder_strip(Model& model, const Part& part, const Vec3& axis_from, const Vec3& axis_to, const Vec3& start,
                        double angle, int divisions_around, int divisions_along) {
  require_divisions(divisions_around, "the number of divisions of a panel");
  require_divisions(divisions_along, "the number of divisions of a panel");
  const Vec3 axis = axis_to - axis_from;
  const bool closed = std::abs(angle - 2 * M_PI) < 1e-9;
  const std::string place = fmt::format("panel '{}'", part.name);
  if (axis.norm() == 0.0) throw base::InputError(place, "its axis has no length", "give two different points");
  if (axis.normalized().cross(start - axis_from).norm() == 0.0)
    throw base::InputError(place, "its start point lies on the axis", "move it to the surface of the cylinder");
  if (!(angle > 0) || angle > 2 * M_PI + 1e-9)
    throw base::InputError(place, "its angle must be above 0 and at most 360 degrees",
                           "swap the axis ends to turn the other way");
  if (closed && divisions_around < 3) require_divisions(0, "the number of divisions around a closed cylinder");
  const Vec3 arm = start - axis_from;
  add_grid(model, part, divisions_around, divisions_along, closed, [&](double s, double t) -> Vec3 {
    return axis_from + Eigen::AngleAxisd(s * angle, axis.normalized()) * arm + t * axis;
  });
}

namespace {
/// For every node the node it is replaced by: the first one met within tolerance, found through a grid of cells.
std::vector<int> replacement(const Model& model, double tolerance) {
  std::vector<char> inside(model.nodes.size(), 0);
  for (const auto& element : model.line_elements)
    for (const std::size_t k : {1u, 2u}) inside[static_cast<std::size_t>(element.nodes[k])] = 1;
  std::unordered_multimap<long long, int> cells;
  const auto cell = [&](const Vec3& p, int dx, int dy, int dz) {
    const auto at = [&](double v) { return static_cast<long long>(std::floor(v / (4 * tolerance))); };
    return ((at(p.x()) + dx) * 73856093LL) ^ ((at(p.y()) + dy) * 19349663LL) ^ ((at(p.z()) + dz) * 83492791LL);
  };
  std::vector<int> by(model.nodes.size());
  std::iota(by.begin(), by.end(), 0);
  for (int node = 0; node < model.node_count(); ++node) {
    const auto n = static_cast<std::size_t>(node);
    if (inside[n]) continue;
    for (int k = 0; k < 27 && by[n] == node; ++k) {
      const auto range = cells.equal_range(cell(model.nodes[n], k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1));
      for (auto it = range.first; it != range.second; ++it)
        if ((model.nodes[static_cast<std::size_t>(it->second)] - model.nodes[n]).norm() <= tolerance)
          by[n] = it->second;
    }
    if (by[n] == node) cells.emplace(cell(model.nodes[n], 0, 0, 0), node);
  }
  return by;
}
}  // namespace

int merge_coincident_nodes(Model& model, double tolerance) {
  const std::vector<int> by = replacement(model, tolerance);
  std::vector<int> number(model.nodes.size(), -1);
  std::vector<Vec3> kept;
  for (std::size_t n = 0; n < by.size(); ++n)
    if (by[n] == static_cast<int>(n)) {
      number[n] = static_cast<int>(kept.size());
      kept.push_back(model.nodes[n]);
    }
  const int gone = model.node_count() - static_cast<int>(kept.size());
  const auto renumber = [&](int& node) { node = number[static_cast<std::size_t>(by[static_cast<std::size_t>(node)])]; };
  for (auto& element : model.line_elements)
    for (int& node : element.nodes) renumber(node);
  for (auto& element : model.shell_elements)
    for (int& node : element.nodes) renumber(node);
  for (auto& [name, nodes] : model.groups) {
    for (int& node : nodes) renumber(node);
    std::vector<int> unique;
    std::vector<char> seen(kept.size(), 0);
    for (const int node : nodes)
      if (!std::exchange(seen[static_cast<std::size_t>(node)], 1)) unique.push_back(node);
    nodes = std::move(unique);
  }
  for (auto& support : model.supports) renumber(support.node);
  model.nodes = std::move(kept);
  return gone;
}

}  // namespace archway::model
