#include "archway/imperfection/standards.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::imperfection {

namespace {
std::size_t place_in(const std::vector<std::string>& words, const std::string& word, const std::string& what) {
  const auto found = std::find(words.begin(), words.end(), word);
  if (found == words.end())
    throw base::InputError("", fmt::format("there is no {} '{}'", what, word), base::suggestion(word, words));
  return static_cast<std::size_t>(found - words.begin());
}

std::size_t quality_of(const ShellWall& wall) {
  return place_in({"A", "B", "C"}, wall.quality, "quality class");
}
}  // namespace

StandardAmplitude member_bow(double length, const std::string& curve, bool plastic) {
  static const std::array<std::array<int, 2>, 5> part = {{{350, 300}, {300, 250}, {250, 200}, {200, 150}, {150, 100}}};
  const int n = part[place_in({"a0", "a", "b", "c", "d"}, curve, "buckling curve")][plastic ? 1 : 0];
  return {
      length / n, "EN 1993-1-1 Table 5.1",
      fmt::format("L / {} = {:.6g} / {}, curve {}, {} analysis", n, length, n, curve, plastic ? "plastic" : "elastic")};
}

std::string buckling_curve(const SectionKind& s, bool about_z) {
  if (s.shape == "i" && s.made == "rolled") {
    if (s.height > 1.2 * s.width) return s.flange <= 40 ? (about_z ? "b" : "a") : (about_z ? "c" : "b");
    return s.flange <= 100 ? (about_z ? "c" : "b") : "d";
  }
  if (s.shape == "i" && s.made == "welded") return s.flange <= 40 ? (about_z ? "c" : "b") : (about_z ? "d" : "c");
  if (s.shape == "hollow" && s.made == "hot-finished") return "a";
  if (s.shape == "hollow" && s.made == "cold-formed") return "c";
  if (s.shape == "box" || s.shape == "angle") return "b";
  if (s.shape == "solid") return "c";
  throw base::InputError("", fmt::format("Table 6.2 has no curve for '{}' of fabrication '{}'", s.shape, s.made),
                         s.shape == "hollow" ? "give fabrication = \"hot-finished\" or \"cold-formed\""
                                             : "give fabrication = \"rolled\" or \"welded\", or give the curve");
}

StandardAmplitude frame_sway(double height, double metre, int columns) {
  const double h = height / metre, free = 2 / std::sqrt(h), of_height = std::clamp(free, 2.0 / 3, 1.0);
  const double of_columns = std::sqrt(0.5 * (1 + 1.0 / columns)), rotation = of_height * of_columns / 200;
  return {
      rotation * height, "EN 1993-1-1 5.3.2(3)a",
      fmt::format("phi = 1/200 x alpha_h {:.4g} (2 / sqrt({:.4g} m), between 2/3 and 1) x alpha_m {:.4g} (m = {}) = "
                  "1/{:.4g}, times the height {:.6g}",
                  of_height, h, of_columns, columns, 1 / rotation, height)};
}

namespace {
StandardAmplitude least_side(double a, double b, int part, const char* what) {
  return {std::min(a, b) / part, "EN 1993-1-5 Table C.2",
          fmt::format("{}: min(a, b) / {} = min({:.6g}, {:.6g}) / {}", what, part, a, b, part)};
}
}  // namespace

StandardAmplitude panel_bow(double a, double b) {
  return least_side(a, b, 200, "panel or subpanel");
}
StandardAmplitude stiffener_bow(double a, double b) {
  return least_side(a, b, 400, "longitudinal stiffener");
}
StandardAmplitude flange_rotation(double width) {
  return {width / 50, "EN 1993-1-5 Table C.2",
          fmt::format("local stiffener or flange: twist 1/50 x width {:.6g}", width)};
}

StandardAmplitude shell_dimple(const ShellWall& w) {
  static const std::array<double, 3> kU = {0.010, 0.016, 0.025};
  const double u = kU[quality_of(w)], root = std::sqrt(w.radius * w.thickness);
  const bool around = place_in({"axial", "around", "shear"}, w.compression, "direction of compression") > 0;
  double gauge = 4 * root;
  std::string told = fmt::format("l_gx = 4 sqrt(r t) = {:.5g}", gauge);
  if (around) {
    const double across = std::min(2.3 * std::sqrt(w.length * root), w.radius);
    if (across > gauge) gauge = across, told = fmt::format("l_gtheta = 2.3 (l^2 r t)^0.25, at most r, = {:.5g}", gauge);
  }
  const double first = gauge * u, second = 25 * w.thickness * u;
  return {std::max(first, second), "EN 1993-1-6 8.7.2",
          fmt::format("class {}: the larger of {} x U_n1 {:g} = {:.5g} and 25 t U_n2 = 25 x {:g} x {:g} = {:.5g}; r = "
                      "{:.6g}, t = {:.6g}",
                      w.quality, told, u, first, w.thickness, u, second, w.radius, w.thickness)};
}

StandardAmplitude shell_ovality(const ShellWall& w) {
  static const std::array<std::array<double, 3>, 2> kU = {{{0.014, 0.020, 0.030}, {0.007, 0.010, 0.015}}};
  const auto k = quality_of(w);
  const double d = 2 * w.radius / w.metre;
  const double share = std::clamp((1.25 - d) / 0.75, 0.0, 1.0);
  const double u = kU[1][k] + share * (kU[0][k] - kU[1][k]);
  return {0.5 * u * w.radius, "EN 1993-1-6 Table 8.1",
          fmt::format("class {}, d = {:.4g} m: U_r = {:.4g}, times r / 2 = {:.6g} / 2", w.quality, d, u, w.radius)};
}

}  // namespace archway::imperfection
