#include "archway/model/touching.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <set>
#include <unordered_map>

#include <fmt/format.h>

#include "archway/base/disjoint_sets.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/model/joints.hpp"
#include "archway/model/selection.hpp"

namespace archway::model {

namespace {
constexpr double kNear = 0.01;  ///< of the size of an element: closer is touching

using base::at;

/// A straight piece or a triangle of an element.
struct TouchingPiece {
  std::array<int, 3> nodes{};
  int corners = 3;  // 2: a piece of a line
  int element = -1, part = -1;
  PartKind kind = PartKind::panel;
};

double distance_to_segment(const Vec3& p, const Vec3& a, const Vec3& b) {
  const Vec3 d = b - a;
  const double s = d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
  return (p - a - s * d).norm();
}

double distance_to_triangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 n = (b - a).cross(c - a);
  const double size = n.squaredNorm();
  if (size > 0) {
    const double u = n.dot((c - b).cross(p - b)) / size, v = n.dot((a - c).cross(p - c)) / size;
    if (u >= 0 && v >= 0 && u + v <= 1) return std::abs((p - a).dot(n)) / std::sqrt(size);
  }
  return std::min({distance_to_segment(p, a, b), distance_to_segment(p, b, c), distance_to_segment(p, c, a)});
}

/// Where a segment passes through a triangle, well inside both.
bool passes_through(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c, Vec3& where) {
  constexpr double inside = 0.02;
  const Vec3 n = (b - a).cross(c - a);
  const double hp = (p - a).dot(n), hq = (q - a).dot(n), reach = n.norm() * (q - p).norm();
  if (!(hp * hq < 0) || std::min(std::abs(hp), std::abs(hq)) < inside * reach) return false;
  where = p + hp / (hp - hq) * (q - p);
  const double size = n.squaredNorm();
  const double u = n.dot((c - b).cross(where - b)) / size, v = n.dot((a - c).cross(where - c)) / size;
  return u > inside && v > inside && u + v < 1 - inside;
}

/// Where two segments meet, well inside both.
bool meet(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, double near, Vec3& where) {
  const Vec3 d = q - p, e = b - a, r = p - a;
  const double dd = d.squaredNorm(), ee = e.squaredNorm(), de = d.dot(e), cross = dd * ee - de * de;
  if (!(cross > 1e-6 * dd * ee)) return false;  // side by side: their nodes report
  const double s = (de * e.dot(r) - ee * d.dot(r)) / cross, t = (dd * e.dot(r) - de * d.dot(r)) / cross;
  constexpr double inside = 0.02;
  if (s < inside || s > 1 - inside || t < inside || t > 1 - inside) return false;
  where = p + s * d;
  return (where - a - t * e).norm() <= near;
}

class Finder {
 public:
  explicit Finder(const Model& model) : model_(model), joined_(model.nodes.size()) {
    collect();
    join();
    fill_cells();
  }

  std::vector<Encounter> run() {
    touching();
    crossing();
    same_place();
    std::vector<Encounter> list;
    for (auto& [key, one] : found_) list.push_back(std::move(one));
    return list;
  }

 private:
  const Vec3& x(int n) const { return model_.nodes[at(n)]; }

  void collect() {
    int element = 0;
    const auto add = [&](std::array<int, 3> nodes, int corners, int part, PartKind kind) {
      pieces_.push_back({nodes, corners, element, part, kind});
    };
    const auto facet = [&](const std::vector<int>& ring, int part, PartKind kind) {
      for (std::size_t k = 1; k + 1 < ring.size(); ++k) add({ring[0], ring[k], ring[k + 1]}, 3, part, kind);
    };
    for (const auto& e : model_.line_elements) {
      for (std::size_t k = 0; k < 3; ++k) add({e.nodes[k], e.nodes[k + 1], -1}, 2, e.part, PartKind::member);
      ++element;
    }
    for (const auto& e : model_.bar_elements) {
      add({e.nodes[0], e.nodes[1], -1}, 2, e.part, PartKind::bar);
      ++element;
    }
    for (const auto& e : model_.shell_elements) {
      std::vector<int> ring;
      for (std::size_t k = 0; k < at(e.corners()); ++k) {
        ring.push_back(e.nodes[k]);
        if (e.count == 9) ring.push_back(e.nodes[k + 4]);
      }
      if (e.count == 9) {
        for (std::size_t k = 0; k < ring.size(); ++k)
          add({e.nodes[8], ring[k], ring[(k + 1) % ring.size()]}, 3, e.part, PartKind::panel);
      } else {
        facet(ring, e.part, PartKind::panel);
      }
      ++element;
    }
    for (const auto& e : model_.solid_elements) {
      for (const auto& side : kSolidFaces)
        facet({e.nodes[at(side[0])], e.nodes[at(side[1])], e.nodes[at(side[2])], e.nodes[at(side[3])]}, e.part,
              PartKind::solid);
      ++element;
    }
    parts_.resize(model_.nodes.size());
    inner_.assign(model_.nodes.size(), 0);
    for (const auto& e : model_.line_elements) inner_[at(e.nodes[1])] = inner_[at(e.nodes[2])] = 1;
    for (const auto& p : pieces_)
      for (int k = 0; k < p.corners; ++k)
        if (parts_[at(p.nodes[at(k)])].empty() || parts_[at(p.nodes[at(k)])].back() != p.part)
          parts_[at(p.nodes[at(k)])].push_back(p.part);
  }

