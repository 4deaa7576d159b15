#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "archway/analysis/one_sided.hpp"
#include "archway/base/index.hpp"
#include "run/run_detail.hpp"

namespace archway::study {

std::string mean_stiffness_text(const analysis::System& system, const analysis::ElementForces* loaded) {
  constexpr double kLoaded = 1e-9;  // of the largest force of a spring: more is one
  const auto& springs = system.model().springs;
  double most = 0;
  if (loaded != nullptr)
    for (const auto& forces : loaded->spring_forces)
      for (const double f : forces) most = std::max(most, std::abs(f));
  std::set<std::string> names;
  const analysis::OneSidedSpring* first = nullptr;
  const auto list = analysis::one_sided_springs(system);
  for (const auto& s : list) {
    if (loaded != nullptr && !(std::abs(loaded->spring_forces[base::at(s.spring)][base::at(s.axis)]) > kLoaded * most))
      continue;
    names.insert(springs[base::at(s.spring)].name);
    if (first == nullptr) first = &s;
  }
  if (first == nullptr) return "";
  std::string text = fmt::format(
      "spring '{}' has a stiffness of {:.4g} on one side and {:.4g} on the other, and linear "
      "analyses take the mean",
      springs[base::at(first->spring)].name, first->below, first->above);
  if (names.size() > 1) text = fmt::format("{} springs, the first of them: ", names.size()) + text;
  return text;
}

}  // namespace archway::study
