#pragma once
#include <vector>

#include "archway/material/law.hpp"
#include "archway/theory/section.hpp"

namespace archway::study {

/// Moment against curvature of a cross-section whose fibres flow, under a constant normal force.
struct SectionCurve {
  struct Point {
    double curvature = 0;       ///< 1 / length
    double moment = 0;          ///< force x length, about the centroid
    double strain = 0;          ///< largest of any fibre, in size
    double plastic_strain = 0;  ///< largest of any fibre
    double yielded_share = 0;   ///< of the area
  };
  double axial = 0;
  bool about_z = false;
  std::vector<Point> points;  ///< from curvature 0 on
  double first_yield = 0;     ///< moment at which a corner of the section reaches yield; 0: the normal force alone does
  std::vector<double> plastic_strain;  ///< at the end, one a fibre of the section
};

/// Plane sections stay plane; the section is free to bend about its other axis and to stretch, so that the other moment
/// is zero and the normal force `axial`. Curvatures rise to `times` that of the outermost fibre's yield strain.
/// \param axial  tension positive, force \param about_z  else about y
/// \throws base::InputError  the material does not flow, or the section cannot carry the normal force
SectionCurve section_curve(const theory::SectionProperties& section, double youngs_modulus, const material::Flow& flow,
                           double axial, bool about_z, double times = 12);

}  // namespace archway::study
