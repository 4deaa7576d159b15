#include <algorithm>
#include <cmath>
#include <functional>
#include <set>

#include <fmt/format.h>

#include "archway/base/disjoint_sets.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "section_detail.hpp"

namespace archway::theory {

namespace {
using base::Complaint;
using Point = std::pair<double, double>;
using Values = std::vector<double>;  // one a point, linear along the walls

using base::at;

double side(const Point& a, const Point& b, const Point& c) {
  return (b.first - a.first) * (c.second - a.second) - (b.second - a.second) * (c.first - a.first);
}

/// Checks a section and says everything that is wrong with it.
class WallCheck {
 public:
  explicit WallCheck(const ThinWalled& section) : s_(section) {}

  void run() {
    if (s_.walls.empty()) complain("the section has no walls", "list walls as [from, to, thickness]");
    for (std::size_t w = 0; w < s_.walls.size(); ++w) one(w);
    if (list_.empty()) crossings();
    if (list_.empty()) connection();
    if (!list_.empty()) throw base::InputError(std::move(list_));
  }

 private:
  void complain(std::string problem, std::string remedy) {
    list_.push_back({"", std::move(problem), std::move(remedy), ""});
  }
  std::string name(std::size_t w) const {
    const auto& wall = s_.walls[w];
    return fmt::format("wall {} (points {} to {})", w + 1, wall.from + 1, wall.to + 1);
  }
  void one(std::size_t w) {
    const auto& wall = s_.walls[w];
    const int count = static_cast<int>(s_.points.size());
    if (wall.from < 0 || wall.from >= count || wall.to < 0 || wall.to >= count)
      return complain(name(w) + " names a point that does not exist",
                      fmt::format("points are counted from 1 to {}", count));
    if (s_.points[at(wall.from)] == s_.points[at(wall.to)])
      complain(name(w) + " has no length", "its two points must differ");
    if (!(wall.thickness > 0))
      complain(fmt::format("{} has thickness {}", name(w), wall.thickness), "it must be above zero");
  }
  void crossings() {
    double size = 0;
    for (const auto& p : s_.points) size = std::max({size, std::abs(p.first), std::abs(p.second)});
    const double tiny = 1e-9 * size * size;
    for (std::size_t v = 0; v < s_.walls.size(); ++v)
      for (std::size_t w = v + 1; w < s_.walls.size(); ++w) {
        const auto &a = s_.points[at(s_.walls[v].from)], &b = s_.points[at(s_.walls[v].to)],
                   &c = s_.points[at(s_.walls[w].from)], &d = s_.points[at(s_.walls[w].to)];
        const double c1 = side(a, b, c), d1 = side(a, b, d), a1 = side(c, d, a), b1 = side(c, d, b);
        const bool through = c1 * d1 < -tiny * tiny && a1 * b1 < -tiny * tiny;
        if (through) {
          const double share = c1 / (c1 - d1);
          complain(fmt::format("{} and {} cross at ({:.6g}, {:.6g})", name(v), name(w),
                               c.first + share * (d.first - c.first), c.second + share * (d.second - c.second)),
                   "put a point where they cross, and end walls there");
          continue;
        }
        const auto inside = [&](const Point& p, const Point& from, const Point& to, double off) {
          const double l2 = std::pow(to.first - from.first, 2) + std::pow(to.second - from.second, 2);
          const double share = ((p.first - from.first) * (to.first - from.first) +
                                (p.second - from.second) * (to.second - from.second)) /
                               l2;
          return std::abs(off) < 1e-9 * l2 && share > 1e-9 && share < 1 - 1e-9;
        };
        if (inside(c, a, b, c1) || inside(d, a, b, d1) || inside(a, c, d, a1) || inside(b, c, d, b1))
          complain(fmt::format("{} touches {} between its points, or lies on it", name(w), name(v)),
                   "split the wall with a point there");
      }
  }
  void connection() {
    base::DisjointSets pieces(s_.points.size());
    for (const auto& w : s_.walls) pieces.join(w.from, w.to);
    std::vector<std::string> apart;
    for (std::size_t w = 0; w < s_.walls.size(); ++w)
      if (!pieces.together(s_.walls[w].from, s_.walls[0].from)) apart.push_back(name(w));
    if (!apart.empty())
      complain(
          fmt::format("{} {} not connected to {}", fmt::join(apart, ", "), apart.size() > 1 ? "are" : "is", name(0)),
          "walls are joined by common points: give both the same point");
  }

