#include "archway/model/mesh_check.hpp"

#include <cmath>
#include <set>

#include <fmt/format.h>

namespace archway::model {

namespace {
using Complaints = std::vector<base::Complaint>;

std::string at(const Vec3& p) {
  return fmt::format("({:.6g}, {:.6g}, {:.6g})", p.x(), p.y(), p.z());
}

void check_materials(const Model& model, Complaints& errors) {
  for (const auto& m : model.materials) {
    const std::string place = fmt::format("material '{}'", m.name);
    if (!(m.youngs_modulus > 0))
      errors.push_back({place, fmt::format("Young's modulus is {}", m.youngs_modulus), "it must be above zero", ""});
    if (!(m.poisson_ratio > -1 && m.poisson_ratio < 0.5))
      errors.push_back(
          {place, fmt::format("Poisson's ratio is {}", m.poisson_ratio), "it must lie between -1 and 0.5", ""});
    if (!(m.density >= 0))
      errors.push_back({place, fmt::format("density is {}", m.density), "it must not be negative", ""});
  }
}

void check_parts(const Model& model, Complaints& errors) {
  const auto good = [](int index, std::size_t size) { return index >= 0 && index < static_cast<int>(size); };
  for (const auto& part : model.parts) {
    const std::string place = fmt::format("part '{}'", part.name);
    if (!good(part.material, model.materials.size()))
      errors.push_back({place, "it has no material", "name one of the materials", ""});
    if (part.kind == PartKind::panel && !(part.thickness > 0))
      errors.push_back({place, fmt::format("its thickness is {}", part.thickness), "it must be above zero", ""});
    if (part.kind == PartKind::member && !good(part.profile, model.profiles.size()))
      errors.push_back({place, "it has no profile", "name one of the profiles", ""});
  }
}

/// Area vector at corner k: cross product of the two edges that meet there.
Vec3 corner_area(const Model& model, const ShellElement& element, std::size_t k) {
  const auto x = [&](std::size_t i) { return model.nodes[static_cast<std::size_t>(element.nodes[i % 4])]; };
  return (x(k + 1) - x(k)).cross(x(k + 3) - x(k));
}

void check_shells(const Model& model, Complaints& errors) {
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    const std::string place =
        fmt::format("part '{}', shell element {} (nodes {})", model.parts[static_cast<std::size_t>(element.part)].name,
                    e, fmt::join(element.nodes, " "));
    Vec3 mean = Vec3::Zero();
    double longest = 0;
    for (std::size_t k = 0; k < 4; ++k) {
      mean += 0.25 * corner_area(model, element, k);
      longest = std::max(longest, (model.nodes[static_cast<std::size_t>(element.nodes[k])] -
                                   model.nodes[static_cast<std::size_t>(element.nodes[(k + 1) % 4])])
                                      .norm());
    }
    if (!(mean.norm() > 1e-10 * longest * longest)) {
      errors.push_back({place, "the element has no area, or its corners are crossed",
                        "list its corners once around; they must not lie on one line", ""});
      continue;
    }
    for (std::size_t k = 0; k < 4; ++k)
      if (corner_area(model, element, k).dot(mean) <= 0) {
        errors.push_back({place,
                          fmt::format("the element is folded over at node {} {}", element.nodes[k],
                                      at(model.nodes[static_cast<std::size_t>(element.nodes[k])])),
                          "list its corners once around, and keep every inner angle below 180 degrees", ""});
        break;
      }
  }
}

void check_lines(const Model& model, Complaints& errors) {
  for (std::size_t e = 0; e < model.line_elements.size(); ++e) {
    const auto& n = model.line_elements[e].nodes;
    const auto x = [&](std::size_t i) { return model.nodes[static_cast<std::size_t>(n[i])]; };
    const double chord = (x(3) - x(0)).norm();
    const bool ordered = (x(1) - x(0)).norm() > 0 && (x(2) - x(1)).dot(x(3) - x(0)) > 0;
    if (!(chord > 0) || !ordered)
      errors.push_back(
          {fmt::format("part '{}', beam element {} (nodes {})",
                       model.parts[static_cast<std::size_t>(model.line_elements[e].part)].name, e, fmt::join(n, " ")),
           "the element has no length or its inner nodes are out of order", "repair the mesh", ""});
  }
}

void check_normals(const Model& model, Complaints& warnings) {
  // two elements of one part that run the same way along a shared edge have opposite normals
  std::set<std::tuple<int, int, int>> directed;
  std::set<int> told;
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    for (std::size_t k = 0; k < 4; ++k)
      if (!directed.insert({element.part, element.nodes[k], element.nodes[(k + 1) % 4]}).second &&
          told.insert(element.part).second)
        warnings.push_back(
            {fmt::format("part '{}', shell element {}", model.parts[static_cast<std::size_t>(element.part)].name, e),
             "its normal is opposite to its neighbour's",
             "a pressure would push the two in opposite directions: turn one", ""});
  }
}

void check_attachment(const Model& model, Complaints& errors) {
  std::vector<char> used(model.nodes.size(), 0);
  for (const auto& element : model.line_elements)
    for (const int n : element.nodes) used[static_cast<std::size_t>(n)] = 1;
  for (const auto& element : model.shell_elements)
    for (const int n : element.nodes) used[static_cast<std::size_t>(n)] = 1;
  const auto loose = [&](int n) { return n < 0 || n >= model.node_count() || !used[static_cast<std::size_t>(n)]; };
  for (const auto& pattern : model.patterns) {
    for (const auto& load : pattern.node_forces)
      if (loose(load.node))
        errors.push_back({fmt::format("load pattern '{}', node {}", pattern.name, load.node),
                          "the force acts on nothing", "choose a node of a member or panel", ""});
    for (const auto& load : pattern.movements)
      if (loose(load.node))
        errors.push_back({fmt::format("load pattern '{}', node {}", pattern.name, load.node),
                          "the movement acts on nothing", "choose a node of a member or panel", ""});
  }
  for (const auto& support : model.supports)
    if (loose(support.node))
      errors.push_back({fmt::format("support '{}', node {}", support.name, support.node), "it holds nothing",
                        "choose a node of a member or panel", ""});
}

void check_node_numbers(const Model& model, Complaints& errors) {
  const auto check = [&](const auto& elements, const char* kind) {
    for (std::size_t e = 0; e < elements.size(); ++e) {
      for (const int n : elements[e].nodes)
        if (n < 0 || n >= model.node_count())
          errors.push_back({fmt::format("{} element {}", kind, e), fmt::format("node {} does not exist", n), "", ""});
      if (elements[e].part < 0 || elements[e].part >= static_cast<int>(model.parts.size()))
        errors.push_back({fmt::format("{} element {}", kind, e), "it belongs to no part", "", ""});
    }
  };
  check(model.line_elements, "beam");
  check(model.shell_elements, "shell");
}
}  // namespace

MeshFindings check_mesh(const Model& model) {
  MeshFindings findings;
  if (model.line_elements.empty() && model.shell_elements.empty())
    findings.errors.push_back({"", "the model has no elements", "add a member or a panel", ""});
  check_materials(model, findings.errors);
  check_parts(model, findings.errors);
  check_node_numbers(model, findings.errors);
  if (!findings.errors.empty()) return findings;  // the rest would follow wrong numbers
  check_shells(model, findings.errors);
  check_lines(model, findings.errors);
  check_attachment(model, findings.errors);
  check_normals(model, findings.warnings);
  return findings;
}

void require_sound(const Model& model) {
  auto findings = check_mesh(model);
  if (!findings.errors.empty()) throw base::InputError(std::move(findings.errors));
}

}  // namespace archway::model
