#include "archway/model/panel_area.hpp"

namespace archway::model {

double area(const Model& model, const ShellElement& element) {
  const auto x = [&](std::size_t k) { return model.nodes[static_cast<std::size_t>(element.nodes[k])]; };
  const Vec3 normal = element.corners() == 4 ? (x(2) - x(0)).cross(x(3) - x(1)) : (x(1) - x(0)).cross(x(2) - x(0));
  return 0.5 * normal.norm();
}

}  // namespace archway::model
