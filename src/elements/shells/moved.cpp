#include "archway/elements/moved.hpp"

#include "archway/base/index.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/elements/shell.hpp"

namespace archway::elements {

using base::at;

model::Model moved(const model::Model& model, const std::vector<Vec3>& displacement, const std::vector<Vec3>& rotation,
                   double factor) {
  model::Model own = model;
  for (auto& e : own.line_elements) {
    const auto axes = nodal_axes(model, e);
    if (e.lean.isZero(0.0)) e.lean = middle_axes(model, e).col(2);
    for (std::size_t k = 0; k < 4 && !rotation.empty(); ++k)
      e.twist[k] += factor * (axes[k] * Vec3::UnitX()).dot(rotation[at(e.nodes[k])]);
  }
  for (std::size_t n = 0; n < own.nodes.size(); ++n) own.nodes[n] += factor * displacement[n];
  return own;
}

model::Model moved(const model::Model& model, const Eigen::VectorXd& full, double factor) {
  std::vector<Vec3> displacement(model.nodes.size()), rotation(model.nodes.size());
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    displacement[n] = full.segment<3>(model::row(n));
    rotation[n] = full.segment<3>(model::row(n) + 3);
  }
  return moved(model, displacement, rotation, factor);
}

std::vector<Vec3> node_normals(const model::Model& model) {
  std::vector<Vec3> normals(model.nodes.size(), Vec3::Zero());
  const auto directors = corner_directors(model);
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    for (std::size_t k = 0; k < static_cast<std::size_t>(element.count); ++k)
      normals[at(element.nodes[k])] += directors[e][k];
  }
  for (auto& n : normals)
    if (!n.isZero(0.0)) n.normalize();
  return normals;
}

}  // namespace archway::elements
