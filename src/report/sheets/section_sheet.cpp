#include "archway/report/section_sheet.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "canvas/canvas_detail.hpp"

namespace archway::report {

namespace {
using theory::SectionProperties;
using Outline = std::vector<std::pair<double, double>>;

/// Extent of everything that is drawn.
struct Frame {
  double y0 = 1e300, y1 = -1e300, z0 = 1e300, z1 = -1e300;
  void take(double y, double z) {
    y0 = std::min(y0, y), y1 = std::max(y1, y);
    z0 = std::min(z0, z), z1 = std::max(z1, z);
  }
};

Frame frame_of(const SectionProperties& s) {
  Frame f;
  for (const auto& loop : s.outline)
    for (const auto& [y, z] : loop) f.take(y, z);
  f.take(0, 0);
  f.take(s.shear_centre_y, s.shear_centre_z);
  return f;
}

/// Material minus holes around a point.
int winding(const SectionProperties& s, double y, double z) {
  int sum = 0;
  for (const auto& loop : s.outline)
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const auto& [ya, za] = loop[i];
      const auto& [yb, zb] = loop[(i + 1) % loop.size()];
      if ((za <= z) == (zb <= z)) continue;
      if (ya + (z - za) / (zb - za) * (yb - ya) > y) sum += zb > za ? 1 : -1;
    }
  return sum;
}

/// A drawing of dots, two by four to a character, with the centroid C and the shear centre S.
class DotDrawing {
 public:
  DotDrawing(const SectionProperties& s, bool unicode) : unicode_(unicode) {
    Frame f = frame_of(s);
    const double scale = std::max((f.y1 - f.y0) / (2 * kColumns), (f.z1 - f.z0) / (4 * kRows)) * 1.02;
    y0_ = 0.5 * (f.y0 + f.y1) - kColumns * scale;
    z1_ = 0.5 * (f.z0 + f.z1) + 2 * kRows * scale;
    scale_ = scale;
    for (int r = 0; r < 4 * kRows; ++r)
      for (int c = 0; c < 2 * kColumns; ++c)
        dots_[r][c] = winding(s, y0_ + (c + 0.5) * scale, z1_ - (r + 0.5) * scale) != 0;
    for (const auto& loop : s.outline) edge(loop);  // walls thinner than a dot stay visible
    mark(0, 0, 'C');
    if (std::hypot(s.shear_centre_y, s.shear_centre_z) > scale) mark(s.shear_centre_y, s.shear_centre_z, 'S');
  }

  std::string line(int row) const {
    std::string text;
    for (int c = 0; c < kColumns; ++c) {
      if (marks_[row][c] != 0) {
        text += marks_[row][c];
        continue;
      }
      static const int bits[4][2] = {{0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}};
      int code = 0;
      for (int i = 0; i < 4; ++i)
        for (int j = 0; j < 2; ++j)
          if (dots_[4 * row + i][2 * c + j]) code |= bits[i][j];
      if (!unicode_)
        text += code == 0 ? ' ' : '#';
      else if (code == 0)
        text += ' ';
      else
        text += {static_cast<char>(0xE2), static_cast<char>(0xA0 | (code >> 6)), static_cast<char>(0x80 | (code & 63))};
    }
    return text;
  }
  static constexpr int kColumns = 30, kRows = 14;

 private:
  void edge(const Outline& loop) {
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const auto& [ya, za] = loop[i];
      const auto& [yb, zb] = loop[(i + 1) % loop.size()];
      const int steps = std::max(1, static_cast<int>(std::hypot(yb - ya, zb - za) / scale_ * 2));
      for (int k = 0; k <= steps; ++k) {
        const double share = static_cast<double>(k) / steps;
        const int c = static_cast<int>((ya + share * (yb - ya) - y0_) / scale_),
                  r = static_cast<int>((z1_ - za - share * (zb - za)) / scale_);
        if (r >= 0 && r < 4 * kRows && c >= 0 && c < 2 * kColumns) dots_[r][c] = true;
      }
    }
  }
  void mark(double y, double z, char letter) {
    const int c = std::clamp(static_cast<int>((y - y0_) / scale_ / 2), 0, kColumns - 1),
              r = std::clamp(static_cast<int>((z1_ - z) / scale_ / 4), 0, kRows - 1);
    marks_[r][c] = letter;
  }
  bool unicode_;
  double y0_, z1_, scale_;
  bool dots_[4 * kRows][2 * kColumns] = {};
  char marks_[kRows][kColumns] = {};
};

std::string unit_of(const std::string& unit, int power) {
  return power == 0 ? "" : power == 1 ? unit : fmt::format("{}^{}", unit, power);
}
}  // namespace

