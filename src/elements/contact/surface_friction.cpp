#include <algorithm>
#include <cmath>

#include "archway/base/index.hpp"
#include "contact/surface_contact_detail.hpp"

/// What rubs.
namespace archway::elements {

using base::at;

/// How far the sides of each knot slid on each other; without `smooth_as_well`, where something rubs.
void SurfaceContact::slide(const Trial& trial, Gaps& g, bool smooth_as_well) const {
  g.slides.assign(knots_.size(), {});
  for (std::size_t i = 0; i < g.points.size(); ++i) {
    const auto& p = g.points[i];
    const auto& face = faces_[at(p.face)].own;
    if (!smooth_as_well && friction_[at(faces_[at(p.face)].contact)] == 0.0) continue;
    const auto& leader = faces_[at(p.leader)].own;
    const auto own = detail::shape_on(face.count, p.r, p.s), other = detail::shape_on(leader.count, p.at_r, p.at_s);
    Vec3 way = Vec3::Zero();
    for (std::size_t n = 0; n < at(face.count); ++n) way += own.n[n] * trial.state.position[at(face.nodes[n])];
    for (std::size_t n = 0; n < at(leader.count); ++n) way -= other.n[n] * trial.state.position[at(leader.nodes[n])];
    for (std::size_t k = 0; k < 4; ++k)
      if (const int knot = knot_of(p, k); knot >= 0 && g.knots[at(knot)].weight > 0) {
        const double share = p.weight * g.distances[i].corner[k] / g.knots[at(knot)].weight;
        g.slides[at(knot)].way += share * way;
        g.slides[at(knot)].normal += share * g.distances[i].normal;
      }
  }
  for (auto& s : g.slides) {
    if (!(s.normal.norm() > 0)) continue;
    s.normal.normalize();
    s.way -= s.normal * s.normal.dot(s.way);
  }
}

/// Friction at every knot, by what has slid and how hard it presses.
void SurfaceContact::rub(const Trial& trial, Gaps& g) const {
  slide(trial, g);
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    auto& t = g.knots[k];
    auto& s = g.slides[k];
    const auto before = Remembered::read(trial.knots.data() + kKnot * k);
    // by a force of rounds before, which is that of the state when it is found: so the stiffness is symmetric
    const double most = friction_[at(knots_[k].contact)] * before.cap, stiffness = detail::kAlong * knots_[k].stiffness;
    if (!(most > 0 && t.force > 0)) continue;
    const Mat3 across = Mat3::Identity() - s.normal * s.normal.transpose();
    const Vec3 tried = across * (before.along - stiffness * (s.way - before.counted));
    const double size = tried.norm();
    t.sticks = size <= most;
    t.along = t.sticks ? tried : Vec3(most / size * tried);
    s.stiffness = stiffness * across;
    if (t.sticks) continue;
    const Vec3 way = tried / size;
    s.stiffness = stiffness * most / size * (across - way * way.transpose());
    s.lost = most * (size - most) / stiffness;
  }
}

/// Of what touches in each contact, by how hard it presses: what comes into view from the side slides along with it. It
/// counts with all of that way, since what leaves to the other side counts with none.
std::vector<Vec3> SurfaceContact::mean_slips(const Gaps& g, const std::vector<double>& knots) const {
  std::vector<Vec3> ways(followers_.size(), Vec3::Zero());
  std::vector<double> forces(followers_.size(), 0);
  for (std::size_t k = 0; k < knots_.size(); ++k)
    if (const auto kept = Remembered::read(knots.data() + kKnot * k); kept.force > 0) {
      ways[at(knots_[k].contact)] += kept.force * (g.slides[k].way - kept.counted);
      forces[at(knots_[k].contact)] += kept.force;
    }
  for (std::size_t c = 0; c < ways.size(); ++c)
    if (forces[c] > 0) ways[c] /= forces[c];
  return ways;
}

double SurfaceContact::slides_by(const Trial& from, const State& to) const {
  Gaps one, other;
  const Trial there{to, from.knots, from.pairs};
  if (gaps(from, one, nullptr) != base::Verdict::good || gaps(there, other, nullptr) != base::Verdict::good) return 0;
  slide(from, one, true);
  slide(there, other, true);
  double most = 0;
  for (std::size_t k = 0; k < knots_.size(); ++k)
    if (one.knots[k].force > 0)
      most = std::max(most, (other.slides[k].way - one.slides[k].way).norm() / knots_[k].size);
  return most;
}

double SurfaceContact::dissipated(const std::vector<double>& knots) const {
  double sum = 0;
  for (std::size_t k = 0; k < knots_.size(); ++k) sum += Remembered::read(knots.data() + kKnot * k).lost;
  return sum;
}

/// What the friction of a knot adds to the stiffness of the nodes of its group.
void SurfaceContact::add_sticking(const Gaps& g, int knot, const std::vector<std::size_t>& points, Group& group) const {
  std::map<int, double> moved;  // how much of a node's displacement counts as sliding
  for (const auto i : points) {
    const auto& p = g.points[i];
    const auto &face = faces_[at(p.face)].own, &leader = faces_[at(p.leader)].own;
    double share = 0;
    for (std::size_t k = 0; k < 4; ++k)
      if (knot_of(p, k) == knot) share = p.weight * g.distances[i].corner[k] / g.knots[at(knot)].weight;
    const auto own = detail::shape_on(face.count, p.r, p.s), other = detail::shape_on(leader.count, p.at_r, p.at_s);
    for (std::size_t n = 0; n < at(face.count); ++n) moved[face.nodes[n]] += share * own.n[n];
    for (std::size_t n = 0; n < at(leader.count); ++n) moved[leader.nodes[n]] -= share * other.n[n];
  }
  for (std::size_t a = 0; a < group.nodes.size(); ++a)
    for (std::size_t b = 0; b < group.nodes.size(); ++b)
      group.tangent.block<3, 3>(3 * static_cast<Eigen::Index>(a), 3 * static_cast<Eigen::Index>(b)) +=
          moved.at(group.nodes[a]) * moved.at(group.nodes[b]) * g.slides[at(knot)].stiffness;
}

/// Friction of one point on its follower.
Vec3 SurfaceContact::drag(const Gaps& g, std::size_t i) const {
  Vec3 force = Vec3::Zero();
  for (std::size_t k = 0; k < 4 && !g.slides.empty(); ++k)
    if (const int knot = knot_of(g.points[i], k); knot >= 0 && g.knots[at(knot)].touches)
      force += g.points[i].weight * g.distances[i].corner[k] / g.knots[at(knot)].weight * g.knots[at(knot)].along;
  return force;
}

}  // namespace archway::elements
