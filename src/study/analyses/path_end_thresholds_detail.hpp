#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide where a path ends by itself.
namespace archway::study::detail {

/// A path without stop rules ends after a clear peak: at this share of it. Chosen; said as the reason it ended.
inline const double kClearDrop = base::chosen_below_one("clear-drop", 0.85);
/// ... or so many increments beyond it.
inline const int kClearIncrements = static_cast<int>(base::chosen("clear-increments", 15));
/// An MNA without stop rules ends where the load changes by so little while the structure moves on by half.
inline const double kStandsStill = base::chosen("load-at-rest", 1e-4);
/// ... or where hardening would carry it on for ever: the strain limit of EN 1993-1-5 C.8.
inline const double kLimitStrain = base::chosen("limit-strain", 0.05);

}  // namespace archway::study::detail
