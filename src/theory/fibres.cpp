#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/shape_functions.hpp"
#include "section_detail.hpp"

namespace archway::theory::detail {

namespace {
/// Cells along the two sides of a plate: so many along the longer one, as long as wide where that is many.
std::pair<int, int> cells_of(double width, double height, int cells) {
  const double longer = std::max(width, height);
  const auto count = [&](double side) {
    return std::clamp(static_cast<int>(std::ceil(cells * side / longer - 1e-9)), 1, cells);
  };
  return {count(width), count(height)};
}

/// Sectorial coordinate of a point by the nearest of some walls, linear along it and beyond its ends.
double omega_at(const SectionProperties& s, const std::vector<std::size_t>& walls, double y, double z) {
  double nearest = 1e300, omega = 0;
  for (const std::size_t w : walls) {
    const auto& wall = s.walls.walls[w];
    const auto from = static_cast<std::size_t>(wall.from), to = static_cast<std::size_t>(wall.to);
    const auto &a = s.walls.points[from], &b = s.walls.points[to];
    const double dy = b.first - a.first, dz = b.second - a.second;
    const double share = ((y - a.first) * dy + (z - a.second) * dz) / (dy * dy + dz * dz);
    const double inside = std::clamp(share, 0.0, 1.0);
    const double away = std::hypot(y - a.first - inside * dy, z - a.second - inside * dz);
    if (away >= nearest) continue;
    nearest = away;
    omega = s.omega[from] + share * (s.omega[to] - s.omega[from]);
  }
  return omega;
}

/// Walls whose middle lies in a plate; all, where none does.
std::vector<std::size_t> walls_in(const SectionPlate& plate, const SectionProperties& s) {
  std::vector<std::size_t> inside, all;
  for (std::size_t w = 0; w < s.walls.walls.size(); ++w) {
    const auto &a = s.walls.points[static_cast<std::size_t>(s.walls.walls[w].from)],
               &b = s.walls.points[static_cast<std::size_t>(s.walls.walls[w].to)];
    const double y = 0.5 * (a.first + b.first), z = 0.5 * (a.second + b.second);
    all.push_back(w);
    if (y > plate.y0 && y < plate.y1 && z > plate.z0 && z < plate.z1) inside.push_back(w);
  }
  return inside.empty() ? all : inside;
}

/// Makes the sums of the sectorial coordinate those of the section: none over the area, the warping constant squared.
void settle_omega(SectionProperties& s) {
  double area = 0, mean = 0, square = 0;
  for (const auto& f : s.fibres) area += f.area, mean += f.area * f.omega;
  for (auto& f : s.fibres) f.omega -= mean / area, square += f.area * f.omega * f.omega;
  const double share = s.warping_constant > 0 && square > 0 ? std::sqrt(s.warping_constant / square) : 0;
  for (auto& f : s.fibres) f.omega *= share;
  for (auto& p : s.stress_points) p.omega = share * (p.omega - mean / area);
}
}  // namespace

void set_wall_fibres(SectionProperties& s, int cells) {
  const auto rule = base::cell_rule(cells);
  std::vector<SectionFibre> fibres;
  for (std::size_t w = 0; w < s.walls.walls.size(); ++w) {
    const auto& wall = s.walls.walls[w];
    const auto &a = s.walls.points[static_cast<std::size_t>(wall.from)],
               &b = s.walls.points[static_cast<std::size_t>(wall.to)];
    const double length = std::hypot(b.first - a.first, b.second - a.second);
    for (std::size_t i = 0; i < rule.places.size(); ++i) {
      const double y = a.first + rule.places[i] * (b.first - a.first),
                   z = a.second + rule.places[i] * (b.second - a.second);
      fibres.push_back({rule.weights[i] * length * wall.thickness, y, z, omega_at(s, {w}, y, z)});
    }
  }
  s.fibres = std::move(fibres);
  s.stress_points.clear();
  for (std::size_t p = 0; p < s.walls.points.size(); ++p)
    s.stress_points.push_back({s.walls.points[p].first, s.walls.points[p].second, s.omega[p]});
  settle_omega(s);
}

void set_plate_fibres(SectionProperties& s, int cells) {
  std::vector<SectionFibre> fibres;
  s.stress_points.clear();
  for (const auto& p : s.plates) {
    const double width = p.y1 - p.y0, height = p.z1 - p.z0;
    const auto [along, up] = cells_of(width, height, cells);
    const auto ry = base::cell_rule(along), rz = base::cell_rule(up);
    const auto walls = s.omega.empty() ? std::vector<std::size_t>{} : walls_in(p, s);
    for (std::size_t i = 0; i < ry.places.size(); ++i)
      for (std::size_t j = 0; j < rz.places.size(); ++j) {
        const double y = p.y0 + ry.places[i] * width, z = p.z0 + rz.places[j] * height;
        fibres.push_back({ry.weights[i] * rz.weights[j] * width * height, y, z, omega_at(s, walls, y, z)});
      }
    for (const double y : {p.y0, p.y1})
      for (const double z : {p.z0, p.z1}) s.stress_points.push_back({y, z, omega_at(s, walls, y, z)});
  }
  s.fibres = std::move(fibres);
  settle_omega(s);
}

namespace {
/// Fibres of a ring about the centroid; inner 0: a disc.
std::vector<SectionFibre> ring_fibres(double inner, double outer, int cells) {
  const int around = 6 * cells;
  const auto rule = base::cell_rule(std::max(1, inner > 0 ? cells / 4 : cells / 2));
  std::vector<SectionFibre> fibres;
  for (std::size_t i = 0; i < rule.places.size(); ++i)
    for (int k = 0; k < around; ++k) {
      const double r = inner + rule.places[i] * (outer - inner), angle = 2 * M_PI * (k + 0.5) / around;
      fibres.push_back(
          {rule.weights[i] * (outer - inner) * 2 * M_PI * r / around, r * std::cos(angle), r * std::sin(angle), 0});
    }
  return fibres;
}
}  // namespace

}  // namespace archway::theory::detail

namespace archway::theory {

double sectorial_coordinate(const SectionProperties& section, double y, double z) {
  std::vector<std::size_t> all(section.omega.empty() ? 0 : section.walls.walls.size());
  for (std::size_t w = 0; w < all.size(); ++w) all[w] = w;
  return detail::omega_at(section, all, y, z);
}

void set_fibres(SectionProperties& section, int along) {
  if (along < 4 || along > 128 || along % 2 != 0)
    throw base::InputError("", fmt::format("{} fibres along a side cannot be", along), "give an even number, 4 to 128");
  const int cells = along / 2;
  if (section.round > 0)
    section.fibres = detail::ring_fibres(section.hole, section.round, cells);
  else if (!section.plates.empty())
    detail::set_plate_fibres(section, cells);
  else if (!section.walls.walls.empty())
    detail::set_wall_fibres(section, cells);
}

}  // namespace archway::theory
