#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide which modes count and what they are read as.
namespace archway::analysis::detail {

/// Share of the work that drives a mode which must come from places in compression; else the mode is omitted, and said
/// to be. Chosen.
inline const double kPressed = base::chosen("pressed-share", 0.5);
/// Share of a mode that a member must have to be taken along by it (effective lengths). Chosen.
inline const double kTakenAlong = base::chosen("taken-along", 0.1);

}  // namespace archway::analysis::detail
