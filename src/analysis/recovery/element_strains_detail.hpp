#pragma once
#include "archway/analysis/element_forces.hpp"
#include "archway/analysis/system.hpp"

namespace archway::analysis::detail {

/// Strain of one element, and whether anything in it is in compression.
struct Strained {
  double strain = 0;
  bool pressed = false;
};

/// One list a kind of element, in the order of the model.
std::array<std::vector<Strained>, 6> strains_of(const System& system, const ElementForces& forces);

}  // namespace archway::analysis::detail
