#include "archway/study/advice.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/elements/loads.hpp"

namespace archway::study {

namespace {
using Advice = std::vector<std::string>;

void advise_on_material(const StudySpec& spec, const model::Material& m, Advice& list) {
  const double pascal = spec.units.to_pascal(m.youngs_modulus);
  if (pascal > 1.3e12)
    list.push_back(fmt::format(
        "material '{}': E = {:.4g} {} is {:.3g} GPa, stiffer than any building material: is it given in Pa?", m.name,
        m.youngs_modulus, spec.units.stress(), pascal / 1e9));
  if (pascal < 1e9)
    list.push_back(
        fmt::format("material '{}': E = {:.4g} {} is only {:.3g} MPa, softer than what carries loads: is it given in "
                    "GPa or another "
                    "unit?",
                    m.name, m.youngs_modulus, spec.units.stress(), pascal / 1e6));
  const double density = spec.units.to_kg_per_m3(m.density);
  if (m.density > 0 && (density > 25000 || density < 10))
    list.push_back(
        fmt::format("material '{}': density = {:.4g} {}/{}^3 is {:.3g} kg/m^3: the mass unit of this study is {}",
                    m.name, m.density, spec.units.mass(), spec.units.length, density, spec.units.mass()));
}

void advise_on_accelerations(const StudySpec& spec, const model::Model& model, Advice& list) {
  for (const auto& action : model.actions)
    for (const auto& a : action.accelerations)
      if (a.norm() > 20 * spec.units.gravity() || (a.norm() > 0 && a.norm() < 0.05 * spec.units.gravity()))
        list.push_back(
            fmt::format("action '{}': the acceleration is {:.3g} times gravity ({:.6g} {}/s^2 in this study)",
                        action.name, a.norm() / spec.units.gravity(), spec.units.gravity(), spec.units.length));
}

void advise_on_panels(const model::Model& model, Advice& list) {
  for (const auto& part : model.parts) {
    if (part.kind != model::PartKind::panel) continue;
    Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
    for (const int n : model.groups.at(part.name)) {
      low = low.cwiseMin(model.nodes[static_cast<std::size_t>(n)]);
      high = high.cwiseMax(model.nodes[static_cast<std::size_t>(n)]);
    }
    const double span = (high - low).maxCoeff();
    if (part.thickness > span / 8)
      list.push_back(
          fmt::format("panel '{}' is thicker than an eighth of its extent: shell theory is doubtful", part.name));
    if (part.thickness < span / 20000)
      list.push_back(fmt::format("panel '{}' is thinner than 1/20000 of its extent: is the thickness in another unit?",
                                 part.name));
  }
}

/// Members along `up`, where the default decided how a section with two different axes is.
void advise_on_standing(const StudySpec& spec, const model::Model& model, Advice& list) {
  std::map<std::string, std::vector<std::string>> names;
  for (const auto& m : spec.members) {
    const Vec3 along = m.line.to - m.line.from;
    if (m.up_given || m.line.via || !m.through.empty() || !base::runs_along(along, m.up)) continue;
    for (const auto& p : model.profiles) {
      if (p.name != m.profile) continue;
      const bool alike = std::abs(p.second_moment_y - p.second_moment_z) < 1e-6 * p.second_moment_y &&
                         std::abs(p.product_moment) < 1e-6 * p.second_moment_y;
      if (!alike) names[base::leaning(along, m.up) == Vec3::UnitX() ? "x" : "y"].push_back(m.name);
    }
  }
  for (const auto& [axis, members] : names) {
    const std::size_t shown = std::min<std::size_t>(members.size(), 6);
    list.push_back(fmt::format(
        "upright members stand with the height of their section (local z) towards the global {} axis, since no 'up' is "
        "given: {}{}. Give up = [...] to turn them",
        axis, fmt::join(members.begin(), members.begin() + static_cast<std::ptrdiff_t>(shown), ", "),
        shown < members.size() ? fmt::format(" and {} more", members.size() - shown) : ""));
  }
  constexpr double nearly = 0.05;  // sine: three degrees
  for (const auto& m : spec.members) {
    const Vec3 along = m.line.to - m.line.from;
    const double sine = along.cross(m.up).norm() / (along.norm() * m.up.norm());
    if (!m.up_given && !m.line.via && m.through.empty() && !base::runs_along(along, m.up) && sine < nearly)
      list.push_back(
          fmt::format("member '{}' leans by {:.2g} degrees from 'up', and this small lean decides how its section "
                      "stands: give up = [...]",
                      m.name, std::asin(sine) * 180 / M_PI));
  }
}

}  // namespace

std::vector<std::string> advice_on_model(const StudySpec& spec, const model::Model& model) {
  Advice list;
  for (const auto& m : model.materials) advise_on_material(spec, m, list);
  advise_on_accelerations(spec, model, list);
  advise_on_panels(model, list);
  advise_on_standing(spec, model, list);
  for (const auto& action : model.actions)
    if (elements::has_following_loads(action))
      if (const double share = elements::unsymmetric_share(model, action, elements::State::reference(model));
          share > 0.05)
        list.push_back(
            fmt::format("action '{}': following pressure with free edges; {:.0f} % of its load stiffness is "
                        "unsymmetric, which factors and stability verdicts omit (a path's Newton steps do not)",
                        action.name, 100 * share));
  return list;
}

}  // namespace archway::study
