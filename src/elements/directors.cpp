#include <cmath>

#include "archway/elements/shell.hpp"

namespace archway::elements {

std::vector<std::array<Vec3, 4>> corner_directors(const model::Model& model) {
  struct Corner {
    std::size_t element, corner;
  };
  const double smooth = std::cos(20.0 * M_PI / 180.0);
  std::vector<std::vector<Corner>> at_node(model.nodes.size());
  std::vector<std::array<Vec3, 4>> normals(model.shell_elements.size());
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e)
    for (std::size_t k = 0; k < 4; ++k) {
      const auto& n = model.shell_elements[e].nodes;
      const auto x = [&](std::size_t i) { return model.nodes[static_cast<std::size_t>(n[i % 4])]; };
      normals[e][k] = (x(k + 1) - x(k)).cross(x(k + 3) - x(k)).normalized();
      at_node[static_cast<std::size_t>(n[k])].push_back({e, k});
    }
  auto directors = normals;
  for (const auto& corners : at_node)
    for (const auto& own : corners) {
      Vec3 sum = Vec3::Zero();
      const Vec3& n = normals[own.element][own.corner];
      for (const auto& other : corners) {
        const double cosine = n.dot(normals[other.element][other.corner]);
        if (std::abs(cosine) > smooth) sum += (cosine > 0 ? 1.0 : -1.0) * normals[other.element][other.corner];
      }
      directors[own.element][own.corner] = sum.normalized();
    }
  return directors;
}

}  // namespace archway::elements
