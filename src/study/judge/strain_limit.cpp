#include <algorithm>

#include "judge/strain_limit_detail.hpp"

namespace archway::study::detail {

namespace {
/// Largest plastic strain of a group of parts.
double strain_of(const analysis::Increment& i, const model::Model& model, const std::vector<std::string>& parts) {
  double most = 0;
  for (std::size_t p = 0; p < i.flow.size(); ++p)
    if (parts.empty() || std::find(parts.begin(), parts.end(), model.parts[p].name) != parts.end())
      most = std::max(most, i.flow[p].plastic_strain);
  return most;
}
}  // namespace

StrainLimitCheck check_strain_limit(const AnalysisOutcome& outcome, const StrainLimitSpec& limit) {
  const auto& increments = outcome.path->increments;
  StrainLimitCheck check;
  double before = 0;
  std::size_t k = 0;
  for (; k < increments.size(); ++k) {
    const double now = strain_of(increments[k], *outcome.model, limit.parts);
    check.largest = std::max(check.largest, now);
    if (now >= limit.plastic_strain) break;
    before = now;
    check.highest = std::max(check.highest, increments[k].load_factor);
  }
  if (k < increments.size()) {  // by interpolation in the increment that passes it
    const auto& here = increments[k];
    double from = k > 0 ? increments[k - 1].load_factor : here.load_factor;
    // no strain before first yield, which was located within the increment
    const double yield = outcome.path->first_yield.load_factor;
    if (before == 0 && (yield - from) * (here.load_factor - yield) > 0) from = yield;
    const double share = (limit.plastic_strain - before) / (check.largest - before);
    check.increment = static_cast<int>(k);
    check.load_factor = from + share * (here.load_factor - from);
    check.highest = std::max(check.highest, check.load_factor);
  }
  check.met = check.highest >= limit.required_factor * (1 - 1e-9);
  return check;
}

}  // namespace archway::study::detail
