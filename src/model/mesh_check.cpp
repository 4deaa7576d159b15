#include "archway/model/mesh_check.hpp"

#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/base/dense.hpp"

namespace archway::model {

namespace {
using Complaints = std::vector<base::Complaint>;
/// Bending stiffness goes with the cube of the thickness: below this share of the structure no double holds it beside
/// the membrane stiffness, and factorisations break down in ways that say nothing about the study.
constexpr double kThinnest = 1e-9;

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
    if (!(std::abs(m.expansion) < 1e-2))
      errors.push_back({place, fmt::format("its coefficient of expansion is {}", m.expansion),
                        "give the strain per degree, for instance 1.2e-5 for steel", ""});
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
    else if (part.kind == PartKind::panel && part.thickness < kThinnest * model.size())
      errors.push_back({place,
                        fmt::format("its thickness is {:.3g}, less than a billionth of the structure, which is {:.3g} "
                                    "across",
                                    part.thickness, model.size()),
                        "check the unit of the thickness", ""});
    if (part.laminate >= 0 && !good(part.laminate, model.laminates.size()))
      errors.push_back({place, "it has no laminate", "name one of the laminates", ""});
    else if (part.laminate >= 0 && !model.laminates[static_cast<std::size_t>(part.laminate)].coupling.isZero(0.0))
      errors.push_back({place, "its plies are not symmetric about the middle of the wall",
                        "lay them symmetrically: walls that bend when they are stretched are not offered yet", ""});
    const bool flows =
        good(part.material, model.materials.size()) && model.materials[static_cast<std::size_t>(part.material)].flows();
    if (flows && part.laminate >= 0)
      errors.push_back({place, "its material flows, but walls of plies stay elastic",
                        "use a panel of one material, or an elastic material", ""});
    if (flows && part.kind == PartKind::member && good(part.profile, model.profiles.size()) &&
        model.profiles[static_cast<std::size_t>(part.profile)].fibres.empty())
      errors.push_back({place, "its material flows, but its section is given by properties only and has no fibres",
                        "give the section by its shape or walls, or an elastic material", ""});
    if ((part.kind == PartKind::member || part.kind == PartKind::bar) && !good(part.profile, model.profiles.size()))
      errors.push_back({place, "it has no profile", "name one of the profiles", ""});
  }
}

/// Area vector at corner k: cross product of the two edges that meet there.
Vec3 corner_area(const Model& model, const ShellElement& element, std::size_t k) {
  const auto corners = static_cast<std::size_t>(element.corners());
  const auto x = [&](std::size_t i) { return model.nodes[static_cast<std::size_t>(element.nodes[i % corners])]; };
  return (x(k + 1) - x(k)).cross(x(k + corners - 1) - x(k));
}

std::string place_of(const Model& model, const ShellElement& element, std::size_t number) {
  return fmt::format("part '{}', shell element {} (nodes {})", model.parts[static_cast<std::size_t>(element.part)].name,
                     number, fmt::join(element.begin(), element.end(), " "));
}

