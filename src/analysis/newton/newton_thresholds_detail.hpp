#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide when a state counts as one of equilibrium.
namespace archway::analysis::detail {

/// Residual of a solution that did not come as far as asked, but far enough to go on. Chosen.
inline const double kUseful = base::chosen("useful-solution", 0.05);
/// Share of an increment that a last correction may have to count as small.
inline const double kSmall = base::chosen("small-correction", 1e-3);
/// Residual below which slow corrections may be those of rounding.
inline const double kNearBalance = base::chosen("near-balance", 1e-3);
/// Residual over the one before: more is no progress of Newton's method.
inline const double kStalled = base::chosen("stalled", 0.3);
/// Load part of the unit tangent: nearer to a limit point the load says nothing of the place on the path.
inline const double kSteep = base::chosen("steep", 0.02);

}  // namespace archway::analysis::detail
