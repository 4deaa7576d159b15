#pragma once
#include "archway/model/model.hpp"
#include "archway/study/keys.hpp"

namespace archway::study {

/// How a material yields, from the table `yielding` of a study: perfect, bilinear, table, power, or one of the models a
/// to d of EN 1993-1-5 annex C.6. \param material  what else is known of it; its yield stress is set where the table
/// alone says it
/// \return  as engineering stress, which members follow, and as true stress, which walls and solids do: tables are
/// converted, all others are taken as they are in either measure
struct Yielding {
  material::Flow engineering, true_stress;
  bool given_as_true = false;  ///< the table is one of true stress: where displacements are small it is taken as given
};
Yielding read_yielding(Keys& keys, model::Material& material);

/// A copy of a structure whose materials flow as the study says, for MNA, GMNA and GMNIA.
model::Model with_flow(const model::Model& elastic, const std::vector<Yielding>& of_materials);

}  // namespace archway::study
