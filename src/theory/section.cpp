#include "archway/theory/section.hpp"

#include <algorithm>
#include <cmath>
#include <functional>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "section_detail.hpp"

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

Polygon hole(Polygon outline) {
  std::reverse(outline.begin(), outline.end());
  return outline;
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
  s.fourth_moment = b * std::pow(h, 5) / 80 + std::pow(b * h, 3) / 72 + h * std::pow(b, 5) / 80;
  s.plastic_modulus_y = b * h * h / 4;
  s.plastic_modulus_z = h * b * b / 4;
  s.fibre_y = b / 2;
  s.fibre_z = h / 2;
  s.outline = {box(b, h)};
  const double wide = std::max(d.at("width"), d.at("height")) / 2, thin = std::min(d.at("width"), d.at("height"));
  if (d.at("width") > d.at("height"))
    s.walls.points = {{-wide, 0}, {wide, 0}};
  else
    s.walls.points = {{0, -wide}, {0, wide}};
  s.walls.walls = {{0, 1, thin}};
  s.plates = {{-b / 2, b / 2, -h / 2, h / 2}};
  return s;
}

SectionProperties circle(const Dimensions& d) {
  const double r = d.at("diameter") / 2;
  SectionProperties s;
  s.area = kPi * r * r;
  s.second_moment_y = s.second_moment_z = kPi * r * r * r * r / 4;
  s.torsion_constant = 2 * s.second_moment_y;
  s.shear_area_y = s.shear_area_z = 0.9 * s.area;
  s.fourth_moment = kPi * std::pow(r, 6) / 3;
  s.plastic_modulus_y = s.plastic_modulus_z = 4 * r * r * r / 3;
  s.fibre_y = s.fibre_z = r;
  s.outline = {round(2 * r)};
  s.round = r;
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
  s.fourth_moment =
      rectangle({{"width", b}, {"height", h}}).fourth_moment - rectangle({{"width", bi}, {"height", hi}}).fourth_moment;
  s.plastic_modulus_y = (b * h * h - bi * hi * hi) / 4;
  s.plastic_modulus_z = (h * b * b - hi * bi * bi) / 4;
  s.fibre_y = b / 2;
  s.fibre_z = h / 2;
  s.outline = {box(b, h), hole(box(bi, hi))};
  s.walls.points = {{-bm / 2, -hm / 2}, {bm / 2, -hm / 2}, {bm / 2, hm / 2}, {-bm / 2, hm / 2}};
  s.walls.walls = {{0, 1, t}, {1, 2, t}, {2, 3, t}, {3, 0, t}};
  s.plates = {{-b / 2, b / 2, -h / 2, t - h / 2},
              {-b / 2, b / 2, h / 2 - t, h / 2},
              {-b / 2, t - b / 2, t - h / 2, h / 2 - t},
              {b / 2 - t, b / 2, t - h / 2, h / 2 - t}};
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
  s.fourth_moment = kPi * (std::pow(ro, 6) - std::pow(ri, 6)) / 3;
  s.plastic_modulus_y = s.plastic_modulus_z = 4 * (ro * ro * ro - ri * ri * ri) / 3;
  s.fibre_y = s.fibre_z = ro;
  s.outline = {round(2 * ro), hole(round(2 * ri))};
  s.round = ro;
  s.hole = ri;
  return s;
}

