#pragma once
#include <Eigen/Core>

#include "canvas/canvas_detail.hpp"

namespace archway::report::detail {

/// A projected point: pixels and depth (larger is nearer).
struct Pixel {
  double x = 0, y = 0, depth = 0;
};

/// Draws triangles and lines with a depth buffer, at twice the size for smooth edges.
class Raster {
 public:
  Raster(int width, int height);
  /// Triangle with one value in [0, 1] at each corner, coloured by the scale and darkened by `light` in [0, 1].
  void triangle(const Pixel (&corner)[3], const double (&value)[3], double light);
  /// Line a little nearer than where it lies, so that it shows on the surface it belongs to.
  void line(const Pixel& a, const Pixel& b, double width, Colour from, Colour to, double lift);
  Image image() const;

 private:
  void put(int x, int y, double depth, Colour colour);
  int width_, height_;
  std::vector<float> depth_;
  std::vector<std::uint8_t> pixels_;
};

}  // namespace archway::report::detail
