#pragma once
#include "archway/model/cut.hpp"
#include "archway/theory/section.hpp"

namespace archway::study {

/// The cross-section that a plane cuts out of the panels of a model, in axes of the plane: z as close to the global z
/// axis as possible (global y for a plane across z), y to the left when looking along the normal.
struct CutSection {
  theory::ThinWalled walls;
  base::Vec3 y_axis = base::Vec3::Zero(), z_axis = base::Vec3::Zero();
};

/// \param parts  panels to cut; empty: all. \throws base::InputError when the plane cuts nothing
CutSection cut_section(const model::Model& model, const base::Vec3& point, const base::Vec3& normal,
                       const std::vector<std::string>& parts);

}  // namespace archway::study
