#pragma once
#include "archway/study/imperfection_kind.hpp"
#include "pictures/mesh_picture_detail.hpp"

namespace archway::report::detail {

/// A shape at true size and magnified, displacements along the panels' normals by colour (of lines and solids: their
/// size).
Sheet imperfection_sheet(const model::Model& model, const std::string& title, const std::string& name,
                         const imperfection::Imperfection& shape, const study::Units& units);

}  // namespace archway::report::detail
