#include "archway/study/section_of.hpp"

#include <algorithm>
#include <cmath>

#include "archway/base/errors.hpp"

namespace archway::study {

CutSection cut_section(const model::Model& model, const base::Vec3& point, const base::Vec3& normal,
                       const std::vector<std::string>& parts) {
  const auto lines = model::cut(model, point, normal);
  const base::Mat3 axes =
      base::axes_from(normal, std::abs(normal.normalized().z()) > 0.9 ? base::Vec3::UnitY() : base::Vec3::UnitZ());
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

}  // namespace archway::study
