#pragma once
#include <cstdint>
#include <memory>
#include <string>
#include <utility>
#include <vector>

namespace archway::report::detail {

struct Colour {
  double r = 0, g = 0, b = 0, a = 1;
};
/// Dark blue to yellow through green; place in [0, 1].
Colour scale_colour(double place);
/// Added to a place: it is on the scale of signed values, whose middle is zero.
constexpr double kTwoSided = 2;
/// Distinct colours for curves.
Colour series_colour(std::size_t index);

using Points = std::vector<std::pair<double, double>>;

/// Pixels, eight bits a channel, rows from the top, (r, g, b, a) not premultiplied.
struct Image {
  int width = 0, height = 0;
  std::vector<std::uint8_t> pixels;
};
/// \throws base::InputError when it cannot be encoded
std::string png(const Image& image);
std::string base64(const std::string& bytes);

enum class Anchor { start, middle, end };

/// What figures are drawn on: a bitmap through Cairo, or SVG with text as text.
class Canvas {
 public:
  virtual ~Canvas() = default;
  virtual void line(const Points& points, Colour colour, double width, bool dashed = false) = 0;
  virtual void area(const Points& points, Colour fill) = 0;
  virtual void circle(double x, double y, double radius, Colour fill) = 0;
  virtual void text(double x, double y, const std::string& words, double size, Anchor anchor,
                    Colour colour = {0.13, 0.13, 0.15, 1}, bool upright = false) = 0;
  virtual void image(const Image& image, double x, double y) = 0;
  /// The finished file.
  virtual std::string finish() = 0;
};
std::unique_ptr<Canvas> png_canvas(int width, int height);
std::unique_ptr<Canvas> svg_canvas(int width, int height);

}  // namespace archway::report::detail
