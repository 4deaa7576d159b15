#include "archway/model/cut.hpp"

#include <algorithm>
#include <set>

namespace archway::model {

std::vector<CutLine> cut(const Model& model, const Vec3& point, const Vec3& normal) {
  const Vec3 n = normal.normalized();
  const double tiny = 1e-9 * model.size();
  const auto height = [&](int node) {
    const double h = n.dot(model.nodes[static_cast<std::size_t>(node)] - point);
    return std::abs(h) < tiny ? 0.0 : h;
  };
  std::vector<CutLine> lines;
  std::set<std::pair<int, int>> along;  // element edges in the plane belong to two elements: taken once
  for (const auto& e : model.shell_elements) {
    std::vector<int> ring;
    for (std::size_t k = 0; k < static_cast<std::size_t>(e.corners()); ++k) {
      ring.push_back(e.nodes[k]);
      if (e.count == 9) ring.push_back(e.nodes[k + 4]);
    }
    std::vector<std::pair<Vec3, int>> crossings;  // and the node, when the plane passes through one
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const int a = ring[k], b = ring[(k + 1) % ring.size()];
      const double ha = height(a), hb = height(b);
      const Vec3 &xa = model.nodes[static_cast<std::size_t>(a)], &xb = model.nodes[static_cast<std::size_t>(b)];
      if (ha == 0.0) crossings.emplace_back(xa, a);
      // in the order of node numbers, so that neighbours find the same point to the last digit
      if (ha * hb < 0)
        crossings.emplace_back(a < b ? Vec3(xa + ha / (ha - hb) * (xb - xa)) : Vec3(xb + hb / (hb - ha) * (xa - xb)),
                               -1);
    }
    // the ring may begin in the middle of an edge that lies in the plane: go along the cut, not around the element
    if (crossings.size() > 2) {
      const Vec3 origin = crossings[0].first;
      Vec3 way = Vec3::Zero();
      for (const auto& [p, node] : crossings)
        if ((p - origin).norm() > way.norm()) way = p - origin;
      std::sort(crossings.begin(), crossings.end(),
                [&](const auto& a, const auto& b) { return way.dot(a.first) < way.dot(b.first); });
    }
    const auto& part = model.parts[static_cast<std::size_t>(e.part)];
    for (std::size_t k = 0; k + 1 < crossings.size(); ++k) {
      const auto& [p, a] = crossings[k];
      const auto& [q, b] = crossings[k + 1];
      if (a >= 0 && b >= 0 && !along.insert(std::minmax(a, b)).second) continue;
      if ((p - q).norm() > tiny) lines.push_back({p, q, model.thickness(e), part.name});
    }
  }
  return lines;
}

}  // namespace archway::model
