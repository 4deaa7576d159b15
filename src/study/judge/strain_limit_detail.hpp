#pragma once
#include "archway/study/outcome.hpp"

namespace archway::study::detail {

/// Whether a path stays below a plastic strain up to the load factor that is required.
struct StrainLimitCheck {
  int increment = -1;                     ///< first one at or above the limit; -1: none
  double load_factor = analysis::kUnset;  ///< where it is reached
  double highest = 0, largest = 0;        ///< load factor carried below it; strain on the way there
  bool met = false;
};
StrainLimitCheck check_strain_limit(const AnalysisOutcome& outcome, const StrainLimitSpec& limit);

}  // namespace archway::study::detail
