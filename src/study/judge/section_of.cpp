#include "archway/study/section_of.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/base/disjoint_sets.hpp"
#include "archway/base/errors.hpp"
#include "judge/state_factors_detail.hpp"

namespace archway::study {

base::Mat3 cut_axes(const base::Vec3& normal) {
  return base::axes_from(normal, std::abs(normal.normalized().z()) > 0.9 ? base::Vec3::UnitY() : base::Vec3::UnitZ());
}

std::pair<analysis::CutForces, std::string> forces_through(const AnalysisOutcome& outcome, const base::Vec3& point,
                                                           const base::Vec3& normal,
                                                           const std::vector<std::string>& parts,
                                                           const std::optional<CutSection>& section) {
  const bool is_path = outcome.path && !outcome.path->increments.empty() && outcome.path->increments.back().kept;
  if (!outcome.linear && !is_path)
    throw base::InputError("", fmt::format("'{}' has no state to cut", outcome.spec.name),
                           "name a linear static analysis or a path");
  const model::Model& model = outcome.linear ? *outcome.model : *outcome.geometry;
  const analysis::System system(model);
  analysis::CutPlane plane{point, normal, {}};
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (std::find(parts.begin(), parts.end(), model.parts[p].name) != parts.end())
      plane.parts.insert(static_cast<int>(p));
  const auto forces = [&](const base::Vec3& about) {
    if (outcome.linear)
      return analysis::cut_forces(system, system.warmed_reference(system.factors(outcome.variable)),
                                  &outcome.linear->displacement, nullptr, plane, about);
    const auto& last = outcome.path->increments.back();
    const auto factors = detail::factors_at(system, *outcome.path, last);
    auto state = last.kept->state;
    state.expansion = system.expansion(factors);
    return analysis::cut_forces(system, state, nullptr, last.kept->memory.get(), plane, about);
  };
  base::Vec3 about = base::Vec3::Zero();
  if (section) {
    const auto p = plane_properties(section->walls);
    about = normal.normalized() * normal.normalized().dot(point) + p.centroid_y * section->y_axis +
            p.centroid_z * section->z_axis;
  } else {
    const auto first = forces(about);
    for (const int n : first.nodes) about += model.nodes[static_cast<std::size_t>(n)];
    about /= std::max<double>(1, static_cast<double>(first.nodes.size()));
  }
  const auto words = outcome.linear ? fmt::format("'{}'", outcome.spec.name)
                                    : fmt::format("the last state of '{}' (load factor {:.6g})", outcome.spec.name,
                                                  outcome.path->increments.back().load_factor);
  return {forces(about), words};
}

CutSection cut_section(const model::Model& model, const base::Vec3& point, const base::Vec3& normal,
                       const std::vector<std::string>& parts) {
  const auto lines = model::cut(model, point, normal);
  const base::Mat3 axes = cut_axes(normal);
  CutSection section;
  section.y_axis = axes.col(1);
  section.z_axis = axes.col(2);
  const double tolerance = 1e-6 * model.size();
  const auto number = [&](const base::Vec3& x) {
    const std::pair<double, double> p(section.y_axis.dot(x), section.z_axis.dot(x));
    auto& points = section.walls.points;
    for (std::size_t i = 0; i < points.size(); ++i)
      if (std::hypot(points[i].first - p.first, points[i].second - p.second) < tolerance) return static_cast<int>(i);
    points.push_back(p);
    return static_cast<int>(points.size()) - 1;
  };
  for (const auto& line : lines) {
    if (!parts.empty() && std::find(parts.begin(), parts.end(), line.part) == parts.end()) continue;
    const int from = number(line.from), to = number(line.to);
    section.walls.walls.push_back({from, to, line.thickness});
  }
  if (section.walls.walls.empty())
    throw base::InputError("", "the plane cuts no panel",
                           "move it, or name other parts: only panels have walls to cut");
  return section;
}

std::vector<theory::ThinWalled> pieces_of(const CutSection& section) {
  const auto& all = section.walls;
  base::DisjointSets connected(all.points.size());
  for (const auto& w : all.walls) connected.join(w.from, w.to);
  std::map<int, theory::ThinWalled> by_root;
  std::vector<int> order;
  for (const auto& w : all.walls) {
    const int r = connected.find(w.from);
    if (by_root.count(r) == 0) order.push_back(r);
    by_root[r].walls.push_back(w);
  }
  std::vector<theory::ThinWalled> pieces;
  for (const int r : order) {
    auto& piece = by_root[r];
    std::map<int, int> number;
    for (auto& w : piece.walls)
      for (int* end : {&w.from, &w.to}) {
        const auto [known, fresh] = number.try_emplace(*end, static_cast<int>(piece.points.size()));
        if (fresh) piece.points.push_back(all.points[static_cast<std::size_t>(*end)]);
        *end = known->second;
      }
    pieces.push_back(std::move(piece));
  }
  const auto area = [](const theory::ThinWalled& p) { return plane_properties(p).area; };
  std::stable_sort(pieces.begin(), pieces.end(),
                   [&](const auto& a, const auto& b) { return area(a) > area(b) * (1 + 1e-9); });
  return pieces;
}

PlaneProperties plane_properties(const theory::ThinWalled& section) {
  PlaneProperties p;
  double yy = 0, zz = 0, yz = 0, y = 0, z = 0;  // about the origin
  for (const auto& w : section.walls) {
    const auto &a = section.points[static_cast<std::size_t>(w.from)],
               &b = section.points[static_cast<std::size_t>(w.to)];
    const double dy = b.first - a.first, dz = b.second - a.second, length = std::hypot(dy, dz), t = w.thickness;
    const double area = length * t, my = 0.5 * (a.first + b.first), mz = 0.5 * (a.second + b.second);
    const double across = area * t * t / 12 / (length * length);  // of its own thickness
    p.area += area, y += area * my, z += area * mz;
    yy += area * (my * my + dy * dy / 12) + across * dz * dz;
    zz += area * (mz * mz + dz * dz / 12) + across * dy * dy;
    yz += area * (my * mz + dy * dz / 12) - across * dy * dz;
    p.open_torsion += length * t * t * t / 3;
    ++p.walls;
  }
  p.centroid_y = y / p.area, p.centroid_z = z / p.area;
  p.second_moment_y = zz - p.area * p.centroid_z * p.centroid_z;
  p.second_moment_z = yy - p.area * p.centroid_y * p.centroid_y;
  p.product_moment = yz - p.area * p.centroid_y * p.centroid_z;
  return p;
}

}  // namespace archway::study
