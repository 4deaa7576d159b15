#include <algorithm>

#include <fmt/format.h>

#include "archway/elements/loads.hpp"
#include "archway/report/figures.hpp"
#include "mesh_picture_detail.hpp"

namespace archway::report {

namespace {
using detail::MeshPicture;
constexpr int kWidth = 1280, kHeight = 800;

MeshPicture still(const study::StudySpec& spec, const model::Model& model, const std::string& subtitle) {
  MeshPicture p;
  p.title = spec.title;
  p.subtitle = subtitle;
  p.model = &model;
  p.movement = Eigen::VectorXd::Zero(model::row(model.node_count()));
  return p;
}

Figure drawn(const std::string& name, const MeshPicture& picture) {
  const bool svg = name.size() > 4 && name.substr(name.size() - 4) == ".svg";
  const auto canvas = svg ? detail::svg_canvas(kWidth, kHeight) : detail::png_canvas(kWidth, kHeight);
  detail::draw(*canvas, picture, kWidth, kHeight);
  return {name, canvas->finish()};
}
}  // namespace

Figure selection_figure(const std::string& name, const study::StudySpec& spec, const model::Model& model,
                        const std::string& what, const std::vector<int>& nodes) {
  MeshPicture p = still(spec, model, fmt::format("{}: {} nodes", what, nodes.size()));
  p.marks = nodes;
  return drawn(name, p);
}

std::vector<Figure> structure_figures(const study::StudySpec& spec, const model::Model& model) {
  MeshPicture p = still(spec, model, "supports as triangles, free edges of panels thick");
  p.free_edges = true;
  for (const auto& e : model.shell_elements)
    p.face_value.push_back(model.parts[static_cast<std::size_t>(e.part)].thickness);
  if (!model.shell_elements.empty()) p.legend = fmt::format("thickness [{}]", spec.units.length);
  std::vector<Figure> figures = {drawn("structure.png", p)};
  for (const auto& pattern : model.patterns) {
    Eigen::VectorXd nodal = Eigen::VectorXd::Zero(model::row(model.node_count()));
    elements::add_loads(model, pattern, 1, elements::State::reference(model), nodal);
    const auto total = elements::resultant(model.nodes, nodal, base::Vec3::Zero()).force;
    MeshPicture q = still(spec, model,
                          fmt::format("load pattern '{}': forces at nodes; total ({:.5g}, {:.5g}, {:.5g}) {}",
                                      pattern.name, total.x(), total.y(), total.z(), spec.units.force));
    for (int n = 0; n < model.node_count(); ++n)
      if (const base::Vec3 force = nodal.segment<3>(model::row(n)); force.norm() > 0) q.arrows.emplace_back(n, force);
    if (q.arrows.size() > detail::kMostArrows) q.subtitle += " (not all are drawn)";
    figures.push_back(drawn("load-" + pattern.name + ".png", q));
  }
  return figures;
}

}  // namespace archway::report
