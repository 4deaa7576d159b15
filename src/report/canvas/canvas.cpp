#include <algorithm>
#include <array>
#include <cairo.h>
#include <cmath>
#include <csetjmp>
#include <new>
#include <openssl/evp.h>
#include <png.h>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "canvas/canvas_detail.hpp"

namespace archway::report::detail {

Colour scale_colour(double place) {
  static const std::array<Colour, 6> stops = {{{0.10, 0.13, 0.34, 1},
                                               {0.11, 0.30, 0.53, 1},
                                               {0.10, 0.50, 0.55, 1},
                                               {0.31, 0.68, 0.44, 1},
                                               {0.68, 0.81, 0.32, 1},
                                               {0.98, 0.89, 0.42, 1}}};
  static const std::array<Colour, 6> two_sided = {{{0.16, 0.28, 0.58, 1},
                                                   {0.42, 0.58, 0.80, 1},
                                                   {0.88, 0.91, 0.94, 1},
                                                   {0.95, 0.90, 0.85, 1},
                                                   {0.85, 0.50, 0.32, 1},
                                                   {0.58, 0.14, 0.12, 1}}};
  if (place < -0.5) return {0.80, 0.82, 0.85, 1};
  const auto& list = place > 1.5 ? two_sided : stops;
  const double at =
      std::clamp(place > 1.5 ? place - kTwoSided : place, 0.0, 1.0) * static_cast<double>(list.size() - 1);
  const auto i = std::min(static_cast<std::size_t>(at), list.size() - 2);
  const double f = at - static_cast<double>(i);
  const auto mix = [&](double a, double b) { return a + f * (b - a); };
  return {mix(list[i].r, list[i + 1].r), mix(list[i].g, list[i + 1].g), mix(list[i].b, list[i + 1].b), 1};
}

Colour series_colour(std::size_t index) {
  static const std::array<Colour, 12> colours = {{{0.11, 0.36, 0.60, 1},
                                                  {0.80, 0.33, 0.13, 1},
                                                  {0.18, 0.53, 0.34, 1},
                                                  {0.55, 0.27, 0.58, 1},
                                                  {0.72, 0.56, 0.10, 1},
                                                  {0.35, 0.35, 0.38, 1},
                                                  {0.16, 0.62, 0.68, 1},
                                                  {0.87, 0.55, 0.60, 1},
                                                  {0.55, 0.70, 0.25, 1},
                                                  {0.42, 0.45, 0.78, 1},
                                                  {0.58, 0.38, 0.24, 1},
                                                  {0.62, 0.64, 0.68, 1}}};
  return colours[index % colours.size()];
}

namespace {
/// What the writer of the library is given to report by: it may not throw through C, and ends the process by default.
struct PngReport {
  std::jmp_buf back;
  std::string bytes, trouble;
};

/// No object with a destructor may live between the library's return and here.
bool write_png(png_structp writer, png_infop info, const Image& image, PngReport& report) {
  if (setjmp(report.back) != 0) return false;
  png_set_write_fn(
      writer, &report,
      [](png_structp p, png_bytep data, png_size_t size) {
        bool room = true;
        try {
          static_cast<PngReport*>(png_get_io_ptr(p))->bytes.append(reinterpret_cast<const char*>(data), size);
        } catch (const std::bad_alloc&) {
          room = false;
        }
        if (!room) png_error(p, "there is no memory for it");
      },
      [](png_structp) {});
  png_set_IHDR(writer, info, static_cast<png_uint_32>(image.width), static_cast<png_uint_32>(image.height), 8,
               PNG_COLOR_TYPE_RGBA, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  png_set_compression_level(writer, 3);
  static char key[] = "Software", name[] = "made by archway";
  png_text made{};
  made.compression = PNG_TEXT_COMPRESSION_NONE;
  made.key = key;
  made.text = name;
  png_set_text(writer, info, &made, 1);
  png_write_info(writer, info);
  for (int y = 0; y < image.height; ++y)
    png_write_row(writer, const_cast<png_bytep>(image.pixels.data()) +
                              static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width) * 4);
  png_write_end(writer, info);
  return true;
}
}  // namespace

std::string base64(const std::string& bytes) {
  std::string out(4 * ((bytes.size() + 2) / 3) + 1, '\0');
  const int written =
      EVP_EncodeBlock(reinterpret_cast<unsigned char*>(out.data()),
                      reinterpret_cast<const unsigned char*>(bytes.data()), static_cast<int>(bytes.size()));
  out.resize(static_cast<std::size_t>(written));
  return out;
}

std::string png(const Image& image) {
  PngReport report;
  png_structp writer = png_create_write_struct(
      PNG_LIBPNG_VER_STRING, &report,
      [](png_structp p, png_const_charp text) {
        auto& own = *static_cast<PngReport*>(png_get_error_ptr(p));
        own.trouble = text;
        std::longjmp(own.back, 1);
      },
      [](png_structp, png_const_charp) {});
  png_infop info = writer != nullptr ? png_create_info_struct(writer) : nullptr;
  const bool done = info != nullptr && write_png(writer, info, image, report);
  png_destroy_write_struct(&writer, &info);
  if (!done)
    throw base::InputError(fmt::format("picture of {} x {}", image.width, image.height),
                           "it cannot be encoded: " + (report.trouble.empty() ? "no memory" : report.trouble), "");
  return std::move(report.bytes);
}

namespace {
class PngCanvas final : public Canvas {
 public:
  PngCanvas(int width, int height)
      : surface_(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height)), cairo_(cairo_create(surface_)) {
    cairo_set_source_rgb(cairo_, 1, 1, 1);
    cairo_paint(cairo_);
    cairo_select_font_face(cairo_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
  }
  PngCanvas(const PngCanvas&) = delete;
  PngCanvas& operator=(const PngCanvas&) = delete;
  ~PngCanvas() override {
    cairo_destroy(cairo_);
    cairo_surface_destroy(surface_);
  }
  void line(const Points& points, Colour colour, double width, bool dashed) override {
    const double pattern[] = {7, 5};
    cairo_set_dash(cairo_, pattern, dashed ? 2 : 0, 0);
    cairo_set_line_width(cairo_, width);
    cairo_set_line_join(cairo_, CAIRO_LINE_JOIN_ROUND);
    trace(points, colour);
    cairo_stroke(cairo_);
  }
  void area(const Points& points, Colour fill) override {
    trace(points, fill);
    cairo_close_path(cairo_);
    cairo_fill(cairo_);
  }
  void circle(double x, double y, double radius, Colour fill) override {
    cairo_new_path(cairo_);
    source(fill);
    cairo_arc(cairo_, x, y, radius, 0, 2 * M_PI);
    cairo_fill(cairo_);
  }
  void text(double x, double y, const std::string& words, double size, Anchor anchor, Colour colour,
            bool upright) override {
    cairo_set_font_size(cairo_, size);
    cairo_text_extents_t extents;
    cairo_text_extents(cairo_, words.c_str(), &extents);
    const double shift = anchor == Anchor::start    ? 0
                         : anchor == Anchor::middle ? -extents.x_advance / 2
                                                    : -extents.x_advance;
    cairo_save(cairo_);
    cairo_translate(cairo_, x, y);
    if (upright) cairo_rotate(cairo_, -M_PI / 2);
    cairo_move_to(cairo_, shift, 0);
    source(colour);
    cairo_show_text(cairo_, words.c_str());
    cairo_restore(cairo_);
  }
  void image(const Image& image, double x, double y) override {
    cairo_surface_t* other = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, image.width, image.height);
    cairo_surface_flush(other);
    unsigned char* data = cairo_image_surface_get_data(other);
    const auto count = static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height);
    for (std::size_t i = 0; i < count; ++i) {  // premultiplied BGRA
      const std::uint8_t* p = &image.pixels[4 * i];
      for (std::size_t c = 0; c < 3; ++c) data[4 * i + c] = static_cast<unsigned char>(p[2 - c] * p[3] / 255);
      data[4 * i + 3] = p[3];
    }
    cairo_surface_mark_dirty(other);
    cairo_set_source_surface(cairo_, other, x, y);
    cairo_paint(cairo_);
    cairo_surface_destroy(other);
  }
  std::string finish() override {
    cairo_surface_flush(surface_);
    Image result{cairo_image_surface_get_width(surface_), cairo_image_surface_get_height(surface_), {}};
    const unsigned char* data = cairo_image_surface_get_data(surface_);
    const auto count = static_cast<std::size_t>(result.width) * static_cast<std::size_t>(result.height);
    result.pixels.resize(4 * count);
    for (std::size_t i = 0; i < count; ++i) {
      for (std::size_t c = 0; c < 3; ++c) result.pixels[4 * i + c] = data[4 * i + 2 - c];
      result.pixels[4 * i + 3] = 255;
    }
    return png(result);
  }