void check_shells(const Model& model, Complaints& errors) {
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    const auto corners = static_cast<std::size_t>(element.corners());
    Vec3 mean = Vec3::Zero();
    double longest = 0;
    for (std::size_t k = 0; k < corners; ++k) {
      mean += corner_area(model, element, k) / static_cast<double>(corners);
      longest = std::max(longest, (model.nodes[static_cast<std::size_t>(element.nodes[k])] -
                                   model.nodes[static_cast<std::size_t>(element.nodes[(k + 1) % corners])])
                                      .norm());
    }
    if (!(mean.norm() > 1e-10 * longest * longest)) {
      if (longest == 0.0) {
        errors.push_back(
            {place_of(model, element, e), "all corners of the element are one node",
             fmt::format("points closer than a millionth of the structure, which is {:.3g} across, are one: "
                         "is a dimension far too large?",
                         model.size()),
             ""});
        continue;
      }
      errors.push_back({place_of(model, element, e), "the element has no area, or its corners are crossed",
                        "list its corners once around; they must not lie on one line", ""});
      continue;
    }
    for (std::size_t k = 0; k < corners; ++k)
      if (corner_area(model, element, k).dot(mean) <= 0) {
        errors.push_back({place_of(model, element, e),
                          fmt::format("the element is folded over at node {} {}", element.nodes[k],
                                      at(model.nodes[static_cast<std::size_t>(element.nodes[k])])),
                          "list its corners once around, and keep every inner angle below 180 degrees", ""});
        break;
      }
    if (element.count != 9) continue;
    for (std::size_t k = 0; k < 4; ++k) {
      const Vec3 a = model.nodes[static_cast<std::size_t>(element.nodes[k])],
                 b = model.nodes[static_cast<std::size_t>(element.nodes[(k + 1) % 4])],
                 m = model.nodes[static_cast<std::size_t>(element.nodes[k + 4])];
      const double share = (m - a).dot(b - a) / (b - a).squaredNorm();
      if (share < 0.27 || share > 0.73)
        errors.push_back(
            {place_of(model, element, e),
             fmt::format("node {} lies at {:.2f} of its edge, not near the middle", element.nodes[k + 4], share),
             "beyond a quarter of the edge the element folds inside: move it", ""});
    }
  }
}

/// Determinant of the edges that meet at every corner; a brick rotated inside out has negative ones.
void check_solids(const Model& model, Complaints& errors) {
  static const int kEdges[8][3] = {{1, 3, 4}, {2, 0, 5}, {3, 1, 6}, {0, 2, 7},
                                   {7, 5, 0}, {4, 6, 1}, {5, 7, 2}, {6, 4, 3}};
  for (std::size_t e = 0; e < model.solid_elements.size(); ++e) {
    const auto& element = model.solid_elements[e];
    const auto x = [&](int k) {
      return model.nodes[static_cast<std::size_t>(element.nodes[static_cast<std::size_t>(k)])];
    };
    for (int k = 0; k < 8; ++k) {
      const Vec3 a = x(kEdges[k][0]) - x(k), b = x(kEdges[k][1]) - x(k), c = x(kEdges[k][2]) - x(k);
      if (a.cross(b).dot(c) > 1e-10 * a.norm() * b.norm() * c.norm()) continue;
      errors.push_back({fmt::format("part '{}', solid element {} (nodes {})",
                                    model.parts[static_cast<std::size_t>(element.part)].name, e,
                                    fmt::join(element.begin(), element.end(), " ")),
                        fmt::format("the element is flat or rotated inside out at node {} {}",
                                    element.nodes[static_cast<std::size_t>(k)], at(x(k))),
                        "list the four bottom corners once around as seen from inside, then the four above them", ""});
      break;
    }
  }
}

void check_bars(const Model& model, Complaints& errors) {
  for (std::size_t e = 0; e < model.bar_elements.size(); ++e) {
    const auto& n = model.bar_elements[e].nodes;
    if (n[0] == n[1] ||
        (model.nodes[static_cast<std::size_t>(n[0])] - model.nodes[static_cast<std::size_t>(n[1])]).norm() == 0.0)
      errors.push_back(
          {fmt::format("part '{}', bar element {} (nodes {})",
                       model.parts[static_cast<std::size_t>(model.bar_elements[e].part)].name, e, fmt::join(n, " ")),
           "the bar has no length", "its ends must be different points", ""});
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
    const auto corners = static_cast<std::size_t>(element.corners());
    for (std::size_t k = 0; k < corners; ++k)
      if (!directed.insert({element.part, element.nodes[k], element.nodes[(k + 1) % corners]}).second &&
          told.insert(element.part).second)
        warnings.push_back(
            {fmt::format("part '{}', shell element {}", model.parts[static_cast<std::size_t>(element.part)].name, e),
             "its normal is opposite to its neighbour's",
             "a pressure would push the two in opposite directions: reverse one", ""});
  }
}

/// Couplings: what follows must be free to follow.
class TieCheck {
 public:
  TieCheck(const Model& model, Complaints& errors) : model_(model), errors_(errors) {}

