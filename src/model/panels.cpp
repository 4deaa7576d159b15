#include <algorithm>
#include <cmath>
#include <map>

#include "mesh_detail.hpp"

namespace archway::model {

using namespace mesh_detail;

void flip(ShellElement& e) {
  std::reverse(e.nodes.begin() + 1, e.nodes.begin() + e.corners());
  if (e.count == 9) std::reverse(e.nodes.begin() + 4, e.nodes.begin() + 8);
}

namespace {
Vec3 between(const std::array<Vec3, 4>& c, double s, double t) {
  return (1 - s) * ((1 - t) * c[0] + t * c[3]) + s * ((1 - t) * c[1] + t * c[2]);
}

/// Three fields that meet in the middle of a triangle. Nodes are numbered by their shares of the three corners.
void add_triangle(Model& model, const Part& part, const std::vector<Vec3>& corners, int divisions, Faces faces) {
  if (divisions % 2 != 0)
    throw base::InputError(fmt::format("panel '{}'", part.name),
                           fmt::format("it has three corners and {} divisions a side", divisions),
                           "use an even number: three fields meet in its middle");
  const int index = add_part(model, part), steps = (faces == Faces::nine ? 2 : 1) * divisions / 2;
  std::map<std::array<long, 3>, int> numbers;
  auto& all = model.groups[part.name];
  for (int field = 0; field < 3; ++field) {
    std::array<Vec3, 4> shares;  // corner, middle of the side ahead, centre, middle of the side behind
    shares.fill(Vec3::Constant(1. / 3));
    shares[0] = Vec3::Unit(field);
    shares[1] = 0.5 * (Vec3::Unit(field) + Vec3::Unit((field + 1) % 3));
    shares[3] = 0.5 * (Vec3::Unit(field) + Vec3::Unit((field + 2) % 3));
    const auto at = [&](int i, int j) {
      const Vec3 share = between(shares, static_cast<double>(i) / steps, static_cast<double>(j) / steps);
      const std::array<long, 3> key = {std::lround(share[0] * 1e9), std::lround(share[1] * 1e9),
                                       std::lround(share[2] * 1e9)};
      const auto [entry, fresh] = numbers.try_emplace(key, 0);
      if (!fresh) return entry->second;
      entry->second = add_node(model, share[0] * corners[0] + share[1] * corners[1] + share[2] * corners[2]);
      all.push_back(entry->second);
      for (int side = 0; side < 3; ++side)
        if (std::abs(share[(side + 2) % 3]) < 1e-9)
          model.groups[fmt::format("{}.side{}", part.name, side + 1)].push_back(entry->second);
      return entry->second;
    };
    add_faces(model, at, steps, steps, index, faces);
  }
}
}  // namespace

void add_corners(Model& model, const Part& part, const std::vector<Vec3>& corners, int divisions_first,
                 int divisions_second, Faces faces, const Spacing& spacing) {
  const std::string place = fmt::format("panel '{}'", part.name);
  if (corners.size() != 3 && corners.size() != 4)
    throw base::InputError(place, fmt::format("it has {} corners", corners.size()), "give three or four");
  require_divisions(divisions_first, "the number of divisions of a panel");
  for (std::size_t i = 0; i < corners.size(); ++i) {
    const Vec3 ahead = corners[(i + 1) % corners.size()] - corners[i],
               back = corners[(i + corners.size() - 1) % corners.size()] - corners[i];
    if (!(ahead.cross(back).norm() > 1e-9 * ahead.norm() * back.norm()))
      throw base::InputError(place, fmt::format("its corner {} lies on a line with its neighbours", i + 1),
                             "give corners once around that span an area");
  }
  if (corners.size() == 3) return add_triangle(model, part, corners, divisions_first, faces);
  const std::array<Vec3, 4> c = {corners[0], corners[1], corners[2], corners[3]};
  add_surface(
      model, part, divisions_first, divisions_second, false,
      [&](double s, double t) -> Vec3 { return between(c, s, t); }, faces, spacing);
  static const std::array<const char*, 4> sides = {".left", ".end", ".right", ".start"};
  for (std::size_t k = 0; k < 4; ++k)
    model.groups[fmt::format("{}.side{}", part.name, k + 1)] = model.groups[part.name + sides[k]];
}

base::Mat3 axes_at(const Line& line, double s, const Vec3& up) {
  const double h = 1e-4;  // the secant of a circle has the direction of its tangent
  return base::axes_from(line.at(s + h) - line.at(s - h), up);
}

void add_extrusion(Model& model, const Part& part, const std::vector<ProfileWall>& walls, const Line& line,
                   const Vec3& up, int divisions_along, int across, Faces faces) {
  require_divisions(across, "the number of divisions across the widest wall");
  if (!(line.length() > 0))
    throw base::InputError(fmt::format("profile '{}'", part.name), "its line has no length",
                           "its ends must be different points");
  const auto width = [](const ProfileWall& w) {
    return std::hypot(w.to.first - w.from.first, w.to.second - w.from.second);
  };
  double widest = 0;
  for (const auto& w : walls) widest = std::max(widest, width(w));
  for (std::size_t k = 0; k < walls.size(); ++k) {
    const auto& w = walls[k];
    Part own = part;
    own.name = fmt::format("{}.{}", part.name, k + 1);
    own.kind = PartKind::panel;
    own.thickness = w.thickness;
    const int count = std::max(1, static_cast<int>(std::ceil(across * width(w) / widest - 1e-9)));
    add_surface(
        model, own, divisions_along, count, false,
        [&](double s, double t) -> Vec3 {
          const double y = (1 - t) * w.from.first + t * w.to.first, z = (1 - t) * w.from.second + t * w.to.second;
          return line.at(s) + axes_at(line, s, up) * Vec3(0, y, z);
        },
        faces);
    for (const char* end : {"", ".start", ".end"}) {
      const auto& from = model.groups[own.name + end];
      auto& all = model.groups[part.name + end];
      all.insert(all.end(), from.begin(), from.end());
    }
  }
}

}  // namespace archway::model
