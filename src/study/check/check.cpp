#include "archway/study/check.hpp"

#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/analysis/mechanism.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/elements/loads.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/model/touching.hpp"
#include "archway/study/advice.hpp"
#include "archway/study/build_model.hpp"

namespace archway::study {

namespace {
constexpr double kLeastElements = 4;  // along an expected half wave
constexpr int kThorough = 200000;     // degrees of freedom up to which the check may factorise
/// Where the local z axis of a member points at its first element.
std::string stands(const model::Model& model, int part) {
  for (const auto& e : model.line_elements) {
    if (e.part != part) continue;
    const base::Vec3 z = elements::middle_axes(model, e).col(2);
    for (Eigen::Index k = 0; k < 3; ++k)
      if (std::abs(z[k]) > 0.99999) return fmt::format("z to {}{}", z[k] > 0 ? '+' : '-', "xyz"[k]);
    const auto clean = [](double v) { return std::abs(v) < 5e-4 ? 0.0 : v; };
    return fmt::format("z along ({:.3g}, {:.3g}, {:.3g})", clean(z.x()), clean(z.y()), clean(z.z()));
  }
  return "";
}
PartRow row_of(const StudySpec& spec, const model::Model& model, int index) {
  const auto& part = model.parts[static_cast<std::size_t>(index)];
  PartRow row;
  row.name = part.name;
  static const char* const kinds[] = {"member", "panel", "bar", "solid"};
  static const char* const measures[] = {"length", "area", "length", "volume"};
  row.kind = kinds[static_cast<int>(part.kind)];
  row.measure_name = measures[static_cast<int>(part.kind)];
  row.material = model.materials[static_cast<std::size_t>(part.material)].name;
  if (part.profile >= 0) row.size = model.profiles[static_cast<std::size_t>(part.profile)].name;
  if (part.kind == model::PartKind::panel) row.size = fmt::format("t = {:.6g} {}", part.thickness, spec.units.length);
  if (part.kind == model::PartKind::member) row.stands = stands(model, index);
  model.each_element([&](const int*, const int*, int own) { row.elements += own == index; });
  const auto mass = elements::mass_of(model, index);
  row.measure = mass.measure;
  row.mass = mass.mass;
  row.centre = mass.centre;
  return row;
}
/// Parts that meet without being joined, or lie in one place.
std::vector<std::string> loose_parts(const StudySpec& spec, const model::Model& model) {
  std::vector<std::string> list;
  const auto text = [&](const base::Vec3& v) { return fmt::format("({:.5g}, {:.5g}, {:.5g})", v.x(), v.y(), v.z()); };
  const auto all = model::untied_encounters(model);
  std::map<std::pair<int, int>, int> mutual;  // nodes of one part on the other
  for (const auto& e : all)
    if (e.kind == model::Encounter::Kind::touch) mutual[{e.first, e.second}] = e.count;
  const auto in_contact = [&](const model::Encounter& e) {
    return std::any_of(model.contacts.begin(), model.contacts.end(), [&](const model::Contact& c) {
      const auto has = [&](const std::vector<model::ContactFace>& faces, int part) {
        return std::any_of(faces.begin(), faces.end(), [&](const auto& f) { return f.part == part; });
      };
      const auto& others = c.within() ? c.followers : c.leaders;
      return (has(c.followers, e.first) && has(others, e.second)) ||
             (has(c.followers, e.second) && has(others, e.first));
    });
  };
  for (const auto& e : all) {
    if (in_contact(e)) continue;
    const auto back = mutual.find({e.second, e.first});
    const int others = e.kind == model::Encounter::Kind::touch && back != mutual.end() ? back->second : 0;
    if (others > e.count || (others == e.count && others > 0 && e.second < e.first))
      continue;  // reported from the other side
    const auto& first = model.parts[static_cast<std::size_t>(e.first)].name;
    const auto& second = model.parts[static_cast<std::size_t>(e.second)].name;
    const bool one_place = (e.high - e.low).norm() < 1e-6 * model.size();
    const std::string where =
        one_place ? "at " + text(e.low) : fmt::format("between {} and {}", text(e.low), text(e.high));
    if (e.kind == model::Encounter::Kind::same_place)
      list.push_back(
          fmt::format("'{}' and '{}' lie in one place: {} elements {} {} have the same nodes. Remove one of "
                      "them, unless both are meant to carry",
                      first, second, e.count, where, spec.units.length));
    else if (e.kind == model::Encounter::Kind::cross)
      list.push_back(
          fmt::format("'{}' and '{}' pass through each other without being joined, {} {}. Where they are one, "
                      "let both have a node there (divisions, through), or use a coupling or a spring",
                      first, second, where, spec.units.length));
    else
      list.push_back(
          fmt::format("'{}' touches '{}' without being joined to it: {} node{}{} {} {}. Give both nodes in the same "
                      "places (divisions), or use a bond or a coupling",
                      first, second, e.count, e.count == 1 ? "" : "s",
                      others > 0 ? fmt::format(" (and {} of '{}')", others, second) : "", where, spec.units.length));
  }
  constexpr std::size_t most = 12;
  if (list.size() > most) {
    const auto more = list.size() - most;
    list.resize(most);
    list.push_back(fmt::format("and {} more pairs of parts that meet without being joined", more));
  }
  return list;
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

CheckReport check_model(const StudySpec& spec, const model::Model& model, bool look_for_mechanism,
                        std::shared_ptr<const base::Executor> threads,
                        std::shared_ptr<const analysis::Topology>* topology) {
  CheckReport report;
  const analysis::System system(std::make_shared<const model::Model>(model),
                                threads ? std::move(threads) : base::make_executor(), nullptr);
  if (topology != nullptr) *topology = system.topology();
  report.nodes = model.node_count();
  report.members = static_cast<int>(spec.members.size());
  report.panels = static_cast<int>(spec.panels.size());
  report.beam_elements = static_cast<int>(model.line_elements.size());
  report.shell_elements = static_cast<int>(model.shell_elements.size());
  report.bar_elements = static_cast<int>(model.bar_elements.size());
  report.solid_elements = static_cast<int>(model.solid_elements.size());
  report.springs = static_cast<int>(model.springs.size());
  report.ties = static_cast<int>(model.ties.size());
  report.dofs = system.free_count() - system.pattern()->multipliers();
  report.low = report.high = model.nodes.front();
  for (const auto& node : model.nodes) {
    report.low = report.low.cwiseMin(node);
    report.high = report.high.cwiseMax(node);
  }
  std::set<int> held;
  for (const auto& support : model.supports)
    if (support.name != kPlaneSupport) held.insert(support.node);
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
    const auto displacement = analysis::find_mechanism(model);
    report.has_mechanism = displacement.exists;
    report.mechanism = displacement.description;
    report.mechanism_shape = displacement.displacement;
    if (!displacement.exists)
      report.warnings.push_back(fmt::format(
          "over {} degrees of freedom: looked for pieces that move as a whole only; hinges that let go inside the "
          "structure show when it is solved",
          kThorough));
  } else if (look_for_mechanism && system.free_count() > 0) {
    // what lies against each other holds each other
    const auto memory = system.geometry().virgin_memory();
    const auto coupled = system.coupled(reference, &memory);
    const auto& own = coupled ? *coupled : system;
    algebra::SymmetricMatrix stiffness(own.pattern());
    analysis::AssemblyRequest request;
    request.tangent = &stiffness;
    request.committed = &memory;
    (void)own.assemble(reference, request);
    const auto factorisation = own.factorisation();
    auto mechanism = analysis::find_mechanism(own, stiffness, *factorisation);
    for (std::size_t a = 0; a < model.actions.size() && mechanism.exists; ++a) {
      auto pulled = reference;
      pulled.expansion = own.expansion(own.factors({"", {{static_cast<int>(a), 1.0}}}));
      if (pulled.expansion.empty()) continue;
      (void)own.assemble(pulled, request);
      if (analysis::find_mechanism(own, stiffness, *factorisation).exists) continue;
      report.warnings.push_back(
          fmt::format("it is stiff only once '{}' has tensioned it (before: {}): run paths that hold it or put it on "
                      "first; linear analyses have no answer, and an LBA needs the state of a path",
                      model.actions[a].name, mechanism.description));
      mechanism = {};
    }
    report.has_mechanism = mechanism.exists;
    report.mechanism = mechanism.description;
    report.mechanism_shape = mechanism.displacement;
  }
  if (const std::string coarse = coarse_parts(report, spec.units.length); !coarse.empty())
    report.warnings.push_back(coarse);
  report.remarks = model.remarks;
  for (const auto& text : loose_parts(spec, model)) report.warnings.push_back(text);
  for (const auto& warning : model::check_mesh(model).warnings) report.warnings.push_back(base::to_text(warning));
  for (auto& warning : advice_on_model(spec, model)) report.warnings.push_back(std::move(warning));
  return report;
}

}  // namespace archway::study
