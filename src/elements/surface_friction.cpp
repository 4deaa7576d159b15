#include <cmath>

#include "archway/base/index.hpp"
#include "surface_contact_detail.hpp"

/// What rubs.
namespace archway::elements {

using base::at;

/// How far the sides of each knot slid on each other.
void SurfaceContact::slide(const Trial& trial, Gaps& g) const {
  g.slides.assign(knots_.size(), {});
  for (std::size_t i = 0; i < g.points.size(); ++i) {
    const auto& p = g.points[i];
    const auto& face = faces_[at(p.face)].own;
    if (friction_[at(faces_[at(p.face)].contact)] == 0.0) continue;
    const auto& leader = faces_[at(p.leader)].own;
    const auto own = detail::shape_on(face.count, p.r, p.s * (face.is_line() ? 0 : 1)),
               other = detail::shape_on(leader.count, p.at_r, p.at_s);
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
    // by the last force, which is that of the state when it is found: within a round the stiffness is symmetric
    const double most = friction_[at(knots_[k].contact)] * before.force,
                 stiffness = detail::kAlong * knots_[k].stiffness;
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

void SurfaceContact::carry_slip(const Trial& before, const Trial& found, std::vector<double>& knots) const {
  if (!rubs_) return;
  Gaps old, now;
  if (gaps(before, old, nullptr) != base::Verdict::good || gaps(found, now, nullptr) != base::Verdict::good) return;
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    auto kept = Remembered::read(knots.data() + kKnot * k);
    kept.counted = now.slides[k].way - (kept.force > 0 ? Vec3(old.slides[k].way - kept.counted) : Vec3(Vec3::Zero()));
    kept.write(knots.data() + kKnot * k);
  }
}

double SurfaceContact::dissipated(const std::vector<double>& knots) const {
  double sum = 0;
  for (std::size_t k = 0; k < knots_.size(); ++k) sum += Remembered::read(knots.data() + kKnot * k).lost;
  return sum;
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
