#pragma once
#include <array>
#include <vector>

#include "archway/base/rotation.hpp"

/// Shape functions on the reference triangle (r, s >= 0, r + s <= 1), square and cube ([-1, 1]), with Gauss rules.
namespace archway::base {

struct SurfaceShape {
  std::array<double, 9> n{}, dr{}, ds{};
};
/// \param count  3, 4, 8 (serendipity) or 9 nodes: corners once around, middles of the edges, centre
SurfaceShape surface_shape(int count, double r, double s);

struct RulePoint {
  double r, s, weight;
};
/// Gauss points that integrate loads on a surface of so many nodes.
const std::vector<RulePoint>& surface_rule(int count);

/// Equal cells on [0, 1] with two Gauss points each: exact for cubics, and for what has a kink at the border of a cell.
struct CellRule {
  std::vector<double> places, weights;
};
CellRule cell_rule(int cells);

struct SolidShape {
  std::array<double, 20> n{};
  std::array<Vec3, 20> d;  // by the three natural coordinates
};
/// \param count  8 or 20 nodes, ordered as model::SolidElement
SolidShape solid_shape(int count, const Vec3& place);
/// Natural coordinates of the nodes of a solid.
const std::array<Vec3, 20>& solid_nodes();

}  // namespace archway::base
