#include "archway/study/check.hpp"

#include <set>

#include <fmt/format.h>

#include "archway/analysis/mechanism.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/study/advice.hpp"

namespace archway::study {

namespace {
constexpr double kLeastElements = 4;  // along an expected half wave
constexpr int kThorough = 200000;     // freedoms up to which the check may factorise
PartRow row_of(const StudySpec& spec, const model::Model& model, int index) {
  const auto& part = model.parts[static_cast<std::size_t>(index)];
  PartRow row;
  row.name = part.name;
  static const char* const kinds[] = {"member", "panel", "bar", "solid"};
  row.kind = kinds[static_cast<int>(part.kind)];
  row.material = model.materials[static_cast<std::size_t>(part.material)].name;
  if (part.profile >= 0) row.size = model.profiles[static_cast<std::size_t>(part.profile)].name;
  if (part.kind == model::PartKind::panel) row.size = fmt::format("t = {:.6g} {}", part.thickness, spec.units.length);
  model.each_element([&](const int*, const int*, int own) { row.elements += own == index; });
  const auto mass = elements::mass_of(model, index);
  row.measure = mass.measure;
  row.mass = mass.mass;
  row.centre = mass.centre;
  return row;
}
/// One sentence about all parts whose mesh is too coarse for the buckles to be expected.
std::string coarse_parts(const CheckReport& report, const std::string& unit) {
  std::vector<std::string> list;
  for (const auto& part : report.parts)
    if (part.fineness.half_wave > 0 && part.fineness.elements < kLeastElements)
      list.push_back(fmt::format("'{}' {:.1f} (half wave about {:.3g} {})", part.name, part.fineness.elements,
                                 part.fineness.half_wave, unit));
  if (list.empty()) return "";
  const std::size_t shown = std::min<std::size_t>(list.size(), 4);
  return fmt::format(
      "fewer than {:g} elements along an expected half wave: {}{}; local buckles there will come out too "
      "high. Compare with a finer mesh (refine = 2)",
      kLeastElements, fmt::join(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(shown), ", "),
      shown < list.size() ? fmt::format(" and {} more", list.size() - shown) : "");
}
}  // namespace

CheckReport check_model(const StudySpec& spec, const model::Model& model, bool look_for_mechanism) {
  CheckReport report;
  const analysis::System system(model);
  report.nodes = model.node_count();
  report.members = static_cast<int>(spec.members.size());
  report.panels = static_cast<int>(spec.panels.size());
  report.beam_elements = static_cast<int>(model.line_elements.size());
  report.shell_elements = static_cast<int>(model.shell_elements.size());
  report.bar_elements = static_cast<int>(model.bar_elements.size());
  report.solid_elements = static_cast<int>(model.solid_elements.size());
  report.springs = static_cast<int>(model.springs.size());
  report.ties = static_cast<int>(model.ties.size());
  report.freedoms = system.free_count();
  report.low = report.high = model.nodes.front();
  for (const auto& node : model.nodes) {
    report.low = report.low.cwiseMin(node);
    report.high = report.high.cwiseMax(node);
  }
  std::set<int> held;
  for (const auto& support : model.supports) held.insert(support.node);
  report.supported_nodes = static_cast<int>(held.size());
  for (std::size_t p = 0; p < model.parts.size(); ++p) report.parts.push_back(row_of(spec, model, static_cast<int>(p)));
  const auto fineness = expected_fineness(model);
  for (std::size_t p = 0; p < report.parts.size(); ++p) report.parts[p].fineness = fineness[p];
  const auto mass = elements::mass_of(model, -1);
  report.mass = mass.mass;
  report.centre_of_mass = mass.centre;
  const auto reference = elements::State::reference(model);
  const auto row = [&](const std::string& name, const model::Combination& terms) {
    const auto factors = system.factors(terms);
    return ActionRow{
        name, system.resultant(factors, reference), system.resultant(factors, reference, report.centre_of_mass), {}};
  };
  for (std::size_t a = 0; a < model.actions.size(); ++a) {
    report.actions.push_back(row(model.actions[a].name, {"", {{static_cast<int>(a), 1.0}}}));
    report.actions.back().notes = model.actions[a].notes;
  }
  for (const auto& combination : model.combinations) report.combinations.push_back(row(combination.name, combination));
  if (look_for_mechanism && system.free_count() > kThorough) {
    const auto movement = analysis::find_rigid_movement(model);
    report.has_mechanism = movement.exists;
    report.mechanism = movement.description;
    report.free_movement = movement.movement;
    if (!movement.exists)
      report.warnings.push_back(
          fmt::format("over {} freedoms: looked for pieces that move as a whole only; hinges that let go inside the "
                      "structure show when it is solved",
                      kThorough));
  } else if (look_for_mechanism && system.free_count() > 0) {
    algebra::SymmetricMatrix stiffness(system.pattern());
    analysis::AssemblyRequest request;
    request.tangent = &stiffness;
    (void)system.assemble(reference, request);
    algebra::Factorisation factorisation(system.pattern());
    const auto mechanism = analysis::find_mechanism(system, stiffness, factorisation);
    report.has_mechanism = mechanism.exists;
    report.mechanism = mechanism.description;
    report.free_movement = mechanism.movement;
  }
  if (const std::string coarse = coarse_parts(report, spec.units.length); !coarse.empty())
    report.warnings.push_back(coarse);
  for (const auto& warning : model::check_mesh(model).warnings) report.warnings.push_back(base::to_text(warning));
  for (auto& warning : advice_on_model(spec, model)) report.warnings.push_back(std::move(warning));
  return report;
}

}  // namespace archway::study
