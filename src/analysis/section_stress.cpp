#include "archway/analysis/section_stress.hpp"

#include <cmath>

namespace archway::analysis {

SectionStress section_stress(const model::Profile& p, const elements::SectionForces& f) {
  const double determinant = p.second_moment_y * p.second_moment_z - p.product_moment * p.product_moment;
  const double straight = f.axial / p.area,
               along_z = (p.second_moment_z * f.moment_y + p.product_moment * f.moment_z) / determinant,
               along_y = -(p.product_moment * f.moment_y + p.second_moment_y * f.moment_z) / determinant,
               along_w = p.warping_constant > 0 ? -f.bimoment / p.warping_constant : 0.0;
  if (p.round > 0) {  // the stress point lies in the direction of the steepest slope
    const double bent = p.round * std::hypot(along_y, along_z);
    return {straight - bent, straight + bent};
  }
  if (p.stress_points.empty()) return {straight, straight};
  SectionStress stress{HUGE_VAL, -HUGE_VAL};
  for (const auto& at : p.stress_points) {
    const double here = straight + along_y * at.y + along_z * at.z + along_w * at.omega;
    stress.low = std::min(stress.low, here);
    stress.high = std::max(stress.high, here);
  }
  return stress;
}

SectionStress bending_stress(const model::Profile& section, elements::SectionForces forces) {
  forces.axial = 0;
  return section_stress(section, forces);
}

PrincipalBending principal_bending(const model::Profile& p, const elements::SectionForces& f) {
  if (p.product_moment == 0.0) return {p.second_moment_y, p.second_moment_z, f.moment_y, f.moment_z};
  const double mean = 0.5 * (p.second_moment_y + p.second_moment_z),
               half = 0.5 * (p.second_moment_y - p.second_moment_z), radius = std::hypot(half, p.product_moment);
  // u = y cos + z sin is the major axis: the moment about it is the integral of s v, v = z cos - y sin
  const double angle = 0.5 * std::atan2(-2 * p.product_moment, p.second_moment_y - p.second_moment_z);
  const double c = std::cos(angle), s = std::sin(angle);
  return {mean + radius, mean - radius, f.moment_y * c + f.moment_z * s, f.moment_z * c - f.moment_y * s};
}

}  // namespace archway::analysis
