#pragma once
#include "archway/base/errors.hpp"
#include "archway/model/model.hpp"

namespace archway::model {

/// What a look at the mesh found, before any solving.
struct MeshFindings {
  std::vector<base::Complaint> errors;    ///< the model cannot be solved
  std::vector<base::Complaint> warnings;  ///< it can, but look first
};

/// Checks materials, profiles, thicknesses, node numbers, elements without area or folded over, neighbouring panels
/// with opposite normals inside one part, nodes that nothing holds on to, and loads that act on nothing.
MeshFindings check_mesh(const Model& model);

/// Runs check_mesh and throws all errors at once. \throws base::InputError
void require_sound(const Model& model);

}  // namespace archway::model
