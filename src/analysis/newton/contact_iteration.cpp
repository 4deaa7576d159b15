#include <algorithm>
#include <cmath>
#include <utility>

#include "archway/analysis/system.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"
#include "newton/equilibrium_detail.hpp"
#include "newton/newton_thresholds_detail.hpp"

/// Contact within Newton's method: an augmented Lagrangian ([SimoLaursen1992]). Forces of contact are kept while the
/// state is corrected, then improved by what the gaps still are; contacts in tension open one after the other.
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;
constexpr double kAhead = 2;  ///< of the way that a step has gone: so far the next one is looked out for
constexpr int kPairings = 4;  ///< in one step that what lies opposite to what is found anew
constexpr int kOneByOne = 5;  ///< of them: after so many what pulls lets go one by one
}  // namespace

void Equilibrium::foresee_pairs(Point& point, const Foresight& before) const {
  constexpr double kFar = 0.05;  // of a face: less is followed by the pairs of the last state
  const auto& geometry = system_.geometry();
  const auto& surfaces = geometry.surfaces();
  if (surfaces.empty() || point.memory == nullptr) return;
  const auto last = geometry.surface_trial(before.state, *point.memory);
  if (!(surfaces.slides_by(last, point.state) > kFar)) return;
  auto found = surfaces.pair(point.state, kAhead * largest_displacement(before.step), &system_.executor());
  auto next = std::make_shared<elements::Memory>(*point.memory);
  surfaces.carry_over(last, {before.state, last.knots, found}, geometry.surface_knots(*next));
  geometry.surface_pairs(*next) = std::move(found);
  point.memory = std::move(next);
}

bool Equilibrium::improve_contact(Point& point, const ConvergenceTest::Balance& balance, int round,
                                  Pairing& pairing) const {
  const auto& geometry = system_.geometry();
  const auto& touches = geometry.touches();
  if ((touches.size() == 0 && geometry.surfaces().empty()) || point.memory == nullptr) return false;
  auto better = std::make_shared<elements::Memory>(*point.memory);
  const std::size_t own = geometry.sets().size() - 1;
  const elements::Trial trial(point.state, (*point.memory)[own].data(), (*better)[own].data());
  const double least = options_.newton.residual_tolerance * balance.force_scale;
  bool changed = touches.size() > 0 && touches.improve(trial, least);
  if (!geometry.surfaces().empty()) changed = improve_surfaces(point, least, pairing, *better) || changed;
  if (!changed) return false;
  point.memory = round > kOneByOne ? but_one_held(point, std::move(better)) : std::move(better);
  return true;
}

/// Of those that pull only the one that pulls most lets go (or several that pull alike), the others are restrained
/// where they are: many that let go at once would close again in turn.
std::shared_ptr<const elements::Memory> Equilibrium::but_one_held(
    const Point& point, std::shared_ptr<const elements::Memory> better) const {
  const auto list = touching(point.state, *point.memory);
  constexpr double kAlike = 1e-6;
  double most = 0;
  for (const auto& one : list) most = std::min(most, one.force);
  for (std::size_t t = 0; t < list.size(); ++t)
    if (list[t].force < 0 && list[t].force > most * (1 - kAlike)) better = with_contact(*better, t, list[t].gap);
  return better;
}

void Equilibrium::keep_closed(Point& point) const {
  const auto& geometry = system_.geometry();
  const auto& touches = geometry.touches();
  const auto& surfaces = geometry.surfaces();
  if ((touches.size() == 0 && surfaces.empty()) || point.memory == nullptr) return;
  auto held = std::make_shared<elements::Memory>(*point.memory);
  int fresh = touches.size() == 0 ? 0
                                  : touches.keep_closed(geometry.trial(point.state, point.memory.get(), touches),
                                                        (*held)[geometry.sets().size() - 1]);
  if (!surfaces.empty())
    fresh += surfaces.keep_closed(geometry.surface_trial(point.state, *point.memory), geometry.surface_knots(*held));
  if (fresh > 0) point.memory = std::move(held);
}

bool Equilibrium::pulls(const Point& point, const ConvergenceTest::Balance& balance) const {
  const auto& geometry = system_.geometry();
  if (point.memory == nullptr) return false;
  const double least = options_.newton.residual_tolerance * balance.force_scale;
  return geometry.touches().pulls(geometry.trial(point.state, point.memory.get(), geometry.touches()), least) ||
         (!geometry.surfaces().empty() &&
          geometry.surfaces().pulls(geometry.surface_trial(point.state, *point.memory), least));
}

bool Equilibrium::improve_surfaces(const Point& point, double least, Pairing& pairing, elements::Memory& better) const {
  const auto& geometry = system_.geometry();
  const auto& surfaces = geometry.surfaces();
  auto &knots = geometry.surface_knots(better), &pairs = geometry.surface_pairs(better);
  bool changed = surfaces.improve(geometry.surface_trial(point.state, *point.memory), least, knots);
  const double moved = std::exchange(pairing.moved, 0);
  if (moved == 0.0 || pairing.times >= kPairings) return changed;
  auto found = surfaces.pair(point.state, kAhead * moved, &system_.executor());
  if (found == pairs) return changed;
  ++pairing.times;
  surfaces.carry_over({point.state, knots, pairs}, {point.state, knots, found}, knots);
  pairs = std::move(found);
  return true;
}

}  // namespace archway::analysis::detail
