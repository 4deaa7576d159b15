#include <algorithm>
#include <cmath>

#include "pictures/mesh_picture_detail.hpp"

/// Rigid bodies drawn as nets, as far as something may touch them.
namespace archway::report::detail {

namespace {
using base::Vec3;
constexpr double kMargin = 0.02;     ///< beyond what may touch, of the structure's size
constexpr std::size_t kMost = 6000;  ///< triangles of a surface whose edges are drawn: more are a blot

/// Of a large round body only the piece beside the structure is drawn: the rest is far outside of the picture.
bool is_large(const model::Obstacle& o, double size) {
  constexpr double kLarge = 0.3;  ///< of the structure's size
  return o.inside || o.radius > kLarge * size;
}

struct LineRange {
  double low = HUGE_VAL, high = -HUGE_VAL;
  void add(double x) { low = std::min(low, x), high = std::max(high, x); }
  void widen(double by) { low -= by, high += by; }
  double at(int k, int of) const { return low + (high - low) * k / of; }
};

/// Two directions across an axis.
std::pair<Vec3, Vec3> across(const Vec3& axis) {
  const Vec3 u = axis.unitOrthogonal();
  return {u, axis.cross(u)};
}

/// A net of lines between places that two numbers lead to.
template <typename Place>
void add_net(const LineRange& one, int ones, const LineRange& other, int others, const Place& place, LineNet& net) {
  for (int i = 0; i <= ones; ++i)
    for (int k = 0; k <= others; ++k) {
      const Vec3 here = place(one.at(i, ones), other.at(k, others));
      if (i < ones) net.push_back({here, place(one.at(i + 1, ones), other.at(k, others))});
      if (k < others) net.push_back({here, place(one.at(i, ones), other.at(k + 1, others))});
    }
}

void add_plane(const model::Obstacle& o, const std::vector<Vec3>& near, double size, LineNet& net) {
  const double margin = kMargin * size;
  const auto [u, v] = across(o.axis);
  LineRange along, beside;
  for (const auto& x : near) along.add(u.dot(x - o.place)), beside.add(v.dot(x - o.place));
  along.widen(margin), beside.widen(margin);
  add_net(
      along, 8, beside, 8, [&, a = u, b = v](double x, double y) { return Vec3(o.place + x * a + y * b); }, net);
}

void add_cylinder(const model::Obstacle& o, const std::vector<Vec3>& near, double size, LineNet& net) {
  const double margin = kMargin * size;
  const auto [u, v] = across(o.axis);
  LineRange along, around;
  for (const auto& x : near) along.add(o.axis.dot(x - o.place));
  along.widen(margin);
  Vec3 middle = Vec3::Zero();
  for (const auto& x : near) middle += x - o.place;
  middle -= o.axis * o.axis.dot(middle);
  const double rotation = middle.norm() > 0 ? std::atan2(v.dot(middle), u.dot(middle)) : 0;
  for (const auto& x : near) {
    const double angle = std::atan2(v.dot(x - o.place), u.dot(x - o.place)) - rotation;
    around.add(std::remainder(angle, 2 * M_PI));
  }
  around.widen(margin / o.radius);
  if (around.high - around.low > M_PI || !is_large(o, size)) around = {-M_PI, M_PI};
  add_net(
      along, 4, around, 32,
      [&, a = u, b = v](double x, double angle) {
        return Vec3(o.place + x * o.axis +
                    o.radius * (std::cos(rotation + angle) * a + std::sin(rotation + angle) * b));
      },
      net);
}

void add_sphere(const model::Obstacle& o, const std::vector<Vec3>& near, double size, LineNet& net) {
  const double margin = kMargin * size;
  Vec3 middle = Vec3::Zero();
  for (const auto& x : near) middle += x - o.place;
  const Vec3 pole = middle.norm() > 0 ? Vec3(middle.normalized()) : Vec3(Vec3::UnitZ());
  const auto [u, v] = across(pole);
  LineRange polar{0, 0};
  for (const auto& x : near) polar.add(std::acos(std::clamp(pole.dot((x - o.place).normalized()), -1.0, 1.0)));
  polar.high += margin / o.radius;
  if (polar.high > M_PI / 2 || !is_large(o, size)) polar.high = M_PI;
  add_net(
      polar, 10, {0, 2 * M_PI}, 24,
      [&, a = u, b = v](double angle, double around) {
        return Vec3(o.place + o.radius * (std::cos(angle) * pole +
                                          std::sin(angle) * (std::cos(around) * a + std::sin(around) * b)));
      },
      net);
}
}  // namespace

LineNet obstacle_lines(const model::Model& model) {
  LineNet net;
  const double size = model.size();
  for (std::size_t k = 0; k < model.obstacles.size(); ++k) {
    const auto& o = model.obstacles[k];
    std::vector<Vec3> near;
    for (const auto& touch : model.touches)
      if (touch.obstacle == static_cast<int>(k)) near.push_back(model.nodes[static_cast<std::size_t>(touch.node)]);
    if (near.empty()) continue;
    if (o.kind == model::Obstacle::Kind::plane) add_plane(o, near, size, net);
    if (o.kind == model::Obstacle::Kind::cylinder) add_cylinder(o, near, size, net);
    if (o.kind == model::Obstacle::Kind::sphere) add_sphere(o, near, size, net);
    for (const auto& facet : o.facets)
      for (std::size_t c = 0; c < 3 && o.facets.size() <= kMost; ++c) net.push_back({facet[c], facet[(c + 1) % 3]});
  }
  return net;
}

}  // namespace archway::report::detail
