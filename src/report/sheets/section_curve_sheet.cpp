#include "archway/report/section_curve_sheet.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "charts/chart_detail.hpp"
#include "text/text_detail.hpp"

namespace archway::report {

namespace {
const char* axis_of(const study::SectionCurve& curve) {
  return curve.about_z ? "z" : "y";
}

/// Fibres as dots of their size: grey while elastic, then by plastic strain.
void draw_fibres(detail::Canvas& canvas, const theory::SectionProperties& s, const study::SectionCurve& curve) {
  double y0 = 1e300, y1 = -1e300, z0 = 1e300, z1 = -1e300, most = 0;
  for (const auto& f : s.fibres) {
    y0 = std::min(y0, f.y), y1 = std::max(y1, f.y);
    z0 = std::min(z0, f.z), z1 = std::max(z1, f.z);
  }
  for (const double strain : curve.plastic_strain) most = std::max(most, strain);
  const double left = 880, right = 1230, top = 130, bottom = 640;
  const double zoom =
      0.92 * std::min((right - left) / std::max(y1 - y0, 1e-300), (bottom - top) / std::max(z1 - z0, 1e-300));
  const auto at = [&](double y, double z) {
    return std::pair(0.5 * (left + right) + zoom * (y - 0.5 * (y0 + y1)),
                     0.5 * (top + bottom) - zoom * (z - 0.5 * (z0 + z1)));
  };
  for (const auto& loop : s.outline) {
    detail::Points points;
    for (const auto& [y, z] : loop) points.push_back(at(y, z));
    points.push_back(points.front());
    canvas.line(points, {0.6, 0.6, 0.64, 1}, 1);
  }
  for (std::size_t f = 0; f < s.fibres.size(); ++f) {
    const double strain = curve.plastic_strain[f];
    const auto [x, y] = at(s.fibres[f].y, s.fibres[f].z);
    const double radius = std::clamp(0.45 * zoom * std::sqrt(s.fibres[f].area), 2.0, 9.0);
    canvas.circle(x, y, radius, strain > 0 ? detail::scale_colour(strain / most) : detail::Colour{0.85, 0.85, 0.87, 1});
  }
  canvas.text(0.5 * (left + right), 100, "fibres at the end", 17, detail::Anchor::middle);
  canvas.text(0.5 * (left + right), 690, "grey: elastic; colour: plastic strain,", 15, detail::Anchor::middle);
  canvas.text(0.5 * (left + right), 712, fmt::format("dark 0 to light {:.3g} %", 100 * most), 15,
              detail::Anchor::middle);
}
}  // namespace

std::string section_curve_text(const study::SectionCurve& curve, const study::Units& units, double plastic,
                               const TextStyle& style) {
  std::string out = fmt::format("\nMoment about {} against curvature, normal force {:.5g} {}\n", axis_of(curve),
                                curve.axial, units.force);
  detail::Table table({fmt::format("curvature [1/{}]", units.length), fmt::format("moment [{}]", units.moment()),
                       "largest strain %", "plastic strain %", "yielded share %"},
                      "rrrrr");
  for (std::size_t k = 0; k < curve.points.size(); k += 10) {
    const auto& p = curve.points[k];
    table.row({fmt::format("{:.5g}", p.curvature), fmt::format("{:.6g}", p.moment),
               fmt::format("{:.3g}", 100 * p.strain), fmt::format("{:.3g}", 100 * p.plastic_strain),
               fmt::format("{:.3g}", 100 * p.yielded_share)});
  }
  out += table.text(style);
  if (curve.first_yield > 0)
    out += fmt::format("  first yield at a moment of {:.4g} {}\n", curve.first_yield, units.moment());
  if (plastic > 0)
    out += fmt::format("  plastic moment without normal force and hardening {:.6g} {}\n", plastic, units.moment());
  return out;
}

Figure section_curve_figure(const std::string& name, const std::string& title, const theory::SectionProperties& section,
                            const study::SectionCurve& curve, const study::Units& units) {
  detail::Chart chart;
  chart.title = title;
  chart.subtitle = fmt::format("moment about {} against curvature, normal force {:.5g} {}", axis_of(curve), curve.axial,
                               units.force);
  chart.x_label = fmt::format("curvature [1/{}]", units.length);
  chart.y_label = fmt::format("moment [{}]", units.moment());
  detail::Series series;
  series.name = fmt::format("about {}", axis_of(curve));
  for (const auto& p : curve.points) series.points.emplace_back(p.curvature, p.moment);
  chart.series.push_back(series);
  if (curve.first_yield > 0)
    chart.levels.push_back({fmt::format("first yield {:.4g}", curve.first_yield), curve.first_yield});
  const bool svg = name.size() > 4 && name.substr(name.size() - 4) == ".svg";
  const auto canvas = svg ? detail::svg_canvas(1280, 800) : detail::png_canvas(1280, 800);
  detail::draw(*canvas, chart, 850, 800);
  draw_fibres(*canvas, section, curve);
  return {name, canvas->finish()};
}

}  // namespace archway::report
