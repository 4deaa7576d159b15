#include "archway/elements/outline.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "archway/elements/line_geometry.hpp"

namespace archway::elements {

std::vector<std::pair<double, double>> extreme_corners(const model::Profile& profile) {
  std::set<std::pair<double, double>> corners;
  // eight directions, each reached by one corner: of equal ones the first in order of coordinates
  for (int k = 0; k < 8; ++k) {
    const double dy = std::cos(k * M_PI / 4), dz = std::sin(k * M_PI / 4);
    const std::pair<double, double>* best = nullptr;
    double most = -HUGE_VAL;
    for (const auto& polygon : profile.outline)
      for (const auto& p : polygon) {
        const double reach = dy * p.first + dz * p.second, same = 1e-9 * (std::abs(p.first) + std::abs(p.second));
        if (reach > most + same || (reach > most - same && best != nullptr && p < *best)) best = &p, most = reach;
      }
    if (best != nullptr) corners.insert(*best);
  }
  return corners.empty() ? corners_of(profile) : std::vector<std::pair<double, double>>(corners.begin(), corners.end());
}

std::vector<std::pair<double, double>> corners_of(const model::Profile& profile) {
  std::vector<std::pair<double, double>> corners;
  for (const auto& polygon : profile.outline) corners.insert(corners.end(), polygon.begin(), polygon.end());
  if (!corners.empty()) return corners;
  const double area = std::max(profile.area, 1e-300);
  const double y = profile.fibre_y > 0 ? profile.fibre_y : std::sqrt(3 * std::max(0.0, profile.second_moment_z) / area),
               z = profile.fibre_z > 0 ? profile.fibre_z : std::sqrt(3 * std::max(0.0, profile.second_moment_y) / area);
  return {{-y, -z}, {y, -z}, {y, z}, {-y, z}};
}

Outline::Outline(const model::Model& model) : of_node_(model.nodes.size(), -1) {
  std::vector<std::vector<std::pair<double, double>>> of_profile(model.profiles.size());
  for (const auto& e : model.line_elements) {
    const auto& part = model.parts[static_cast<std::size_t>(e.part)];
    const auto axes = nodal_axes(model, e);
    for (std::size_t i = 0; i < 4; ++i) {
      using model::Station;
      const int own = model.profile_at(e, i == 0   ? Station::first_gauss
                                          : i == 3 ? Station::last_gauss
                                                   : Station::middle);
      auto& list = of_profile[static_cast<std::size_t>(own)];
      if (list.empty()) list = extreme_corners(model.profiles[static_cast<std::size_t>(own)]);
      int& place = of_node_[static_cast<std::size_t>(e.nodes[i])];
      if (place < 0) {
        place = static_cast<int>(corners_.size());
        corners_.emplace_back();
      } else if (i == 0) {
        continue;  // the end of the element before shows the section there
      }
      for (const auto& [y, z] : list)
        corners_[static_cast<std::size_t>(place)].push_back(
            {axes[i] * Vec3(0, part.offset_y + y, part.offset_z + z), axes[i] * Vec3::UnitX()});
    }
  }
}

const std::vector<Outline::Corner>& Outline::corners(int node) const {
  const int place = of_node_[static_cast<std::size_t>(node)];
  return place < 0 ? none_ : corners_[static_cast<std::size_t>(place)];
}

double Outline::displacement(const Eigen::VectorXd& full, int node) const {
  const Vec3 move = full.segment<3>(model::row(node)), rotation = full.segment<3>(model::row(node) + 3);
  double most = move.norm();
  for (const Corner& c : corners(node)) most = std::max(most, displacement_of(c, move, rotation).norm());
  return most;
}

double Outline::largest(const Eigen::VectorXd& full) const {
  double most = 0;
  for (std::size_t n = 0; n < of_node_.size(); ++n) most = std::max(most, displacement(full, static_cast<int>(n)));
  return most;
}

void Outline::append(const Eigen::Matrix<double, 6, 1>& moved, int node, std::vector<double>& values) const {
  const Vec3 move = moved.head<3>(), rotation = moved.tail<3>();
  const auto& own = corners(node);
  const double share = own.empty() ? 1 : std::sqrt(1.0 / static_cast<double>(own.size()));
  const auto add = [&](const Vec3& v) { values.insert(values.end(), v.data(), v.data() + 3); };
  if (own.empty()) add(move);
  for (const Corner& c : own) add(share * displacement_of(c, move, rotation));
}

}  // namespace archway::elements
