#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/elements/obstacle.hpp"
#include "path/walk_detail.hpp"

/// Corners of a path, where something touches or lets go: the directions before and after are different ones.
namespace archway::analysis::detail {

namespace {
constexpr double kAtCorner = 1e-3;  ///< of a step: a contact that lets go so soon does so here
constexpr double kClosed = 1e-7;    ///< of the structure's size: a little beyond, so that it does touch
}  // namespace

/// The state so far along the direction of the path.
State Walk::ahead(double way) const {
  State state = now_.state;
  system_.advance(state, (by_arc() ? way : way / std::abs(now_.tangent.factor)) * now_.tangent.displacement);
  return state;
}

/// What touches along the direction of the path, within so much of it, and after which way.
/// \param beyond  so far inside
std::vector<Walk::Ahead> Walk::that_touch(double way, double beyond) const {
  std::vector<Ahead> list;
  if (now_.memory == nullptr || now_.tangent.displacement.size() == 0 || (!by_arc() && now_.tangent.factor == 0.0))
    return list;
  const auto here = equilibrium_.touching(now_.state, *now_.memory);
  if (here.empty()) return list;
  const auto there = equilibrium_.touching(ahead(way), *now_.memory);
  for (std::size_t t = 0; t < here.size(); ++t)
    if (here[t].counts && here[t].force == 0.0 && here[t].gap >= 0 && there[t].gap < -beyond)
      list.push_back({t, (here[t].gap + beyond) / (here[t].gap - there[t].gap) * way});
  return list;
}

/// Changes of the contact forces with the way along the path, by differences to both sides: what the surfaces bend over
/// so short a way is no force. The direction is found more closely first: gaps that hardly change are multiplied by a
/// large stiffness. None: it is not found.
std::vector<double> Walk::force_rates() {
  constexpr double kClosely = 1e-13, kSame = 0.99;
  Point here = now_;
  if (!equilibrium_.stand_at(here) || !equilibrium_.settle(here, now_.tangent, Count::by_factor, kClosely)) return {};
  // near a limit point with little left between it and rounding the direction known so far is the better one
  if (equilibrium_.dot(here.tangent, now_.tangent) > kSame) now_.tangent = here.tangent;
  const double way = 1e-3 * step_;
  const auto there = equilibrium_.touching(ahead(way), *now_.memory),
             behind = equilibrium_.touching(ahead(-way), *now_.memory);
  std::vector<double> rates;
  for (std::size_t t = 0; t < there.size(); ++t) rates.push_back((there[t].force - behind[t].force) / (2 * way));
  return rates;
}

/// What lets go along the direction of the path, within so much of it, and after which way.
std::vector<Walk::Ahead> Walk::that_let_go(double way) {
  std::vector<Ahead> list;
  if (!by_arc() || now_.memory == nullptr || now_.tangent.displacement.size() == 0) return list;
  const auto here = equilibrium_.touching(now_.state, *now_.memory);
  if (here.empty()) return list;
  const auto rates = force_rates();
  for (std::size_t t = 0; t < rates.size(); ++t)
    if (here[t].force > 0 && rates[t] < 0 && here[t].force / -rates[t] < way)
      list.push_back({t, here[t].force / -rates[t]});
  return list;
}

/// To where something touches (a little beyond, so that it does) or lets go (a little before), within so much of the
/// way. Where no step leads past it, to just before it touches as well. None on this way: HUGE_VAL.
double Walk::way_to_corner(double way, bool past) {
  constexpr double kShort = 1e-4;
  double touch = HUGE_VAL, open = HUGE_VAL;
  for (const auto& one : that_touch(way, past ? kClosed * system_.model().size() : 0)) touch = std::min(touch, one.way);
  for (const auto& one : that_let_go(way)) open = std::min(open, one.way);
  const double near = 10 * kAtCorner * way;  // it is there already
  if (!past) touch = touch > near ? (1 - kShort) * touch : HUGE_VAL;
  return std::min(touch, open > near ? (1 - kShort) * open : HUGE_VAL);
}

/// Where something is about to let go or to touch and no step leads past it, the path may reverse there: it goes on
/// in the direction, of those without or with that contact, in which the gap opens or the force grows. \param way  of
/// the step that was tried first \return whether the direction is a new one
bool Walk::rotation_corner(double way) {
  auto list = that_let_go(kAtCorner * way);
  const bool opens = !list.empty();
  if (!opens) list = that_touch(kAtCorner * way, 0);
  if (list.empty()) return false;
  const Point before = now_;
  const auto here = equilibrium_.touching(now_.state, *now_.memory);
  for (const auto& one : list)  // all that do so at once, or rounding would decide which is the first
    now_.memory = opens ? equilibrium_.without_contact(*now_.memory, one.which)
                        : equilibrium_.with_contact(*now_.memory, one.which, here[one.which].gap);
  const auto back = [&] {
    now_ = before;
    return false;
  };
  if (!equilibrium_.stand_at(now_) || !equilibrium_.settle(now_, before.tangent, Count::by_factor)) return back();
  const auto rates = force_rates();
  if (rates.empty()) return back();
  const auto there = equilibrium_.touching(ahead(1e-3 * step_), *now_.memory);
  double goes_on = 0;
  for (const auto& one : list) goes_on += opens ? there[one.which].gap - here[one.which].gap : rates[one.which];
  if (goes_on < 0) now_.tangent = {-now_.tangent.displacement, -now_.tangent.factor};
  // no corner to speak of: a step finds its own way round
  if (equilibrium_.dot(now_.tangent, before.tangent) > kBlunt) return back();
  bend_ = {};
  tell_corner(before);
  return true;
}

/// Where a step ends at a corner, its chord says nothing of the sense in which the path goes on:
/// what has closed must gain force, what has opened must gain gap, and the opposite sense would undo it.
void Walk::orient_at_contact(Trial& trial) const {
  // a longer step has gone on beyond the corner, and where it hardly bends its chord is right
  const bool at_corner = (to_touch_ || trial.smallest) && trial.bends;
  if (!by_arc() || !at_corner || now_.memory == nullptr || trial.point.memory == nullptr) return;
  const auto before = equilibrium_.touching(now_.state, *now_.memory),
             here = equilibrium_.touching(trial.point.state, *trial.point.memory);
  if (before.size() != here.size() || here.empty()) return;
  const auto moved = [&](double way) {
    State state = trial.point.state;
    system_.advance(state, way * trial.point.tangent.displacement);
    return equilibrium_.touching(state, *trial.point.memory);
  };
  std::vector<Equilibrium::Touching> ahead, behind;
  double gains = 0;
  // of nodes at obstacles: gaps between surfaces change as they slide, too
  const auto nodes = static_cast<std::size_t>(system_.geometry().touches().size());
  for (std::size_t t = 0; t < nodes; ++t) {
    // at the corner itself the force is still nothing
    const double near = kClosed * system_.model().size();
    const bool opened = before[t].force > 0 && here[t].force == 0.0,
               closed = before[t].force == 0.0 && here[t].counts &&
                        (here[t].force > 0 || (before[t].gap > near && here[t].gap <= near));
    if (!closed && !opened) continue;
    if (ahead.empty()) ahead = moved(1e-3 * trial.step), behind = moved(-1e-3 * trial.step);
    // by gaps both, of which forces are the opposite: what has closed presses more as its gap gets less
    const double opens = ahead[t].gap - behind[t].gap;
    gains += closed ? -opens : opens;
  }
  if (gains < 0) trial.point.tangent = {-trial.point.tangent.displacement, -trial.point.tangent.factor};
}

/// The loss of stability, or the rotation of the load, that a corner is.
void Walk::tell_corner(const Point& before) {
  const bool rotations = before.tangent.factor * now_.tangent.factor < 0;
  if (!rotations && before.negative_pivots == now_.negative_pivots) return;
  Found found;
  found.event = rotations ? PathEvent::limit_point : PathEvent::contact;
  found.is_peak = rotations && before.tangent.factor > 0;
  found.negatives_before = before.negative_pivots;
  found.point = before;
  found.null = equilibrium_.null_at(now_);
  Trial none;
  take(found, none);
  parent_ = last_index();
}

}  // namespace archway::analysis::detail