  void run() {
    std::set<std::pair<int, int>> held;
    for (const auto& s : model_.supports) held.insert({s.node, s.dof});
    for (const auto& action : model_.actions)
      for (const auto& m : action.displacements) held.insert({m.node, m.dof});
    for (const auto& tie : model_.ties) {
      if (!numbers(tie)) return;
      if (!of_.emplace(tie.follower, &tie).second)
        complain(tie,
                 fmt::format("node {} {} already follows '{}'", tie.follower, at_node(tie.follower),
                             of_[tie.follower]->name),
                 "a node can follow one coupling only: let the other one follow, or choose other nodes");
      for (int f = 0; f < kNodeDofs; ++f) {
        if (tie.gives(f) && held.count({tie.follower, f})) {
          complain(tie,
                   fmt::format("node {} {} is to follow, but a support or prescribed displacement holds it in {}",
                               tie.follower, at_node(tie.follower), kDofNames[static_cast<std::size_t>(f)]),
                   "support what it follows instead, or leave the node out of the coupling");
          break;
        }
      }
      if (tie.kind == Tie::Kind::mean) cloud(tie);
    }
    for (const auto& tie : model_.ties) circle(tie);
  }

 private:
  void complain(const Tie& tie, std::string problem, std::string remedy) {
    errors_.push_back({fmt::format("coupling '{}'", tie.name), std::move(problem), std::move(remedy), ""});
  }
  std::string at_node(int n) const { return at(model_.nodes[static_cast<std::size_t>(n)]); }
  bool numbers(const Tie& tie) {
    bool good = tie.follower >= 0 && tie.follower < model_.node_count() && !tie.leaders.empty() &&
                tie.weights.size() == tie.leaders.size();
    for (const int n : tie.leaders) {
      good = good && n >= 0 && n < model_.node_count();
      if (n == tie.follower) {
        complain(tie, fmt::format("node {} is coupled to itself", n), "leave the node out of one side of the coupling");
        return false;
      }
    }
    if (!good) complain(tie, "it names nodes that do not exist, or none", "choose the nodes again");
    return good;
  }
  void cloud(const Tie& tie) {
    Vec3 mean = Vec3::Zero();
    for (std::size_t i = 0; i < tie.leaders.size(); ++i)
      mean += tie.weights[i] * model_.nodes[static_cast<std::size_t>(tie.leaders[i])];
    base::Mat3 spread = base::Mat3::Zero();
    for (std::size_t i = 0; i < tie.leaders.size(); ++i) {
      const Vec3 d = model_.nodes[static_cast<std::size_t>(tie.leaders[i])] - mean;
      spread += tie.weights[i] * d * d.transpose();
    }
    const Vec3 size = base::PrincipalAxes(spread).eigenvalues();
    if (!(size[1] > 1e-12 * size[2]) || !(size[2] > 0))
      complain(tie,
               fmt::format("its {} nodes lie on one line or in one point: they cannot define an axis of rotation",
                           tie.leaders.size()),
               "choose nodes that span an area, or enlarge the radius");
  }
  void circle(const Tie& tie) {
    std::set<int> seen;
    const Tie* next = &tie;
    while (seen.insert(next->follower).second) {
      const Tie* onward = nullptr;
      for (const int n : next->leaders)
        if (const auto found = of_.find(n); found != of_.end()) onward = found->second;
      if (onward == nullptr) return;
      next = onward;
    }
    if (told_) return;
    told_ = true;
    complain(tie, fmt::format("node {} follows itself through other couplings", next->follower),
             "break the circle: one of them must lead");
  }

  const Model& model_;
  Complaints& errors_;
  std::map<int, const Tie*> of_;
  bool told_ = false;
};

void check_springs(const Model& model, Complaints& errors) {
  for (const auto& curve : model.spring_curves)
    if (const auto fault = material::fault_of(curve.curve); !fault.empty())
      errors.push_back({fmt::format("curve '{}'", curve.name), fault,
                        "list [displacement, force] with displacements growing, [0, 0] among them", ""});
  for (const auto& s : model.springs) {
    const std::string place = fmt::format("spring '{}'", s.name);
    if (s.first < 0 || s.first >= model.node_count() || s.second >= model.node_count())
      errors.push_back({place, "it names a node that does not exist", "choose its ends again", ""});
    if (s.first == s.second)
      errors.push_back({place, fmt::format("both its ends are node {}", s.first),
                        "a spring joins two nodes, or a node to the ground", ""});
    for (const double k : s.stiffness)
      if (!(k >= 0))
        errors.push_back({place, fmt::format("one of its stiffnesses is {}", k), "none may be negative", ""});
    if (!(s.axes.transpose() * s.axes).isIdentity(1e-9))
      errors.push_back({place, "its axes are not at right angles", "give 'along' and 'up' that are not parallel", ""});
  }
}

