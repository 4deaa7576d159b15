#include <algorithm>
#include <cmath>
#include <limits>

#include "canvas/raster_detail.hpp"

namespace archway::report::detail {

namespace {
constexpr int kFine = 2;
}

Raster::Raster(int width, int height)
    : width_(kFine * width),
      height_(kFine * height),
      depth_(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_),
             -std::numeric_limits<float>::infinity()),
      pixels_(4 * depth_.size(), 0) {}

void Raster::put(int x, int y, double depth, Colour colour) {
  const auto at = static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x);
  if (depth < static_cast<double>(depth_[at])) return;
  depth_[at] = static_cast<float>(depth);
  const double parts[] = {colour.r, colour.g, colour.b};
  const double share = pixels_[4 * at + 3] == 0 ? 1 : colour.a;  // let translucent lines mix with the surface below
  for (std::size_t c = 0; c < 3; ++c)
    pixels_[4 * at + c] = static_cast<std::uint8_t>(
        std::lround((1 - share) * pixels_[4 * at + c] + share * 255 * std::clamp(parts[c], 0.0, 1.0)));
  pixels_[4 * at + 3] = 255;
}

void Raster::triangle(const Pixel (&corner)[3], const double (&value)[3], double light) {
  double x[3], y[3];
  for (int k = 0; k < 3; ++k) x[k] = kFine * corner[k].x, y[k] = kFine * corner[k].y;
  const double area = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0]);
  if (std::abs(area) < 1e-9) return;
  const int left = std::max(0, static_cast<int>(std::floor(*std::min_element(x, x + 3)))),
            right = std::min(width_ - 1, static_cast<int>(std::ceil(*std::max_element(x, x + 3))));
  const int top = std::max(0, static_cast<int>(std::floor(*std::min_element(y, y + 3)))),
            bottom = std::min(height_ - 1, static_cast<int>(std::ceil(*std::max_element(y, y + 3))));
  for (int j = top; j <= bottom; ++j)
    for (int i = left; i <= right; ++i) {
      const double px = i + 0.5, py = j + 0.5;
      const double a = ((x[1] - px) * (y[2] - py) - (x[2] - px) * (y[1] - py)) / area,
                   b = ((x[2] - px) * (y[0] - py) - (x[0] - px) * (y[2] - py)) / area, c = 1 - a - b;
      if (a < -1e-9 || b < -1e-9 || c < -1e-9) continue;
      const Colour base = scale_colour(a * value[0] + b * value[1] + c * value[2]);
      put(i, j, a * corner[0].depth + b * corner[1].depth + c * corner[2].depth,
          {base.r * light, base.g * light, base.b * light, 1});
    }
}

void Raster::line(const Pixel& a, const Pixel& b, double width, Colour from, Colour to, double lift) {
  const double length = kFine * std::hypot(b.x - a.x, b.y - a.y);
  const int steps = std::max(1, static_cast<int>(std::ceil(2 * length)));
  const int radius = std::max(0, static_cast<int>(std::floor(0.5 * kFine * width)));
  for (int s = 0; s <= steps; ++s) {
    const double f = static_cast<double>(s) / steps;
    const int x = static_cast<int>(kFine * (a.x + f * (b.x - a.x))),
              y = static_cast<int>(kFine * (a.y + f * (b.y - a.y)));
    const Colour colour{from.r + f * (to.r - from.r), from.g + f * (to.g - from.g), from.b + f * (to.b - from.b),
                        from.a};
    for (int dy = -radius; dy <= radius; ++dy)
      for (int dx = -radius; dx <= radius; ++dx)
        if (dx * dx + dy * dy <= radius * radius + 1 && x + dx >= 0 && y + dy >= 0 && x + dx < width_ &&
            y + dy < height_)
          put(x + dx, y + dy, a.depth + f * (b.depth - a.depth) + lift, colour);
  }
}

Image Raster::image() const {
  Image small{width_ / kFine, height_ / kFine, {}};
  small.pixels.resize(4 * static_cast<std::size_t>(small.width) * static_cast<std::size_t>(small.height));
  for (int y = 0; y < small.height; ++y)
    for (int x = 0; x < small.width; ++x) {
      int sum[4] = {0, 0, 0, 0};
      for (int k = 0; k < kFine * kFine; ++k) {
        const std::uint8_t* p =
            &pixels_[4 * (static_cast<std::size_t>(kFine * y + k / kFine) * static_cast<std::size_t>(width_) +
                          static_cast<std::size_t>(kFine * x + k % kFine))];
        for (int c = 0; c < 3; ++c) sum[c] += p[c] * p[3];
        sum[3] += p[3];
      }
      std::uint8_t* out = &small.pixels[4 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(small.width) +
                                             static_cast<std::size_t>(x))];
      for (int c = 0; c < 3; ++c) out[c] = static_cast<std::uint8_t>(sum[3] > 0 ? sum[c] / sum[3] : 255);
      out[3] = static_cast<std::uint8_t>(sum[3] / (kFine * kFine));
    }
  return small;
}

}  // namespace archway::report::detail
