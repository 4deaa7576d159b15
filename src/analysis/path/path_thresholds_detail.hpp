#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide whether a state belongs to the path.
namespace archway::analysis::detail {

/// Share of the way that a correction may take across the predictor: further off no smooth path leads. Chosen.
inline const double kOff = base::chosen("off-predictor", 0.5);
/// Cosine between the first step of a branch and the null vector. Chosen.
inline const double kAlongBranch = base::chosen_below_one("along-branch", 0.7);
/// Load part of the unit tangent, before and after, beyond which a fall of the load without a loss of stability is
/// elastic unloading back along the path. Chosen.
inline const double kClearly = base::chosen("clearly-rotated", 1e-3);
/// Cosine of the angle below which a kink of the path at a change of contact is one. Chosen.
inline const double kBlunt = base::chosen_below_one("blunt", 0.5);

}  // namespace archway::analysis::detail
