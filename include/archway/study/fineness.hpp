#pragma once
#include "archway/model/model.hpp"

namespace archway::study {

/// How fine the mesh of a panel is against the buckles to be expected, before anything is solved.
struct Fineness {
  double radius = 0;     ///< of curvature, the smaller one; 0: flat
  double half_wave = 0;  ///< expected half wave of a buckle; 0: no estimate
  double elements = 0;   ///< along it (a nine-node element counts twice)
};
/// Curved panels: half wave of the rings of a in compression cylinder, pi sqrt(R t) / (12 (1 - nu^2))^(1/4)
/// ([TimoshenkoGere1961] 11.1), the shortest a smooth shell has. Flat panels: their width, twice
/// that when one long side is free. One a part, empty for others.
std::vector<Fineness> expected_fineness(const model::Model& model);

}  // namespace archway::study
