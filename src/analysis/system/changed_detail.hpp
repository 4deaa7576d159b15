#pragma once
#include "archway/model/model.hpp"

namespace archway::analysis::detail {

/// The structure with the thickness of a panel, or the stiffness of a member's or bar's section and its mass (area,
/// second moments, torsion and the like together; of a tapered one all along), times a factor.
model::Model with_stiffer(const model::Model& model, int part, double factor);

}  // namespace archway::analysis::detail