  /// Nodes that ties and springs join are one.
  void join() {
    for (const auto& t : model_.ties)
      for (const int leader : t.leaders) joined_.join(t.follower, leader);
    for (const auto& s : model_.springs)
      if (s.second >= 0) joined_.join(s.first, s.second);
  }
  int root(int n) { return joined_.find(n); }
  bool linked(const TouchingPiece& a, const TouchingPiece& b) {
    for (int i = 0; i < a.corners; ++i)
      for (int k = 0; k < b.corners; ++k)
        if (root(a.nodes[at(i)]) == root(b.nodes[at(k)])) return true;
    return false;
  }
  double size_of(const TouchingPiece& p) const {
    double size = (x(p.nodes[1]) - x(p.nodes[0])).norm();
    if (p.corners == 3)
      size = std::max({size, (x(p.nodes[2]) - x(p.nodes[1])).norm(), (x(p.nodes[0]) - x(p.nodes[2])).norm()});
    return size;
  }
  std::pair<Vec3, Vec3> box_of(const TouchingPiece& p) const {
    Vec3 low = x(p.nodes[0]), high = low;
    for (int k = 1; k < p.corners; ++k) low = low.cwiseMin(x(p.nodes[at(k)])), high = high.cwiseMax(x(p.nodes[at(k)]));
    const Vec3 margin = Vec3::Constant(kNear * size_of(p));
    return {low - margin, high + margin};
  }

  bool reaches(const TouchingPiece& p, const Vec3& place) const {
    const auto [low, high] = box_of(p);
    return (place.array() >= low.array()).all() && (place.array() <= high.array()).all();
  }

