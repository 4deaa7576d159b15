#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "analyses/linear_buckling_detail.hpp"
#include "archway/study/verdicts.hpp"

namespace archway::study {

namespace {
using Advice = std::vector<std::string>;

/// Whether the mesh can show the first mode.
void advise_on_fineness(const AnalysisOutcome& outcome, Advice& list) {
  constexpr double coarse = 0.05, changed = 0.02;
  if (outcome.readings.empty()) return;
  const auto& first = outcome.readings[0];
  const double elements = elements_per_half_wave(first);
  const bool is_line =
      first.leading_part >= 0 &&
      outcome.model->parts[static_cast<std::size_t>(first.leading_part)].kind == model::PartKind::member;
  if (elements < kFewElements - 0.05 && !is_line && first.mesh_error > changed)
    list.push_back(fmt::format("mode 1 has only {:.1f} elements per half wave ({}): refine, {:g} and more show it well",
                               elements, waves_in_words(*outcome.model, first), kFewElements));
  if (first.mesh_error > coarse)
    list.push_back(
        fmt::format("the mesh makes the factor of mode 1 uncertain by about {:.0f} %: refine, or add mesh_check = 2 to "
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

/// Displacements before buckling count where they rotate the structure: plain shortening changes nothing.
void advise_on_rotating(const model::Model& model, const analysis::BucklingResult& r, Advice& list) {
  constexpr double small = 0.04;  // radians
  Eigen::VectorXd u = first_factor(r) * r.variable_displacement;
  if (r.constant_displacement.size() > 0) u += r.constant_displacement;
  double rotated = 0;
  const auto look = [&](const int* nodes, std::initializer_list<std::pair<int, int>> edges) {
    for (const auto& [a, b] : edges) {
      const int p = nodes[a], q = nodes[b];
      const Vec3 along = model.nodes[static_cast<std::size_t>(q)] - model.nodes[static_cast<std::size_t>(p)],
                 way = u.segment<3>(model::row(q)) - u.segment<3>(model::row(p));
      if (along.norm() > 0) rotated = std::max(rotated, way.cross(along.normalized()).norm() / along.norm());
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
  if (rotated > small)
    list.push_back(
        fmt::format("displacements before buckling are not small: parts rotate by up to {:.2g} degrees at the critical "
                    "load by linear theory; follow the path",
                    rotated * 180 / M_PI));
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

}  // namespace

void advise_on_modes(const StudySpec& spec, const AnalysisOutcome& outcome, Advice& list) {
  const auto& r = *outcome.buckling;
  const auto& model = *outcome.model;
  if (r.no_compression) {
    list.push_back(
        r.no_forces
            ? "nothing to buckle: the variable loads cause no forces in the structure. Strings and cables need a "
              "preload that stretches them"
        : r.left_out.empty()
            ? "no positive load factor exists: the variable load makes nothing unstable. Is the load's direction right?"
            : r.message);
    if (!r.negative_modes.empty())
      list.push_back(
          fmt::format("with the load reversed the structure would buckle at {:.6g}", -r.negative_modes[0].load_factor));
    return;
  }
  if (!r.left_out_reversed.empty())
    list.push_back(fmt::format(
        "{} factors of the load reversed (from {:.4g} on) are omitted: they need strains of {:.2g} and more in parts "
        "that are only in tension there",
        r.left_out_reversed.size(), r.left_out_reversed[0].load_factor, r.left_out_reversed[0].strain));
  if (r.modes.empty()) return;
  const analysis::Mode& first = r.modes[0];
  if (!r.left_out.empty())
    list.push_back(
        fmt::format("{} further factors (from {:.4g} on) are omitted: they need strains of {:.2g} and more in "
                    "parts that are only in tension",
                    r.left_out.size(), r.left_out[0].load_factor, r.left_out[0].strain));
  if (first.strain > analysis::kSenselessStrain)
    list.push_back(
        fmt::format("mode 1 needs strains of {:.0f} % where it lives: linear buckling says nothing there, follow the "
                    "path",
                    100 * first.strain));
  advise_on_torsion(model, outcome, list);
  list.push_back(
      "a critical load factor from LBA is an upper estimate; mode amplitudes are arbitrary, only the shape counts does");
  if (outcome.in_place)
    list.push_back(
        "the geometry is that of the state; its change until buckling is neglected: near a limit point of "
        "the "
        "path this factor is far too high. The path reports the peak");
  if (!r.negative_modes.empty())
    list.push_back(fmt::format(
        "negative factors ({:.4g} first) belong to the variable load reversed; the governing factor for the "
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
        fmt::format("{:.0f} % of the load stiffness of the following pressure is unsymmetric (free edges) and omitted",
                    100 * r.unsymmetric_load_share));
  if (!(first.strain > analysis::kSenselessStrain)) advise_on_rotating(model, r, list);
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
  const bool unit = std::abs(outcome.variable_total.force.norm() - 1) < 1e-9;
  if (first.load_factor > 1 && first.load_factor < kSecondOrderMatters && outcome.constant.terms.empty() && !unit)
    list.push_back(
        fmt::format("second order matters at the load as given: the critical load factor {:.4g} is below {:g}; moments "
                    "in the shape "
                    "of mode 1 grow {:.3g} times",
                    first.load_factor, kSecondOrderMatters, amplification(first.load_factor)));
}

}  // namespace archway::study
