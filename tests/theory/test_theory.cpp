#include "archway/base/errors.hpp"
#include "archway/theory/formulas.hpp"
#include "archway/theory/section.hpp"
#include "support/digits.hpp"

namespace formulas_known_tests {

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
    sum.area += a;
    sum.iy += iy;
    sum.iz += iz;
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
           {"i", {{"width", 82}, {"height", 160}, {"flange", 7.4}, {"web", 5}}},
           {"i",
            {{"width", 82}, {"height", 160}, {"flange", 7.4}, {"web", 5}, {"bottom_width", 50}, {"bottom_flange", 6}}},
           {"channel", {{"width", 60}, {"height", 140}, {"flange", 8}, {"web", 5}}},
           {"angle", {{"width", 60}, {"height", 90}, {"thickness", 7}}},
           {"tee", {{"width", 90}, {"height", 70}, {"flange", 8}, {"web", 6}}},
           {"zed", {{"width", 50}, {"height", 120}, {"thickness", 4}}},
           {"lipped-channel", {{"width", 60}, {"height", 150}, {"lip", 18}, {"thickness", 2}}},
           {"cross", {{"width", 80}, {"height", 60}, {"thickness", 5}}}}) {
    INFO(shape);
    const auto s = section_properties(shape, dimensions);
    const auto p = measure(s.outline);
    CHECK_DIGITS(s.area, p.area, 12, "Green's theorem on the drawn outline");
    CHECK_DIGITS(s.second_moment_y, p.iy, 12, "Green's theorem on the drawn outline");
    CHECK_DIGITS(s.second_moment_z, p.iz, 12, "Green's theorem on the drawn outline");
  }
}

TEST_CASE("section: thin-walled sections against independent values", "[theory][fast]") {
  struct Row {
    std::string name;
    ThinWalled section;
    double area, iy, iz, iyz, j, iw, ys, zs, beta_y, beta_z;
  };
  const std::vector<Row> rows = {
      {"doubly symmetric I",
       {{{0, 0}, {-41, 0}, {41, 0}, {0, 166}, {-41, 166}, {41, 166}},
        {{0, 1, 7.4}, {0, 2, 7.4}, {0, 3, 5.2}, {3, 4, 7.4}, {3, 5, 7.4}}},
       2076.8,
       10342685.3,
       680020.533,
       0.0,
       29932.5547,
       4684661450.0,
       -0.0,
       -0.0,
       -2.16111591e-15,
       0.0},
      {"monosymmetric I",
       {{{0, 0}, {-32, 0}, {32, 0}, {0, 190}, {-55, 190}, {55, 190}},
        {{0, 1, 7}, {0, 2, 7}, {0, 3, 5.5}, {3, 4, 9}, {3, 5, 9}}},
       2483.0,
       15053909.6,
       1151167.33,
       0.0,
       44584.4167,
       4787014900.0,
       0.0,
       49.0240048,
       -127.112163,
       -6.47219599e-15},
      {"channel",
       {{{0, 0}, {0, 134}, {58, 0}, {58, 134}}, {{0, 1, 4.5}, {0, 2, 6}, {1, 3, 6}}},
       1299.0,
       4026633.0,
       466826.864,
       0.0,
       12422.25,
       1464645100.0,
       -38.0397785,
       -7.98002555e-15,
       1.50348885e-14,
       151.814954},
      {"equal angle",
       {{{0, 0}, {66, 0}, {0, 66}}, {{0, 1, 5}, {0, 2, 5}}},
       660.0,
       299475.0,
       299475.0,
       -179685.0,
       5500.0,
       0.0,
       -16.5,
       -16.5,
       NAN,
       NAN},
      {"tee",
       {{{0, 0}, {-45, 0}, {45, 0}, {0, -75}}, {{0, 1, 7}, {0, 2, 7}, {0, 3, 5}}},
       1005.0,
       506354.944,
       425250.0,
       0.0,
       13415.0,
       2.71418638e-24,
       0.0,
       13.9925373,
       -46.9274611,
       -2.19005896e-15},
      {"zed, equal flanges",
       {{{0, 0}, {0, 120}, {-55, 0}, {55, 120}}, {{0, 1, 4}, {0, 2, 4}, {1, 3, 4}}},
       920.0,
       2160000.0,
       443666.667,
       726000.0,
       4906.66667,
       1024291300.0,
       0.0,
       0.0,
       NAN,
       NAN},
      {"cruciform",
       {{{0, 0}, {60, 0}, {-60, 0}, {0, 60}, {0, -60}}, {{0, 1, 5}, {0, 2, 5}, {0, 3, 5}, {0, 4, 5}}},
       1200.0,
       720000.0,
       720000.0,
       0.0,
       10000.0,
       0.0,
       -0.0,
       -0.0,
       -2.58700715e-15,
       -2.58700715e-15},
      {"lipped channel",
       {{{0, 0}, {0, 150}, {64, 0}, {64, 150}, {64, 18}, {64, 132}},
        {{0, 1, 2.4}, {0, 2, 2.4}, {1, 3, 2.4}, {2, 4, 2.4}, {3, 5, 2.4}}},
       753.6,
       2781691.2,
       460254.736,
       -2.91038305e-11,
       1446.912,
       2219295130.0,
       -51.2277186,
       3.1568255e-14,
       -2.3127379e-14,
       170.012018},
  };
  for (const auto& row : rows) {
    INFO(row.name);
    const auto s = thin_walled_properties(row.section);
    const double size = std::sqrt(row.area);
    CHECK_DIGITS(s.area, row.area, 8, "sum of plates");
    CHECK_DIGITS(s.second_moment_y, row.iy, 8, "middle lines");
    CHECK_DIGITS(s.second_moment_z, row.iz, 8, "middle lines");
    CHECK(std::abs(s.product_moment - row.iyz) < 1e-8 * row.iy);
    CHECK_DIGITS(s.torsion_constant, row.j, 8, "sum b t^3 / 3, Bredt in cells");
    CHECK(std::abs(s.warping_constant - row.iw) < 1e-8 * row.iw + 1e-9 * std::pow(row.iy, 1.5));
    CHECK(std::abs(s.shear_centre_y - row.ys) < 1e-7 * size);
    CHECK(std::abs(s.shear_centre_z - row.zs) < 1e-7 * size);
    if (!std::isnan(row.beta_y)) CHECK(std::abs(s.monosymmetry_y() - row.beta_y) < 1e-6 * size);
    if (!std::isnan(row.beta_z)) CHECK(std::abs(s.monosymmetry_z() - row.beta_z) < 1e-6 * size);
  }
}