  const ThinWalled& s_;
  std::vector<Complaint> list_;
};

/// The graph of walls with integrals over it.
class Graph {
 public:
  explicit Graph(const ThinWalled& s) : s_(s) {
    for (const auto& w : s.walls)
      length_.push_back(std::hypot(s.points[at(w.to)].first - s.points[at(w.from)].first,
                                   s.points[at(w.to)].second - s.points[at(w.from)].second));
    used_.assign(s.points.size(), 0);
    for (const auto& w : s.walls) used_[at(w.from)] = used_[at(w.to)] = 1;
  }

  /// Integral of f(a, b, ...) over the area, f given by point values of two fields.
  double integral(const std::function<double(const std::function<double(const Values&)>&)>& f) const {
    static const double places[3] = {0.5 - 0.5 * std::sqrt(0.6), 0.5, 0.5 + 0.5 * std::sqrt(0.6)};
    static const double weights[3] = {5. / 18, 8. / 18, 5. / 18};
    double sum = 0;
    for (std::size_t w = 0; w < s_.walls.size(); ++w)
      for (int g = 0; g < 3; ++g) {
        const auto here = [&](const Values& v) {
          return v[at(s_.walls[w].from)] * (1 - places[g]) + v[at(s_.walls[w].to)] * places[g];
        };
        sum += weights[g] * length_[w] * s_.walls[w].thickness * f(here);
      }
    return sum;
  }
  double of_product(const Values& a, const Values& b) const {
    return integral([&](const auto& here) { return here(a) * here(b); });
  }
  double of(const Values& a) const {
    return integral([&](const auto& here) { return here(a); });
  }

  /// Solves sum of t/L (u_to - u_from) = right side at every point; the first used point stays 0.
  Values solve(const Values& right) const {
    const std::size_t n = right.size();
    std::vector<Values> a(n, Values(n, 0));
    Values b = right;
    for (std::size_t w = 0; w < s_.walls.size(); ++w) {
      const std::size_t i = at(s_.walls[w].from), j = at(s_.walls[w].to);
      const double k = s_.walls[w].thickness / length_[w];
      a[i][i] += k, a[j][j] += k, a[i][j] -= k, a[j][i] -= k;
    }
    bool fixed = false;
    for (std::size_t i = 0; i < n; ++i)
      if (!used_[i] || !fixed) {
        fixed = fixed || used_[i] != 0;
        a[i].assign(n, 0);
        a[i][i] = 1;
        b[i] = 0;
      }
    for (std::size_t c = 0; c < n; ++c) {  // elimination with pivoting; sections have few points
      std::size_t p = c;
      for (std::size_t r = c; r < n; ++r)
        if (std::abs(a[r][c]) > std::abs(a[p][c])) p = r;
      std::swap(a[c], a[p]);
      std::swap(b[c], b[p]);
      for (std::size_t r = c + 1; r < n; ++r) {
        const double m = a[r][c] / a[c][c];
        if (m == 0.0) continue;
        for (std::size_t k = c; k < n; ++k) a[r][k] -= m * a[c][k];
        b[r] -= m * b[c];
      }
    }
    for (std::size_t c = n; c-- > 0;) {
      for (std::size_t k = c + 1; k < n; ++k) b[c] -= a[c][k] * b[k];
      b[c] /= a[c][c];
    }
    return b;
  }

  /// Distance of the wall's line from the origin, positive when it rotates from y to z.
  double arm(std::size_t w) const {
    const auto &a = s_.points[at(s_.walls[w].from)], &b = s_.points[at(s_.walls[w].to)];
    return (a.first * (b.second - a.second) - a.second * (b.first - a.first)) / length_[w];
  }

  /// Warping function about the origin (u = -omega) with Bredt flow in closed cells, and the torsion constant of it.
  Values warping(double& closed) const {
    Values right(s_.points.size(), 0);
    for (std::size_t w = 0; w < s_.walls.size(); ++w) {
      right[at(s_.walls[w].from)] += s_.walls[w].thickness * arm(w);
      right[at(s_.walls[w].to)] -= s_.walls[w].thickness * arm(w);
    }
    const Values u = solve(right);
    closed = 0;
    for (std::size_t w = 0; w < s_.walls.size(); ++w) {
      const double slide = (u[at(s_.walls[w].to)] - u[at(s_.walls[w].from)]) / length_[w] + arm(w);
      closed += s_.walls[w].thickness * length_[w] * slide * arm(w);
    }
    return u;
  }

