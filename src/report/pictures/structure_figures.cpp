#include <algorithm>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/loads.hpp"
#include "archway/material/stress_strain.hpp"
#include "archway/report/curves.hpp"
#include "archway/report/figures.hpp"
#include "pictures/camera_detail.hpp"
#include "pictures/mesh_picture_detail.hpp"

namespace archway::report {

namespace {
using detail::MeshPicture;
constexpr int kPictureWidth = 1280, kPictureHeight = 800;

MeshPicture still(const study::StudySpec& spec, const model::Model& model, const std::string& subtitle) {
  MeshPicture p;
  p.title = spec.title;
  p.subtitle = subtitle;
  p.kept = detail::shown({std::shared_ptr<void>(), &model}, spec.pictures);  // the caller's, where all of it is
  p.model = p.kept.get();
  if (spec.pictures.from) p.view = detail::axes_towards(*spec.pictures.from);
  p.displacement = Eigen::VectorXd::Zero(model::row(model.node_count()));
  return p;
}

Figure drawn(const std::string& name, const MeshPicture& picture) {
  const bool svg = name.size() > 4 && name.substr(name.size() - 4) == ".svg";
  const auto canvas =
      svg ? detail::svg_canvas(kPictureWidth, kPictureHeight) : detail::png_canvas(kPictureWidth, kPictureHeight);
  detail::draw(*canvas, picture, kPictureWidth, kPictureHeight);
  return {name, canvas->finish()};
}
}  // namespace

Figure selection_figure(const std::string& name, const study::StudySpec& spec, const model::Model& model,
                        const std::string& what, const std::vector<int>& nodes) {
  MeshPicture p = still(spec, model, fmt::format("{}: {} nodes", what, nodes.size()));
  p.marks = nodes;
  return drawn(name, p);
}

namespace {
constexpr std::size_t kMostAxes = 60;  // parts whose axes are drawn

/// Own axes of the parts, at the element in the middle of each.
MeshPicture axes_picture(const study::StudySpec& spec, const model::Model& model) {
  MeshPicture p = still(spec, model,
                        "own axes: members x along, y, z; panels 1, 2 and the normal 3 (top side, pressure pushes "
                        "against it)");
  const analysis::System system(model);
  const auto add = [&](const std::vector<int>& mine, const auto& place_of, const auto& axes_of, const char* letters) {
    if (mine.empty()) return;
    const int e = mine[mine.size() / 2];
    static const detail::Colour colours[] = {{0.75, 0.13, 0.13, 1}, {0.1, 0.5, 0.15, 1}, {0.1, 0.25, 0.75, 1}};
    const base::Mat3 axes = axes_of(e);
    for (int k = 0; k < 3; ++k) p.axes.push_back({place_of(e), axes.col(k), std::string(1, letters[k]), colours[k]});
  };
  const auto mean = [&](const auto& element) {
    base::Vec3 sum = base::Vec3::Zero();
    int count = 0;
    for (const int n : element) sum += model.nodes[static_cast<std::size_t>(n)], ++count;
    return base::Vec3(sum / count);
  };
  for (std::size_t k = 0; k < model.parts.size() && p.axes.size() < 3 * kMostAxes; ++k) {
    std::vector<int> lines, shells;
    for (std::size_t e = 0; e < model.line_elements.size(); ++e)
      if (model.line_elements[e].part == static_cast<int>(k)) lines.push_back(static_cast<int>(e));
    for (std::size_t e = 0; e < model.shell_elements.size(); ++e)
      if (model.shell_elements[e].part == static_cast<int>(k)) shells.push_back(static_cast<int>(e));
    add(
        lines, [&](int e) { return mean(model.line_elements[static_cast<std::size_t>(e)].nodes); },
        [&](int e) { return system.beams().axes(e); }, "xyz");
    add(
        shells, [&](int e) { return mean(model.shell_elements[static_cast<std::size_t>(e)]); },
        [&](int e) { return system.shell_axes(e); }, "123");
  }
  if (model.parts.size() > kMostAxes) p.subtitle += fmt::format(" (the first {} parts)", kMostAxes);
  return p;
}

/// Temperatures by colour, on faces of panels and along lines.
void show_temperatures(const model::Action& action, MeshPicture& p) {
  if (action.temperatures.empty()) return;
  const auto& model = *p.model;
  std::vector<double> of_part(model.parts.size(), 0.0);
  for (const auto& t : action.temperatures) of_part[static_cast<std::size_t>(t.part)] += t.change;
  for (const auto& e : model.shell_elements) p.face_value.push_back(of_part[static_cast<std::size_t>(e.part)]);
  p.value.assign(model.nodes.size(), 0.0);
  model.each_element([&](const int* first, const int* last, int part) {
    for (; part >= 0 && first != last; ++first)
      p.value[static_cast<std::size_t>(*first)] = of_part[static_cast<std::size_t>(part)];
  });
  p.legend = "warmer by";
  p.subtitle += "; temperatures by colour";
}
}  // namespace

namespace {
/// Stress over total strain by a flow, up to 5 % of plastic strain or the end of its table.
std::vector<std::pair<double, double>> curve_of(const material::Flow& flow, double modulus) {
  constexpr double most = 0.05;
  std::vector<std::pair<double, double>> points = {{0, 0}};
  const double last = flow.corners.empty() ? most : std::max(most, 1.2 * flow.corners.back().first);
  const auto add = [&](double plastic) {
    const double stress = material::yield_stress_at(flow, plastic).value + flow.kinematic * plastic;
    points.emplace_back(100 * (plastic + stress / modulus), stress);
  };
  add(0);
  for (const auto& corner : flow.corners) add(corner.first);
  add(last);
  return points;
}

/// What a material that yields is taken to follow, in the measure of members and in that of walls and solids.
Figure stress_strain_figure(const study::MaterialSpec& m, const study::Units& units) {
  CurveSheet sheet;
  sheet.title = fmt::format("Stress and strain of '{}'", m.material.name);
  sheet.subtitle = "as followed by MNA, GMNA and GMNIA, in tension";
  sheet.x_label = "strain, elastic and plastic [%]";
  sheet.y_label = fmt::format("stress [{}]", units.stress());
  const auto members = curve_of(m.flow, m.material.youngs_modulus),
             walls = curve_of(m.true_flow, m.material.youngs_modulus);
  const bool alike = members == walls;
  sheet.curves.push_back(
      {alike ? "members: engineering; walls and solids: true, logarithmic" : "members: engineering", members});
  if (!alike) sheet.curves.push_back({"walls and solids: true, logarithmic", walls});
  return curve_figure("curve-" + m.material.name + ".png", sheet);
}
}  // namespace

std::vector<Figure> structure_figures(const study::StudySpec& spec, const model::Model& model,
                                      const study::CheckReport& report) {
  MeshPicture p =
      still(spec, model, "supports as triangles, guides (held one way) as dots, free edges of panels thick");
  p.free_edges = true;
  for (const auto& e : p.model->shell_elements) p.face_value.push_back(model.thickness(e));
  if (!model.shell_elements.empty()) p.legend = fmt::format("thickness [{}]", spec.units.length);
  std::vector<Figure> figures = {drawn("structure.png", p), drawn("axes.png", axes_picture(spec, model))};
  if (report.has_mechanism && report.mechanism_shape.size() > 0) {
    MeshPicture q = still(spec, model, "the structure can move freely: " + report.mechanism);
    q.displacement = report.mechanism_shape;
    q.scale = 0.12 * model.size();
    for (Eigen::Index n = 0; n < q.displacement.size(); n += model::kNodeDofs)
      q.value.push_back(q.displacement.segment<3>(n).norm());
    q.legend = "mechanism, largest = 1";
    figures.push_back(drawn("mechanism.png", q));
  }
  for (const auto& m : spec.materials)
    if (m.flow.flows()) figures.push_back(stress_strain_figure(m, spec.units));
  for (const auto& action : model.actions) {
    Eigen::VectorXd nodal = Eigen::VectorXd::Zero(model::row(model.node_count()));
    elements::add_loads(model, action, 1, elements::State::reference(model), nodal);
    const auto total = elements::resultant(model.nodes, nodal, base::Vec3::Zero()).force;
    MeshPicture q = still(spec, model,
                          fmt::format("action '{}': forces at nodes; total ({:.5g}, {:.5g}, {:.5g}) {}", action.name,
                                      total.x(), total.y(), total.z(), spec.units.force));
    for (int n = 0; n < model.node_count(); ++n)
      if (const base::Vec3 force = nodal.segment<3>(model::row(n)); force.norm() > 0) q.arrows.emplace_back(n, force);
    show_temperatures(action, q);
    if (q.arrows.size() > detail::kMostArrows) q.subtitle += " (not all are drawn)";
    figures.push_back(drawn("load-" + action.name + ".png", q));
  }
  return figures;
}

}  // namespace archway::report
