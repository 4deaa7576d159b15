#include "archway/study/advice.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/study/verdicts.hpp"

namespace archway::study {

namespace {
using Advice = std::vector<std::string>;

void advise_on_material(const StudySpec& spec, const model::Material& m, Advice& list) {
  const double pascal = spec.units.to_pascal(m.youngs_modulus);
  if (pascal > 1.3e12)
    list.push_back(fmt::format(
        "material '{}': E = {:.4g} {} is {:.3g} GPa, stiffer than any building material: is it given in Pa?", m.name,
        m.youngs_modulus, spec.units.stress(), pascal / 1e9));
  if (pascal < 1e6)
    list.push_back(fmt::format(
        "material '{}': E = {:.4g} {} is only {:.3g} MPa, softer than rubber: is it given in GPa or another unit?",
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

/// Whether the mesh can show the first mode.
void advise_on_fineness(const AnalysisOutcome& outcome, Advice& list) {
  constexpr double coarse = 0.05, changed = 0.02;
  if (outcome.readings.empty()) return;
  const auto& first = outcome.readings[0];
  const double elements = elements_per_half_wave(first);
  const bool is_line =
      first.leading_part >= 0 &&
      outcome.model->parts[static_cast<std::size_t>(first.leading_part)].kind == model::PartKind::member;
  if (elements < kFewElements && !is_line)
    list.push_back(fmt::format("mode 1 has only {:.1f} elements per half wave ({}): refine, {:g} and more show it well",
                               elements, waves_in_words(*outcome.model, first), kFewElements));
  if (first.mesh_error > coarse)
    list.push_back(fmt::format(
        "the mesh makes the factor of mode 1 uncertain by about {:.0f} %: refine, or add second_mesh = 2 to "
        "see the trend",
        100 * first.mesh_error));
  if (!outcome.second_mesh || outcome.second_mesh->modes.empty()) return;
  const auto& match = outcome.second_mesh->modes[0];
  if (match.other < 0)
    list.push_back("no mode of the finer mesh looks like mode 1: the mesh decides which mode comes first");
  else if (std::abs(match.other_load_factor / match.load_factor - 1) > changed)
    list.push_back(fmt::format("on the finer mesh the factor of mode 1 changes by {:+.1f} %",
                               100 * (match.other_load_factor / match.load_factor - 1)));
}

void advise_on_modes(const StudySpec& spec, const model::Model& model, const AnalysisOutcome& outcome, Advice& list) {
  const auto& r = *outcome.buckling;
  if (r.no_compression) {
    list.push_back(
        "the growing load compresses nothing: no positive load factor exists. Is the load's direction right?");
    if (!r.negative_modes.empty())
      list.push_back(
          fmt::format("with the load reversed the structure would buckle at {:.6g}", -r.negative_modes[0].load_factor));
    return;
  }
  if (r.modes.empty()) return;
  const analysis::Mode& first = r.modes[0];
  list.push_back(
      "a critical load factor from LBA is an upper estimate; mode sizes mean nothing, only their shape does");
  if (outcome.in_place)
    list.push_back(
        "the geometry is that of the state, what it still changes until buckling is left out: near a limit point of "
        "the "
        "path this factor is far too high. The path tells the peak");
  if (!r.negative_modes.empty())
    list.push_back(
        fmt::format("negative factors ({:.4g} first) belong to the growing load reversed; the governing factor for the "
                    "load as given is {:.6g}",
                    r.negative_modes[0].load_factor, first.load_factor));
  if (r.modes.size() > 1 && first.close_to_next)
    list.push_back(
        fmt::format("modes 1 and 2 are {} ({:.6g}, {:.6g}): the collapse load may be touchy, and one mode may not be "
                    "enough for an imperfection",
                    first.repeated ? "a repeated pair" : "within 1 %", first.load_factor, r.modes[1].load_factor));
  constexpr double rounded = 1e-5;
  if (first.residual > rounded)
    list.push_back(
        fmt::format("stiffnesses differ so much that rounding leaves a residual of {:.0e} in mode 1: its factor is "
                    "uncertain by up to "
                    "that share. Make what is very stiff less so",
                    first.residual));
  if (!r.complete()) list.push_back("the modes are not proved complete: " + r.proof.message);
  if (static_cast<int>(r.modes.size()) < r.asked && r.complete() && !std::isfinite(outcome.spec.below))
    list.push_back(fmt::format("{} modes were asked for, only {} exist", r.asked, r.modes.size()));
  if (r.unsymmetric_load_share > 0.05)
    list.push_back(
        fmt::format("{:.0f} % of the load stiffness of the following pressure is unsymmetric (free edges) and left out",
                    100 * r.unsymmetric_load_share));
  const Eigen::VectorXd u =
      r.growing_displacement * first.load_factor +
      (r.held_displacement.size() > 0 ? r.held_displacement : Eigen::VectorXd::Zero(r.growing_displacement.size()));
  double largest = 0;
  for (Eigen::Index n = 0; n < u.size(); n += model::kNodeFreedoms) largest = std::max(largest, u.segment<3>(n).norm());
  if (largest > 0.02 * model.size())
    list.push_back(
        fmt::format("movements before buckling are not small: {:.3g} {} at the critical load by linear theory ({:.1f} "
                    "% of the structure's size); follow the path",
                    largest, spec.units.length, 100 * largest / model.size()));
  advise_on_fineness(outcome, list);
  if (outcome.base && outcome.base->yield.load_factor < first.load_factor) {
    const auto& yield = outcome.base->yield;
    const auto& peak = outcome.base->at_critical[static_cast<std::size_t>(yield.part)];
    list.push_back(fmt::format(
        "the material would have yielded first, at load factor {:.4g}: part '{}' reaches {:.4g} {} at the critical "
        "load, yield is {:.4g}",
        yield.load_factor, model.parts[static_cast<std::size_t>(yield.part)].name, peak.stress, spec.units.stress(),
        peak.yield));
  }
  for (const auto& v : outcome.verdicts)
    if (!v.met)
      list.push_back(
          v.shown ? fmt::format("the required critical load factor {:.4g} of {} is not met: {:.4g} (mode {}, '{}')",
                                v.required, v.group, v.load_factor, v.mode + 1, v.part)
                  : fmt::format("no mode of {} was found, but the last factor, {:.4g}, is below the required "
                                "{:.4g}: ask for more modes, or for all below = {:.4g}",
                                v.group, r.modes.back().load_factor, v.required, v.required));
  if (first.load_factor > 1 && first.load_factor < kSecondOrderMatters && outcome.held.terms.empty())
    list.push_back(
        fmt::format("second order matters at the load as given: the critical load factor {:.4g} is below {:g}; moments "
                    "in the shape "
                    "of mode 1 grow {:.3g} times",
                    first.load_factor, kSecondOrderMatters, amplification(first.load_factor)));
}

void advise_on_path(const AnalysisOutcome& outcome, Advice& list) {
  const auto& r = *outcome.path;
  for (const auto& increment : r.increments)
    if (increment.event == analysis::PathEvent::bifurcation) {
      list.push_back(
          fmt::format("the path passed a bifurcation at load factor {:.6g} and went on along the primary path, which "
                      "is unstable from there: "
                      "the structure would leave it. Seed an imperfection to see where it goes",
                      increment.load_factor));
      break;
    }
  if (r.usable() && !r.peak_is_limit_point)
    list.push_back(
        "no peak was passed: the largest load factor reached is where the analysis stopped, not a collapse load");
  if (!r.usable()) list.push_back(r.message);
}
}  // namespace

std::vector<std::string> advice_on_model(const StudySpec& spec, const model::Model& model) {
  Advice list;
  for (const auto& m : model.materials) advise_on_material(spec, m, list);
  advise_on_accelerations(spec, model, list);
  advise_on_panels(model, list);
  for (const auto& action : model.actions)
    if (elements::has_following_loads(action))
      if (const double share = elements::unsymmetric_share(model, action, elements::State::reference(model));
          share > 0.05)
        list.push_back(
            fmt::format("action '{}': following pressure with free edges; {:.0f} % of its load stiffness is "
                        "unsymmetric, which factors and stability verdicts leave out (a path's Newton steps do not)",
                        action.name, 100 * share));
  return list;
}

std::vector<std::string> advice_on(const StudySpec& spec, const model::Model& model, const AnalysisOutcome& outcome) {
  Advice list;
  if (outcome.skipped) list.push_back(outcome.skip_reason);
  if (outcome.linear && !outcome.linear->usable()) list.push_back(outcome.linear->message);
  if (outcome.linear && outcome.linear->usable() && outcome.linear->imbalance > 1e-6)
    list.push_back(fmt::format("loads and reactions differ by {:.2g} of the load: the solution is not to be trusted",
                               outcome.linear->imbalance));
  if (outcome.buckling) {
    if (!outcome.buckling->usable())
      list.push_back(outcome.buckling->message);
    else
      advise_on_modes(spec, model, outcome, list);
  }
  if (outcome.path) advise_on_path(outcome, list);
  return list;
}

}  // namespace archway::study
