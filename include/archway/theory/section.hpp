#pragma once
#include <map>
#include <string>
#include <vector>

namespace archway::theory {

/// Properties of a member's cross-section about its centroid. Axes as in EN 1993-1-1: y across the width (strong axis
/// for bending of upright sections), z along the height. Any consistent length unit L.
struct SectionProperties {
  double area = 0;              ///< A, L^2
  double second_moment_y = 0;   ///< I about y (bending in the x-z plane), L^4
  double second_moment_z = 0;   ///< I about z (bending in the x-y plane), L^4
  double torsion_constant = 0;  ///< St Venant constant, L^4
  double shear_area_y = 0;      ///< effective area for shear along y, L^2
  double shear_area_z = 0;      ///< effective area for shear along z, L^2
  double fibre_y = 0;           ///< largest distance from the centroid along y, L
  double fibre_z = 0;           ///< largest distance from the centroid along z, L
  /// Outline in (y, z), closed polygons; the first is the outer one. For drawings only.
  std::vector<std::vector<std::pair<double, double>>> outline;
};

/// A shape the section room knows, with the names of its dimensions in the order of their meaning.
struct ShapeDescription {
  std::string name;
  std::vector<std::string> dimensions;
};

/// All shapes: rectangle, circle, rectangular-hollow, circular-hollow, i (doubly symmetric).
const std::vector<ShapeDescription>& known_shapes();

/// Section properties of a shape from its dimensions.
/// rectangle {width, height}: torsion by the series of [TimoshenkoGoodier1970] ch. 10, shear factor 5/6.
/// circle {diameter}: shear factor 0.9.
/// rectangular-hollow {width, height, thickness}: sharp corners, torsion by Bredt, shear area of the two webs.
/// circular-hollow {diameter, thickness}: shear factor 1/2 for thin tubes ([Cowper1966] with Poisson ratio left out).
/// i {width, height, flange, web}: no fillets, torsion sum(b t^3)/3, shear area of the web along z, 5/6 of the flanges
/// along y.
/// \throws base::InputError when the shape is unknown, a dimension is missing, not positive or contradicts another.
SectionProperties section_properties(const std::string& shape, const std::map<std::string, double>& dimensions);

}  // namespace archway::theory
