#include "archway/study/sweep.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/comparison.hpp"
#include "imperfections/imperfection_detail.hpp"

namespace archway::study {

std::vector<SweepCase> cases_of(const SweepSpec& sweep) {
  std::vector<SweepCase> list;
  std::vector<std::string> designs = {""};
  designs.insert(designs.end(), sweep.designs.begin(), sweep.designs.end());
  const auto amplitudes = sweep.amplitudes.empty() ? std::vector<double>{analysis::kUnset} : sweep.amplitudes;
  for (const auto& design : designs)
    for (const auto& imperfection : sweep.imperfections)
      for (int sample = 0; sample < std::max(sweep.seeds, 1); ++sample)
        for (const double amplitude : amplitudes)
          for (const double sign : {1.0, -1.0}) {
            if (sign < 0 && (!sweep.both_signs || !std::isfinite(amplitude))) continue;
            SweepCase one;
            one.number = static_cast<int>(list.size()) + 1;
            one.imperfection = imperfection;
            one.design = design;
            one.amplitude = sign * amplitude;
            one.seed = sweep.seeds > 0 ? sweep.first_seed + static_cast<unsigned long long>(sample) : 0;
            list.push_back(one);
          }
  return list;
}

std::string to_text(const SweepCase& one) {
  std::string text = one.imperfection;
  if (std::isfinite(one.amplitude)) text += fmt::format(", {:g}", one.amplitude);
  if (one.seed > 0) text += fmt::format(", seed {}", one.seed);
  if (!one.design.empty()) text += ", " + one.design;
  return text;
}

Sweep::Sweep(const StudySpec& spec, const SweepSpec& sweep, const ChainWatcher& watcher)
    : spec_(spec), sweep_(sweep), cases_(cases_of(sweep)), chain_(shared_part(spec, sweep), watcher) {
  chain_.run_all();
}

/// The study with the analyses alone that the paths of the sweep lean on.
StudySpec Sweep::shared_part(const StudySpec& spec, const SweepSpec& sweep) {
  StudySpec own = spec;
  own.hand_checks.clear();
  std::vector<std::string> paths = {sweep.analysis};
  for (const auto& design : sweep.designs) paths.push_back(sweep.analysis + "@" + design);
  // whatever the imperfections of the sweep are made from, for every design
  for (auto& a : own.analyses)
    if (std::find(paths.begin(), paths.end(), a.name) != paths.end())
      for (const auto& name : sweep.imperfections) a.imperfections.emplace_back(name, 1.0);
  auto wanted = paths;
  if (!sweep.worst_of.empty()) wanted.push_back(sweep.worst_of);
  // what reports the coefficients of the branch of the perfect structure
  if (const auto* path = spec.find_analysis(sweep.analysis))
    for (const auto& a : spec.analyses)
      if (a.post_buckling && a.source == path->source) wanted.push_back(a.name);
  auto list = with_sources(own, wanted);
  list.erase(
      std::remove_if(list.begin(), list.end(),
                     [&](const auto& a) { return std::find(paths.begin(), paths.end(), a.name) != paths.end(); }),
      list.end());
  own.analyses = std::move(list);
  own.sweeps.clear();
  return own;
}

const AnalysisSpec& Sweep::path_of(const std::string& design) const {
  return *spec_.find_analysis(design.empty() ? sweep_.analysis : sweep_.analysis + "@" + design);
}

double Sweep::critical(const std::string& design) const {
  AnalysisSpec path = path_of(design);
  for (const auto& name : sweep_.imperfections) path.imperfections.emplace_back(name, 1.0);
  return critical_factor(chain_.so_far(), path);
}

CaseResult Sweep::run(const SweepCase& one) {
  CaseResult result;
  result.of = one;
  result.critical = critical(one.design);
  ImperfectionSpec own = *spec_.find_imperfection(one.imperfection);
  if (!one.design.empty()) {  // a design may change the numbers of its imperfection
    const auto other = spec_.vary ? spec_.vary(path_of(one.design).variant) : spec_;
    if (const auto* there = other.find_imperfection(one.imperfection)) own = *there;
  }
  own.name = "case";
  if (one.seed > 0) own.numbers["seed"] = static_cast<double>(one.seed);
  if (std::isfinite(one.amplitude)) {
    if (sweep_.times) {
      own.amplitude *= one.amplitude;
    } else if (own.amplitude_kind != AmplitudeKind::root_mean_square) {
      own.amplitude_kind = AmplitudeKind::length;
      own.amplitude = one.amplitude;
      own.each_mode = false;
    } else {
      own.amplitude = one.amplitude;
    }
  }
  auto done = carried_out(path_of(one.design), own, nullptr);
  done.of = result.of;
  done.critical = result.critical;
  if (one.design.empty()) tell_branch(own, done);
  return done;
}

void Sweep::tell_branch(const ImperfectionSpec& imperfection, CaseResult& result) const {
  if (imperfection.modes.size() != 1 || imperfection.modes[0].first != 1) return;
  for (const auto& outcome : chain_.so_far().outcomes)
    if (outcome.post_buckling && outcome.post_buckling->found && outcome.spec.source == imperfection.made_from) {
      result.branch_load = outcome.post_buckling->load_factor;
      result.branch_a = outcome.post_buckling->a;
      result.branch_b = outcome.post_buckling->b;
    }
}

/// \param slopes  of the peak by the modes that the path leans on; nullptr: not wanted
CaseResult Sweep::carried_out(const AnalysisSpec& path_of_case, const ImperfectionSpec& imperfection,
                              std::vector<std::pair<std::string, double>>* slopes) {
  CaseResult result;
  try {
    AnalysisSpec path_spec = path_of_case;
    // what comes after the structure has lost its stability costs most and decides nothing
    if (!path_spec.stop.given && path_spec.stages.empty()) path_spec.stop.given = path_spec.stop.at_loss = true;
    path_spec.peak_slopes = slopes != nullptr;
    const auto outcome = chain_.with(path_spec, imperfection);
    if (!outcome.path) {
      result.ending = outcome.skipped ? outcome.skip_reason : "it was not run";
      return result;
    }
    const auto& path = *outcome.path;
    result.usable = path.usable() || path.peak_is_limit_point;
    result.ending = path.ending == analysis::Ending::done ? path.stop_reason : path.message;
    result.peak = path.peak_load_factor;
    result.is_limit_point = path.peak_is_limit_point;
    if (path.first_loss >= 0 && !path.unsymmetric)
      result.first_loss = path.increments[static_cast<std::size_t>(path.first_loss)].load_factor;
    if (path.first_yield.part >= 0) result.first_yield = path.first_yield.load_factor;
    result.largest = outcome.imperfection->largest;
    result.root_mean_square = outcome.imperfection->root_mean_square;
    result.thickness = outcome.seeded.front().measured.thickness;
    result.increments = static_cast<int>(path.increments.size());
    result.factorisations = path.factorisations;
    if (slopes != nullptr && outcome.slopes) *slopes = outcome.slopes->modes;
  } catch (const base::InputError& error) {
    result.ending = error.complaints().front().problem;
  }
  return result;
}

namespace {
/// Factor of the deviation for the 5 % fractile of a normal sample of n with 75 % confidence: with the ratio q of the
/// sample's deviation to the true one, sqrt(n - 1) q a chi variable of n - 1, the k for which the mean of
/// Phi(sqrt(n) (k q - 1.645)) is 0.75 ([ISO16269-6]).
double tolerance_factor(int n) {
  const double dofs = n - 1, z = 1.6448536269514722;
  const auto confidence = [&](double k) {
    double sum = 0, all = 0;
    for (double q = 0.0005; q < 4; q += 0.001) {
      const double weight = std::exp((dofs - 1) * std::log(q) - 0.5 * dofs * (q * q - 1));
      all += weight;
      sum += weight * 0.5 * std::erfc(-std::sqrt(n) * (k * q - z) / std::sqrt(2.0));
    }
    return sum / all;
  };
  double low = z, high = 30;
  for (int i = 0; i < 60; ++i) {
    const double k = 0.5 * (low + high);
    (confidence(k) < 0.75 ? low : high) = k;
  }
  return low;
}
}  // namespace

Spread spread_of(const std::vector<double>& list) {
  Spread s;
  s.count = static_cast<int>(list.size());
  if (list.empty()) return s;
  for (const double v : list) s.mean += v / s.count;
  for (const double v : list) s.deviation += (v - s.mean) * (v - s.mean);
  s.deviation = s.count > 1 ? std::sqrt(s.deviation / (s.count - 1)) : 0;
  s.fractile = s.mean - 1.6448536 * s.deviation;
  s.with_confidence = s.count > 2 ? s.mean - tolerance_factor(s.count) * s.deviation : analysis::kUnset;
  return s;
}

}  // namespace archway::study
