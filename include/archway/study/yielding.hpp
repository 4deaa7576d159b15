#pragma once
#include "archway/model/model.hpp"
#include "archway/study/keys.hpp"

namespace archway::study {

/// How a material yields, from the table `yielding` of a study: perfect, bilinear, table, power, or one of the models a
/// to d of EN 1993-1-5 annex C.6. \param material  what else is known of it; its yield stress is set where the table
/// alone says it
material::Flow read_yielding(Keys& keys, model::Material& material);

/// A copy of a structure whose materials flow as the study says, for MNA, GMNA and GMNIA.
model::Model with_flow(const model::Model& elastic, const std::vector<material::Flow>& of_materials);

}  // namespace archway::study