  using Cell = std::array<std::int64_t, 3>;
  Cell cell(const Vec3& p) const {
    return {static_cast<std::int64_t>(std::floor(p.x() / cell_)), static_cast<std::int64_t>(std::floor(p.y() / cell_)),
            static_cast<std::int64_t>(std::floor(p.z() / cell_))};
  }
  static std::uint64_t key(const Cell& c) {
    return (static_cast<std::uint64_t>(c[0]) * 73856093U) ^ (static_cast<std::uint64_t>(c[1]) * 19349663U) ^
           (static_cast<std::uint64_t>(c[2]) * 83492791U);
  }
  template <class Use>
  void each_cell(const Vec3& low, const Vec3& high, const Use& use) const {
    const Cell a = cell(low), b = cell(high);
    for (auto i = a[0]; i <= b[0]; ++i)
      for (auto j = a[1]; j <= b[1]; ++j)
        for (auto k = a[2]; k <= b[2]; ++k) use(key({i, j, k}));
  }
  void fill_cells() {
    std::vector<double> sizes;
    for (const auto& p : pieces_) sizes.push_back(size_of(p));
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2), sizes.end());
    cell_ = std::max(sizes.empty() ? 1.0 : 1.5 * sizes[sizes.size() / 2], 1e-4 * model_.size());
    if (!(cell_ > 0)) cell_ = 1;
    for (std::size_t p = 0; p < pieces_.size(); ++p) {
      const auto [low, high] = box_of(pieces_[p]);
      const Vec3 many = (high - low) / cell_;
      if ((many.x() + 1) * (many.y() + 1) * (many.z() + 1) > 2000)
        large_.push_back(p);
      else
        each_cell(low, high, [&](std::uint64_t k) {
          auto& parts = cells_[k];
          auto own =
              std::find_if(parts.begin(), parts.end(), [&](const auto& one) { return one.first == pieces_[p].part; });
          if (own == parts.end()) own = parts.insert(own, {pieces_[p].part, {}});
          own->second.push_back(p);
        });
    }
  }
  /// Pieces of the parts asked for whose boxes may reach into a box, each once. Of its own part a cell can hold
  /// thousands, where elements are much longer than wide: those are not even looked at.
  template <class Wanted>
  std::vector<std::size_t> near(const Vec3& low, const Vec3& high, const Wanted& wanted) const {
    std::vector<std::size_t> list;
    for (const std::size_t p : large_)
      if (wanted(pieces_[p].part)) list.push_back(p);
    each_cell(low, high, [&](std::uint64_t k) {
      const auto found = cells_.find(k);
      if (found == cells_.end()) return;
      for (const auto& [part, own] : found->second)
        if (wanted(part)) list.insert(list.end(), own.begin(), own.end());
    });
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
    return list;
  }

  Encounter& note(Encounter::Kind kind, int first, int second, const Vec3& place) {
    auto [entry, fresh] = found_.try_emplace({first, second, kind});
    Encounter& e = entry->second;
    if (fresh) e.kind = kind, e.first = first, e.second = second, e.low = e.high = place;
    e.low = e.low.cwiseMin(place), e.high = e.high.cwiseMax(place);
    ++e.count;
    return e;
  }

  void touching() {
    for (int n = 0; n < model_.node_count(); ++n) {
      if (parts_[at(n)].empty() || inner_[at(n)]) continue;
      std::set<int> told;
      const auto& own = parts_[at(n)];
      const auto other = [&](int part) { return std::find(own.begin(), own.end(), part) == own.end(); };
      for (const std::size_t k : near(x(n), x(n), other)) {
        const TouchingPiece& p = pieces_[k];
        if (told.count(p.part) > 0 || !reaches(p, x(n))) continue;
        const double gap = p.corners == 2 ? distance_to_segment(x(n), x(p.nodes[0]), x(p.nodes[1]))
                                          : distance_to_triangle(x(n), x(p.nodes[0]), x(p.nodes[1]), x(p.nodes[2]));
        if (gap > kNear * size_of(p) || is_linked(n, p)) continue;
        told.insert(p.part);
        note(Encounter::Kind::touch, own[0], p.part, x(n)).nodes.push_back(n);
        touched_.insert(std::minmax(own[0], p.part));
      }
    }
  }
  /// The node is joined to the element the piece belongs to.
  bool is_linked(int n, const TouchingPiece& p) {
    for (int k = 0; k < p.corners; ++k)
      if (root(n) == root(p.nodes[at(k)])) return true;
    return false;
  }

  void crossing() {
    for (const auto& one : pieces_) {
      if (one.kind == PartKind::solid) continue;
      const int sides = one.corners == 2 ? 1 : 3;
      for (int s = 0; s < sides; ++s) {
        const Vec3 &p = x(one.nodes[at(s)]), &q = x(one.nodes[at((s + 1) % one.corners)]);
        for (const std::size_t k : near(p.cwiseMin(q), p.cwiseMax(q), [&](int part) { return part != one.part; })) {
          const TouchingPiece& other = pieces_[k];
          if (other.kind == PartKind::bar && one.kind == PartKind::bar) continue;
          const auto pair = std::minmax(one.part, other.part);
          if (touched_.count(pair) > 0) continue;
          Vec3 where;
          const bool hit = other.corners == 3
                               ? passes_through(p, q, x(other.nodes[0]), x(other.nodes[1]), x(other.nodes[2]), where)
                           : one.corners == 2 && one.part < other.part
                               ? meet(p, q, x(other.nodes[0]), x(other.nodes[1]), kNear * size_of(other), where)
                               : false;
          if (hit && !linked(one, other)) note(Encounter::Kind::cross, pair.first, pair.second, where);
        }
      }
    }
  }

  void same_place() {
    std::map<std::vector<int>, int> seen;  // sorted nodes of an element, and its part
    const auto look = [&](std::vector<int> nodes, int part, const Vec3& middle) {
      std::sort(nodes.begin(), nodes.end());
      const auto [entry, fresh] = seen.try_emplace(std::move(nodes), part);
      if (!fresh)
        note(Encounter::Kind::same_place, std::min(entry->second, part), std::max(entry->second, part), middle);
    };
    for (const auto& e : model_.shell_elements) {
      Vec3 middle = Vec3::Zero();
      for (int k = 0; k < e.corners(); ++k) middle += x(e.nodes[at(k)]) / e.corners();
      look({e.begin(), e.begin() + e.corners()}, e.part, middle);
    }
    for (const auto& e : model_.solid_elements) {
      Vec3 middle = Vec3::Zero();
      for (std::size_t k = 0; k < 8; ++k) middle += x(e.nodes[k]) / 8;
      look({e.begin(), e.begin() + 8}, e.part, middle);
    }
    // lines: the same ends and the same middle; arcs between the same points are apart
    std::map<std::pair<int, int>, std::vector<std::pair<int, Vec3>>> lines;
    const auto line = [&](int a, int b, const Vec3& middle, int part) {
      auto& list = lines[std::minmax(a, b)];
      for (const auto& [other, place] : list)
        if ((place - middle).norm() < kNear * (x(b) - x(a)).norm())
          note(Encounter::Kind::same_place, std::min(other, part), std::max(other, part), middle);
      list.emplace_back(part, middle);
    };
    for (const auto& e : model_.line_elements)
      line(root(e.nodes[0]), root(e.nodes[3]), 0.5 * (x(e.nodes[1]) + x(e.nodes[2])), e.part);
    for (const auto& e : model_.bar_elements)
      line(e.nodes[0], e.nodes[1], 0.5 * (x(e.nodes[0]) + x(e.nodes[1])), e.part);
  }

  const Model& model_;
  base::DisjointSets joined_;
  std::vector<TouchingPiece> pieces_;
  std::vector<std::vector<int>> parts_;
  std::vector<char> inner_;
  double cell_ = 1;
  std::unordered_map<std::uint64_t, std::vector<std::pair<int, std::vector<std::size_t>>>> cells_;  // pieces by part
  std::vector<std::size_t> large_;
  std::map<std::tuple<int, int, Encounter::Kind>, Encounter> found_;
  std::set<std::pair<int, int>> touched_;
};
}  // namespace

