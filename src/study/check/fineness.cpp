#include "archway/study/fineness.hpp"

#include <algorithm>
#include <cmath>

namespace archway::study {

using base::Vec3;

namespace {
constexpr double kFold = 20 * M_PI / 180;  // neighbours that rotate more than this meet at a fold

struct Piece {
  Vec3 normal, middle;
  double area;
};

Piece piece_of(const model::Model& m, const model::ShellElement& e) {
  const auto x = [&](std::size_t k) { return m.nodes[static_cast<std::size_t>(e.nodes[k])]; };
  const bool three = e.corners() == 3;
  const Vec3 normal = three ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(2) - x(0)).cross(x(3) - x(1));
  Vec3 middle = Vec3::Zero();
  for (int k = 0; k < e.corners(); ++k) middle += x(static_cast<std::size_t>(k)) / e.corners();
  return {normal.normalized(), middle, 0.5 * normal.norm()};
}

struct Survey {
  std::vector<double> curvatures;  // across every inner edge
  double edge_length = 0, free_length = 0, rim_length = 0, area = 0;
  int edges = 0;
  bool nine = false;
  /// Sides of the rectangle with the same area and rim, the longer first: a ring has its width as the shorter one.
  std::pair<double, double> sides() const {
    const double half = 0.5 * rim_length, root = std::sqrt(std::max(0.0, half * half - 4 * area));
    return {0.5 * (half + root), std::min(0.5 * (half - root), std::sqrt(area))};
  }
};

/// Edges of every part: how its elements rotation across them, and which have no neighbour of any part.
std::vector<Survey> survey(const model::Model& m) {
  struct Use {
    int part, count;
    Piece first;
  };
  // edges by their smaller node; few edges share it
  std::vector<std::vector<std::pair<int, Use>>> seen(m.nodes.size());
  std::vector<Survey> list(m.parts.size());
  for (const auto& e : m.shell_elements) {
    const Piece piece = piece_of(m, e);
    auto& own = list[static_cast<std::size_t>(e.part)];
    own.area += piece.area;
    own.nine = own.nine || e.count == 9;
    for (std::size_t k = 0, n = static_cast<std::size_t>(e.corners()); k < n; ++k) {
      const auto [a, b] = std::minmax(e.nodes[k], e.nodes[(k + 1) % n]);
      auto& uses = seen[static_cast<std::size_t>(a)];
      bool of_this_part = false;
      for (auto& [other, use] : uses) {
        if (other != b) continue;
        if (use.part != e.part) continue;
        ++use.count;
        of_this_part = true;
        const double angle = std::acos(std::clamp(piece.normal.dot(use.first.normal), -1.0, 1.0));
        if (angle < kFold) own.curvatures.push_back(2 * std::sin(angle / 2) / (piece.middle - use.first.middle).norm());
      }
      if (!of_this_part) uses.push_back({b, {e.part, 1, piece}});
    }
  }
  for (std::size_t a = 0; a < seen.size(); ++a)
    for (const auto& [b, use] : seen[a]) {
      auto& own = list[static_cast<std::size_t>(use.part)];
      const double length = (m.nodes[a] - m.nodes[static_cast<std::size_t>(b)]).norm();
      own.edge_length += length;
      ++own.edges;
      if (use.count > 1) continue;
      own.rim_length += length;
      const auto same = [&, other = b](const auto& entry) { return entry.first == other; };
      if (std::count_if(seen[a].begin(), seen[a].end(), same) == 1) own.free_length += length;
    }
  return list;
}
}  // namespace

std::vector<Fineness> expected_fineness(const model::Model& m) {
  std::vector<Fineness> list(m.parts.size());
  auto surveys = survey(m);
  for (std::size_t p = 0; p < list.size(); ++p) {
    const auto& part = m.parts[p];
    auto& f = list[p];
    auto& s = surveys[p];
    if (s.edges == 0) continue;
    const auto [longer, shorter] = s.sides();
    if (!s.curvatures.empty()) {
      // on a cylinder half of the edges see no curvature at all
      const auto high =
          s.curvatures.begin() + static_cast<std::ptrdiff_t>(0.8 * static_cast<double>(s.curvatures.size()));
      std::nth_element(s.curvatures.begin(), high, s.curvatures.end());
      if (*high * longer > 1e-3) f.radius = 1 / *high;
    }
    const double nu = m.materials[static_cast<std::size_t>(part.material)].poisson_ratio;
    const bool outstand = s.free_length > 0.6 * longer && s.free_length < 1.6 * longer;
    f.half_wave = f.radius > 0 ? M_PI * std::sqrt(f.radius * part.thickness) / std::pow(12 * (1 - nu * nu), 0.25)
                  : outstand   ? 2 * shorter
                               : shorter;
    f.elements = (s.nine ? 2 : 1) * f.half_wave / (s.edge_length / s.edges);
  }
  return list;
}

}  // namespace archway::study
