#include "archway/analysis/path.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"
#include "archway/elements/loads.hpp"
#include "walk_detail.hpp"

namespace archway::analysis {

const char* to_text(PathEvent event) {
  switch (event) {
    case PathEvent::none:
      return "";
    case PathEvent::preload:
      return "held part in place";
    case PathEvent::limit_point:
      return "limit point";
    case PathEvent::bifurcation:
      return "bifurcation";
    case PathEvent::stage:
      return "stage begins";
    case PathEvent::contact:
      return "contact opens or closes";
    case PathEvent::jump:
      return "jump";
    case PathEvent::touch:
      return "first contact";
  }
  return "?";
}

std::vector<std::string> PathOptions::complaints() const {
  std::vector<std::string> list;
  if (growing.terms.empty()) list.push_back("nothing grows: name the combination that the load factor multiplies");
  if (!(first_step > 0)) list.push_back(fmt::format("first_step is {}, it must be above zero", first_step));
  if (largest_step < 0 || smallest_step < 0) list.push_back("steps must not be negative");
  if (stop_increments < 1) list.push_back("at least one increment must be allowed");
  if (stop_drop < 0 || stop_drop >= 1)
    list.push_back(fmt::format("the drop rule is {}, it must lie between 0 and 1", stop_drop));
  if (stop_watch >= static_cast<int>(watch.size()))
    list.push_back("the movement rule names a watch point that does not exist");
  if (control == PathControl::movement && (lead < 0 || lead >= static_cast<int>(watch.size())))
    list.push_back("control by a watch needs one that exists");
  if (wanted_iterations < 1 || max_iterations < wanted_iterations) list.push_back("iterations: 1 <= wanted <= most");
  return list;
}

std::string way_text(const PathBranch& branch) {
  if (branch.mix.size() == 0)
    return fmt::format("mode {}, {}", branch.mode + 1, branch.sense > 0 ? "one way" : "the other way");
  return fmt::format("{:.3f} of mode 1 and {:.3f} of mode 2", branch.mix[0], branch.mix[1]);
}

std::string place_text(const Increment& increment) {
  const double f = std::abs(increment.load_factor);
  const double digits = increment.uncertainty > 0 && f > 0 ? -std::log10(increment.uncertainty / f) : 6;
  return fmt::format("{:.{}g}", increment.load_factor, std::clamp(static_cast<int>(std::floor(digits + 0.31)), 2, 6));
}

double foreseen_loss(const std::vector<Increment>& increments) {
  if (increments.size() < 3) return kUnset;
  const auto *c = &increments.back(), *b = c - 1, *a = b - 1;
  const double x1 = b->load_factor - c->load_factor, x2 = a->load_factor - c->load_factor;
  const double y1 = b->softest - c->softest, y2 = a->softest - c->softest, det = x1 * x2 * (x2 - x1);
  if (!std::isfinite(y1 + y2) || det == 0.0 || !(c->softest > 0 && c->softest < b->softest)) return kUnset;
  // softest = s + p x + q x^2, x from the last load factor, positive the way the load goes
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
  finer.first_step /= kFiner;
  if (options.largest_step > 0) finer.largest_step = std::max(options.largest_step / kFiner, finer.first_step);
  if (options.stop_seconds > 0) finer.stop_seconds -= seconds;
  if (options.stop_factorisations > 0) finer.stop_factorisations -= first.factorisations;
  if ((options.stop_seconds > 0 && finer.stop_seconds <= 0) ||
      (options.stop_factorisations > 0 && finer.stop_factorisations <= 0))
    return std::nullopt;
  return finer;
}
}  // namespace

PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher) {
  if (const auto complaints = options.complaints(); !complaints.empty())
    throw base::InputError("path options", fmt::format("{}", fmt::join(complaints, "; ")), "");
  if (options.jump_damping + options.jump_stiffness_damping > 0 && !(elements::mass_of(system.model(), -1).mass > 0))
    throw base::InputError("density", "a motion in time needs mass, and no material has a density",
                           "give the materials a density, or leave out the damping: the damped descent needs no mass");
  const auto began = std::chrono::steady_clock::now();
  PathResult first = detail::Walk(system, options, watcher).run();
  if (!may_go_further(system, first)) return first;
  const auto finer =
      finer_options(options, first, std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count());
  if (!finer) return first;
  PathResult second = detail::Walk(system, *finer, watcher).run();
  const int spent = first.factorisations + second.factorisations;
  const auto reach = [](const PathResult& r) {
    return r.increments.empty() ? 0 : r.increments.back().largest_movement;
  };
  const bool further = second.ending == Ending::stopped_by_caller || reach(second) > reach(first);
  const double stuck = first.increments.back().load_factor;
  PathResult result = further ? std::move(second) : std::move(first);
  result.factorisations = spent;
  if (further) result.first_attempt = stuck;
  return result;
}

}  // namespace archway::analysis
