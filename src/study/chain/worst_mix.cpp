#include <algorithm>
#include <cmath>
#include <random>

#include <fmt/format.h>

#include "archway/elements/outline.hpp"
#include "archway/study/sweep.hpp"
#include "imperfections/imperfection_detail.hpp"

namespace archway::study {

namespace {
using Eigen::VectorXd;

constexpr int kTakenOn = 8;  ///< of the screened mixes, so many are improved by the reduced model

VectorXd vector_of(const std::vector<double>& list) {
  return Eigen::Map<const VectorXd>(list.data(), static_cast<Eigen::Index>(list.size()));
}

/// Mixes of one largest displacement by the reduced model.
class Screen {
 public:
  Screen(const analysis::ReducedModel& model, const model::Model& structure, const analysis::BucklingResult& source,
         int count, double amplitude)
      : model_(model), outline_(structure), amplitude_(amplitude), shapes_(source.modes[0].shape.size(), count) {
    for (int k = 0; k < count; ++k) shapes_.col(k) = source.modes[static_cast<std::size_t>(k)].shape;
  }
  Mix predicted(const VectorXd& way) const {
    const VectorXd mix = way / way.cwiseAbs().maxCoeff();
    const double largest = outline_.largest(shapes_ * mix);
    VectorXd of_all = VectorXd::Zero(model_.forcing.front().cols());
    of_all.head(mix.size()) = mix * (amplitude_ / largest);
    const auto peak = analysis::reduced_peak(model_, of_all);
    return {{mix.data(), mix.data() + mix.size()}, peak.found ? peak.load_factor : HUGE_VAL};
  }
  /// Steps along single modes while they lower the load.
  Mix taken_on(Mix best) const {
    for (double step = 0.3; step > 0.02;) {
      const Mix before = best;
      for (std::size_t k = 0; k < best.factors.size(); ++k)
        for (const double sense : {step, -step}) {
          VectorXd way = vector_of(best.factors);
          way[static_cast<Eigen::Index>(k)] += sense;
          if (!(way.cwiseAbs().maxCoeff() > 0)) continue;
          if (const Mix next = predicted(way); next.predicted < best.predicted) best = next;
        }
      if (!(best.predicted < before.predicted * (1 - 1e-4))) step *= 0.5;
    }
    return best;
  }

 private:
  const analysis::ReducedModel& model_;
  elements::Outline outline_;
  double amplitude_;
  Eigen::MatrixXd shapes_;
};

/// Directions without preference, the same ones each time and everywhere.
class Directions {
 public:
  VectorXd next(int size) {
    VectorXd way(size);
    for (double& w : way) w = std::sqrt(-2 * std::log(share())) * std::cos(2 * M_PI * share());
    return way;
  }

