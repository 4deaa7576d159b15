#pragma once
#include "build/build_model_detail.hpp"

namespace archway::study::detail {

const LoadKind& force_kind();
const LoadKind& line_kind();
const LoadKind& edge_kind();
const LoadKind& surface_kind();
const LoadKind& pressure_kind();
const LoadKind& member_pressure_kind();
const LoadKind& acceleration_kind();
const LoadKind& gravity_kind();
const LoadKind& displacement_kind();
const LoadKind& temperature_kind();
const LoadKind& pretension_kind();
const LoadKind& lack_of_fit_kind();

/// share = "total" or, by its name, what the force is meant per. \param each  "each", "per-length", "per-area"
void read_sharing(Keys& keys, LoadSpec& load, const char* each);
/// `on`: one part or several.
void read_parts(Keys& keys, LoadSpec& load);
/// force = [..], whose parts may be expressions in x, y and z.
void read_varying_force(Keys& keys, LoadSpec& load);
/// where = [..]: only elements whose middle lies in this box.
void read_where(Keys& keys, LoadSpec& load);

}  // namespace archway::study::detail