std::vector<Encounter> untied_encounters(const Model& model) {
  return Finder(model).run();
}

namespace {
/// Nodes of one panel that lie on another, with those that both share: the ends of a common edge.
std::vector<int> line_of(const Model& model, const Encounter& e) {
  std::vector<int> nodes = e.nodes;
  std::set<int> own, other;
  for (const auto& s : model.shell_elements) {
    if (s.part == e.first) own.insert(s.begin(), s.end());
    if (s.part == e.second) other.insert(s.begin(), s.end());
  }
  std::set_intersection(own.begin(), own.end(), other.begin(), other.end(), std::back_inserter(nodes));
  return nodes;
}
}  // namespace

std::vector<std::string> join_touching_panels(Model& model) {
  std::map<std::pair<int, int>, std::vector<const Encounter*>> pairs;
  const auto all = untied_encounters(model);
  const auto panel = [&](int p) { return model.parts[at(p)].kind == PartKind::panel; };
  for (const auto& e : all)
    if (e.kind == Encounter::Kind::touch && panel(e.first) && panel(e.second))
      pairs[std::minmax(e.first, e.second)].push_back(&e);
  std::vector<std::string> told;
  for (auto& [pair, sides] : pairs) {
    std::stable_sort(sides.begin(), sides.end(), [](const auto* a, const auto* b) { return a->count > b->count; });
    for (const auto* e : sides) {
      const auto nodes = line_of(model, *e);
      if (edges_among(model, nodes).empty()) continue;
      const std::string &follower = model.parts[at(e->first)].name, &leader = model.parts[at(e->second)].name;
      try {
        auto ties = bond(model, nodes, leader, 0, true, fmt::format("{} joined to {}", follower, leader));
        if (ties.empty()) continue;
        told.push_back(
            fmt::format("'{}' and '{}' meet along an edge with meshes that differ: {} nodes of '{}' are bonded to "
                        "'{}'",
                        follower, leader, ties.size(), follower, leader));
        model.ties.insert(model.ties.end(), ties.begin(), ties.end());
        break;
      } catch (const base::InputError&) {
        continue;  // they do not lie on each other all along: reported as touching
      }
    }
  }
  return told;
}

}  // namespace archway::model
