#include "archway/theory/section.hpp"

#include <cmath>
#include <functional>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::theory {

namespace {
constexpr double kPi = 3.14159265358979323846;
using Dimensions = std::map<std::string, double>;
using Polygon = std::vector<std::pair<double, double>>;

Polygon box(double width, double height) {
  const double y = width / 2, z = height / 2;
  return {{-y, -z}, {y, -z}, {y, z}, {-y, z}};
}

Polygon round(double diameter) {
  Polygon points;
  for (int i = 0; i < 24; ++i)
    points.emplace_back(0.5 * diameter * std::cos(2 * kPi * i / 24), 0.5 * diameter * std::sin(2 * kPi * i / 24));
  return points;
}

/// St Venant constant of a solid rectangle, a >= b: a b^3 (1/3 - 64 b/(pi^5 a) sum tanh(n pi a/2b)/n^5), n odd.
double rectangle_torsion(double width, double height) {
  const double a = std::max(width, height), b = std::min(width, height);
  double sum = 0;
  for (int n = 1; n < 60; n += 2) sum += std::tanh(n * kPi * a / (2 * b)) / std::pow(n, 5);
  return a * b * b * b * (1.0 / 3.0 - 64.0 / std::pow(kPi, 5) * (b / a) * sum);
}

SectionProperties rectangle(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height");
  SectionProperties s;
  s.area = b * h;
  s.second_moment_y = b * h * h * h / 12;
  s.second_moment_z = h * b * b * b / 12;
  s.torsion_constant = rectangle_torsion(b, h);
  s.shear_area_y = s.shear_area_z = s.area * 5 / 6;
  s.fibre_y = b / 2;
  s.fibre_z = h / 2;
  s.outline = {box(b, h)};
  return s;
}

SectionProperties circle(const Dimensions& d) {
  const double r = d.at("diameter") / 2;
  SectionProperties s;
  s.area = kPi * r * r;
  s.second_moment_y = s.second_moment_z = kPi * r * r * r * r / 4;
  s.torsion_constant = 2 * s.second_moment_y;
  s.shear_area_y = s.shear_area_z = 0.9 * s.area;
  s.fibre_y = s.fibre_z = r;
  s.outline = {round(2 * r)};
  return s;
}

SectionProperties rectangular_hollow(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), t = d.at("thickness");
  if (2 * t >= std::min(b, h))
    throw base::InputError("", "the wall is thicker than half the rectangular hollow section", "reduce thickness");
  const double bi = b - 2 * t, hi = h - 2 * t, bm = b - t, hm = h - t;
  SectionProperties s;
  s.area = b * h - bi * hi;
  s.second_moment_y = (b * h * h * h - bi * hi * hi * hi) / 12;
  s.second_moment_z = (h * b * b * b - hi * bi * bi * bi) / 12;
  s.torsion_constant = 2 * t * bm * bm * hm * hm / (bm + hm);
  s.shear_area_y = 2 * t * bm;
  s.shear_area_z = 2 * t * hm;
  s.fibre_y = b / 2;
  s.fibre_z = h / 2;
  s.outline = {box(b, h), box(bi, hi)};
  return s;
}

SectionProperties circular_hollow(const Dimensions& d) {
  const double ro = d.at("diameter") / 2, t = d.at("thickness"), ri = ro - t;
  if (ri <= 0) throw base::InputError("", "the wall is thicker than the tube's radius", "reduce thickness");
  SectionProperties s;
  s.area = kPi * (ro * ro - ri * ri);
  s.second_moment_y = s.second_moment_z = kPi * (std::pow(ro, 4) - std::pow(ri, 4)) / 4;
  s.torsion_constant = 2 * s.second_moment_y;
  s.shear_area_y = s.shear_area_z = 0.5 * s.area;
  s.fibre_y = s.fibre_z = ro;
  s.outline = {round(2 * ro), round(2 * ri)};
  return s;
}

SectionProperties doubly_symmetric_i(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), tf = d.at("flange"), tw = d.at("web"), hw = h - 2 * tf;
  if (hw <= 0 || tw > b)
    throw base::InputError("", "flanges or web of the I section do not fit its height and width",
                           "check flange and web");
  SectionProperties s;
  s.area = 2 * b * tf + hw * tw;
  s.second_moment_y = (b * h * h * h - (b - tw) * hw * hw * hw) / 12;
  s.second_moment_z = (2 * tf * b * b * b + hw * tw * tw * tw) / 12;
  s.torsion_constant = (2 * b * tf * tf * tf + hw * tw * tw * tw) / 3;
  s.shear_area_y = 2 * b * tf * 5 / 6;
  s.shear_area_z = tw * (h - tf);
  s.fibre_y = b / 2;
  s.fibre_z = h / 2;
  const double y = b / 2, w = tw / 2, z = h / 2, i = hw / 2;
  s.outline = {
      {{-y, -z}, {y, -z}, {y, -i}, {w, -i}, {w, i}, {y, i}, {y, z}, {-y, z}, {-y, i}, {-w, i}, {-w, -i}, {-y, -i}}};
  return s;
}

using Maker = std::function<SectionProperties(const Dimensions&)>;
const std::map<std::string, Maker>& makers() {
  static const std::map<std::string, Maker> table = {{"rectangle", rectangle},
                                                     {"circle", circle},
                                                     {"rectangular-hollow", rectangular_hollow},
                                                     {"circular-hollow", circular_hollow},
                                                     {"i", doubly_symmetric_i}};
  return table;
}
}  // namespace

const std::vector<ShapeDescription>& known_shapes() {
  static const std::vector<ShapeDescription> shapes = {{"rectangle", {"width", "height"}},
                                                       {"circle", {"diameter"}},
                                                       {"rectangular-hollow", {"width", "height", "thickness"}},
                                                       {"circular-hollow", {"diameter", "thickness"}},
                                                       {"i", {"width", "height", "flange", "web"}}};
  return shapes;
}

SectionProperties section_properties(const std::string& shape, const Dimensions& dimensions) {
  const auto maker = makers().find(shape);
  if (maker == makers().end()) {
    std::vector<std::string> names;
    for (const auto& known : known_shapes()) names.push_back(known.name);
    throw base::InputError("", fmt::format("unknown profile shape '{}'", shape),
                           base::suggestion(shape, names, "use one of"));
  }
  for (const auto& known : known_shapes())
    if (known.name == shape)
      for (const auto& name : known.dimensions) {
        const auto value = dimensions.find(name);
        if (value == dimensions.end())
          throw base::InputError("", fmt::format("profile shape '{}' needs '{}'", shape, name),
                                 fmt::format("give {}", fmt::join(known.dimensions, ", ")));
        if (!(value->second > 0))
          throw base::InputError("", fmt::format("'{}' of a profile is {}", name, value->second),
                                 "it must be above zero");
      }
  return maker->second(dimensions);
}

}  // namespace archway::theory