 private:
  void source(Colour c) { cairo_set_source_rgba(cairo_, c.r, c.g, c.b, c.a); }
  void trace(const Points& points, Colour colour) {
    source(colour);
    cairo_new_path(cairo_);
    for (const auto& [x, y] : points) cairo_line_to(cairo_, x, y);
  }
  cairo_surface_t* surface_;
  cairo_t* cairo_;
};

std::string escaped(const std::string& text) {
  std::string out;
  for (const char c : text) out += c == '<' ? "&lt;" : c == '&' ? "&amp;" : c == '>' ? "&gt;" : std::string(1, c);
  return out;
}

class SvgCanvas final : public Canvas {
 public:
  SvgCanvas(int width, int height) {
    body_ = fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" xmlns:xlink=\"http://www.w3.org/1999/xlink\" width=\"{0}\" "
        "height=\"{1}\" viewBox=\"0 0 {0} {1}\" "
        "font-family=\"DejaVu Sans, sans-serif\">\n<!-- made by archway -->\n<rect width=\"100%\" height=\"100%\" "
        "fill=\"white\"/>\n",
        width, height);
  }
  void line(const Points& points, Colour colour, double width, bool dashed) override {
    body_ += fmt::format(
        "<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-opacity=\"{:.3g}\" stroke-width=\"{:.3g}\" "
        "stroke-linejoin=\"round\"{}/>\n",
        list(points), hex(colour), colour.a, width, dashed ? " stroke-dasharray=\"7 5\"" : "");
  }
  void area(const Points& points, Colour fill) override {
    body_ +=
        fmt::format("<polygon points=\"{}\" fill=\"{}\" fill-opacity=\"{:.3g}\"/>\n", list(points), hex(fill), fill.a);
  }
  void circle(double x, double y, double radius, Colour fill) override {
    body_ += fmt::format("<circle cx=\"{:.2f}\" cy=\"{:.2f}\" r=\"{:.2f}\" fill=\"{}\"/>\n", x, y, radius, hex(fill));
  }
  void text(double x, double y, const std::string& words, double size, Anchor anchor, Colour colour,
            bool upright) override {
    static const char* const anchors[] = {"start", "middle", "end"};
    body_ += fmt::format(
        "<text x=\"{0:.2f}\" y=\"{1:.2f}\" font-size=\"{2:.3g}\" text-anchor=\"{3}\" fill=\"{4}\"{5}>{6}</text>\n", x,
        y, size, anchors[static_cast<int>(anchor)], hex(colour),
        upright ? fmt::format(" transform=\"rotate(-90 {:.2f} {:.2f})\"", x, y) : "",
        escaped(archway::base::printable(words)));
  }
  void image(const Image& image, double x, double y) override {
    body_ += fmt::format(
        "<image x=\"{:.2f}\" y=\"{:.2f}\" width=\"{}\" height=\"{}\" xlink:href=\"data:image/png;base64,{}\"/>\n", x, y,
        image.width, image.height, base64(png(image)));
  }
  std::string finish() override { return body_ + "</svg>\n"; }

 private:
  static std::string hex(Colour c) {
    const auto part = [](double v) { return static_cast<int>(std::lround(255 * std::clamp(v, 0.0, 1.0))); };
    return fmt::format("#{:02x}{:02x}{:02x}", part(c.r), part(c.g), part(c.b));
  }
  static std::string list(const Points& points) {
    std::string text;
    for (const auto& [x, y] : points) text += fmt::format("{:.2f},{:.2f} ", x, y);
    return text;
  }
  std::string body_;
};
}  // namespace

std::unique_ptr<Canvas> png_canvas(int width, int height) {
  return std::make_unique<PngCanvas>(width, height);
}
std::unique_ptr<Canvas> svg_canvas(int width, int height) {
  return std::make_unique<SvgCanvas>(width, height);
}

}  // namespace archway::report::detail
