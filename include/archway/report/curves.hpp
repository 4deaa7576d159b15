#pragma once
#include "archway/report/figure.hpp"

namespace archway::report {

/// One line of a chart.
struct ChartCurve {
  std::string name;
  std::vector<std::pair<double, double>> points;
};

/// A chart of curves and horizontal levels, as for load-displacement paths or for errors against mesh sizes.
struct CurveSheet {
  std::string title, subtitle, x_label, y_label;
  std::vector<ChartCurve> curves;
  std::vector<std::pair<std::string, double>> levels;
};

/// \param name  file name; ".svg" gives SVG, anything else PNG (1280 x 800)
Figure curve_figure(const std::string& name, const CurveSheet& sheet);

}  // namespace archway::report