 private:
  double share() { return (static_cast<double>(random_() >> 11) + 0.5) * 0x1p-53; }
  std::mt19937_64 random_{20};
};
}  // namespace

std::vector<Mix> unlike(const std::vector<Mix>& mixes, int count) {
  std::vector<Mix> chosen;
  for (const auto& mix : mixes) {
    if (static_cast<int>(chosen.size()) == count) break;
    const VectorXd way = vector_of(mix.factors).normalized();
    const bool new_one = std::all_of(chosen.begin(), chosen.end(), [&](const Mix& other) {
      return way.dot(vector_of(other.factors).normalized()) < 0.9;
    });
    if (new_one && std::isfinite(mix.predicted)) chosen.push_back(mix);
  }
  return chosen;
}

std::size_t Sweep::mixed_modes() const {
  const auto* source = chain_.so_far().find(sweep_.worst_of);
  const auto count = std::min<std::size_t>(static_cast<std::size_t>(sweep_.worst_modes),
                                           source != nullptr && source->buckling ? source->buckling->modes.size() : 0);
  if (count < 2) throw base::InputError(sweep_.worst_of, "it has fewer than two modes to mix", "raise its modes");
  return count;
}

Sweep::Screening Sweep::screened() {
  const int count = static_cast<int>(mixed_modes());
  AnalysisSpec perfect = path_of("");
  perfect.kind = &path_kind(PathOf::elastic, false);
  perfect.name += " without imperfection";
  perfect.imperfections.clear();
  perfect.post_buckling = perfect.peak_slopes = false;
  perfect.branch_modes = count;
  perfect.stop = {};
  perfect.stop.given = perfect.stop.at_loss = true;
  const auto outcome = chain_.apart(perfect);
  const auto* source = chain_.so_far().find(sweep_.worst_of);
  if (!outcome.reduced || !outcome.reduced->found)
    throw base::InputError(
        sweep_.name,
        fmt::format("mixes cannot be screened: {}", outcome.reduced ? outcome.reduced->message : outcome.skip_reason),
        "leave screen out: the slopes of the peak look for the worst mix by themselves");
  Screening result;
  result.modes = outcome.reduced->modes();
  result.critical = outcome.reduced->critical;
  result.factorisations = outcome.path->factorisations + outcome.reduced->factorisations;
  result.evaluations = outcome.reduced->evaluations;
  const Screen screen(*outcome.reduced, *outcome.model, *source->buckling, count, sweep_.amplitudes.front());
  for (int k = 0; k < count; ++k)
    for (const double sign : {1.0, -1.0}) result.mixes.push_back(screen.predicted(sign * VectorXd::Unit(count, k)));
  Directions directions;
  for (int n = 0; n < sweep_.screen; ++n) result.mixes.push_back(screen.predicted(directions.next(count)));
  const auto by_load = [](const Mix& a, const Mix& b) { return a.predicted < b.predicted; };
  std::stable_sort(result.mixes.begin(), result.mixes.end(), by_load);
  for (const auto& mix : unlike(result.mixes, kTakenOn)) result.mixes.push_back(screen.taken_on(mix));
  std::stable_sort(result.mixes.begin(), result.mixes.end(), by_load);
  return result;
}

Sweep::WorstStep Sweep::followed(const std::vector<double>& mix, double predicted, const std::vector<WorstStep>& before,
                                 std::vector<double>& slopes) {
  const auto own = mode_mix(sweep_.worst_of, mix, sweep_.amplitudes.front());
  std::vector<std::pair<std::string, double>> by_mode;
  WorstStep step{mix, carried_out(path_of(""), own, &by_mode), false, predicted};
  step.result.critical = critical("");
  step.better = step.result.usable;
  for (const auto& other : before)
    step.better = step.better && step.result.load_factor() < other.result.load_factor() * (1 - 1e-6);
  slopes.clear();
  for (const auto& [name, slope] : by_mode) slopes.push_back(slope);
  return step;
}

std::vector<Sweep::WorstStep> Sweep::worst(const std::vector<Mix>& screened,
                                           const std::function<void(const WorstStep&)>& told) {
  const auto count = mixed_modes();
  std::vector<WorstStep> steps;
  VectorXd best;
  std::vector<double> slopes, best_slopes;
  const auto run = [&](const VectorXd& mix, double predicted) {
    steps.push_back(followed({mix.data(), mix.data() + mix.size()}, predicted, steps, slopes));
    const bool better = steps.back().better;
    if (better) best = mix, best_slopes = slopes;
    if (told) told(steps.back());
    return better;
  };
  const VectorXd first = VectorXd::Unit(static_cast<Eigen::Index>(count), 0);
  (void)run(first, analysis::kUnset);
  (void)run(-first, analysis::kUnset);
  for (const auto& mix : screened) (void)run(vector_of(mix.factors), mix.predicted);
  double way = screened.empty() ? 1 : 0.5;
  for (int k = 0; k < sweep_.worst_steps && best_slopes.size() >= count; ++k) {
    const VectorXd g = vector_of(best_slopes).head(best.size());
    VectorXd down = -(g - best * (g.dot(best) / best.squaredNorm()));
    if (!(down.norm() > 1e-6 * g.norm())) break;  // no mix beside this one is worse to first order
    down *= best.norm() / down.norm();
    for (;;) {
      VectorXd next = best + way * down;
      next /= next.cwiseAbs().maxCoeff();
      if (run(next, analysis::kUnset)) break;
      way *= 0.5;
      if (way < 0.1) return steps;
    }
  }
  return steps;
}

}  // namespace archway::study
