#include <cmath>

#include <fmt/format.h>

#include "analyses/slopes_detail.hpp"
#include "archway/analysis/peak_slope.hpp"
#include "archway/elements/outline.hpp"

namespace archway::study {

namespace {
/// Slope for a full shape, a unit of its largest displacement.
double along(const analysis::PeakSlope& slope, const model::Model& model, const Eigen::VectorXd& full) {
  const double largest = elements::Outline(model).largest(full);
  if (!(largest > 0)) return 0;
  std::vector<Vec3> displacement(model.nodes.size()), rotation(model.nodes.size());
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    displacement[n] = full.segment<3>(model::row(n)) / largest;
    rotation[n] = full.segment<3>(model::row(n) + 3) / largest;
  }
  return slope.along(displacement, rotation);
}
/// Slope for an imperfection, a unit of its largest.
double along(const analysis::PeakSlope& slope, const model::Model& model, const imperfection::Imperfection& shape) {
  if (shape.thicker.empty()) return along(slope, model, imperfection::full_of(shape));
  return slope.along_walls(shape.thicker) / shape.largest;
}
/// A single node's slope hangs on how fine the mesh is; over its area it does not.
std::vector<double> by_area(const model::Model& model, std::vector<double> slopes) {
  std::vector<int> panels;
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].kind == model::PartKind::panel) panels.push_back(static_cast<int>(p));
  const auto area = imperfection::tributary(model, panels);
  for (std::size_t n = 0; n < slopes.size(); ++n) slopes[n] = area[n] > 0 ? slopes[n] / area[n] : 0;
  return slopes;
}
}  // namespace

std::shared_ptr<const PeakSlopes> peak_slopes(const Run& run, const AnalysisOutcome& outcome,
                                              const analysis::PathStage& stage) {
  auto all = std::make_shared<PeakSlopes>();
  if (outcome.path->stages.size() != 1) {
    all->missing = "the path has several stages";
    return all;
  }
  try {
    const analysis::PeakSlope slope(*stage.system, stage.options, *outcome.path);
    all->load_factor = slope.load_factor();
    for (const auto& shape : outcome.seeded)
      all->shapes.emplace_back(shape.name, (shape.factor < 0 ? -1 : 1) * along(slope, *outcome.model, *shape.shape));
    const auto* source = run.result.find(outcome.spec.source);
    for (std::size_t m = 0; source != nullptr && source->buckling && m < source->buckling->modes.size(); ++m)
      all->modes.emplace_back(fmt::format("mode {} of '{}'", m + 1, source->spec.name),
                              along(slope, *outcome.model, source->buckling->modes[m].shape));
    for (std::size_t p = 0; p < outcome.model->parts.size(); ++p) {
      const auto& name = outcome.model->parts[p].name;
      if (const double s = slope.by_thickness(static_cast<int>(p)); std::isfinite(s)) all->walls.emplace_back(name, s);
      if (const double s = slope.by_section(static_cast<int>(p)); std::isfinite(s)) all->sections.emplace_back(name, s);
    }
    if (!outcome.model->shell_elements.empty()) all->nodes = by_area(*outcome.model, slope.by_node());
  } catch (const base::InputError& error) {
    all->missing = error.complaints().front().problem;
  }
  return all;
}

}  // namespace archway::study
