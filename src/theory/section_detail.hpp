#pragma once
#include "archway/theory/section.hpp"

namespace archway::theory::detail {

/// Area spread evenly between two values of a coordinate.
struct Spread {
  double area, low, high;
};
/// Integral of the distance from the axis that halves the area.
double plastic_modulus(const std::vector<Spread>& pieces);

/// Fills in fibres on the middle lines of the walls, and the points of these lines as stress points.
void set_wall_fibres(SectionProperties& section, int cells);
/// Fills in fibres of the plates, and their corners as stress points; the sectorial coordinate is that of the walls in
/// the middle of each plate.
void set_plate_fibres(SectionProperties& section, int cells);

/// Fills in principal moments and angle.
void find_principal_axes(SectionProperties& section);

}  // namespace archway::theory::detail
