#pragma once
#include "canvas/canvas_detail.hpp"

namespace archway::report::detail {

struct Series {
  std::string name;
  Points points;
  std::vector<char> unstable{};  ///< of every point; empty: all stable. The line to an unstable one is broken
  std::vector<std::pair<std::size_t, std::string>> marks{};  ///< index of a point and its label
};
struct Level {
  std::string name;
  double value = 0;
};
struct Chart {
  std::string title, subtitle, x_label, y_label;
  std::vector<Series> series;
  std::vector<Level> levels;  ///< horizontal lines
  /// A second scale on the right: its label, and how much of it one of the left scale is; 0: none.
  std::string right_label{};
  double right_per_left = 0;
};
void draw(Canvas& canvas, const Chart& chart, int width, int height);

/// Round numbers that cover a range in about `count` steps.
std::vector<double> ticks(double low, double high, int count);
std::string tick_label(double value, double step);

}  // namespace archway::report::detail
