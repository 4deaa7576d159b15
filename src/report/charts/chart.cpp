#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "charts/chart_detail.hpp"

namespace archway::report::detail {

std::vector<double> ticks(double low, double high, int count) {
  const double raw = (high - low) / std::max(1, count), power = std::pow(10, std::floor(std::log10(raw)));
  double step = 10 * power;
  for (const double nice : {1.0, 2.0, 2.5, 5.0})
    if (nice * power >= raw) {
      step = nice * power;
      break;
    }
  std::vector<double> list;
  for (double t = std::floor(low / step) * step; t <= high + 1.0001 * step; t += step) {
    list.push_back(std::abs(t) < 1e-9 * step ? 0 : t);
    if (t >= high - 1e-9 * step) break;
  }
  return list;
}

std::string tick_label(double value, double step) {
  const int decimals =
      std::max(0, static_cast<int>(std::ceil(-std::log10(step) + 1e-9)) +
                      (std::abs(step / std::pow(10, std::floor(std::log10(step))) - 2.5) < 1e-6 ? 1 : 0));
  if (std::abs(value) >= 1e6 || decimals > 6) return fmt::format("{:.3g}", value);
  return fmt::format("{:.{}f}", value, decimals);
}

namespace {
struct Range {
  double low = HUGE_VAL, high = -HUGE_VAL;
  void take(double v) {
    if (!std::isfinite(v)) return;
    low = std::min(low, v);
    high = std::max(high, v);
  }
  void settle() {
    if (!(low <= high)) low = 0, high = 1;
    if (high - low < 1e-12 * std::max(1.0, std::abs(high))) high = low + std::max(1.0, std::abs(low));
  }
};

/// Maps values to pixels inside the frame.
struct Frame {
  double left, top, right, bottom;
  std::vector<double> x_ticks, y_ticks;
  double x(double v) const {
    return left + (v - x_ticks.front()) / (x_ticks.back() - x_ticks.front()) * (right - left);
  }
  double y(double v) const {
    return bottom - (v - y_ticks.front()) / (y_ticks.back() - y_ticks.front()) * (bottom - top);
  }
};

void draw_axes(Canvas& canvas, const Chart& chart, const Frame& f) {
  const Colour grid{0.88, 0.88, 0.9, 1}, axis{0.35, 0.35, 0.38, 1};
  const auto step = [](const std::vector<double>& t) { return t[1] - t[0]; };
  for (const double t : f.x_ticks) {
    canvas.line({{f.x(t), f.top}, {f.x(t), f.bottom}}, t == 0.0 ? axis : grid, 1);
    canvas.text(f.x(t), f.bottom + 24, tick_label(t, step(f.x_ticks)), 15, Anchor::middle);
  }
  for (const double t : f.y_ticks) {
    canvas.line({{f.left, f.y(t)}, {f.right, f.y(t)}}, t == 0.0 ? axis : grid, 1);
    canvas.text(f.left - 10, f.y(t) + 5, tick_label(t, step(f.y_ticks)), 15, Anchor::end);
  }
  canvas.line({{f.left, f.top}, {f.left, f.bottom}, {f.right, f.bottom}}, axis, 1.5);
  canvas.text((f.left + f.right) / 2, f.bottom + 56, chart.x_label, 17, Anchor::middle);
  canvas.text(f.left - 82, (f.top + f.bottom) / 2, chart.y_label, 17, Anchor::middle, {0.13, 0.13, 0.15, 1}, true);
  if (!(chart.right_per_left > 0)) return;
  const double low = f.y_ticks.front(), high = f.y_ticks.back(), per = chart.right_per_left;
  const auto right = ticks(low * per, high * per, 7);
  for (const double t : right) {
    const double y = f.y(t / per);
    if (y < f.top - 0.5 || y > f.bottom + 0.5) continue;
    canvas.line({{f.right, y}, {f.right + 6, y}}, axis, 1.5);
    canvas.text(f.right + 10, y + 5, tick_label(t, step(right)), 15, Anchor::start);
  }
  canvas.line({{f.right, f.top}, {f.right, f.bottom}}, axis, 1.5);
  canvas.text(f.right + 96, (f.top + f.bottom) / 2, chart.right_label, 17, Anchor::middle, {0.13, 0.13, 0.15, 1}, true);
}

/// Where the label of a marked point goes.
struct LabelPlace {
  double x = 0, y = 0, room = 0;
  bool to_the_left = false;
  double left() const { return to_the_left ? x - room : x; }
};

bool overlap(const LabelPlace& a, const LabelPlace& b) {
  return a.left() < b.left() + b.room && b.left() < a.left() + a.room && std::abs(a.y - b.y) < 20;
}

/// What a label at this place would cover: pieces of curves; other labels and the edges of the frame count much more.
int covered(const Chart& chart, const Frame& f, const LabelPlace& p, const std::vector<LabelPlace>& placed) {
  constexpr int kPieces = 12;
  int count = 0;
  for (const auto& series : chart.series)
    for (std::size_t i = 1; i < series.points.size(); ++i)
      for (int k = 0; k < kPieces; ++k) {
        const double share = static_cast<double>(k) / kPieces;
        const double x =
            f.x(series.points[i - 1].first + share * (series.points[i].first - series.points[i - 1].first));
        const double y =
            f.y(series.points[i - 1].second + share * (series.points[i].second - series.points[i - 1].second));
        count += x > p.left() - 6 && x < p.left() + p.room + 6 && y > p.y - 18 && y < p.y + 8 ? 1 : 0;
      }
  for (const auto& other : placed) count += overlap(p, other) ? 1000 : 0;
  const bool outside = p.left() < f.left || p.left() + p.room > f.right || p.y - 15 < f.top || p.y > f.bottom - 4;
  return count + (outside ? 1000 : 0);
}

/// Words of levels at the right end, above their lines or, where another word is, below or further left.
std::vector<LabelPlace> place_levels(const Chart& chart, const Frame& f) {
  std::vector<LabelPlace> placed;
  for (const auto& level : chart.levels) {
    LabelPlace best;
    int least = -1;
    for (const double shift : {0.0, 0.3, 0.6})
      for (const double up : {-8.0, 18.0}) {
        const LabelPlace p{f.right - 8 - shift * (f.right - f.left), f.y(level.value) + up,
                           8.6 * static_cast<double>(level.name.size()), true};
        const int count = covered(chart, f, p, placed);
        if (least >= 0 && count >= least) continue;
        least = count;
        best = p;
      }
    placed.push_back(best);
  }
  return placed;
}

/// The best of sixteen places around every marked point, the first of equals; in the order of series and marks.
/// \param levels  places that words have already
std::vector<LabelPlace> place_labels(const Chart& chart, const Frame& f, const std::vector<LabelPlace>& levels) {
  std::vector<LabelPlace> placed = levels;
  for (const auto& series : chart.series)
    for (const auto& [index, label] : series.marks) {
      const double x = f.x(series.points[index].first), y = f.y(series.points[index].second);
      LabelPlace best;
      int least = -1;
      for (const double up : {-12.0, 24.0, -34.0, 46.0, -58.0, -82.0, 70.0, 94.0})
        for (const bool left : {false, true}) {
          const LabelPlace p{left ? x - 12 : x + 12, y + up, 7.8 * static_cast<double>(label.size()), left};
          const int count = covered(chart, f, p, placed);
          if (least >= 0 && count >= least) continue;
          least = count;
          best = p;
        }
      placed.push_back(best);
    }
  return {placed.begin() + static_cast<std::ptrdiff_t>(levels.size()), placed.end()};
}

/// Full lines between stable states, broken ones to and between unstable ones.
void draw_by_stability(Canvas& canvas, const Points& pixels, const std::vector<char>& unstable, Colour colour) {
  if (unstable.empty()) return canvas.line(pixels, colour, 2.6);
  for (std::size_t first = 0; first + 1 < pixels.size();) {
    const auto broken = [&](std::size_t i) { return unstable[i] != 0 || unstable[i + 1] != 0; };
    std::size_t last = first + 1;
    while (last + 1 < pixels.size() && broken(last) == broken(first)) ++last;
    canvas.line(Points(pixels.begin() + static_cast<std::ptrdiff_t>(first),
                       pixels.begin() + static_cast<std::ptrdiff_t>(last) + 1),
                colour, 2.6, broken(first));
    first = last;
  }
}

void draw_series(Canvas& canvas, const Chart& chart, const Frame& f, const std::vector<LabelPlace>& levels) {
  const auto places = place_labels(chart, f, levels);
  // pale patches under the labels come first, so that they never hide a curve or a ring
  for (const auto& p : places)
    canvas.area({{p.left() - 3, p.y - 15},
                 {p.left() + p.room + 3, p.y - 15},
                 {p.left() + p.room + 3, p.y + 5},
                 {p.left() - 3, p.y + 5}},
                {1, 1, 1, 0.85});
  for (std::size_t s = 0; s < chart.series.size(); ++s) {
    Points pixels;
    for (const auto& [x, y] : chart.series[s].points) pixels.emplace_back(f.x(x), f.y(y));
    draw_by_stability(canvas, pixels, chart.series[s].unstable, series_colour(s));
    for (const auto& [x, y] : pixels) canvas.circle(x, y, 3, series_colour(s));
  }
  auto place = places.begin();
  for (std::size_t s = 0; s < chart.series.size(); ++s)
    for (const auto& [index, label] : chart.series[s].marks) {
      const auto& point = chart.series[s].points[index];
      constexpr double far = 40;  // pixels: then a thin line leads to the label
      if (const double x = f.x(point.first), y = f.y(point.second); std::abs(place->y - y) > far) {
        Colour thin = series_colour(s);
        thin.a = 0.6;
        canvas.line({{x, y}, {place->x, place->y - (place->y > y ? 14 : -2)}}, thin, 1);
      }
      canvas.circle(f.x(point.first), f.y(point.second), 7, series_colour(s));
      canvas.circle(f.x(point.first), f.y(point.second), 4, {1, 1, 1, 1});
      canvas.text(place->x, place->y, label, 15, place->to_the_left ? Anchor::end : Anchor::start, series_colour(s));
      ++place;
    }
}

void draw_legend(Canvas& canvas, const Chart& chart, const Frame& f) {
  double y = f.bottom + 94, x = f.left;
  for (std::size_t s = 0; s < chart.series.size(); ++s) {
    const double room = 60 + 9.2 * static_cast<double>(chart.series[s].name.size());
    if (x + room > f.right && x > f.left) x = f.left, y += 26;
    canvas.line({{x, y - 5}, {x + 34, y - 5}}, series_colour(s), 3);
    canvas.text(x + 44, y, chart.series[s].name, 15, Anchor::start);
    x += room;
  }
}
}  // namespace

void draw(Canvas& canvas, const Chart& chart, int width, int height) {
  Range x, y;
  for (const auto& series : chart.series)
    for (const auto& [px, py] : series.points) {
      x.take(px);
      y.take(py);
    }
  for (const auto& level : chart.levels) y.take(level.value);
  x.take(0);
  y.take(0);
  x.settle();
  y.settle();
  Frame f{120,
          96,
          static_cast<double>(width) - (chart.right_per_left > 0 ? 150 : 48),
          static_cast<double>(height) - 140,
          ticks(x.low, x.high, 8),
          ticks(y.low, y.high, 7)};
  canvas.text(40, 42, chart.title, 23, Anchor::start);
  canvas.text(40, 70, chart.subtitle, 15, Anchor::start, {0.4, 0.4, 0.44, 1});
  draw_axes(canvas, chart, f);
  const auto levels = place_levels(chart, f);
  for (std::size_t k = 0; k < levels.size(); ++k) {
    const auto& [name, value] = chart.levels[k];
    const auto& p = levels[k];
    canvas.line({{f.left, f.y(value)}, {f.right, f.y(value)}}, {0.45, 0.45, 0.48, 1}, 1.8, true);
    canvas.area({{p.left() - 3, p.y - 15}, {p.x + 3, p.y - 15}, {p.x + 3, p.y + 5}, {p.left() - 3, p.y + 5}},
                {1, 1, 1, 0.8});
    canvas.text(p.x, p.y, name, 15, Anchor::end, {0.35, 0.35, 0.38, 1});
  }
  draw_series(canvas, chart, f, levels);
  draw_legend(canvas, chart, f);
}

}  // namespace archway::report::detail