std::string section_text(const std::string& title, const SectionProperties& s, const std::string& unit,
                         const TextStyle& style) {
  std::string out = style.bold ? fmt::format("\033[1m{}\033[0m\n\n", title) : title + "\n\n";
  const DotDrawing drawing(s, style.unicode);
  const auto list = theory::quantities(s);
  const std::size_t rows = std::max<std::size_t>(list.size(), DotDrawing::kRows + 2);
  for (std::size_t r = 0; r < rows; ++r) {
    std::string left = r < static_cast<std::size_t>(DotDrawing::kRows) ? drawing.line(static_cast<int>(r))
                                                                       : std::string(DotDrawing::kColumns, ' ');
    if (r == DotDrawing::kRows + 1) left = "  C centroid, S shear centre   ";
    left.resize(std::max(left.size(), static_cast<std::size_t>(DotDrawing::kColumns)), ' ');
    if (r == DotDrawing::kRows + 1) left.resize(DotDrawing::kColumns);
    std::string right;
    if (r < list.size())
      right = fmt::format("{:<18} {:>14} {:<5} {}", list[r].name,
                          std::abs(list[r].value) < 1e-9 * std::pow(s.area, 0.5 * list[r].power)
                              ? "0"
                              : fmt::format("{:.8g}", list[r].value),
                          unit_of(unit, list[r].power), list[r].meaning);
    std::string row = fmt::format("  {}   {}", left, right);
    while (!row.empty() && row.back() == ' ') row.pop_back();
    out += row + "\n";
  }
  return out;
}

namespace {
void draw_sheet(detail::Canvas& canvas, const std::string& title, const SectionProperties& s, const std::string& unit) {
  const Frame f = frame_of(s);
  const double left = 70, right = 760, top = 110, bottom = 740;
  const double zoom = 0.86 * std::min((right - left) / (f.y1 - f.y0), (bottom - top) / (f.z1 - f.z0));
  const double cy = 0.5 * (f.y0 + f.y1), cz = 0.5 * (f.z0 + f.z1);
  const auto at = [&](double y, double z) {
    return std::pair<double, double>(0.5 * (left + right) + zoom * (y - cy), 0.5 * (top + bottom) - zoom * (z - cz));
  };
  canvas.text(40, 42, title, 23, detail::Anchor::start);
  canvas.text(40, 70, fmt::format("sharp corners; lengths in {}", unit), 15, detail::Anchor::start,
              {0.4, 0.4, 0.44, 1});
  for (const auto& loop : s.outline) {
    detail::Points points;
    double area = 0;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const auto& [y, z] = loop[i];
      points.push_back(at(y, z));
      area += y * loop[(i + 1) % loop.size()].second - z * loop[(i + 1) % loop.size()].first;
    }
    const bool hole = area < 0 && s.outline.size() == 2;
    canvas.area(points, hole ? detail::Colour{1, 1, 1, 1} : detail::Colour{0.72, 0.78, 0.84, 1});
    points.push_back(points.front());
    canvas.line(points, {0.35, 0.42, 0.5, 1}, 1);
  }
  const double reach = 0.6 * std::max(f.y1 - f.y0, f.z1 - f.z0);
  const auto axis = [&](double angle, double length, const std::string& name, detail::Colour colour, bool dashed) {
    const double y = length * std::cos(angle), z = length * std::sin(angle);
    canvas.line({at(-y, -z), at(y, z)}, colour, 1.2, dashed);
    const auto [px, pz] = at(1.04 * y, 1.04 * z);
    canvas.text(px, pz + 5, name, 16, detail::Anchor::middle, colour);
  };
  axis(0, reach, "y", {0.4, 0.4, 0.44, 1}, false);
  axis(0.5 * M_PI, reach, "z", {0.4, 0.4, 0.44, 1}, false);
  if (std::abs(s.principal_angle) > 1e-6 && std::abs(std::abs(s.principal_angle) - 0.5 * M_PI) > 1e-6) {
    axis(s.principal_angle, 0.85 * reach, "u", {0.75, 0.35, 0.1, 1}, true);
    axis(s.principal_angle + 0.5 * M_PI, 0.85 * reach, "v", {0.75, 0.35, 0.1, 1}, true);
  }
  const auto point = [&](double y, double z, const std::string& name, detail::Colour colour, double shift) {
    const auto [px, pz] = at(y, z);
    canvas.circle(px, pz, 6, colour);
    canvas.text(px + 11, pz + shift, name, 17, detail::Anchor::start, colour);
  };
  const bool apart = std::hypot(s.shear_centre_y, s.shear_centre_z) * zoom > 3;
  point(0, 0, apart ? "C" : "C, S", {0.1, 0.3, 0.6, 1}, 22);
  if (apart) point(s.shear_centre_y, s.shear_centre_z, "S", {0.65, 0.12, 0.2, 1}, -10);
  double line = 130;
  for (const auto& q : theory::quantities(s)) {
    const bool none = std::abs(q.value) < 1e-9 * std::pow(s.area, 0.5 * q.power);
    canvas.text(820, line, q.name, 15, detail::Anchor::start);
    canvas.text(1075, line, none ? "0" : fmt::format("{:.6g}", q.value), 15, detail::Anchor::end);
    canvas.text(1083, line, unit_of(unit, q.power), 13, detail::Anchor::start, {0.4, 0.4, 0.44, 1});
    line += 26;
  }
}
}  // namespace

Figure section_figure(const std::string& name, const std::string& title, const SectionProperties& section,
                      const std::string& unit) {
  const bool svg = name.size() > 4 && name.substr(name.size() - 4) == ".svg";
  const auto canvas = svg ? detail::svg_canvas(1280, 800) : detail::png_canvas(1280, 800);
  draw_sheet(*canvas, title, section, unit);
  return {name, canvas->finish()};
}

}  // namespace archway::report
