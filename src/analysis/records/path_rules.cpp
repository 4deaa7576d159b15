#include "archway/analysis/path_rules.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/index.hpp"

namespace archway::analysis {

namespace {
using Eigen::VectorXd;

using base::at;

/// Norms of the force and of the moment components of a full vector.
struct Norms {
  double force = 0, moment = 0;
};
Norms norms(const VectorXd& full, double size) {
  Norms sum;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeDofs) {
    sum.force += full.segment<3>(n).squaredNorm();
    sum.moment += full.segment<3>(n + 3).squaredNorm() + std::pow(full[n + model::warp] / size, 2);
  }
  return {std::sqrt(sum.force), std::sqrt(sum.moment)};
}

}  // namespace

StepRule::StepRule(const PathOptions& options)
    : first(options.steps.first),
      smallest(options.steps.smallest > 0 ? options.steps.smallest : options.steps.first / 4096),
      largest(options.steps.largest > 0 ? options.steps.largest : 8 * options.steps.first),
      wanted_iterations(options.steps.wanted_iterations) {}

double StepRule::after(double taken, int iterations) const {
  if (iterations == 0) return std::min(taken * without_corrections, largest);
  const double growth = std::sqrt(static_cast<double>(wanted_iterations) / iterations);
  return std::min(taken * std::clamp(growth, 0.5, 1.5), largest);
}

ConvergenceTest::Balance ConvergenceTest::balance(const VectorXd& gap, const VectorXd& internal,
                                                  const VectorXd& external, double size) const {
  const Norms in = norms(internal, size), out = norms(external, size);
  const double forces = std::max({in.force, out.force, least_force}), moments = std::max(in.moment, out.moment);
  const double force_scale = std::max(forces, moments / size), moment_scale = std::max(moments, 1e-3 * size * forces);
  const auto part = [](double rest, double scale) { return rest == 0.0 ? 0.0 : rest / scale; };  // NaN stays NaN
  const Norms rest = norms(gap, size);
  const double force = part(rest.force, force_scale), moment = part(rest.moment, moment_scale);
  Balance result;
  result.force_scale = force_scale;
  result.moment_scale = moment_scale;
  result.load_scale = std::max(out.force, out.moment / size);
  result.residual = std::isnan(force) || std::isnan(moment) ? HUGE_VAL : std::max(force, moment);
  return result;
}

ConvergenceTest::Extent ConvergenceTest::Extent::of(const VectorXd& full) {
  Extent most;
  most.translation = model::largest_translation(full);
  most.rotation = model::largest_rotation(full);
  return most;
}

bool ConvergenceTest::Extent::within(double share, const Extent& other, double size) const {
  return translation <= share * other.translation &&
         rotation <= share * std::max(other.rotation, other.translation / size);
}

bool stands_still(const PathResult& so_far, double share) {
  const Increment& last = so_far.increments.back();
  for (auto i = so_far.increments.rbegin(); i != so_far.increments.rend(); ++i) {
    if (std::abs(i->load_factor - last.load_factor) > share * std::abs(last.load_factor)) return false;
    if (1.5 * i->largest_displacement <= last.largest_displacement) return i->plastic_strain > 0;
  }
  return false;
}

std::string reason_to_stop(const PathOptions& options, const PathResult& so_far, double highest) {
  const Increment& last = so_far.increments.back();
  if (const auto& end = options.stop.load_factor;
      end && std::abs(last.load_factor - *end) <= 1e-12 * std::max(std::abs(*end), std::abs(highest)))
    return fmt::format("load factor {:.6g} reached", *end);
  if (options.stop.watch >= 0 && options.stop.displacement != 0.0 &&
      last.watched[at(options.stop.watch)] / options.stop.displacement >=
          1 - (options.watch[at(options.stop.watch)].of_nodes() ? 1e-9 : 2 * kLocated))
    return fmt::format(
        "{} of '{}' reached {:.6g}",
        options.watch[at(options.stop.watch)].kind == WatchPoint::Kind::displacement ? "displacement" : "reading",
        options.watch[at(options.stop.watch)].name, options.stop.displacement);
  if (options.stop.at_loss && so_far.first_loss >= 0)
    return fmt::format("the structure loses its stability at load factor {}",
                       place_text(so_far.increments[at(so_far.first_loss)]));
  if (options.stop.after_peak > 0 && so_far.peak_is_limit_point && last.number >= so_far.peak + options.stop.after_peak)
    return fmt::format("{} increments beyond the peak", options.stop.after_peak);
  if (options.stop.drop > 0 && last.load_factor < options.stop.drop * highest)
    return fmt::format("load factor fell below {:.3g} of the peak", options.stop.drop);
  if (options.stop.plastic_strain > 0 && last.plastic_strain >= options.stop.plastic_strain)
    return fmt::format("a plastic strain of {:.3g} % was reached", 100 * last.plastic_strain);
  if (options.stop.flat > 0 && stands_still(so_far, options.stop.flat))
    return fmt::format("the load stays constant at load factor {:.6g} while the structure moves on", last.load_factor);
  if (last.number >= options.stop.increments) return fmt::format("{} increments done", options.stop.increments);
  return "";
}

double rotation_between(const PathPlace& low, const PathPlace& high) {
  const double h = high.way - low.way;
  // slope of the cubic over t in [0, 1]: a t^2 + b t + c
  const double rise = high.factor - low.factor, m0 = h * low.slope, m1 = h * high.slope;
  const double a = 3 * (m0 + m1 - 2 * rise), b = 2 * (3 * rise - 2 * m0 - m1), c = m0;
  const double root = std::sqrt(std::max(0.0, b * b - 4 * a * c));
  const double q = -0.5 * (b + (b < 0 ? -root : root));
  double t = low.slope / (low.slope - high.slope);  // the secant
  for (const double candidate : {a != 0.0 ? q / a : -1.0, q != 0.0 ? c / q : -1.0})
    if (candidate > 0 && candidate < 1) t = candidate;
  return low.way + std::clamp(t, 0.01, 0.99) * h;
}

}  // namespace archway::analysis