/// Section of plates that do not overlap: areas and moments as they are, the sectorial part by the theory of thin
/// walls. The shear centre is kept where the middle lines have it.
SectionProperties plated(const std::vector<SectionPlate>& plates, const ThinWalled& lines) {
  SectionProperties thin = thin_walled_properties(lines), s = thin;
  s.area = s.centroid_y = s.centroid_z = 0;
  for (const auto& p : plates) {
    const double area = (p.y1 - p.y0) * (p.z1 - p.z0);
    s.area += area;
    s.centroid_y += area * 0.5 * (p.y0 + p.y1);
    s.centroid_z += area * 0.5 * (p.z0 + p.z1);
  }
  s.centroid_y /= s.area;
  s.centroid_z /= s.area;
  s.shear_centre_y += thin.centroid_y - s.centroid_y;
  s.shear_centre_z += thin.centroid_z - s.centroid_z;
  const auto clean = [&](double& value) {
    if (std::abs(value) < 1e-9 * std::sqrt(s.area)) value = 0;
  };
  clean(s.shear_centre_y);
  clean(s.shear_centre_z);
  s.walls = lines;
  for (auto& [y, z] : s.walls.points) y -= s.centroid_y, z -= s.centroid_z;
  s.second_moment_y = s.second_moment_z = s.product_moment = s.wagner_y = s.wagner_z = s.fourth_moment = 0;
  s.torsion_constant = 0;
  s.fibre_y = s.fibre_z = 0;
  s.outline.clear();
  static const double places[3] = {0.5 - 0.5 * std::sqrt(0.6), 0.5, 0.5 + 0.5 * std::sqrt(0.6)};
  static const double weights[3] = {5. / 18, 8. / 18, 5. / 18};
  std::vector<detail::Spread> along_y, along_z;
  for (const auto& p : plates) {
    const double area = (p.y1 - p.y0) * (p.z1 - p.z0);
    const double y0 = p.y0 - s.centroid_y, y1 = p.y1 - s.centroid_y, z0 = p.z0 - s.centroid_z, z1 = p.z1 - s.centroid_z;
    for (int i = 0; i < 3; ++i)
      for (int j = 0; j < 3; ++j) {  // exact for all that is integrated here
        const double w = area * weights[i] * weights[j], y = y0 + places[i] * (y1 - y0), z = z0 + places[j] * (z1 - z0);
        const double r2 = std::pow(y - s.shear_centre_y, 2) + std::pow(z - s.shear_centre_z, 2);
        s.second_moment_y += w * z * z;
        s.second_moment_z += w * y * y;
        s.product_moment += w * y * z;
        s.wagner_y += w * z * r2;
        s.wagner_z += w * y * r2;
        s.fourth_moment += w * r2 * r2;
      }
    s.torsion_constant += area * std::pow(std::min(y1 - y0, z1 - z0), 2) / 3;
    along_y.push_back({area, y0, y1});
    along_z.push_back({area, z0, z1});
    s.fibre_y = std::max({s.fibre_y, std::abs(y0), std::abs(y1)});
    s.fibre_z = std::max({s.fibre_z, std::abs(z0), std::abs(z1)});
    s.outline.push_back({{y0, z0}, {y1, z0}, {y1, z1}, {y0, z1}});
    s.plates.push_back({y0, y1, z0, z1});
  }
  s.plastic_modulus_y = detail::plastic_modulus(along_z);
  s.plastic_modulus_z = detail::plastic_modulus(along_y);
  detail::find_principal_axes(s);
  return s;
}

void require(bool fits, const char* problem, const char* remedy) {
  if (!fits) throw base::InputError("", problem, remedy);
}

SectionProperties i_section(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), tf = d.at("flange"), tw = d.at("web");
  const double bb = d.count("bottom_width") ? d.at("bottom_width") : b;
  const double tb = d.count("bottom_flange") ? d.at("bottom_flange") : tf;
  require(tf + tb < h && tw <= std::min(b, bb), "flanges or web of the I section do not fit its height and width",
          "check flange and web");
  return plated(
      {{-b / 2, b / 2, h - tf, h}, {-tw / 2, tw / 2, tb, h - tf}, {-bb / 2, bb / 2, 0, tb}},
      {{{0, tb / 2}, {-bb / 2, tb / 2}, {bb / 2, tb / 2}, {0, h - tf / 2}, {-b / 2, h - tf / 2}, {b / 2, h - tf / 2}},
       {{0, 1, tb}, {0, 2, tb}, {0, 3, tw}, {3, 4, tf}, {3, 5, tf}}});
}

