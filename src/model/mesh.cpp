#include <algorithm>
#include <cmath>
#include <cstdint>
#include <functional>
#include <map>
#include <numeric>
#include <set>
#include <unordered_map>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "mesh_detail.hpp"

namespace archway::model {

using namespace mesh_detail;

namespace {
using base::at;

struct Circle {
  Vec3 centre, axis;
  double angle = 0;  // swept from `from` to `to` through `via`
};

Circle circle_through(const Vec3& from, const Vec3& via, const Vec3& to) {
  const Vec3 a = via - from, b = to - from, normal = a.cross(b);
  if (normal.norm() < 1e-9 * a.norm() * b.norm())
    throw base::InputError("", "the three points of an arc lie on one straight line",
                           "move 'via' off the line, or omit it for a straight member");
  Circle circle;
  circle.centre = from + (b.squaredNorm() * a - a.squaredNorm() * b).cross(normal) * (-0.5 / normal.squaredNorm());
  circle.axis = normal.normalized();
  const Vec3 x = from - circle.centre, y = circle.axis.cross(x);
  const auto rotated = [&](const Vec3& p) {
    const double angle = std::atan2((p - circle.centre).dot(y), (p - circle.centre).dot(x));
    return angle < 0 ? angle + 2 * M_PI : angle;
  };
  circle.angle = rotated(to);
  return circle;
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

void add_member(Model& model, const Part& part, const std::vector<Line>& lines, int elements) {
  require_divisions(elements, "the number of elements of a member");
  const int index = add_part(model, part);
  auto& group = model.groups[part.name];
  for (const Line& line : lines) {
    if (!(line.length() > 0))
      throw base::InputError(fmt::format("member '{}'", part.name), "it has no length, or a piece of it has none",
                             "its ends must be different points");
    if (group.empty()) group.push_back(add_node(model, line.at(0)));
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
  }
  model.groups[part.name + ".start"] = {group.front()};
  model.groups[part.name + ".end"] = {group.back()};
}

void add_member(Model& model, const Part& part, const Line& line, int elements) {
  add_member(model, part, std::vector<Line>{line}, elements);
}

void add_bar(Model& model, const Part& part, const Line& line, int elements) {
  require_divisions(elements, "the number of elements of a bar");
  if (!(line.length() > 0))
    throw base::InputError(fmt::format("bar '{}'", part.name), "it has no length", "its ends must be different points");
  const int index = add_part(model, part);
  auto& group = model.groups[part.name];
  group.push_back(add_node(model, line.at(0)));
  for (int e = 0; e < elements; ++e) {
    group.push_back(add_node(model, line.at((e + 1.0) / elements)));
    model.bar_elements.push_back({{group[group.size() - 2], group.back()}, index});
  }
  model.groups[part.name + ".start"] = {group.front()};
  model.groups[part.name + ".end"] = {group.back()};
}

namespace {
/// Node numbers of a grid of lines; a closed grid wraps its first index.
struct Grid {
  int first, lines, columns;
  int operator()(int i, int j) const { return first + (i % lines) * (columns + 1) + j; }
};
}  // namespace

void add_surface(Model& model, const Part& part, int divisions_s, int divisions_t, bool closed,
                 const std::function<Vec3(double, double)>& surface, Faces faces, const Spacing& spacing) {
  if (!spacing.s.empty()) divisions_s = static_cast<int>(spacing.s.size()) - 1;
  if (!spacing.t.empty()) divisions_t = static_cast<int>(spacing.t.size()) - 1;
  require_divisions(divisions_s, "the number of divisions of a panel");
  require_divisions(divisions_t, "the number of divisions of a panel");
  if (closed && divisions_s < 3) require_divisions(0, "the number of divisions around a closed panel");
  const int index = add_part(model, part), fine = faces == Faces::nine ? 2 : 1;
  const int rows = fine * divisions_s, columns = fine * divisions_t, lines = closed ? rows : rows + 1;
  const Grid at{model.node_count(), lines, columns};
  for (int i = 0; i < lines; ++i)
    for (int j = 0; j <= columns; ++j)
      model.groups[part.name].push_back(
          add_node(model, surface(along_lines(spacing.s, static_cast<double>(i) / rows),
                                  along_lines(spacing.t, static_cast<double>(j) / columns))));
  add_faces(model, at, rows, columns, index, faces);
  for (int j = 0; j <= columns; ++j) {
    model.groups[part.name + ".start"].push_back(at(0, j));
    model.groups[part.name + ".end"].push_back(at(rows, j));
  }
  for (int i = 0; i < lines; ++i) {
    model.groups[part.name + ".left"].push_back(at(i, 0));
    model.groups[part.name + ".right"].push_back(at(i, columns));
  }
}

void add_rectangle(Model& model, const Part& part, const Vec3& corner, const Vec3& along, const Vec3& across,
                   int divisions_along, int divisions_across, Faces faces, const Spacing& spacing) {
  if (along.cross(across).norm() <= 1e-9 * along.norm() * across.norm() || along.norm() == 0.0)
    throw base::InputError(fmt::format("panel '{}'", part.name), "its sides 'along' and 'across' are parallel or zero",
                           "give two sides that span an area");
  add_surface(
      model, part, divisions_along, divisions_across, false,
      [&](double s, double t) -> Vec3 { return corner + s * along + t * across; }, faces, spacing);
}

namespace {
/// Numbers the nodes of a body as elements ask for them; middles of quadratic elements lie at odd places of a grid of
/// twice as many steps.
class BodyNodes {
 public:
  BodyNodes(Model& model, const std::array<int, 3>& steps, bool closed, const std::string& name,
            const std::function<Vec3(double, double, double)>& body)
      : model_(model), steps_(steps), closed_(closed), name_(name), body_(body) {}
  int operator()(int i, int j, int k) {
    if (closed_) i %= steps_[0];
    const auto key = std::array<int, 3>{i, j, k};
    if (const auto found = numbers_.find(key); found != numbers_.end()) return found->second;
    const auto share = [&](std::size_t d) { return static_cast<double>(key[d]) / steps_[d]; };
    const int node = add_node(model_, body_(share(0), share(1), share(2)));
    static const std::array<std::array<const char*, 2>, 3> names = {
        {{".start", ".end"}, {".left", ".right"}, {".bottom", ".top"}}};
    model_.groups[name_].push_back(node);
    for (std::size_t d = closed_ ? 1 : 0; d < 3; ++d) {
      if (key[d] == 0) model_.groups[name_ + names[d][0]].push_back(node);
      if (key[d] == steps_[d]) model_.groups[name_ + names[d][1]].push_back(node);
    }
    return numbers_[key] = node;
  }

 private:
  Model& model_;
  std::array<int, 3> steps_;
  bool closed_;
  std::string name_;
  const std::function<Vec3(double, double, double)>& body_;
  std::map<std::array<int, 3>, int> numbers_;
};
}  // namespace

void add_body(Model& model, const Part& part, const std::array<int, 3>& divisions, bool closed, bool quadratic,
              const std::function<Vec3(double, double, double)>& body) {
  for (const int d : divisions) require_divisions(d, "the number of divisions of a solid");
  if (closed && divisions[0] < 3) require_divisions(0, "the number of divisions around a closed solid");
  const int index = add_part(model, part), fine = quadratic ? 2 : 1;
  // corners, then middles, on a cube of two steps
  static const int kPlaces[20][3] = {{0, 0, 0}, {2, 0, 0}, {2, 2, 0}, {0, 2, 0}, {0, 0, 2}, {2, 0, 2}, {2, 2, 2},
                                     {0, 2, 2}, {1, 0, 0}, {2, 1, 0}, {1, 2, 0}, {0, 1, 0}, {1, 0, 2}, {2, 1, 2},
                                     {1, 2, 2}, {0, 1, 2}, {0, 0, 1}, {2, 0, 1}, {2, 2, 1}, {0, 2, 1}};
  const double h = 1e-3;
  const Vec3 o = body(0.5, 0.5, 0.5);
  const bool rotated =
      (body(0.5 + h, 0.5, 0.5) - o).cross(body(0.5, 0.5 + h, 0.5) - o).dot(body(0.5, 0.5, 0.5 + h) - o) < 0;
  BodyNodes at(model, {fine * divisions[0], fine * divisions[1], fine * divisions[2]}, closed, part.name, body);
  for (int i = 0; i < divisions[0]; ++i)
    for (int j = 0; j < divisions[1]; ++j)
      for (int k = 0; k < divisions[2]; ++k) {
        SolidElement element;
        element.part = index;
        element.count = quadratic ? 20 : 8;
        for (int n = 0; n < element.count; ++n) {
          const int* p = kPlaces[n];
          const int c[3] = {p[0] * fine / 2, p[1] * fine / 2, (rotated ? 2 - p[2] : p[2]) * fine / 2};
          element.nodes[static_cast<std::size_t>(n)] = at(fine * i + c[0], fine * j + c[1], fine * k + c[2]);
        }
        model.solid_elements.push_back(element);
      }
}

namespace {
/// For every node the node it is replaced by: the first one met within tolerance that it may merge with, found through
/// a grid of cells.
class Merger {
 public:
  Merger(const Model& model, double tolerance, const std::vector<KeptApart>& apart)
      : nodes_(model.nodes), tolerance_(tolerance), inside_(model.nodes.size(), 0), by_(model.nodes.size()) {
    for (const auto& element : model.line_elements)
      for (const std::size_t k : {1u, 2u}) inside_[static_cast<std::size_t>(element.nodes[k])] = 1;
    std::iota(by_.begin(), by_.end(), 0);
    for (std::size_t p = 0; p < apart.size(); ++p) {
      for (const int n : apart[p].follow) roles_[n].first.insert(p);
      for (const int n : apart[p].lead)
        if (roles_[n].first.count(p) == 0) roles_[n].second.insert(p);
    }
  }

  std::vector<int> run() {
    // what leads comes last: a third part that touches both sides joins the one that follows
    for (const bool leads : {false, true})
      for (int node = 0; node < static_cast<int>(nodes_.size()); ++node) {
        const auto role = roles_.find(node);
        if (!inside_[at(node)] && (role != roles_.end() && !role->second.second.empty()) == leads) place(node);
      }
    return std::move(by_);
  }

 private:
  using Roles = std::pair<std::set<std::size_t>, std::set<std::size_t>>;  // follows, leads
  std::uint64_t cell(const Vec3& p, int dx, int dy, int dz) const {
    const auto index = [&](double v, int d) {
      return static_cast<std::uint64_t>(
          static_cast<std::int64_t>(std::clamp(std::floor(v / (4 * tolerance_)), -4e18, 4e18)) + d);
    };
    return (index(p.x(), dx) * 73856093U) ^ (index(p.y(), dy) * 19349663U) ^ (index(p.z(), dz) * 83492791U);
  }

  bool may_merge(int a, int b) const {
    const auto first = roles_.find(a), second = roles_.find(b);
    if (first == roles_.end() || second == roles_.end()) return true;
    const auto meet = [](const std::set<std::size_t>& follow, const std::set<std::size_t>& lead) {
      return std::any_of(follow.begin(), follow.end(), [&](std::size_t p) { return lead.count(p) > 0; });
    };
    return !meet(first->second.first, second->second.second) && !meet(second->second.first, first->second.second);
  }

  void place(int node) {
    int best = node;
    for (int k = 0; k < 27; ++k) {
      const auto range = cells_.equal_range(cell(nodes_[at(node)], k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1));
      for (auto it = range.first; it != range.second; ++it)
        if ((nodes_[at(it->second)] - nodes_[at(node)]).norm() <= tolerance_ && may_merge(it->second, node) &&
            (best == node || it->second < best))
          best = it->second;
    }
    by_[at(node)] = best;
    if (best == node) {
      cells_.emplace(cell(nodes_[at(node)], 0, 0, 0), node);
    } else if (const auto own = roles_.find(node); own != roles_.end()) {
      const Roles roles = own->second;
      roles_[best].first.insert(roles.first.begin(), roles.first.end());
      roles_[best].second.insert(roles.second.begin(), roles.second.end());
    }
  }

  const std::vector<Vec3>& nodes_;
  double tolerance_;
  std::vector<char> inside_;
  std::vector<int> by_;
  std::map<int, Roles> roles_;  // only of nodes that have one
  std::unordered_multimap<std::uint64_t, int> cells_;
};
}  // namespace

int merge_coincident_nodes(Model& model, double tolerance, const std::vector<KeptApart>& apart) {
  const std::vector<int> by = Merger(model, tolerance, apart).run();
  std::vector<int> number(model.nodes.size(), -1);
  std::vector<Vec3> kept;
  for (std::size_t n = 0; n < by.size(); ++n)
    if (by[n] == static_cast<int>(n)) {
      number[n] = static_cast<int>(kept.size());
      kept.push_back(model.nodes[n]);
    }
  const int gone = model.node_count() - static_cast<int>(kept.size());
  const auto renumber = [&](int& node) { node = number[static_cast<std::size_t>(by[static_cast<std::size_t>(node)])]; };
  model.each_node_number(renumber);
  for (auto& [name, nodes] : model.groups) {
    for (int& node : nodes) renumber(node);
    std::vector<int> unique;
    std::vector<char> seen(kept.size(), 0);
    for (const int node : nodes)
      if (!std::exchange(seen[static_cast<std::size_t>(node)], 1)) unique.push_back(node);
    nodes = std::move(unique);
  }
  model.nodes = std::move(kept);
  return gone;
}

}  // namespace archway::model
