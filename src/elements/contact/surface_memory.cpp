#include <algorithm>
#include <cmath>
#include <limits>

#include "archway/base/index.hpp"
#include "contact/surface_contact_detail.hpp"

/// What knots remember, from one round of the search to the next and from state to state.
namespace archway::elements {

using base::at;

namespace {
constexpr double kClosed = 1e-9;  ///< of a face's size: gaps below it are closed
}  // namespace

/// The cap of friction follows the force. Where the force answers to the cap it would sway around the right one from
/// round to round: the last two report how far to go.
bool SurfaceContact::Remembered::follow(double pressing, double least) {
  const double left = pressing - cap;
  double share = 1;
  if (cap_step != 0.0) {
    const double slope = (left - cap_left) / cap_step;  // -1 where the force does not answer
    if (slope < 0) share = std::clamp(-1 / slope, 0.3, 2.0);
  }
  cap_step = share * left;
  cap_left = left;
  cap = std::max(0.0, cap + cap_step);
  return std::abs(left) > least;
}

int SurfaceContact::keep_closed(const Trial& trial, std::vector<double>& knots) const {
  const auto list = touches(trial);
  knots = trial.knots;
  int fresh = 0;
  for (std::size_t k = 0; k < list.size(); ++k) {
    auto kept = Remembered::read(knots.data() + kKnot * k);
    if (!(list[k].force > 0) || kept.force > 0) continue;
    kept.force = std::numeric_limits<double>::min();  // no force, but one that touched
    kept.gap = 0;
    kept.write(knots.data() + kKnot * k);
    ++fresh;
  }
  return fresh;
}

void SurfaceContact::release(int knot, double little, std::vector<double>& knots) const {
  auto kept = Remembered::read(knots.data() + kKnot * at(knot));
  kept.force = -knots_[at(knot)].stiffness * little;
  kept.cap = 0;
  kept.gap = 0;
  kept.along.setZero();
  kept.write(knots.data() + kKnot * at(knot));
}

bool SurfaceContact::pulls(const Trial& trial, double least) const {
  const auto list = touches(trial);
  return std::any_of(list.begin(), list.end(), [&](const Touch& t) { return t.force < -least; });
}

bool SurfaceContact::improve(const Trial& trial, double least, std::vector<double>& better) const {
  Gaps g;
  better = trial.knots;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return false;
  bool changed = false;
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    const auto& t = g.knots[k];
    auto kept = Remembered::read(better.data() + kKnot * k);
    if (t.force > 0) {
      // a gap of which no digit is left closes no further
      const double rounding =
          16 * std::numeric_limits<double>::epsilon() * trial.state.position[at(knots_[k].node)].cwiseAbs().maxCoeff();
      const double left = std::abs(t.gap);
      changed = changed || (left > std::max(rounding, kClosed * knots_[k].size) && knots_[k].stiffness * left > least);
      if (rubs_) {
        // before it touched it moved freely: what counts is the way since
        if (!(kept.force > 0) && !from_side(k, kept.gap))
          kept.counted = g.slides[k].way - std::clamp(-t.gap / std::max(kept.gap - t.gap, 1e-300), 0.0, 1.0) *
                                               (g.slides[k].way - kept.counted);
        const double slid = (g.slides[k].way - kept.counted).norm();
        changed = changed || (t.sticks && slid > rounding && detail::kAlong * knots_[k].stiffness * slid > least);
        kept.along = t.along;
        changed = kept.follow(t.force, least / std::max(1e-3, friction_[at(knots_[k].contact)])) || changed;
      }
      kept.force = t.force, kept.gap = 0;
    } else if (kept.force > 0) {  // it lets go
      changed = changed || t.force < -least;
      kept.force = kept.cap = 0, kept.gap = std::max(0.0, t.gap);
      kept.along.setZero();
    }
    kept.write(better.data() + kKnot * k);
  }
  return changed;
}

/// In one state, by other pairs, it lies inside of something by more than it did.
bool SurfaceContact::comes_inside(const Gaps& old, const Gaps& now, std::size_t knot) const {
  constexpr double kInside = 0.01;  ///< of a face's size: less is what faces that slide on each other differ by
  const double before = std::min(0.0, old.knots[knot].gap), after = now.knots[knot].gap;
  return !knots_[knot].on_line && now.knots[knot].weight > 0 && after < before - kInside * knots_[knot].size;
}

void SurfaceContact::carry_over(const Trial& before, const Trial& found, std::vector<double>& knots) const {
  Gaps old, now;
  if (gaps(before, old, nullptr) != base::Verdict::good || gaps(found, now, nullptr) != base::Verdict::good) return;
  const auto ways = rubs_ ? mean_slips(old, knots) : std::vector<Vec3>();
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    auto kept = Remembered::read(knots.data() + kKnot * k);
    if (comes_inside(old, now, k)) kept.overlap += std::min(0.0, old.knots[k].gap) - now.knots[k].gap;
    if (rubs_) {
      Vec3 slid = Vec3::Zero();
      if (kept.force > 0)
        slid = old.slides[k].way - kept.counted;
      else if (from_side(k, kept.gap))
        slid = ways[at(knots_[k].contact)];
      kept.counted = now.slides[k].way - slid;
    }
    kept.write(knots.data() + kKnot * k);
  }
}

void SurfaceContact::remember(const Trial& trial, std::vector<double>& next) const {
  next = trial.knots;
  Gaps g;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return;
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    const auto& t = g.knots[k];
    auto kept = Remembered::read(next.data() + kKnot * k);
    kept.force = std::max(0.0, t.force);
    kept.gap = t.force > 0 ? t.gap : std::max(0.0, t.gap);
    // most of its gap is that it hardly sees anything yet: it comes from the side
    if (t.weight > 0 && !(t.force > 0) && out_of_view(k, t.weight) > 0.5 * kept.gap) kept.gap = knots_[k].size;
    if (t.gap >= kept.overlap) kept.overlap = 0;  // apart again
    if (rubs_) {
      kept.along = t.force > 0 ? t.along : Vec3(Vec3::Zero());
      kept.cap = kept.force, kept.cap_step = kept.cap_left = 0;
      kept.counted = g.slides[k].way;
      kept.lost += g.slides[k].lost;
    }
    kept.write(next.data() + kKnot * k);
  }
}

}  // namespace archway::elements