TEST_CASE("section: closed cells, shear areas and plastic moduli by hand", "[theory][fast]") {
  // a tube of two equal cells: the middle wall carries nothing in torsion
  const double b = 60, h = 80, t = 3;
  const ThinWalled one = {{{0, 0}, {2 * b, 0}, {2 * b, h}, {0, h}}, {{0, 1, t}, {1, 2, t}, {2, 3, t}, {3, 0, t}}};
  const ThinWalled two = {{{0, 0}, {b, 0}, {2 * b, 0}, {2 * b, h}, {b, h}, {0, h}},
                          {{0, 1, t}, {1, 2, t}, {2, 3, t}, {3, 4, t}, {4, 5, t}, {5, 0, t}, {1, 4, t}}};
  const double bredt = 4 * std::pow(2 * b * h, 2) * t / (2 * (2 * b + h)), thin = t * t * t / 3;
  CHECK_DIGITS(thin_walled_properties(one).torsion_constant, bredt + thin * 2 * (2 * b + h), 12, "Bredt");
  CHECK_DIGITS(thin_walled_properties(two).torsion_constant, bredt + thin * (2 * (2 * b + h) + h), 12,
               "by symmetry no flow in the middle wall");
  CHECK(std::abs(thin_walled_properties(two).shear_centre_y) < 1e-9);
  // I section: flow of shear in web and flanges by hand
  const double hm = 160, bf = 80, tf = 8, tw = 5;
  const auto s = thin_walled_properties({{{0, 0}, {-bf / 2, 0}, {bf / 2, 0}, {0, hm}, {-bf / 2, hm}, {bf / 2, hm}},
                                         {{0, 1, tf}, {0, 2, tf}, {0, 3, tw}, {3, 4, tf}, {3, 5, tf}}});
  const double iy = s.second_moment_y;
  double web = 0;
  const int n = 20000;
  for (int i = 0; i < n; ++i) {
    const double z = hm / 2 - (i + 0.5) * hm / n, q = (bf * tf * hm / 2 + tw * 0.5 * (hm * hm / 4 - z * z)) / iy;
    web += q * q / tw * hm / n;
  }
  const double flange = 4 * std::pow(tf * hm / 2 / iy, 2) * std::pow(bf / 2, 3) / 3 / tf;
  CHECK_DIGITS(s.shear_area_z, 1 / (web + flange), 7, "integral of the squared flow");
  CHECK_DIGITS(s.shear_area_y, 5. / 6 * 2 * bf * tf, 10, "parabolas in the two flanges");
  CHECK_DIGITS(s.warping_shear, hm * hm / 4 * 5. / 6 * 2 * bf * tf, 10, "each flange sheared at its arm");
  CHECK_DIGITS(s.plastic_modulus_y, bf * tf * hm + tw * hm * hm / 4, 10, "area times arm");
  CHECK_DIGITS(
      section_properties("tee", {{"width", 50}, {"height", 60}, {"flange", 10}, {"web", 10}}).plastic_modulus_y,
      500 * 5 + 500 * 25, 9, "the axis lies between flange and web");
  // rotation a section changes nothing but the angle
  const double c = std::cos(0.7), d = std::sin(0.7);
  const ThinWalled zed = {{{0, 0}, {0, 120}, {-55, 0}, {55, 120}}, {{0, 1, 4}, {0, 2, 4}, {1, 3, 4}}};
  ThinWalled rotated = zed;
  for (auto& [y, z] : rotated.points) std::tie(y, z) = std::make_pair(c * y - d * z, d * y + c * z);
  const auto p = thin_walled_properties(zed), q = thin_walled_properties(rotated);
  CHECK_DIGITS(q.principal_major, p.principal_major, 12, "invariant");
  CHECK_DIGITS(q.warping_constant, p.warping_constant, 12, "invariant");
  CHECK_DIGITS(q.fourth_moment, p.fourth_moment, 12, "invariant");
  CHECK_DIGITS(p.principal_angle, -0.351080578, 8, "independent value");
  CHECK_DIGITS(q.principal_angle, p.principal_angle + 0.7, 10, "rotated along");
}

