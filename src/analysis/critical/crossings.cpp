#include <algorithm>
#include <map>
#include <optional>
#include <unsupported/Eigen/BVH>

#include "archway/base/index.hpp"
#include "critical/crossings_detail.hpp"

namespace archway::analysis::detail {

namespace {
using base::at;
using Box = Eigen::AlignedBox3d;

constexpr double kMargin = 0.02;  ///< of a facet's size: so near in the unloaded structure they belong together

constexpr double kShallow = 0.05;  ///< of an edge's length: where contact keeps parts apart by the mean, so much of an
                                   ///< edge goes in between two corners

bool goes_deep(const Vec3& a, const Vec3& b, const std::array<Vec3, 3>& t) {
  const Vec3 normal = (t[1] - t[0]).cross(t[2] - t[0]).normalized();
  const double least = std::min(std::abs(normal.dot(a - t[0])), std::abs(normal.dot(b - t[0])));
  return least > kShallow * (b - a).norm();
}

/// Where the way from a to b goes through a triangle.
std::optional<Vec3> pierced(const Vec3& a, const Vec3& b, const std::array<Vec3, 3>& t) {
  const Vec3 way = b - a, e1 = t[1] - t[0], e2 = t[2] - t[0], p = way.cross(e2);
  const double det = e1.dot(p);
  if (det == 0.0) return {};
  const Vec3 s = a - t[0], q = s.cross(e1);
  const double u = s.dot(p) / det, v = way.dot(q) / det, share = e2.dot(q) / det;
  if (u < 0 || v < 0 || u + v > 1 || share < 0 || share > 1) return {};
  return a + share * way;
}
}  // namespace

CrossingWatch::CrossingWatch(const model::Model& model) {
  for (const auto& e : model.shell_elements)
    for (int k = 2; k < e.corners(); ++k) facets_.push_back({{e.nodes[0], e.nodes[at(k - 1)], e.nodes[at(k)]}, e.part});
  std::map<std::array<int, 4>, std::pair<int, std::array<int, 4>>>
      faces;  // of solids, by their corners: seen once is outer
  std::map<std::array<int, 4>, int> part_of;
  for (const auto& e : model.solid_elements)
    for (const auto& face : model::kSolidFaces) {
      std::array<int, 4> corners{};
      for (std::size_t k = 0; k < 4; ++k) corners[k] = e.nodes[at(face[k])];
      auto key = corners;
      std::sort(key.begin(), key.end());
      auto& seen = faces[key];
      ++seen.first, seen.second = corners;
      part_of[key] = e.part;
    }
  for (const auto& [key, seen] : faces)
    if (seen.first == 1)
      for (std::size_t k = 2; k < 4; ++k)
        facets_.push_back({{seen.second[0], seen.second[k - 1], seen.second[k]}, part_of[key]});
  if (facets_.empty()) return;  // lines do not meet lines
  for (const auto& c : model.contacts) {
    std::set<int> follow, lead;
    for (const auto& f : c.followers) follow.insert(f.part);
    for (const auto& f : c.within() ? c.followers : c.leaders) lead.insert(f.part);
    for (const int one : follow)
      for (const int other : lead) kept_apart_.insert(std::minmax(one, other));
  }
  for (const auto& e : model.line_elements)
    for (std::size_t k = 0; k < 3; ++k) facets_.push_back({{e.nodes[k], e.nodes[k + 1], e.nodes[k + 1]}, e.part});
  for (const auto& e : model.bar_elements) facets_.push_back({{e.nodes[0], e.nodes[1], e.nodes[1]}, e.part});
  for (const auto& f : facets_) {
    Box box;
    for (const int n : f.nodes) box.extend(model.nodes[at(n)]);
    const Vec3 margin = Vec3::Constant(kMargin * box.diagonal().norm());
    start_.emplace_back(box.min() - margin, box.max() + margin);
  }
}

/// Pairs of facets whose boxes meet.
struct CrossingWatch::Search {
  const CrossingWatch& watch;
  const std::vector<Vec3>& x;
  std::vector<Crossing>& found;
  static bool intersectVolumeVolume(const Box& a, const Box& b) { return a.intersects(b); }
  bool intersectVolumeObject(const Box& a, int b) const { return a.intersects(box(b)); }
  bool intersectObjectVolume(int a, const Box& b) const { return b.intersects(box(a)); }
  /// \return whether to stop
  bool intersectObjectObject(int i, int j) {
    if (i >= j) return false;
    const auto &a = watch.facets_[at(i)], &b = watch.facets_[at(j)];
    if (known(a.part, b.part) || share_node(a, b) || !box(i).intersects(box(j))) return false;
    if (watch.start_[at(i)].intersects(watch.start_[at(j)])) return false;
    if (const auto place = through(a, b, watch.kept_apart_.count(std::minmax(a.part, b.part)) > 0))
      found.push_back({-1, a.part, b.part, *place});
    return false;
  }
  Box box(int number) const {
    Box all;
    for (const int n : watch.facets_[at(number)].nodes) all.extend(x[at(n)]);
    return all;
  }

 private:
  static bool share_node(const Facet& a, const Facet& b) {
    return std::any_of(a.nodes.begin(), a.nodes.end(),
                       [&](int n) { return std::find(b.nodes.begin(), b.nodes.end(), n) != b.nodes.end(); });
  }
  bool known(int a, int b) const {
    const std::pair<int, int> pair = std::minmax(a, b);
    const auto& list = watch.known_;
    return std::find(list.begin(), list.end(), pair) != list.end() ||
           std::any_of(found.begin(), found.end(),
                       [&](const Crossing& c) { return std::pair<int, int>(std::minmax(c.part, c.other)) == pair; });
  }
  std::optional<Vec3> through(const Facet& a, const Facet& b, bool kept_apart) const {
    for (const auto& [edges, face] : {std::pair(&a, &b), std::pair(&b, &a)}) {
      if (face->line()) continue;
      const std::array<Vec3, 3> t = {x[at(face->nodes[0])], x[at(face->nodes[1])], x[at(face->nodes[2])]};
      for (std::size_t k = 0; k < (edges->line() ? 1 : 3); ++k) {
        const Vec3 &from = x[at(edges->nodes[k])], &to = x[at(edges->nodes[(k + 1) % 3])];
        if (kept_apart && !goes_deep(from, to, t)) continue;
        if (auto place = pierced(from, to, t)) return place;
      }
    }
    return {};
  }
};

std::vector<Crossing> CrossingWatch::look(const State& state) {
  std::vector<Crossing> found;
  if (facets_.size() < 2) return found;
  std::vector<int> numbers(facets_.size());
  std::vector<Box> boxes(facets_.size());
  for (std::size_t f = 0; f < facets_.size(); ++f) {
    numbers[f] = static_cast<int>(f);
    for (const int n : facets_[f].nodes) boxes[f].extend(state.position[at(n)]);
  }
  const Eigen::KdBVH<double, 3, int> tree(numbers.begin(), numbers.end(), boxes.begin(), boxes.end());
  Search search{*this, state.position, found};
  Eigen::BVIntersect(tree, tree, search);
  for (const auto& c : found) known_.emplace_back(std::minmax(c.part, c.other));
  return found;
}

}  // namespace archway::analysis::detail