SectionProperties channel(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), tf = d.at("flange"), tw = d.at("web");
  require(2 * tf < h && tw < b, "flanges or web of the channel do not fit its height and width",
          "check flange and web");
  const double z0 = tf / 2, z1 = h - tf / 2;
  return plated({{0, tw, tf, h - tf}, {0, b, 0, tf}, {0, b, h - tf, h}},
                {{{tw / 2, z0}, {tw / 2, z1}, {b, z0}, {b, z1}}, {{0, 1, tw}, {0, 2, tf}, {1, 3, tf}}});
}

SectionProperties angle(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), t = d.at("thickness");
  require(t < std::min(b, h), "the angle is thicker than a leg is long", "reduce thickness");
  return plated({{0, b, 0, t}, {0, t, t, h}}, {{{t / 2, t / 2}, {b, t / 2}, {t / 2, h}}, {{0, 1, t}, {0, 2, t}}});
}

SectionProperties tee(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), tf = d.at("flange"), tw = d.at("web"), z = h - tf / 2;
  require(tf < h && tw < b, "flange or web of the tee do not fit its height and width", "check flange and web");
  return plated({{-b / 2, b / 2, h - tf, h}, {-tw / 2, tw / 2, 0, h - tf}},
                {{{0, z}, {-b / 2, z}, {b / 2, z}, {0, 0}}, {{0, 1, tf}, {0, 2, tf}, {0, 3, tw}}});
}

SectionProperties zed(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), t = d.at("thickness"), z0 = t / 2, z1 = h - t / 2;
  require(t < b && 2 * t < h, "the walls of the zed are thicker than its width or half its height", "reduce thickness");
  return plated({{-t / 2, t / 2, t, h - t}, {t / 2 - b, t / 2, 0, t}, {-t / 2, b - t / 2, h - t, h}},
                {{{0, z0}, {0, z1}, {t / 2 - b, z0}, {b - t / 2, z1}}, {{0, 1, t}, {0, 2, t}, {1, 3, t}}});
}

SectionProperties lipped_channel(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), c = d.at("lip"), t = d.at("thickness");
  require(2 * t < b && 2 * c <= h && c > t, "lips or walls of the lipped channel do not fit its height and width",
          "a lip must be longer than the wall is thick and shorter than half the height");
  const double y0 = t / 2, y1 = b - t / 2, z0 = t / 2, z1 = h - t / 2;
  return plated({{0, t, t, h - t}, {0, b, 0, t}, {0, b, h - t, h}, {b - t, b, t, c}, {b - t, b, h - c, h - t}},
                {{{y0, z0}, {y0, z1}, {y1, z0}, {y1, z1}, {y1, c}, {y1, h - c}},
                 {{0, 1, t}, {0, 2, t}, {1, 3, t}, {2, 4, t}, {3, 5, t}}});
}

SectionProperties cross(const Dimensions& d) {
  const double b = d.at("width"), h = d.at("height"), t = d.at("thickness");
  require(t < std::min(b, h), "the cross is thicker than an arm is long", "reduce thickness");
  return plated(
      {{-t / 2, t / 2, -h / 2, h / 2}, {-b / 2, -t / 2, -t / 2, t / 2}, {t / 2, b / 2, -t / 2, t / 2}},
      {{{0, 0}, {b / 2, 0}, {-b / 2, 0}, {0, h / 2}, {0, -h / 2}}, {{0, 1, t}, {0, 2, t}, {0, 3, t}, {0, 4, t}}});
}

