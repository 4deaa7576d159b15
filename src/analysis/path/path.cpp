#include "archway/analysis/path.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "archway/elements/loads.hpp"
#include "path/walk_detail.hpp"

namespace archway::analysis {

double foreseen_loss(const std::vector<Increment>& increments) {
  if (increments.size() < 3) return kUnset;
  const auto *c = &increments.back(), *b = c - 1, *a = b - 1;
  const double x1 = b->load_factor - c->load_factor, x2 = a->load_factor - c->load_factor;
  const double y1 = b->softest - c->softest, y2 = a->softest - c->softest, det = x1 * x2 * (x2 - x1);
  if (!std::isfinite(y1 + y2) || det == 0.0 || !(c->softest > 0 && c->softest < b->softest)) return kUnset;
  // lowest = s + p x + q x^2, x from the last load factor, positive the way the load goes
  const double q = (y2 * x1 - y1 * x2) / det, p = (y1 * x2 * x2 - y2 * x1 * x1) / det, s = c->softest;
  const double way = c->load_factor >= b->load_factor ? 1 : -1;
  double next = HUGE_VAL;
  const double root = p * p - 4 * q * s;
  if (std::abs(q) * std::abs(s) < 1e-12 * p * p)
    next = -s / p * way;
  else if (root >= 0)
    for (const double x : {(-p + std::sqrt(root)) / (2 * q), (-p - std::sqrt(root)) / (2 * q)})
      if (x * way > 0) next = std::min(next, x * way);
  return next > 0 && std::isfinite(next) ? c->load_factor + way * next : kUnset;
}

namespace {
constexpr double kFiner = 8;  ///< times shorter are the steps of a second attempt; tried on 24 paths

/// What flows, touches, goes slack or has a kinked law has kinks in its path, past which some steps lead and others do
/// not.
bool may_go_further(const System& system, const PathResult& result) {
  const auto& m = system.model();
  const bool has_kinks = system.geometry().flows() || !m.obstacles.empty() || !m.contacts.empty() ||
                         !m.spring_curves.empty() ||
                         std::any_of(m.parts.begin(), m.parts.end(), [](const auto& p) { return p.tension_only; });
  return has_kinks && result.ending == Ending::not_converged && result.increments.size() > 2;
}

/// With what the first attempt has left of the budgets. None: nothing is left.
std::optional<PathOptions> finer_options(const PathOptions& options, const PathResult& first, double seconds) {
  PathOptions finer = options;
  finer.steps.first /= kFiner;
  if (options.steps.largest > 0) finer.steps.largest = std::max(options.steps.largest / kFiner, finer.steps.first);
  if (options.stop.seconds > 0) finer.stop.seconds -= seconds;
  if (options.stop.factorisations > 0) finer.stop.factorisations -= first.factorisations;
  if ((options.stop.seconds > 0 && finer.stop.seconds <= 0) ||
      (options.stop.factorisations > 0 && finer.stop.factorisations <= 0))
    return std::nullopt;
  return finer;
}
}  // namespace

PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher) {
  if (const auto complaints = options.complaints(); !complaints.empty())
    throw base::InputError("path options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  if (options.jumps.damping + options.jumps.stiffness_damping > 0 && !(elements::mass_of(system.model(), -1).mass > 0))
    throw base::InputError("density", "a motion in time needs mass, and no material has a density",
                           "give the materials a density, or omit the damping: the damped descent needs no mass");
  const auto began = std::chrono::steady_clock::now();
  PathResult first = detail::Walk(system, options, watcher).run();
  if (!may_go_further(system, first)) return first;
  const auto finer =
      finer_options(options, first, std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count());
  if (!finer) return first;
  PathResult second = detail::Walk(system, *finer, watcher).run();
  const int spent = first.factorisations + second.factorisations;
  const auto reach = [](const PathResult& r) {
    return r.increments.empty() ? 0 : r.increments.back().largest_displacement;
  };
  const bool further = second.ending == Ending::stopped_by_caller || reach(second) > reach(first);
  const double stuck = first.increments.back().load_factor;
  PathResult result = further ? std::move(second) : std::move(first);
  result.factorisations = spent;
  if (further) result.first_attempt = stuck;
  return result;
}

}  // namespace archway::analysis
