#include <algorithm>

#include <fmt/format.h>

#include "pictures/mesh_picture_detail.hpp"

namespace archway::report::detail {

void draw_bars(Canvas& canvas, const std::vector<StackedBar>& bars, int height) {
  constexpr double left = 250, length = 640, thick = 20;
  double y = height - 40.0 - 46.0 * static_cast<double>(bars.size() - 1);
  for (const auto& bar : bars) {
    canvas.text(left - 12, y + 15, bar.label, 14, Anchor::end);
    double positive = 0, x = left, free = left;
    for (const auto& [name, share] : bar.shares) positive += std::max(share, 0.0);
    std::string against;
    for (std::size_t k = 0; k < bar.shares.size(); ++k) {
      const auto& [name, share] = bar.shares[k];
      if (share < 0) {
        against += fmt::format("{}{} holds against it {:.0f} %", against.empty() ? "" : ", ", name, -100 * share);
        continue;
      }
      const double wide = length * share / std::max(positive, 1e-300);
      canvas.area({{x, y}, {x + wide, y}, {x + wide, y + thick}, {x, y + thick}}, series_colour(k));
      const std::string words = fmt::format("{} {:.0f} %", name, 100 * share);
      const double room = 7.2 * static_cast<double>(words.size());
      if (wide > 12 && x + 0.5 * wide - 0.5 * room >= free) {
        canvas.text(x + 0.5 * wide, y + thick + 14, words, 12, Anchor::middle, {0.3, 0.3, 0.33, 1});
        free = x + 0.5 * wide + 0.5 * room;
      }
      x += wide;
    }
    if (!against.empty()) canvas.text(left + length + 12, y + 15, against, 12, Anchor::start, {0.3, 0.3, 0.33, 1});
    y += 46;
  }
}

}  // namespace archway::report::detail
