#pragma once
#include "archway/theory/section.hpp"

namespace archway::theory::detail {

/// Area spread evenly between two values of a coordinate.
struct Spread {
  double area, low, high;
};
/// Integral of the distance from the axis that halves the area.
double plastic_modulus(const std::vector<Spread>& pieces);

/// Fills in principal moments and angle.
void find_principal_axes(SectionProperties& section);

}  // namespace archway::theory::detail
