#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide what a special point is.
namespace archway::analysis::detail {

/// To which share the load factor of a bifurcation is found.
inline const double kPlace = base::chosen("bifurcation-place", 2e-6);
/// Load part of the unit tangent that counts as none: the rotation of the load is found to there.
inline const double kFlat = base::chosen("flat", 1e-4);
/// ... and what is accepted where corrections get no further. Chosen.
inline const double kNearlyFlat = base::chosen("nearly-flat", 1e-2);
/// Share of the possible work of the load along a null vector that is none, so near as the rotation is found: below it
/// the rotation is that of a symmetric crossing, no peak by itself. Chosen.
inline const double kNoWork = base::chosen("no-work", 2e-2);

}  // namespace archway::analysis::detail