SectionProperties given(const Dimensions& d) {
  SectionProperties s;
  const auto take = [&](const char* name, double otherwise) { return d.count(name) ? d.at(name) : otherwise; };
  s.area = d.at("area");
  s.second_moment_y = d.at("second_moment_y");
  s.second_moment_z = d.at("second_moment_z");
  s.torsion_constant = d.at("torsion_constant");
  s.shear_area_y = take("shear_area_y", 5 * s.area / 6);
  s.shear_area_z = take("shear_area_z", 5 * s.area / 6);
  s.product_moment = take("product_moment", 0);
  s.warping_constant = take("warping_constant", 0);
  s.shear_centre_y = take("shear_centre_y", 0);
  s.shear_centre_z = take("shear_centre_z", 0);
  s.wagner_y = take("monosymmetry_y", 0) * s.second_moment_y;
  s.wagner_z = take("monosymmetry_z", 0) * s.second_moment_z;
  // fibres and the shear of warping as in an I of two equal flanges with these moments
  s.fibre_y = take("outer_fibre_y", std::sqrt(3 * s.second_moment_z / s.area));
  s.fibre_z = take("outer_fibre_z", std::sqrt(s.second_moment_y / s.area));
  s.warping_shear = s.warping_constant > 0 ? take("warping_shear", 5. / 6 * s.second_moment_y) : 0;
  require(s.second_moment_y * s.second_moment_z > s.product_moment * s.product_moment,
          "the product moment is larger than the second moments allow", "Iyz^2 must be less than Iy Iz");
  s.outline = {box(2 * s.fibre_y, 2 * s.fibre_z)};
  // of an I with two equal flanges, whose sectorial coordinate is y z at the tips: scaled to the warping constant given
  const double warp = s.fibre_y * std::sqrt(std::max(0.0, s.warping_constant) / s.second_moment_z);
  for (const double y : {-1.0, 1.0})
    for (const double z : {-1.0, 1.0}) s.stress_points.push_back({y * s.fibre_y, z * s.fibre_z, y * z * warp});
  detail::find_principal_axes(s);
  return s;
}

using Maker = std::function<SectionProperties(const Dimensions&)>;
struct Shape {
  ShapeDescription description;
  Maker make;
};
const std::vector<Shape>& shapes() {
  static const std::vector<Shape> table = {
      {{"rectangle", {"width", "height"}, {}}, rectangle},
      {{"circle", {"diameter"}, {}}, circle},
      {{"rectangular-hollow", {"width", "height", "thickness"}, {}}, rectangular_hollow},
      {{"circular-hollow", {"diameter", "thickness"}, {}}, circular_hollow},
      {{"i", {"width", "height", "flange", "web"}, {"bottom_width", "bottom_flange"}}, i_section},
      {{"channel", {"width", "height", "flange", "web"}, {}}, channel},
      {{"angle", {"width", "height", "thickness"}, {}}, angle},
      {{"tee", {"width", "height", "flange", "web"}, {}}, tee},
      {{"zed", {"width", "height", "thickness"}, {}}, zed},
      {{"lipped-channel", {"width", "height", "lip", "thickness"}, {}}, lipped_channel},
      {{"cross", {"width", "height", "thickness"}, {}}, cross},
      {{"given",
        {"area", "second_moment_y", "second_moment_z", "torsion_constant"},
        {"product_moment", "shear_area_y", "shear_area_z", "warping_constant", "warping_shear", "shear_centre_y",
         "shear_centre_z", "monosymmetry_y", "monosymmetry_z", "outer_fibre_y", "outer_fibre_z"}},
       given}};
  return table;
}

/// Dimensions that may be negative or zero: places and constants of unsymmetric sections.
bool signed_dimension(const std::string& name) {
  return name.rfind("shear_centre", 0) == 0 || name.rfind("monosymmetry", 0) == 0 || name == "product_moment" ||
         name == "warping_constant";
}
}  // namespace

double SectionProperties::radius_of_gyration_y() const {
  return std::sqrt(second_moment_y / area);
}
double SectionProperties::radius_of_gyration_z() const {
  return std::sqrt(second_moment_z / area);
}
double SectionProperties::polar_radius() const {
  return std::sqrt((second_moment_y + second_moment_z) / area + shear_centre_y * shear_centre_y +
                   shear_centre_z * shear_centre_z);
}
double SectionProperties::elastic_modulus_y() const {
  return second_moment_y / fibre_z;
}
double SectionProperties::elastic_modulus_z() const {
  return second_moment_z / fibre_y;
}