  /// Slide (shear strain along the wall) that balances a stress growing along the member as p does over the section,
  /// at a share of each wall.
  struct Flow {
    Values u, p;
  };
  Flow flow(const Values& p) const {
    Values right(p.size(), 0);
    for (std::size_t w = 0; w < s_.walls.size(); ++w) {
      const std::size_t i = at(s_.walls[w].from), j = at(s_.walls[w].to);
      const double area = length_[w] * s_.walls[w].thickness;
      right[i] += area * (p[i] / 3 + p[j] / 6);
      right[j] += area * (p[i] / 6 + p[j] / 3);
    }
    return {solve(right), p};
  }
  /// Integral over the area of the product of two slides; both are parabolas along a wall.
  double of_slides(const Flow& a, const Flow& b) const {
    const auto slide = [&](const Flow& f, std::size_t w, double x) {
      const double pi = f.p[at(s_.walls[w].from)], pj = f.p[at(s_.walls[w].to)], l = length_[w];
      const double sum = l * (pi * x + 0.5 * (pj - pi) * x * x), mean = l * (pi / 2 + (pj - pi) / 6);
      return (f.u[at(s_.walls[w].to)] - f.u[at(s_.walls[w].from)]) / l + mean - sum;
    };
    static const double places[3] = {0.5 - 0.5 * std::sqrt(0.6), 0.5, 0.5 + 0.5 * std::sqrt(0.6)};
    static const double weights[3] = {5. / 18, 8. / 18, 5. / 18};
    double total = 0;
    for (std::size_t w = 0; w < s_.walls.size(); ++w)
      for (int g = 0; g < 3; ++g)
        total += weights[g] * length_[w] * s_.walls[w].thickness * slide(a, w, places[g]) * slide(b, w, places[g]);
    return total;
  }

  double length(std::size_t w) const { return length_[w]; }

