#pragma once
#include "archway/base/chosen.hpp"

/// Numbers that decide what counts as compression.
namespace archway::analysis::detail {

/// Compression of a member over its axial stress, below which it is rounding.
inline const double kPressedMember = base::chosen("pressed-member", 1e-6);
/// Least principal stress over the largest in size, below which it is rounding or the error of a coarse mesh. Chosen.
inline const double kPressedStress = base::chosen("pressed-stress", 1e-3);

}  // namespace archway::analysis::detail
