#include <algorithm>
#include <cmath>

#include "archway/analysis/section_stress.hpp"
#include "recovery/element_strains_detail.hpp"
#include "recovery/recovery_thresholds_detail.hpp"

namespace archway::analysis::detail {

namespace {
/// Of a laminate: of the wall as a whole, in its stiffer direction.
double modulus_of(const model::Model& m, int part) {
  const auto& own = m.parts[static_cast<std::size_t>(part)];
  if (own.laminate < 0) return m.materials[static_cast<std::size_t>(own.material)].youngs_modulus;
  const auto& a = m.laminates[static_cast<std::size_t>(own.laminate)].membrane;
  return std::max(a(0, 0), a(1, 1)) / own.thickness;
}

Strained of_line(const model::Model& m, const model::LineElement& e,
                 const std::array<elements::SectionForces, 3>& points) {
  Strained out;
  for (std::size_t k = 0; k < points.size(); ++k) {
    const auto& f = points[k];
    const auto& profile = m.section_at(e, model::kGaussStations[k]);
    const double straight = f.axial / profile.area, bent = bending_stress(profile, f).size(),
                 twisted =
                     profile.torsion_constant > 0
                         ? std::abs(f.torque) * std::max(profile.fibre_y, profile.fibre_z) / profile.torsion_constant
                         : 0;
    out.strain = std::max(out.strain, (std::abs(straight) + bent + twisted) / modulus_of(m, e.part));
    out.pressed = out.pressed || straight - bent - twisted < -kPressedMember * std::abs(straight);
  }
  return out;
}

template <class Stress>
bool presses(const Stress& stress) {
  const auto principal = principal_stresses(stress);
  const double low = *std::min_element(principal.begin(), principal.end()),
               high = *std::max_element(principal.begin(), principal.end());
  return low < -kPressedStress * std::max(std::abs(low), std::abs(high));
}
}  // namespace

std::array<std::vector<Strained>, 6> strains_of(const System& system, const ElementForces& forces) {
  const auto& m = system.model();
  std::array<std::vector<Strained>, 6> all;
  const auto of = [&](ElementKind kind) -> std::vector<Strained>& { return all[static_cast<std::size_t>(kind)]; };
  for (const auto& f : forces.member_forces)
    of(ElementKind::line).push_back(of_line(m, m.line_elements[static_cast<std::size_t>(f.element)], f.points));
  for (std::size_t b = 0; b < forces.bar_forces.size(); ++b) {
    const auto& part = m.parts[static_cast<std::size_t>(m.bar_elements[b].part)];
    const double area = m.profiles[static_cast<std::size_t>(part.profile)].area;
    of(ElementKind::bar)
        .push_back(
            {std::abs(forces.bar_forces[b]) / area / modulus_of(m, m.bar_elements[b].part), forces.bar_forces[b] < 0});
  }
  of(ElementKind::touch).resize(m.touches.size(), {0, true});
  of(ElementKind::spring).resize(m.springs.size(), {0, true});  // no strain, and never a reason to leave anything out
  for (std::size_t e = 0; e < forces.solid_stresses.size(); ++e) {
    Strained one;
    for (const auto& s : forces.solid_stresses[e]) {
      one.strain = std::max(one.strain, elements::equivalent_stress(s) / modulus_of(m, m.solid_elements[e].part));
      one.pressed = one.pressed || presses(Stress(s));
    }
    of(ElementKind::solid).push_back(one);
  }
  for (std::size_t e = 0; e < forces.shell_stresses.size(); ++e) {
    Strained one;
    for (const auto* s : {&forces.shell_stresses[e].top, &forces.shell_stresses[e].bottom}) {
      one.strain = std::max(one.strain, elements::equivalent_stress(*s) / modulus_of(m, m.shell_elements[e].part));
      Stress spatial = Stress::Zero();
      spatial[0] = (*s)[0], spatial[1] = (*s)[1], spatial[3] = (*s)[2];
      one.pressed = one.pressed || presses(spatial);
    }
    of(ElementKind::shell).push_back(one);
  }
  return all;
}

}  // namespace archway::analysis::detail
