#pragma once
#include "archway/elements/state.hpp"

namespace archway::elements {

/// A state, what the knots of contact between parts remember in it, and what lies opposite to what: see SurfaceContact.
struct ContactTrial {
  const State& state;
  const std::vector<double>& knots;
  const std::vector<double>& pairs;
};

}  // namespace archway::elements
