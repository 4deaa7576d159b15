#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide in the search for pairs.
namespace archway::algebra::detail {

/// Times the first bound on the factors: what lies further off counts as no factor. Chosen.
inline const double kHorizon = base::chosen("eigen-horizon", 1e3);
/// Residual of a pair that rounding alone may leave, by what cancels in K x. Beyond a hundredth nothing is left to
/// trust.
inline const double kMostRounding = base::chosen("eigen-most-rounding", 1e-2);
/// Residual after the trial steps of a slice that shows that the iteration gets somewhere. Chosen.
inline const double kSettling = base::chosen("eigen-settling", 0.02);

}  // namespace archway::algebra::detail
