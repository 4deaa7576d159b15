#include "archway/base/errors.hpp"
#include "archway/theory/formulas.hpp"
#include "archway/theory/section.hpp"
#include "support/digits.hpp"

using namespace archway::theory;

namespace {
struct Known {
  std::string shape;
  std::map<std::string, double> dimensions;
  double area, iy, iz, torsion;
  double torsion_digits;
};

/// Area and second moments of the outline by Green's theorem: a second way to the same numbers.
struct Polygonal {
  double area = 0, iy = 0, iz = 0;
};
Polygonal measure(const std::vector<std::vector<std::pair<double, double>>>& outline) {
  Polygonal sum;
  for (std::size_t loop = 0; loop < outline.size(); ++loop) {
    const auto& p = outline[loop];
    double a = 0, iy = 0, iz = 0;
    for (std::size_t i = 0; i < p.size(); ++i) {
      const auto [y0, z0] = p[i];
      const auto [y1, z1] = p[(i + 1) % p.size()];
      const double cross = y0 * z1 - y1 * z0;
      a += cross / 2;
      iy += cross * (z0 * z0 + z0 * z1 + z1 * z1) / 12;
      iz += cross * (y0 * y0 + y0 * y1 + y1 * y1) / 12;
    }
    const double sign = loop == 0 ? 1 : -1;
    sum.area += sign * std::abs(a);
    sum.iy += sign * std::abs(iy);
    sum.iz += sign * std::abs(iz);
  }
  return sum;
}
}  // namespace

TEST_CASE("section: known values", "[theory][fast]") {
  const double pi = 3.14159265358979323846;
  const auto known = GENERATE_COPY(values<Known>({
      {"rectangle", {{"width", 30}, {"height", 60}}, 1800, 540000, 135000, 0.229 * 60 * 27000, 2.8},
      {"rectangle", {{"width", 1}, {"height", 1}}, 1, 1. / 12, 1. / 12, 0.1405770, 5.5},
      {"circle", {{"diameter", 20}}, pi * 100, pi * 2500, pi * 2500, pi * 5000, 14},
      {"circular-hollow",
       {{"diameter", 50}, {"thickness", 5}},
       pi * 225,
       pi / 4 * (390625 - 160000),
       pi / 4 * (390625 - 160000),
       pi / 2 * (390625 - 160000),
       13},
      {"rectangular-hollow",
       {{"width", 40}, {"height", 80}, {"thickness", 4}},
       896,
       711338.6666667,
       230058.6666667,
       4 * 36. * 36 * 76 * 76 / (2 * 112. / 4),
       12},
      {"i",
       {{"width", 100}, {"height", 200}, {"flange", 10}, {"web", 6}},
       3080,
       20977333.33,
       1669906.667 - 663.3333,
       (2 * 100 * 1e3 + 180 * 216) / 3.0,
       12},
  }));
  INFO(known.shape);
  const auto s = section_properties(known.shape, known.dimensions);
  CHECK_DIGITS(s.area, known.area, 12, "closed form");
  CHECK_DIGITS(s.torsion_constant, known.torsion, known.torsion_digits, "closed form or tabulated");
  if (known.shape != "i") {
    CHECK_DIGITS(s.second_moment_y, known.iy, 8, "closed form");
    CHECK_DIGITS(s.second_moment_z, known.iz, 8, "closed form");
  }
  CHECK(s.shear_area_y > 0);
  CHECK(s.shear_area_z > 0);
  CHECK(s.shear_area_y < s.area);
}

TEST_CASE("section: straight-sided outlines give the same area and second moments", "[theory][fast]") {
  for (const auto& [shape, dimensions] : std::vector<std::pair<std::string, std::map<std::string, double>>>{
           {"rectangle", {{"width", 34}, {"height", 13}}},
           {"rectangular-hollow", {{"width", 60}, {"height", 40}, {"thickness", 3}}},
           {"i", {{"width", 82}, {"height", 160}, {"flange", 7.4}, {"web", 5}}}}) {
    INFO(shape);
    const auto s = section_properties(shape, dimensions);
    const auto p = measure(s.outline);
    CHECK_DIGITS(s.area, p.area, 12, "Green's theorem on the drawn outline");
    CHECK_DIGITS(s.second_moment_y, p.iy, 12, "Green's theorem on the drawn outline");
    CHECK_DIGITS(s.second_moment_z, p.iz, 12, "Green's theorem on the drawn outline");
  }
}

TEST_CASE("section: swapping width and height swaps the axes", "[theory][fast]") {
  const auto a = section_properties("rectangle", {{"width", 20}, {"height", 50}});
  const auto b = section_properties("rectangle", {{"width", 50}, {"height", 20}});
  CHECK_DIGITS(a.second_moment_y, b.second_moment_z, 15, "the same formula");
  CHECK_DIGITS(a.torsion_constant, b.torsion_constant, 14, "torsion has no axes");
}

TEST_CASE("section: impossible shapes are refused with a remedy", "[theory][fast]") {
  using archway::base::InputError;
  const auto message = [](const std::string& shape, const std::map<std::string, double>& d) {
    try {
      section_properties(shape, d);
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  CHECK(message("rectangel", {}).find("did you mean 'rectangle'") != std::string::npos);
  CHECK(message("rectangle", {{"width", 3}}).find("needs 'height'") != std::string::npos);
  CHECK(message("circle", {{"diameter", -3}}).find("above zero") != std::string::npos);
  CHECK(message("circular-hollow", {{"diameter", 20}, {"thickness", 10}}).find("reduce thickness") !=
        std::string::npos);
  CHECK(message("rectangular-hollow", {{"width", 20}, {"height", 30}, {"thickness", 11}}).find("reduce thickness") !=
        std::string::npos);
  CHECK(message("i", {{"width", 20}, {"height", 30}, {"flange", 15}, {"web", 2}}).find("do not fit") !=
        std::string::npos);
}

TEST_CASE("formulas: relations between them", "[theory][fast]") {
  const double e = 210000, i = 1e6, length = 3000;
  CHECK_DIGITS(euler_load(e, i, length, 2), euler_load(e, i, length, 1) / 4, 14,
               "the same formula, only rounding differs");
  CHECK_DIGITS(euler_load(e, i, length, 0.5), 4 * euler_load(e, i, length, 1), 14, "the same formula");
  const double euler = euler_load(e, i, length, 1);
  for (const double rigidity : {1e4, 1e6, 1e12}) {
    const double p = haringx_load(euler, rigidity);
    CHECK_DIGITS(p * (1 + p / rigidity), euler, 13, "it solves its own equation");
    CHECK(p < euler);
  }
  CHECK_DIGITS(haringx_load(euler, 1e30), euler, 14, "no shear deformation left");
  CHECK_DIGITS(plate_load(4, e, 0.3, 10, 500), 4 * 9.8696044010893586 * e * 1000 / (12 * 0.91) / 250000, 14,
               "written out");
  CHECK_DIGITS(cylinder_axial_load(71000, 0.33, 250, 1.1), 210.174422, 8, "computed independently");
  CHECK_DIGITS(ring_pressure(17750000, 210, true), 5.74991902, 8, "computed independently");
  CHECK_DIGITS(ring_pressure(17750000, 210, false), 7.66655869, 8, "computed independently");
}
