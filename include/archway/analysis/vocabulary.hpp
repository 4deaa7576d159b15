#pragma once
#include <limits>

#include "archway/elements/state.hpp"

/// Words that all analyses share. Results include this and not the structure they were computed from, so that who reads
/// results does not depend on elements and assembly.
namespace archway::analysis {

using base::Vec3;
using elements::State;
class Geometry;
class System;

constexpr double kUnset = std::numeric_limits<double>::quiet_NaN();

/// What the caller's watcher may answer.
enum class Next { go_on, stop_keep_result };

/// Whether a buckling analysis computes negative load factors: with the variable part reversed the structure would
/// buckle there. It is a second eigenvalue problem.
enum class Negative {
  leave_out,
  when_none,  ///< only where there is no positive factor: then the load may have been given the wrong sense
  show
};

enum class Ending {
  not_run,
  done,
  stopped_by_caller,  ///< what was computed is kept
  mechanism,          ///< the structure can move freely
  not_converged,
  preload_unstable  ///< the constant part alone is beyond its critical load
};
const char* to_text(Ending ending);

}  // namespace archway::analysis
