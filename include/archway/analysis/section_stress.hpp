#pragma once
#include "archway/elements/internal_forces.hpp"
#include "archway/model/model.hpp"

namespace archway::analysis {

/// Smallest and largest stress along a member in one of its cross-sections, tension positive.
struct SectionStress {
  double low = 0, high = 0;
  double size() const { return std::max(-low, high); }
};

/// Stress along the member at the stress points of a section,
///   s = N / A + a z - b y - w B / Iw,   a = (Iz My + Iyz Mz) / D,   b = (Iyz My + Iy Mz) / D,   D = Iy Iz - Iyz^2,
/// with the product moment Iyz, the bimoment B and the sectorial coordinate w ([Vlasov1961]). Shear and St Venant
/// torsion are not in it. The bimoment is 0 where warping is not a degree of freedom.
SectionStress section_stress(const model::Profile& section, const elements::SectionForces& forces);
/// Largest size of stress at the stress points of a section that has residual stresses.
/// \param residual  one a stress point, tension positive \param yield  a point whose residual stress has that size
/// counts only where its stress is larger: it is at yield before anything acts, and yields no further when unloaded
double stress_with_residual(const model::Profile& section, const elements::SectionForces& forces,
                            const std::vector<double>& residual, double yield);
/// The part of it that bending and bimoment give.
SectionStress bending_stress(const model::Profile& section, elements::SectionForces forces);

/// Bending moments in the principal axes of a section: about the axis of the largest second moment, then the smallest.
/// The section's own axes y and z where its product moment is zero.
struct PrincipalBending {
  double second_moment_1 = 0, second_moment_2 = 0;  ///< about axis 1 (y or major) and 2 (z or minor)
  double moment_1 = 0, moment_2 = 0;
};
PrincipalBending principal_bending(const model::Profile& section, const elements::SectionForces& forces);

}  // namespace archway::analysis
