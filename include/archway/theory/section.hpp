#pragma once
#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace archway::theory {

/// Straight walls of constant thickness between numbered points; branches and any number of cells.
struct ThinWalled {
  struct Wall {
    int from = 0, to = 0;  ///< points, from 0
    double thickness = 0;
  };
  std::vector<std::pair<double, double>> points;  ///< (y, z)
  std::vector<Wall> walls;
};

/// A rectangle of a section, sides along the axes y and z.
struct SectionPlate {
  double y0, y1, z0, z1;
};

/// A piece of a cross-section, for integrals of what is not linear in the stress.
struct SectionFibre {
  double area = 0;      ///< L^2
  double y = 0, z = 0;  ///< from the centroid, L
  double omega = 0;     ///< sectorial coordinate about the shear centre, L^2
};

/// A place of a cross-section where the stress along the member may be largest.
struct SectionStressPoint {
  double y = 0, z = 0;  ///< from the centroid, L
  double omega = 0;     ///< sectorial coordinate about the shear centre, L^2
};

/// Properties of a cross-section. Axes as in EN 1993-1-1: y across the width (strong axis for bending of upright
/// sections), z along the height; moments about the centroid unless said otherwise. Any consistent length unit L.
/// Sectorial quantities follow [Vlasov1961]: the section warps by -omega times the rate of twist.
struct SectionProperties {
  double area = 0;                                  ///< A, L^2
  double centroid_y = 0, centroid_z = 0;            ///< from the origin of the drawing, L
  double second_moment_y = 0;                       ///< integral of z^2 (bending in the x-z plane), L^4
  double second_moment_z = 0;                       ///< integral of y^2 (bending in the x-y plane), L^4
  double product_moment = 0;                        ///< integral of y z, L^4
  double principal_major = 0, principal_minor = 0;  ///< L^4
  double principal_angle = 0;                       ///< from y to the major axis, towards z, radians
  double torsion_constant = 0;                      ///< St Venant constant, L^4
  double warping_constant = 0;                      ///< integral of omega^2 about the shear centre, L^6
  double shear_centre_y = 0, shear_centre_z = 0;    ///< from the centroid, L
  double shear_area_y = 0, shear_area_z = 0;        ///< shear stiffness / G for shear at the shear centre, L^2
  double shear_area_yz = 0;  ///< coupling of the two; 0 for sections with an axis of symmetry, L^2
  double warping_shear = 0;  ///< stiffness / G of secondary torsion (shear that restrained warping brings), L^4
  double wagner_y = 0;       ///< integral of z r^2, r from the shear centre, L^5; over Iy: monosymmetry constant
  double wagner_z = 0;       ///< integral of y r^2, L^5
  double wagner_warp = 0;    ///< integral of omega r^2, L^6
  double fourth_moment = 0;  ///< integral of r^4, L^6
  double plastic_modulus_y = 0, plastic_modulus_z = 0;  ///< about the equal-area axes parallel to y and z, L^3
  double fibre_y = 0, fibre_z = 0;                      ///< largest distances from the centroid, L
  /// Outline in (y, z) about the centroid, closed polygons: material anticlockwise, holes clockwise; for drawings only.
  std::vector<std::vector<std::pair<double, double>>> outline;
  /// Sectorial coordinate at the points of `walls`; empty where the section does not warp.
  std::vector<double> omega;
  /// Fibres whose sums give area and second moments exactly and the warping constant; empty for given sections. See
  /// set_fibres.
  std::vector<SectionFibre> fibres;
  /// Rectangles that make up the section, about the centroid; empty for round ones and those drawn by their walls.
  std::vector<SectionPlate> plates;
  /// Where a stress that is linear in y, z and the sectorial coordinate may be largest: corners of the outline; points
  /// of the middle lines for sections given by their walls; corners of the rectangle 2 fibre_y x 2 fibre_z for given
  /// properties. Empty for round sections, see `round`.
  std::vector<SectionStressPoint> stress_points;
  double round = 0;  ///< outer radius of a circle or tube, every direction of which is a stress point; 0: not round
  double hole = 0;   ///< inner radius of a tube
  /// Middle lines of the walls about the centroid, for a model of plates; empty for solid and given sections.
  ThinWalled walls;

