#include "archway/base/shape_functions.hpp"

#include <cmath>

namespace archway::base {

namespace {
constexpr std::array<double, 9> kR = {-1, 1, 1, -1, 0, 1, 0, -1, 0}, kS = {-1, -1, 1, 1, -1, 0, 1, 0, 0};

/// Parabola that is 1 at `node` (-1, 0 or 1) and 0 at the other two.
double parabola(double node, double x) {
  return node == 0.0 ? 1 - x * x : 0.5 * x * (x + node);
}
double parabola_slope(double node, double x) {
  return node == 0.0 ? -2 * x : x + 0.5 * node;
}

SurfaceShape triangle(double r, double s) {
  SurfaceShape f;
  f.n = {1 - r - s, r, s};
  f.dr = {-1, 1, 0};
  f.ds = {-1, 0, 1};
  return f;
}

SurfaceShape bilinear(double r, double s) {
  SurfaceShape f;
  for (std::size_t i = 0; i < 4; ++i) {
    f.n[i] = 0.25 * (1 + kR[i] * r) * (1 + kS[i] * s);
    f.dr[i] = 0.25 * kR[i] * (1 + kS[i] * s);
    f.ds[i] = 0.25 * kS[i] * (1 + kR[i] * r);
  }
  return f;
}

SurfaceShape serendipity(double r, double s) {
  SurfaceShape f = bilinear(r, s);
  for (std::size_t m = 4; m < 8; ++m) {
    const bool along_r = kR[m] == 0.0;
    f.n[m] = along_r ? 0.5 * (1 - r * r) * (1 + kS[m] * s) : 0.5 * (1 - s * s) * (1 + kR[m] * r);
    f.dr[m] = along_r ? -r * (1 + kS[m] * s) : 0.5 * (1 - s * s) * kR[m];
    f.ds[m] = along_r ? 0.5 * (1 - r * r) * kS[m] : -s * (1 + kR[m] * r);
    for (const std::size_t corner : {m - 4, (m - 3) % 4}) {
      f.n[corner] -= 0.5 * f.n[m];
      f.dr[corner] -= 0.5 * f.dr[m];
      f.ds[corner] -= 0.5 * f.ds[m];
    }
  }
  return f;
}

SurfaceShape biquadratic(double r, double s) {
  SurfaceShape f;
  for (std::size_t i = 0; i < 9; ++i) {
    f.n[i] = parabola(kR[i], r) * parabola(kS[i], s);
    f.dr[i] = parabola_slope(kR[i], r) * parabola(kS[i], s);
    f.ds[i] = parabola(kR[i], r) * parabola_slope(kS[i], s);
  }
  return f;
}

std::vector<RulePoint> square_rule(int points) {
  const double g = points == 2 ? 1 / std::sqrt(3.0) : std::sqrt(0.6);
  const std::vector<double> at = points == 2 ? std::vector<double>{-g, g} : std::vector<double>{-g, 0, g};
  const std::vector<double> w = points == 2 ? std::vector<double>{1, 1} : std::vector<double>{5. / 9, 8. / 9, 5. / 9};
  std::vector<RulePoint> rule;
  for (std::size_t i = 0; i < at.size(); ++i)
    for (std::size_t j = 0; j < at.size(); ++j) rule.push_back({at[j], at[i], w[i] * w[j]});
  return rule;
}
}  // namespace

SurfaceShape surface_shape(int count, double r, double s) {
  switch (count) {
    case 3:
      return triangle(r, s);
    case 4:
      return bilinear(r, s);
    case 8:
      return serendipity(r, s);
    default:
      return biquadratic(r, s);
  }
}

const std::vector<RulePoint>& surface_rule(int count) {
  static const std::vector<RulePoint> three = {{0.5, 0, 1. / 6}, {0.5, 0.5, 1. / 6}, {0, 0.5, 1. / 6}};
  static const std::vector<RulePoint> four = square_rule(2), more = square_rule(3);
  return count == 3 ? three : count == 4 ? four : more;
}

const std::array<Vec3, 20>& solid_nodes() {
  static const std::array<Vec3, 20> nodes = [] {
    std::array<Vec3, 20> p;
    for (std::size_t k = 0; k < 4; ++k) {
      p[k] = Vec3(kR[k], kS[k], -1);
      p[k + 4] = Vec3(kR[k], kS[k], 1);
      p[k + 8] = Vec3(kR[k + 4], kS[k + 4], -1);
      p[k + 12] = Vec3(kR[k + 4], kS[k + 4], 1);
      p[k + 16] = Vec3(kR[k], kS[k], 0);
    }
    return p;
  }();
  return nodes;
}

SolidShape solid_shape(int count, const Vec3& x) {
  SolidShape f;
  const auto& nodes = solid_nodes();
  for (auto& d : f.d) d.setZero();
  for (std::size_t i = 0; i < 8; ++i) {
    const Vec3 factor = Vec3::Ones() + nodes[i].cwiseProduct(x);
    f.n[i] = 0.125 * factor.prod();
    for (int k = 0; k < 3; ++k) f.d[i][k] = 0.125 * nodes[i][k] * factor[(k + 1) % 3] * factor[(k + 2) % 3];
  }
  for (std::size_t m = 8; m < static_cast<std::size_t>(count); ++m) {
    int along = 0;  // the coordinate in which this middle node lies at 0
    nodes[m].cwiseAbs().minCoeff(&along);
    const int a = (along + 1) % 3, b = (along + 2) % 3;
    const double bow = 1 - x[along] * x[along], fa = 1 + nodes[m][a] * x[a], fb = 1 + nodes[m][b] * x[b];
    f.n[m] = 0.25 * bow * fa * fb;
    f.d[m][along] = -0.5 * x[along] * fa * fb;
    f.d[m][a] = 0.25 * bow * nodes[m][a] * fb;
    f.d[m][b] = 0.25 * bow * fa * nodes[m][b];
    for (std::size_t i = 0; i < 8; ++i)
      if (nodes[i][a] == nodes[m][a] && nodes[i][b] == nodes[m][b]) {
        f.n[i] -= 0.5 * f.n[m];
        f.d[i] -= 0.5 * f.d[m];
      }
  }
  return f;
}

CellRule cell_rule(int cells) {
  CellRule rule;
  const double gauss = 0.5 / std::sqrt(3.0);
  for (int c = 0; c < cells; ++c)
    for (const double side : {-gauss, gauss}) {
      rule.places.push_back((c + 0.5 + side) / cells);
      rule.weights.push_back(0.5 / cells);
    }
  return rule;
}

}  // namespace archway::base
