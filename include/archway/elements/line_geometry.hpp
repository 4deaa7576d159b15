#pragma once
#include <array>

#include "archway/elements/internal_forces.hpp"
#include "archway/model/model.hpp"

/// Where a line element lies and how its section is rotated in the reference state; shape functions along it.
namespace archway::elements {

using base::Mat3;
using base::Vec3;

/// Section axes (quaternions of columns along, y, z) at the four nodes of a line element in the reference state,
/// carried along a curved element without twist.
std::array<Eigen::Quaterniond, 4> nodal_axes(const model::Model& model, const model::LineElement& element);
/// The same in the middle of the element.
Mat3 middle_axes(const model::Model& model, const model::LineElement& element);

/// Places of the three Gauss points along a line element, 0 to 1.
const std::array<double, 3>& line_gauss_places();
/// Values at places s of [0, 1] from those at the three Gauss points, by the parabola through them.
SectionForces along_element(const std::array<SectionForces, 3>& points, double s);

/// Cubic shape functions through the nodes of a line element and their derivatives at place s in [0, 1].
struct LineShape {
  std::array<double, 4> n{}, dn{};
};
LineShape line_shape(double s);

}  // namespace archway::elements