TEST_CASE("section: walls that cannot be are reported with their numbers", "[theory][fast]") {
  const auto [section, words] = GENERATE(table<ThinWalled, std::string>({
      {{{{0, 0}, {10, 10}, {0, 10}, {10, 0}}, {{0, 1, 1}, {2, 3, 1}}},
       "wall 1 (points 1 to 2) and wall 2 (points 3 to 4) cross at (5, 5)"},
      {{{{0, 0}, {10, 0}, {20, 5}, {30, 9}}, {{0, 1, 1}, {2, 3, 1}}},
       "wall 2 (points 3 to 4) is not connected to wall 1"},
      {{{{0, 0}, {10, 0}, {5, 0}, {5, 9}}, {{0, 1, 1}, {2, 3, 1}}},
       "wall 2 (points 3 to 4) touches wall 1 (points 1 to 2)"},
      {{{{0, 0}, {0, 0}}, {{0, 1, 1}}}, "has no length"},
      {{{{0, 0}, {5, 0}}, {{0, 1, -2}}}, "has thickness -2"},
      {{{{0, 0}, {5, 0}}, {{0, 7, 2}}}, "names a point that does not exist"},
      {{{{0, 0}, {5, 0}, {9, 0}}, {{0, 1, 2}, {1, 2, 2}}}, "lie on one line"},
      {{{{0, 0}}, {}}, "has no walls"},
  }));
  CHECK_THROWS_WITH(thin_walled_properties(section), Catch::Contains(words));
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

TEST_CASE("section: more fibres keep the sums, and bring the plastic moment closer", "[theory][fast]") {
  const std::vector<std::pair<std::string, std::map<std::string, double>>> shapes = {
      {"rectangle", {{"width", 20}, {"height", 30}}},
      {"circle", {{"diameter", 50}}},
      {"circular-hollow", {{"diameter", 60}, {"thickness", 3}}},
      {"rectangular-hollow", {{"width", 40}, {"height", 80}, {"thickness", 4}}},
      {"zed", {{"width", 50}, {"height", 100}, {"thickness", 5}}},
      {"i", {{"width", 60}, {"height", 110}, {"flange", 8}, {"web", 5}}}};
  for (const auto& [name, dimensions] : shapes) {
    const auto made = section_properties(name, dimensions);
    double before = 1;
    for (const int along : {8, 16, 32, 64}) {
      INFO(name << " " << along);
      auto s = made;
      set_fibres(s, along);
      if (along == kFibres) CHECK(s.fibres.size() == made.fibres.size());
      double area = 0, iy = 0, iz = 0, iyz = 0, warp = 0, plastic = 0;
      for (const auto& f : s.fibres) {
        area += f.area, iy += f.area * f.z * f.z, iz += f.area * f.y * f.y, iyz += f.area * f.y * f.z;
        warp += f.area * f.omega * f.omega, plastic += f.area * std::abs(f.z);
      }
      CHECK_DIGITS(area, s.area, 12, "exact for cubics");
      CHECK_DIGITS(iy, s.second_moment_y, 10, "exact for cubics");
      CHECK_DIGITS(iz, s.second_moment_z, 10, "exact for cubics");
      CHECK(iyz == Approx(s.product_moment).margin(1e-9 * iy));
      if (s.warping_constant > 0) CHECK_DIGITS(warp, s.warping_constant, 10, "scaled to it");
      if (name == "rectangle") {  // elastic-plastic: 1.5 - 0.5 / k^2 of the yield moment at k times its curvature
        double worst = 0;
        for (double k = 1; k < 10; k *= 1.003) {
          double moment = 0;
          for (const auto& f : s.fibres) moment += f.area * f.z * std::clamp(k * f.z / 15, -1.0, 1.0);
          worst = std::max(worst, std::abs(moment / (20 * 900 / 6.0 * (1.5 - 0.5 / (k * k))) - 1));
        }
        CHECK(worst < 0.35 * before);
        if (along == 16) CHECK(worst < 4.1e-3);
        if (along == 32) CHECK(worst < 1.1e-3);
        if (along == 64) CHECK(worst < 2.5e-4);
        before = worst;
      }
    }
    for (const int along : {0, 2, 7, 130}) {
      auto s = made;
      CHECK_THROWS_AS(set_fibres(s, along), archway::base::InputError);
    }
  }
}

TEST_CASE("section: fibres give back area, moments and warping constant", "[theory][fast]") {
  using Dimensions = std::map<std::string, double>;
  const auto [shape, d] = GENERATE(table<std::string, Dimensions>(
      {{"rectangle", {{"width", 12}, {"height", 40}}},
       {"circle", {{"diameter", 30}}},
       {"rectangular-hollow", {{"width", 40}, {"height", 60}, {"thickness", 3}}},
       {"circular-hollow", {{"diameter", 50}, {"thickness", 4}}},
       {"i", {{"width", 40}, {"height", 60}, {"flange", 4}, {"web", 3}, {"bottom_width", 20}, {"bottom_flange", 6}}},
       {"channel", {{"width", 40}, {"height", 60}, {"flange", 4}, {"web", 3}}},
       {"zed", {{"width", 40}, {"height", 60}, {"thickness", 3}}},
       {"angle", {{"width", 30}, {"height", 50}, {"thickness", 3}}},
       {"lipped-channel", {{"width", 40}, {"height", 80}, {"lip", 12}, {"thickness", 2}}}}));
  INFO(shape);
  const auto s = section_properties(shape, d);
  double area = 0, y = 0, z = 0, yy = 0, zz = 0, yz = 0, warp = 0, ww = 0;
  for (const auto& f : s.fibres) {
    CHECK(f.area > 0);
    area += f.area, y += f.area * f.y, z += f.area * f.z, warp += f.area * f.omega;
    yy += f.area * f.y * f.y, zz += f.area * f.z * f.z, yz += f.area * f.y * f.z, ww += f.area * f.omega * f.omega;
  }
  CHECK_DIGITS(area, s.area, 12, "cubics are exact");
  CHECK(std::hypot(y, z) < 1e-10 * area * s.fibre_z);
  CHECK_DIGITS(yy, s.second_moment_z, 12, "cubics are exact");
  CHECK_DIGITS(zz, s.second_moment_y, 12, "cubics are exact");
  CHECK(std::abs(yz - s.product_moment) < 1e-10 * s.second_moment_y);
  CHECK(std::abs(ww - s.warping_constant) <= 1e-10 * s.warping_constant);
  CHECK(std::abs(warp) <= 1e-10 * std::sqrt(s.warping_constant * area));
}

}  // namespace formulas_known_tests
