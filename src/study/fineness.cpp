#include "archway/study/fineness.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include <Eigen/Eigenvalues>

namespace archway::study {

using base::Vec3;

namespace {
constexpr double kFold = 20 * M_PI / 180;  // neighbours that turn more than this meet at a fold

struct Piece {
  Vec3 normal, middle;
};

Piece piece_of(const model::Model& m, const model::ShellElement& e) {
  const auto x = [&](std::size_t k) { return m.nodes[static_cast<std::size_t>(e.nodes[k])]; };
  const bool three = e.corners() == 3;
  const Vec3 normal = three ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(2) - x(0)).cross(x(3) - x(1));
  Vec3 middle = Vec3::Zero();
  for (int k = 0; k < e.corners(); ++k) middle += x(static_cast<std::size_t>(k)) / e.corners();
  return {normal.normalized(), middle};
}

struct Survey {
  std::vector<double> curvatures;  // across every inner edge
  double edge_length = 0, free_length = 0;
  int edges = 0;
};

/// Edges of one part: how its elements turn across them, and which have no neighbour of any part.
Survey survey(const model::Model& m, int part) {
  std::map<std::pair<int, int>, int> uses;
  for (const auto& e : m.shell_elements)
    for (std::size_t k = 0, n = static_cast<std::size_t>(e.corners()); k < n; ++k)
      ++uses[std::minmax(e.nodes[k], e.nodes[(k + 1) % n])];
  Survey s;
  std::map<std::pair<int, int>, Piece> first;
  for (const auto& e : m.shell_elements) {
    if (e.part != part) continue;
    const Piece piece = piece_of(m, e);
    for (std::size_t k = 0, n = static_cast<std::size_t>(e.corners()); k < n; ++k) {
      const auto edge = std::minmax(e.nodes[k], e.nodes[(k + 1) % n]);
      const double length =
          (m.nodes[static_cast<std::size_t>(edge.first)] - m.nodes[static_cast<std::size_t>(edge.second)]).norm();
      if (const auto [other, fresh] = first.try_emplace(edge, piece); !fresh) {
        const double angle = std::acos(std::clamp(piece.normal.dot(other->second.normal), -1.0, 1.0));
        if (angle < kFold)
          s.curvatures.push_back(2 * std::sin(angle / 2) / (piece.middle - other->second.middle).norm());
        continue;
      }
      s.edge_length += length;
      ++s.edges;
      if (uses[edge] == 1) s.free_length += length;
    }
  }
  return s;
}

/// Extents of a flat part along the main axes of its nodes, the larger one first.
std::pair<double, double> extents(const model::Model& m, int part) {
  std::vector<Vec3> places;
  for (const auto& e : m.shell_elements)
    if (e.part == part)
      for (const int n : e) places.push_back(m.nodes[static_cast<std::size_t>(n)]);
  Vec3 middle = Vec3::Zero();
  for (const auto& x : places) middle += x / static_cast<double>(places.size());
  base::Mat3 spread = base::Mat3::Zero();
  for (const auto& x : places) spread += (x - middle) * (x - middle).transpose();
  const Eigen::SelfAdjointEigenSolver<base::Mat3> main(spread);
  const auto extent = [&](int axis) {
    double low = HUGE_VAL, high = -HUGE_VAL;
    for (const auto& x : places) {
      const double v = main.eigenvectors().col(axis).dot(x - middle);
      low = std::min(low, v), high = std::max(high, v);
    }
    return high - low;
  };
  return {extent(2), extent(1)};
}
}  // namespace

Fineness expected_fineness(const model::Model& m, int index) {
  const auto& part = m.parts[static_cast<std::size_t>(index)];
  Fineness f;
  Survey s = survey(m, index);
  if (s.edges == 0) return f;
  const auto [longer, shorter] = extents(m, index);
  if (!s.curvatures.empty()) {
    // on a cylinder half of the edges see no curvature at all
    const auto high =
        s.curvatures.begin() + static_cast<std::ptrdiff_t>(0.8 * static_cast<double>(s.curvatures.size()));
    std::nth_element(s.curvatures.begin(), high, s.curvatures.end());
    if (*high * longer > 1e-3) f.radius = 1 / *high;
  }
  if (f.radius > 0) {
    const double nu = m.materials[static_cast<std::size_t>(part.material)].poisson_ratio;
    f.half_wave = M_PI * std::sqrt(f.radius * part.thickness) / std::pow(12 * (1 - nu * nu), 0.25);
  } else {
    f.half_wave = s.free_length > 0.6 * longer && s.free_length < 1.6 * longer ? 2 * shorter : shorter;
    if (shorter < 1e-9 * longer) f.half_wave = 0;
  }
  const bool nine = std::any_of(m.shell_elements.begin(), m.shell_elements.end(),
                                [&](const auto& e) { return e.part == index && e.count == 9; });
  f.elements = (nine ? 2 : 1) * f.half_wave / (s.edge_length / s.edges);
  return f;
}

}  // namespace archway::study
