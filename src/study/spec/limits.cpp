#include "archway/study/limits.hpp"

#include <fmt/format.h>

namespace archway::study {

namespace {
struct Demand {
  const SourceLocation* place;
  std::string name;
  double elements, nodes;
};

std::vector<Demand> demands(const StudySpec& spec) {
  std::vector<Demand> list;
  for (const auto& m : spec.members) {
    const double pieces = static_cast<double>(m.through.size()) + 1, along = static_cast<double>(m.elements) * pieces;
    const double elements = m.plates > 0 ? 8.0 * m.plates * along : along;
    list.push_back({&m.place, m.name, elements, m.plates > 0 ? elements : 3 * elements});
  }
  for (const auto& b : spec.bars)
    list.push_back({&b.place, b.name, static_cast<double>(b.elements), static_cast<double>(b.elements)});
  for (const auto& p : spec.panels) {
    const double elements = static_cast<double>(p.divisions[0]) * p.divisions[1] *
                            (p.faces == model::Faces::three ? 2 : 1) * (p.surface == Surface::extrusion ? 4 : 1);
    list.push_back({&p.place, p.name, elements, p.faces == model::Faces::nine ? 4 * elements : elements});
  }
  for (const auto& s : spec.solids) {
    const double elements = static_cast<double>(s.divisions[0]) * s.divisions[1] * s.divisions[2];
    list.push_back({&s.place, s.name, elements, s.quadratic ? 4 * elements : elements});
  }
  return list;
}
}  // namespace

std::vector<base::Complaint> size_complaints(const StudySpec& spec) {
  std::vector<base::Complaint> list;
  const auto all = demands(spec);
  double nodes = 0;
  const Demand* most = nullptr;
  for (const auto& d : all) {
    nodes += d.nodes;
    if (most == nullptr || d.nodes > most->nodes) most = &d;
  }
  for (const auto& m : spec.meshes) nodes += m.mesh ? static_cast<double>(m.mesh->nodes.size()) : 0;
  if (nodes > kMostNodes && most != nullptr)
    list.push_back(most->place->complaint(
        fmt::format("the study asks for about {:.3g} nodes, the limit is {:.3g}; most are of '{}' ({:.3g} elements)",
                    nodes, kMostNodes, most->name, most->elements),
        "use fewer elements or divisions, or a smaller 'refine'"));
  return list;
}

}  // namespace archway::study
