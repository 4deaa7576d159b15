#pragma once
#include <optional>
#include <string>
#include <vector>

#include "archway/model/model.hpp"
#include "archway/study/units.hpp"

namespace archway::study {

/// Stiffness, density and expansion of an everyday material in a unit set; no yield stress, which hangs on the grade.
/// Values: steel EN 1993-1-1 3.2.6 and EN 1991-1-1 table A.4, stainless steel EN 1993-1-4 2.1.3, aluminium EN 1999-1-1
/// 3.2.5, float glass EN 572-1. Expansion is per kelvin.
/// \return nothing for a name that is not in everyday_materials()
std::optional<model::Material> everyday_material(const std::string& name, const Units& units);
const std::vector<std::string>& everyday_materials();

}  // namespace archway::study