const std::vector<ShapeDescription>& known_shapes() {
  static const std::vector<ShapeDescription> list = [] {
    std::vector<ShapeDescription> all;
    for (const auto& shape : shapes()) all.push_back(shape.description);
    return all;
  }();
  return list;
}

SectionProperties section_properties(const std::string& shape, const Dimensions& dimensions) {
  std::vector<std::string> names;
  for (const auto& known : shapes()) {
    names.push_back(known.description.name);
    if (known.description.name != shape) continue;
    for (const auto& name : known.description.dimensions)
      if (dimensions.count(name) == 0)
        throw base::InputError("", fmt::format("profile shape '{}' needs '{}'", shape, name),
                               fmt::format("give {}", fmt::join(known.description.dimensions, ", ")));
    for (const auto& [name, value] : dimensions)
      if (!(value > 0) && !signed_dimension(name))
        throw base::InputError("", fmt::format("'{}' of a profile is {}", name, value), "it must be above zero");
    SectionProperties s = known.make(dimensions);
    if (shape != "given") set_fibres(s, kFibres);
    detail::find_principal_axes(s);
    return s;
  }
  throw base::InputError("", fmt::format("unknown profile shape '{}'", shape),
                         base::suggestion(shape, names, "use one of"));
}

SectionProperties mirrored(SectionProperties s) {
  for (double* odd : {&s.centroid_y, &s.product_moment, &s.principal_angle, &s.shear_centre_y, &s.shear_area_yz,
                      &s.wagner_z, &s.wagner_warp})
    *odd = -*odd;
  for (auto& polygon : s.outline) {
    for (auto& point : polygon) point.first = -point.first;
    std::reverse(polygon.begin(), polygon.end());  // material stays anticlockwise
  }
  for (double& omega : s.omega) omega = -omega;
  for (auto& fibre : s.fibres) fibre.y = -fibre.y, fibre.omega = -fibre.omega;
  for (auto& point : s.stress_points) point.y = -point.y, point.omega = -point.omega;
  for (auto& plate : s.plates) plate = {-plate.y1, -plate.y0, plate.z0, plate.z1};
  for (auto& point : s.walls.points) point.first = -point.first;
  return s;
}

std::vector<SectionQuantity> quantities(const SectionProperties& s) {
  return {{"A", "area", s.area, 2},
          {"y_c, from origin", "centroid", s.centroid_y, 1},
          {"z_c, from origin", "centroid", s.centroid_z, 1},
          {"I_y", "second moment about y", s.second_moment_y, 4},
          {"I_z", "second moment about z", s.second_moment_z, 4},
          {"I_yz", "product moment", s.product_moment, 4},
          {"I_u", "principal, major", s.principal_major, 4},
          {"I_v", "principal, minor", s.principal_minor, 4},
          {"alpha", "y to major axis, degrees", s.principal_angle * 180 / kPi, 0},
          {"i_y", "radius of gyration", s.radius_of_gyration_y(), 1},
          {"i_z", "radius of gyration", s.radius_of_gyration_z(), 1},
          {"i_0", "polar radius about S", s.polar_radius(), 1},
          {"J", "torsion constant", s.torsion_constant, 4},
          {"I_w", "warping constant", s.warping_constant, 6},
          {"y_S, from centroid", "shear centre", s.shear_centre_y, 1},
          {"z_S, from centroid", "shear centre", s.shear_centre_z, 1},
          {"beta_y", "monosymmetry, bending about y", s.monosymmetry_y(), 1},
          {"beta_z", "monosymmetry, bending about z", s.monosymmetry_z(), 1},
          {"A_y", "shear area along y", s.shear_area_y, 2},
          {"A_z", "shear area along z", s.shear_area_z, 2},
          {"W_y", "elastic modulus", s.elastic_modulus_y(), 3},
          {"W_z", "elastic modulus", s.elastic_modulus_z(), 3},
          {"W_pl,y", "plastic modulus", s.plastic_modulus_y, 3},
          {"W_pl,z", "plastic modulus", s.plastic_modulus_z, 3}};
}

}  // namespace archway::theory
