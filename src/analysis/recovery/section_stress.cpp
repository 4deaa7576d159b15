#include "archway/analysis/section_stress.hpp"

#include <cmath>

namespace archway::analysis {

namespace {
/// Stress as a linear function of y, z and the sectorial coordinate.
struct Plane {
  double straight, along_y, along_z, along_w;
  double at(const model::StressPoint& p) const { return straight + along_y * p.y + along_z * p.z + along_w * p.omega; }
};
Plane plane_of(const model::Profile& p, const elements::SectionForces& f) {
  const double determinant = p.second_moment_y * p.second_moment_z - p.product_moment * p.product_moment;
  return {f.axial / p.area, -(p.product_moment * f.moment_y + p.second_moment_y * f.moment_z) / determinant,
          (p.second_moment_z * f.moment_y + p.product_moment * f.moment_z) / determinant,
          p.warping_constant > 0 ? -f.bimoment / p.warping_constant : 0.0};
}
}  // namespace

SectionStress section_stress(const model::Profile& p, const elements::SectionForces& f) {
  const Plane plane = plane_of(p, f);
  if (p.round > 0) {  // the stress point lies in the direction of the steepest slope
    const double bent = p.round * std::hypot(plane.along_y, plane.along_z);
    return {plane.straight - bent, plane.straight + bent};
  }
  if (p.stress_points.empty()) return {plane.straight, plane.straight};
  SectionStress stress{HUGE_VAL, -HUGE_VAL};
  for (const auto& at : p.stress_points) {
    const double here = plane.at(at);
    stress.low = std::min(stress.low, here);
    stress.high = std::max(stress.high, here);
  }
  return stress;
}

double stress_with_residual(const model::Profile& p, const elements::SectionForces& f,
                            const std::vector<double>& residual, double yield) {
  constexpr double kDigits = 1e-9;
  const Plane plane = plane_of(p, f);
  double most = 0;
  for (std::size_t k = 0; k < p.stress_points.size(); ++k) {
    const double here = std::abs(plane.at(p.stress_points[k]) + residual[k]), before = std::abs(residual[k]);
    if (before >= yield * (1 - kDigits) && here <= before * (1 + kDigits)) continue;
    most = std::max(most, here);
  }
  return most;
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