 private:
  const ThinWalled& s_;
  Values length_;
  std::vector<char> used_;
};

std::vector<std::pair<double, double>> drawn(const ThinWalled& s, const ThinWalled::Wall& w) {
  const auto &a = s.points[at(w.from)], &b = s.points[at(w.to)];
  const double l = std::hypot(b.first - a.first, b.second - a.second);
  const double ny = -(b.second - a.second) / l * w.thickness / 2, nz = (b.first - a.first) / l * w.thickness / 2;
  return {{a.first + ny, a.second + nz},
          {b.first + ny, b.second + nz},
          {b.first - ny, b.second - nz},
          {a.first - ny, a.second - nz}};
}
}  // namespace

SectionProperties thin_walled_properties(const ThinWalled& given) {
  WallCheck(given).run();
  SectionProperties r;
  ThinWalled s = given;
  const auto field = [&](double Point::*value) {
    Values v;
    for (const auto& p : s.points) v.push_back(p.*value);
    return v;
  };
  {
    const Graph g(s);
    r.area = g.of(Values(s.points.size(), 1));
    r.centroid_y = g.of(field(&Point::first)) / r.area;
    r.centroid_z = g.of(field(&Point::second)) / r.area;
  }
  r.walls = given;
  for (auto& [y, z] : r.walls.points) y -= r.centroid_y, z -= r.centroid_z;
  for (auto& p : s.points) p.first -= r.centroid_y, p.second -= r.centroid_z;
  const Graph g(s);
  const Values y = field(&Point::first), z = field(&Point::second);
  r.second_moment_y = g.of_product(z, z);
  r.second_moment_z = g.of_product(y, y);
  r.product_moment = g.of_product(y, z);
  const double iy = r.second_moment_y, iz = r.second_moment_z, iyz = r.product_moment, det = iy * iz - iyz * iyz;
  if (!(det > 1e-12 * std::pow(iy + iz, 2)))
    throw base::InputError("", "all walls of the section lie on one line: it has no stiffness across it",
                           "use shape = \"rectangle\" for a flat strip");

  double closed = 0;
  Values omega = g.warping(closed);
  for (double& v : omega) v = -v;
  const double wy = g.of_product(omega, y), wz = g.of_product(omega, z);
  r.shear_centre_y = (iz * wz - iyz * wy) / det;
  r.shear_centre_z = (iyz * wz - iy * wy) / det;
  for (std::size_t p = 0; p < omega.size(); ++p) omega[p] += -r.shear_centre_y * z[p] + r.shear_centre_z * y[p];
  const double mean = g.of(omega) / r.area;
  for (double& v : omega) v -= mean;
  r.warping_constant = g.of_product(omega, omega);
  r.omega = omega;
  if (r.warping_constant < 1e-12 * iy * (iy + iz) / r.area) r.warping_constant = 0;  // walls through one point
  r.torsion_constant = closed;
  for (std::size_t w = 0; w < s.walls.size(); ++w)
    r.torsion_constant += g.length(w) * std::pow(s.walls[w].thickness, 3) / 3;

  const auto r2 = [&](const auto& here) {
    return std::pow(here(y) - r.shear_centre_y, 2) + std::pow(here(z) - r.shear_centre_z, 2);
  };
  r.wagner_y = g.integral([&](const auto& here) { return here(z) * r2(here); });
  r.wagner_z = g.integral([&](const auto& here) { return here(y) * r2(here); });
  r.wagner_warp = g.integral([&](const auto& here) { return here(omega) * r2(here); });
  r.fourth_moment = g.integral([&](const auto& here) { return r2(here) * r2(here); });

  Values py(y), pz(z), pw(omega);
  for (std::size_t p = 0; p < y.size(); ++p) {
    py[p] = (iy * y[p] - iyz * z[p]) / det;
    pz[p] = (iz * z[p] - iyz * y[p]) / det;
    if (r.warping_constant > 0) pw[p] = omega[p] / r.warping_constant;
  }
  const auto fy = g.flow(py), fz = g.flow(pz);
  const double cy = g.of_slides(fy, fy), cz = g.of_slides(fz, fz), cyz = g.of_slides(fy, fz),
               cdet = cy * cz - cyz * cyz;
  r.shear_area_y = cz / cdet;
  r.shear_area_z = cy / cdet;
  r.shear_area_yz = std::abs(cyz) < 1e-10 * std::sqrt(cy * cz) ? 0 : -cyz / cdet;
  if (r.warping_constant > 0) {
    const auto fw = g.flow(pw);
    r.warping_shear = 1 / g.of_slides(fw, fw);
  }
  std::vector<detail::Spread> along_y, along_z;
  for (std::size_t w = 0; w < s.walls.size(); ++w) {
    const auto &a = s.points[at(s.walls[w].from)], &b = s.points[at(s.walls[w].to)];
    const double area = g.length(w) * s.walls[w].thickness;
    along_y.push_back({area, std::min(a.first, b.first), std::max(a.first, b.first)});
    along_z.push_back({area, std::min(a.second, b.second), std::max(a.second, b.second)});
    r.outline.push_back(drawn(s, s.walls[w]));
  }
  for (std::size_t p = 0; p < y.size(); ++p) {
    r.fibre_y = std::max(r.fibre_y, std::abs(y[p]));
    r.fibre_z = std::max(r.fibre_z, std::abs(z[p]));
  }
  r.plastic_modulus_y = detail::plastic_modulus(along_z);
  r.plastic_modulus_z = detail::plastic_modulus(along_y);
  set_fibres(r, kFibres);
  detail::find_principal_axes(r);
  return r;
}

namespace detail {
void find_principal_axes(SectionProperties& r) {
  const double mean = 0.5 * (r.second_moment_y + r.second_moment_z),
               half = 0.5 * (r.second_moment_y - r.second_moment_z);
  if (std::abs(r.product_moment) < 1e-12 * mean) r.product_moment = 0;
  const double radius = std::hypot(half, r.product_moment);
  r.principal_major = mean + radius;
  r.principal_minor = mean - radius;
  r.principal_angle = radius > 1e-12 * mean ? 0.5 * std::atan2(-r.product_moment, half) : 0;
}

double plastic_modulus(const std::vector<Spread>& pieces) {
  double low = 1e300, high = -1e300, area = 0;
  for (const auto& p : pieces) {
    low = std::min(low, p.low);
    high = std::max(high, p.high);
    area += p.area;
  }
  const auto below = [&](double x) {
    double sum = 0;
    for (const auto& p : pieces) sum += x >= p.high ? p.area : x <= p.low ? 0 : p.area * (x - p.low) / (p.high - p.low);
    return sum;
  };
  for (int i = 0; i < 200; ++i) (below(0.5 * (low + high)) < 0.5 * area ? low : high) = 0.5 * (low + high);
  const double axis = 0.5 * (low + high);
  double modulus = 0;
  for (const auto& p : pieces) {
    const double middle = 0.5 * (p.low + p.high), l = p.high - p.low;
    if (axis <= p.low || axis >= p.high)
      modulus += p.area * std::abs(middle - axis);
    else
      modulus += p.area / l * 0.5 * (std::pow(p.high - axis, 2) + std::pow(axis - p.low, 2));
  }
  return modulus;
}
}  // namespace detail

}  // namespace archway::theory