void check_attachment(const Model& model, Complaints& errors) {
  std::vector<char> used(model.nodes.size(), 0);
  model.each_element([&](const int* first, const int* last, int) {
    for (; first != last; ++first) used[static_cast<std::size_t>(*first)] = 1;
  });
  for (const auto& tie : model.ties) {
    used[static_cast<std::size_t>(tie.follower)] = 1;
    for (const int n : tie.leaders) used[static_cast<std::size_t>(n)] = 1;
  }
  const auto loose = [&](int n) { return n < 0 || n >= model.node_count() || !used[static_cast<std::size_t>(n)]; };
  for (const auto& action : model.actions) {
    for (const auto& load : action.node_forces)
      if (loose(load.node))
        errors.push_back({fmt::format("action '{}', node {}", action.name, load.node), "the force acts on nothing",
                          "choose a node of a member or panel", ""});
    for (const auto& load : action.displacements)
      if (loose(load.node))
        errors.push_back({fmt::format("action '{}', node {}", action.name, load.node),
                          "the displacement acts on nothing", "choose a node of a member or panel", ""});
  }
  for (const auto& support : model.supports)
    if (loose(support.node))
      errors.push_back({fmt::format("support '{}', node {}", support.name, support.node), "it holds nothing",
                        "choose a node of a member or panel", ""});
}

template <class Element>
std::vector<int> nodes_of(const Element& e) {
  return {e.nodes.begin(), e.nodes.end()};
}
std::vector<int> nodes_of(const ShellElement& e) {
  return {e.begin(), e.end()};
}
std::vector<int> nodes_of(const SolidElement& e) {
  return {e.begin(), e.end()};
}

void check_node_numbers(const Model& model, Complaints& errors) {
  const auto check = [&](const auto& elements, const char* kind) {
    for (std::size_t e = 0; e < elements.size(); ++e) {
      for (const int n : nodes_of(elements[e]))
        if (n < 0 || n >= model.node_count())
          errors.push_back({fmt::format("{} element {}", kind, e), fmt::format("node {} does not exist", n), "", ""});
      if (elements[e].part < 0 || elements[e].part >= static_cast<int>(model.parts.size()))
        errors.push_back({fmt::format("{} element {}", kind, e), "it belongs to no part", "", ""});
    }
  };
  check(model.line_elements, "beam");
  check(model.shell_elements, "shell");
  check(model.bar_elements, "bar");
  check(model.solid_elements, "solid");
}
}  // namespace

MeshFindings check_mesh(const Model& model) {
  MeshFindings findings;
  if (model.line_elements.empty() && model.shell_elements.empty() && model.bar_elements.empty() &&
      model.solid_elements.empty() && model.springs.empty())
    findings.errors.push_back({"", "the model has no elements", "add a member, a panel or a solid", ""});
  check_materials(model, findings.errors);
  check_parts(model, findings.errors);
  check_node_numbers(model, findings.errors);
  if (!findings.errors.empty()) return findings;  // the rest would follow wrong numbers
  check_shells(model, findings.errors);
  check_lines(model, findings.errors);
  check_bars(model, findings.errors);
  check_solids(model, findings.errors);
  check_springs(model, findings.errors);
  TieCheck(model, findings.errors).run();
  if (!findings.errors.empty()) return findings;
  check_attachment(model, findings.errors);
  check_normals(model, findings.warnings);
  return findings;
}

void require_sound(const Model& model) {
  auto findings = check_mesh(model);
  if (!findings.errors.empty()) throw base::InputError(std::move(findings.errors));
}

}  // namespace archway::model
