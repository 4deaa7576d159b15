#pragma once
#include <optional>

#include "archway/analysis/cut_forces.hpp"
#include "archway/model/cut.hpp"
#include "archway/study/outcome.hpp"
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

/// Area properties of walls, in the axes of the plane.
struct PlaneProperties {
  int walls = 0;
  double area = 0, centroid_y = 0, centroid_z = 0;                      ///< from the origin of the plane's axes
  double second_moment_y = 0, second_moment_z = 0, product_moment = 0;  ///< about the centroid
  double open_torsion = 0;                                              ///< sum of length thickness^3 / 3
};
/// Walls that hang together, largest area first (ties: the one cut first), and all of them as if sections stayed plane
/// across the gaps. Straight strips are sections here too.
std::vector<theory::ThinWalled> pieces_of(const CutSection& section);
PlaneProperties plane_properties(const theory::ThinWalled& walls);

/// Columns: the normal, y and z of a plane, as cut_section takes them.
base::Mat3 cut_axes(const base::Vec3& normal);

/// Forces through a plane in an LA, or in the last state of a path, and that state in words. About the centroid of the
/// walls that are cut, or the middle of the nodes where the two sides meet. \throws base::InputError when the analysis
/// has no such state, or all elements lie on one side
std::pair<analysis::CutForces, std::string> forces_through(const AnalysisOutcome& outcome, const base::Vec3& point,
                                                           const base::Vec3& normal,
                                                           const std::vector<std::string>& parts,
                                                           const std::optional<CutSection>& section);

}  // namespace archway::study
