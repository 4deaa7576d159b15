#include "archway/study/advice.hpp"

#include <algorithm>
#include <cmath>
#include <map>

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

/// Members along `up`, where the default decided how a section with two different axes stands.
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

/// Whether the mesh can show the first mode.
void advise_on_fineness(const AnalysisOutcome& outcome, Advice& list) {
  constexpr double coarse = 0.05, changed = 0.02;
  if (outcome.readings.empty()) return;
  const auto& first = outcome.readings[0];
  const double elements = elements_per_half_wave(first);
  const bool is_line =
      first.leading_part >= 0 &&
      outcome.model->parts[static_cast<std::size_t>(first.leading_part)].kind == model::PartKind::member;
  if (elements < kFewElements - 0.05 && !is_line)
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

double first_factor(const analysis::BucklingResult& r) {
  return r.modes.empty() ? 0.0 : r.modes[0].load_factor;
}

/// Movements before buckling count where they turn the structure: plain shortening changes nothing.
void advise_on_turning(const model::Model& model, const analysis::BucklingResult& r, Advice& list) {
  constexpr double small = 0.04;  // radians
  Eigen::VectorXd u = first_factor(r) * r.growing_displacement;
  if (r.held_displacement.size() > 0) u += r.held_displacement;
  double turned = 0;
  const auto look = [&](const int* nodes, std::initializer_list<std::pair<int, int>> edges) {
    for (const auto& [a, b] : edges) {
      const int p = nodes[a], q = nodes[b];
      const Vec3 along = model.nodes[static_cast<std::size_t>(q)] - model.nodes[static_cast<std::size_t>(p)],
                 way = u.segment<3>(model::row(q)) - u.segment<3>(model::row(p));
      if (along.norm() > 0) turned = std::max(turned, way.cross(along.normalized()).norm() / along.norm());
    }
  };
  for (const auto& e : model.line_elements) look(e.nodes.data(), {{0, 1}, {1, 2}, {2, 3}});
  for (const auto& e : model.shell_elements)
    if (e.corners() == 4)
      look(e.begin(), {{0, 1}, {1, 2}, {2, 3}, {3, 0}});
    else
      look(e.begin(), {{0, 1}, {1, 2}, {2, 0}});
  for (const auto& e : model.bar_elements) look(e.nodes.data(), {{0, 1}});
  for (const auto& e : model.solid_elements) look(e.begin(), {{0, 1}, {1, 2}, {0, 4}});
  if (turned > small)
    list.push_back(
        fmt::format("movements before buckling are not small: parts turn by up to {:.2g} degrees at the critical "
                    "load by linear theory; follow the path",
                    turned * 180 / M_PI));
}

/// Torsional modes of members that cannot warp crowd at one factor, G J / i0^2.
void advise_on_torsion(const model::Model& model, const AnalysisOutcome& outcome, Advice& list) {
  int crowd = 0;
  for (std::size_t m = 0; m < outcome.readings.size(); ++m) {
    const auto& r = outcome.readings[m];
    if (r.leading_part < 0 || !(r.torsion > kTorsional)) continue;
    const auto& part = model.parts[static_cast<std::size_t>(r.leading_part)];
    if (part.kind == model::PartKind::member && !part.warping &&
        model.profiles[static_cast<std::size_t>(part.profile)].warping_constant > 0)
      ++crowd;
  }
  if (crowd > 1)
    list.push_back(
        fmt::format("{} modes are torsion of open sections that cannot warp here: without restrained warping all "
                    "of them crowd at one factor. Set warping = true for these members",
                    crowd));
}

void advise_on_modes(const StudySpec& spec, const model::Model& model, const AnalysisOutcome& outcome, Advice& list) {
  const auto& r = *outcome.buckling;
  if (r.no_compression) {
    list.push_back(
        r.no_forces
            ? "nothing to buckle: the growing loads cause no forces in the structure. Strings and cables need a "
              "held part that stretches them"
        : r.left_out.empty()
            ? "no positive load factor exists: the growing load makes nothing unstable. Is the load's direction right?"
            : r.message);
    if (!r.negative_modes.empty())
      list.push_back(
          fmt::format("with the load reversed the structure would buckle at {:.6g}", -r.negative_modes[0].load_factor));
    return;
  }
  if (!r.left_out_reversed.empty())
    list.push_back(fmt::format(
        "{} factors of the load reversed (from {:.4g} on) are left out: they need strains of {:.2g} and more in parts "
        "that are only pulled then",
        r.left_out_reversed.size(), r.left_out_reversed[0].load_factor, r.left_out_reversed[0].strain));
  if (r.modes.empty()) return;
  const analysis::Mode& first = r.modes[0];
  if (!r.left_out.empty())
    list.push_back(
        fmt::format("{} further factors (from {:.4g} on) are left out: they need strains of {:.2g} and more in "
                    "parts that are only pulled",
                    r.left_out.size(), r.left_out[0].load_factor, r.left_out[0].strain));
  if (first.strain > analysis::kSenselessStrain)
    list.push_back(
        fmt::format("mode 1 needs strains of {:.0f} % where it lives: linear buckling says nothing there, follow the "
                    "path",
                    100 * first.strain));
  advise_on_torsion(model, outcome, list);
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
  if (!(first.strain > analysis::kSenselessStrain)) advise_on_turning(model, r, list);
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
  // a unit load is there to be multiplied, nobody has it on the structure
  const bool unit = std::abs(outcome.growing_total.force.norm() - 1) < 1e-9;
  if (first.load_factor > 1 && first.load_factor < kSecondOrderMatters && outcome.held.terms.empty() && !unit)
    list.push_back(
        fmt::format("second order matters at the load as given: the critical load factor {:.4g} is below {:g}; moments "
                    "in the shape "
                    "of mode 1 grow {:.3g} times",
                    first.load_factor, kSecondOrderMatters, amplification(first.load_factor)));
}

double most_used(const analysis::PathResult& r) {
  double most = 0;
  for (const auto& i : r.increments) most = std::max(most, i.utilisation);
  return most;
}

void advise_on_path(const AnalysisOutcome& outcome, Advice& list) {
  const auto& r = *outcome.path;
  if (outcome.imperfection) {
    constexpr double large = 0.05;
    const auto& model = *outcome.model;
    if (outcome.imperfection->largest > large * model.size())
      list.push_back(
          fmt::format("the imperfection is {:.3g} times as large as the structure: is its amplitude in another unit?",
                      outcome.imperfection->largest / model.size()));
  }
  if (r.first_yield.part >= 0 && !r.increments.empty() && std::isfinite(r.peak_load_factor))
    list.push_back(
        fmt::format("the elastic stress of '{}' reaches yield at load factor {:.5g}: beyond it this path, which "
                    "is elastic, is too strong (largest stress so far {:.3g} times yield)",
                    outcome.model->parts[static_cast<std::size_t>(r.first_yield.part)].name, r.first_yield.load_factor,
                    most_used(r)));
  if (r.first_loss >= 0) {
    const auto& loss = r.increments[static_cast<std::size_t>(r.first_loss)];
    if (r.unsymmetric)
      list.push_back(fmt::format(
          "moments that keep their axes (or pressure at free edges) make the tangent unsymmetric: at load factor {} "
          "its "
          "symmetric part stops being positive, which neither proves nor excludes a loss of stability under such loads",
          analysis::place_text(loss)));
    else if (r.branched)
      list.push_back(fmt::format(
          "at the bifurcation at load factor {} the path left the primary way along the mode that loses its stability "
          "there: one of the ways that the structure may take, the other has the signs reversed",
          analysis::place_text(loss)));
    else if (loss.event == analysis::PathEvent::bifurcation)
      list.push_back(fmt::format(
          "the path passed a bifurcation at load factor {} and went on along the primary path, which is unstable "
          "from there: the structure would leave it. Seed an imperfection to see where it goes, or give at_bifurcation "
          "= \"branch\"",
          analysis::place_text(loss)));
  }
  if (const auto rounded =
          std::count_if(r.increments.begin(), r.increments.end(), [](const auto& i) { return i.rounding; });
      rounded > 0)
    list.push_back(fmt::format(
        "in {} of {} increments forces are left over that rounding alone may leave in parts far stiffer than others: "
        "they count as balanced. Make what is very stiff less so",
        rounded, r.increments.size()));
  for (const auto& point : r.critical_points)
    if (point.multiplicity > 1)
      list.push_back(fmt::format(
          "at load factor {} {} directions lose their stability together: which of them the "
          "structure takes hangs on its imperfections",
          analysis::place_text(r.increments[static_cast<std::size_t>(point.increment)]), point.multiplicity));
  if (r.usable() && !r.peak_is_limit_point && (r.first_loss < 0 || r.unsymmetric))
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
  advise_on_standing(spec, model, list);
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
