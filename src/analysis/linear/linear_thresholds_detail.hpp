#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide what linear analyses refuse.
namespace archway::analysis::detail {

/// Strain energy of a displacement over that of its degrees of freedom each by itself, below which it is free. Chosen
/// above what rounding leaves of structures that are restrained.
inline const double kFreeEnergy = base::chosen("free-energy", 1e-13);
/// Of the size of the structure: places that agree so far are one.
inline const double kRoundingOfPlace = base::chosen("rounding-of-place", 1e-6);

}  // namespace archway::analysis::detail
