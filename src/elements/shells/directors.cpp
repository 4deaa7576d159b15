#include <cmath>

#include "archway/base/shape_functions.hpp"
#include "archway/elements/shell.hpp"

namespace archway::elements {

namespace {
/// Normals of an element at its nodes; at the corners of a four-node element those of its two edges there.
std::array<Vec3, 9> normals_of(const model::Model& model, const model::ShellElement& e) {
  static const std::array<double, 9> r = {-1, 1, 1, -1, 0, 1, 0, -1, 0}, s = {-1, -1, 1, 1, -1, 0, 1, 0, 0};
  std::array<Vec3, 9> normals;
  for (auto& n : normals) n.setZero();
  for (std::size_t k = 0; k < static_cast<std::size_t>(e.count); ++k) {
    const auto f = base::surface_shape(e.count, r[k], s[k]);
    Vec3 gr = Vec3::Zero(), gs = Vec3::Zero();
    for (std::size_t i = 0; i < static_cast<std::size_t>(e.count); ++i) {
      gr += f.dr[i] * model.nodes[static_cast<std::size_t>(e.nodes[i])];
      gs += f.ds[i] * model.nodes[static_cast<std::size_t>(e.nodes[i])];
    }
    normals[k] = gr.cross(gs).normalized();
  }
  return normals;
}
}  // namespace

std::vector<std::array<Vec3, 9>> corner_directors(const model::Model& model) {
  struct Corner {
    std::size_t element, corner;
  };
  const double smooth = std::cos(20.0 * M_PI / 180.0);
  std::vector<std::vector<Corner>> at_node(model.nodes.size());
  std::vector<std::array<Vec3, 9>> normals;
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    normals.push_back(normals_of(model, element));
    for (std::size_t k = 0; k < static_cast<std::size_t>(element.count); ++k)
      at_node[static_cast<std::size_t>(element.nodes[k])].push_back({e, k});
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
