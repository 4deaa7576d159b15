#include "archway/report/curves.hpp"

#include "charts/chart_detail.hpp"

namespace archway::report {

Figure curve_figure(const std::string& name, const CurveSheet& sheet) {
  detail::Chart chart;
  chart.title = sheet.title;
  chart.subtitle = sheet.subtitle;
  chart.x_label = sheet.x_label;
  chart.y_label = sheet.y_label;
  for (const auto& c : sheet.curves) chart.series.push_back({c.name, c.points, {}});
  for (const auto& [text, value] : sheet.levels) chart.levels.push_back({text, value});
  const bool svg = name.size() > 4 && name.substr(name.size() - 4) == ".svg";
  const auto canvas = svg ? detail::svg_canvas(1280, 800) : detail::png_canvas(1280, 800);
  detail::draw(*canvas, chart, 1280, 800);
  return {name, canvas->finish()};
}

}  // namespace archway::report
