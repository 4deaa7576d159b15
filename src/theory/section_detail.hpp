#pragma once
#include "archway/theory/section.hpp"

namespace archway::theory::detail {

/// Area spread evenly between two values of a coordinate.
struct Spread {
  double area, low, high;
};
/// Integral of the distance from the axis that halves the area.
double plastic_modulus(const std::vector<Spread>& pieces);

/// A rectangle of a section, sides along the axes.
struct SectionPlate {
  double y0, y1, z0, z1;
};
/// Fills in fibres on the middle lines of the walls, and the points of these lines as stress points.
void set_wall_fibres(SectionProperties& section);
/// Fills in fibres of plates about the centroid, and their corners as stress points; the sectorial coordinate is that
/// of the walls in the middle of each plate.
void set_plate_fibres(const std::vector<SectionPlate>& plates, SectionProperties& section);
/// Fibres of a ring about the centroid; inner 0: a disc.
std::vector<Fibre> ring_fibres(double inner, double outer);

/// Fills in principal moments and angle.
void find_principal_axes(SectionProperties& section);

}  // namespace archway::theory::detail
