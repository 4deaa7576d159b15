#pragma once
#include "archway/material/law.hpp"

namespace archway::material {

/// Points of a measured or published curve in tension, strains growing.
struct StressStrain {
  std::vector<std::pair<double, double>>
      points;                 ///< strain, stress; a first point (0, 0) says nothing and may be there
  bool true_measure = false;  ///< false: engineering, force over the area before, displacement over the length before
  bool plastic = false;       ///< strains are plastic strains and the first one is zero; false: total
};

/// How a material hardens: 0 the yield surface grows (isotropic), 1 it moves (kinematic), between them a share of each.
using KinematicShare = double;

/// Straight lines: `plastic_modulus` = E Et / (E - Et). \throws std::invalid_argument unless 0 <= Et < E
Flow bilinear_flow(double youngs_modulus, double yield_stress, double tangent_modulus, KinematicShare share = 0);

/// In which stress and strain a flow is wanted: engineering (what members measure) or true stress over logarithmic
/// strain (walls and solids, see logarithmic()).
enum class Measure { engineering, true_stress };

/// Flow by a table, brought to the measure that is wanted; engineering stresses are restrained level beyond the
/// largest; level beyond the last point. The first point is where yield begins and must lie on the elastic line within
/// 1 %. \throws std::invalid_argument with what is wrong, and where
Flow table_flow(double youngs_modulus, const StressStrain& table, Measure measure = Measure::engineering);

/// Stress s has the plastic strain 0.002 (s / proof_stress)^exponent [RambergOsgood1943], by straight pieces from a
/// plastic strain of 1e-6 (where flow begins) to 0.2, 24 in each power of ten: within 2e-4 of the stress.
/// \throws std::invalid_argument unless the proof stress is above zero and the exponent above one
Flow power_flow(double proof_stress, double exponent);

}  // namespace archway::material
