#include <cmath>

#include <fmt/format.h>

#include "archway/report/figures.hpp"
#include "pictures/imperfection_figures_detail.hpp"
#include "text/text_detail.hpp"

namespace archway::report::detail {

std::string size_text(const imperfection::Measured& m, const study::Units& units, int digits) {
  std::string text = fmt::format("{} {} {}", m.walls_only ? "largest change of walls" : "largest",
                                 number(m.largest, digits), units.length);
  if (m.thickness > 0) text += fmt::format(" ({:.3g} of the thickness there)", m.largest / m.thickness);
  text += fmt::format(" at {}; rms {} {}", vector(m.largest_at), number(m.root_mean_square, digits), units.length);
  if (m.walls)
    text += fmt::format("; walls from {} at {} to {} at {}", number(m.thinnest, 4), vector(m.thinnest_at),
                        number(m.thickest, 4), vector(m.thickest_at));
  if (m.outward > 1e-6 * m.largest || m.inward > 1e-6 * m.largest)
    text += fmt::format("; {} outwards, {} inwards", number(m.outward, 4), number(m.inward, 4));
  return text;
}

namespace {
/// The wall as it will be, by colour over the perfect structure.
Sheet wall_sheet(const model::Model& model, const imperfection::Imperfection& shape, const study::Units& units) {
  MeshPicture cell;
  cell.model = &model;
  cell.displacement = Eigen::VectorXd::Zero(model::row(model.node_count()));
  cell.scale = 0;
  cell.subtitle = "thickness of walls with it";
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e)
    cell.face_value.push_back(model.thickness(model.shell_elements[e]) + shape.thicker[e]);
  Sheet sheet;
  sheet.legend = fmt::format("thickness [{}]", units.length);
  sheet.columns = 1;
  sheet.cells.push_back(cell);
  return sheet;
}
}  // namespace

Sheet imperfection_sheet(const model::Model& model, const std::string& title, const std::string& name,
                         const imperfection::Imperfection& shape, const study::Units& units) {
  const auto m = imperfection::measure(model, shape);
  if (m.walls_only) {
    Sheet walls = wall_sheet(model, shape, units);
    walls.title = title;
    walls.subtitle = fmt::format("imperfection {}: {}", name, size_text(m, units, 4));
    return walls;
  }
  MeshPicture cell;
  cell.model = &model;
  cell.displacement = imperfection::full_of(shape);
  const bool panels = std::max(m.outward, m.inward) > 0.5 * m.largest;
  cell.value = m.along_normal;
  if (panels)
    cell.signed_up_to = std::max(m.outward, m.inward);
  else
    for (std::size_t n = 0; n < shape.displacement.size(); ++n) cell.value[n] = shape.displacement[n].norm();
  Sheet sheet;
  sheet.title = title;
  sheet.subtitle = fmt::format("imperfection {}: {}", name, size_text(m, units, 4));
  sheet.legend = fmt::format("{} [{}]", panels ? "outwards" : "displacement", units.length);
  sheet.columns = 2;
  const double wanted = 0.08 * model.size() / m.largest, decade = std::pow(10, std::floor(std::log10(wanted)));
  const double magnified = wanted >= 5 * decade ? 5 * decade : wanted >= 2 * decade ? 2 * decade : decade;
  for (const double scale : {1.0, std::max(magnified, 1.0)}) {
    cell.scale = scale;
    cell.subtitle = scale == 1 ? "at true size" : fmt::format("{:g} times", scale);
    sheet.cells.push_back(cell);
  }
  if (!(magnified > 1)) sheet.cells.pop_back(), sheet.columns = 1;
  return sheet;
}

}  // namespace archway::report::detail

namespace archway::report {

std::string imperfection_text(const study::SeededShape& shape, const study::StudySpec& spec) {
  const auto* i = spec.find_imperfection(shape.name);
  const std::string from = i == nullptr || i->made_from.empty() ? "" : fmt::format(" from '{}'", i->made_from);
  std::string out = fmt::format("  imperfection '{}'{}{}: {}\n", shape.name, from,
                                shape.factor == 1 ? "" : fmt::format(", {:g} times", shape.factor),
                                detail::size_text(shape.measured, spec.units));
  if (i != nullptr && i->modes.size() > 1) {
    std::vector<std::string> parts;
    for (std::size_t k = 0; k < i->modes.size(); ++k)
      parts.push_back(fmt::format("mode {} {} {}", i->modes[k].first, detail::number(shape.shape->amplitudes[k], 4),
                                  spec.units.length));
    out += fmt::format("  made of {}{}\n", fmt::join(parts, ", "),
                       i->each_mode ? "" : ": the mix as a whole is scaled to the amplitude");
  }
  for (const auto& note : shape.notes) out += fmt::format("    {}\n", note);
  return out;
}

Figure imperfection_figure(const std::string& name, const std::string& title, const model::Model& model,
                           const study::SeededShape& shape, const study::Units& units) {
  constexpr int width = 1280, height = 800;
  const bool svg = name.size() > 4 && name.substr(name.size() - 4) == ".svg";
  const auto canvas = svg ? detail::svg_canvas(width, height) : detail::png_canvas(width, height);
  detail::draw(*canvas, detail::imperfection_sheet(model, title, shape.name, *shape.shape, units), width, height);
  return {name, canvas->finish()};
}

}  // namespace archway::report