  double radius_of_gyration_y() const;  ///< sqrt(Iy / A)
  double radius_of_gyration_z() const;
  double polar_radius() const;       ///< i0 about the shear centre: i0^2 = (Iy + Iz) / A + ys^2 + zs^2
  double elastic_modulus_y() const;  ///< Iy / fibre_z
  double elastic_modulus_z() const;
  /// Monosymmetry constant for bending about y: integral z (y^2 + z^2) / Iy - 2 zs.
  double monosymmetry_y() const { return wagner_y / second_moment_y; }
  double monosymmetry_z() const { return wagner_z / second_moment_z; }
};

/// Properties by the theory of thin walls: everything is concentrated on the middle lines. Sectorial coordinate and
/// closed-cell torsion from one warping problem on the graph of walls (Bredt flow in every cell, [Vlasov1961] in open
/// parts), J also sum b t^3 / 3; shear areas from the flow of shear ([Cowper1966] with Poisson ratio omitted).
/// \throws base::InputError naming the walls that cross, that hang apart, have no length or no thickness, and sections
///         whose walls all lie on one line
SectionProperties thin_walled_properties(const ThinWalled& section);

/// Sectorial coordinate of a point by the nearest of the walls, linear along it, about the shear centre.
double sectorial_coordinate(const SectionProperties& section, double y, double z);

constexpr int kFibres = 16;  ///< along the longer side, unless a profile says otherwise
/// Divides a section into fibres again: two Gauss points in each of equal cells, `along` of them along a wall or the
/// longer side of a rectangle, fewer along the shorter one (cells as long as wide where that is many). Tubes and
/// circles: three times as many around, half as many along the radius. Moments of a perfectly plastic rectangle are off
/// by at most 4.1e-3 with 16, 1.1e-3 with 32, 2.5e-4 with 64. Sections of given properties have none.
/// \throws base::InputError unless `along` is even and from 4 to 128
void set_fibres(SectionProperties& section, int along);

/// The section seen in a mirror on its z axis: y becomes -y, and what is odd in y or in the sense of rotation changes
/// its sign.
SectionProperties mirrored(SectionProperties section);

/// A shape the section room knows, with the names of its dimensions in the order of their meaning.
struct ShapeDescription {
  std::string name;
  std::vector<std::string> dimensions;
  std::vector<std::string> optional;
};
const std::vector<ShapeDescription>& known_shapes();

/// Section properties of a shape from its outer dimensions. Sharp corners, no fillets.
/// rectangle {width, height}: torsion by the series of [TimoshenkoGoodier1970] ch. 10, shear factor 5/6.
/// circle {diameter}: shear factor 0.9.
/// rectangular-hollow {width, height, thickness}: torsion by Bredt, shear area of the two webs.
/// circular-hollow {diameter, thickness}: shear factor 1/2 for thin tubes ([Cowper1966] with Poisson ratio omitted).
/// i {width, height, flange, web; bottom_width, bottom_flange}, channel {width, height, flange, web}, angle {width,
/// height, thickness}, tee {width, height, flange, web}, zed {width, height, thickness}, lipped-channel {width, height,
/// lip, thickness}, cross {width, height, thickness}: areas and moments of the plates as they are, torsion, warping,
/// shear centre and shear areas by the theory of thin walls.
/// given {area, second_moment_y, second_moment_z, torsion_constant; ...}: as written, see SectionProperties.
/// \throws base::InputError when the shape is unknown, a dimension is missing, not positive or contradicts another.
SectionProperties section_properties(const std::string& shape, const std::map<std::string, double>& dimensions);

/// A named quantity with the power of length of its unit, for tables.
struct SectionQuantity {
  std::string name, meaning;
  double value;
  int power;
};
std::vector<SectionQuantity> quantities(const SectionProperties& section);

}  // namespace archway::theory
