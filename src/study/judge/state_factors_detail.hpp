#pragma once
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"

namespace archway::study::detail {

/// Factors of all actions at an increment whose state is kept, by the stage it belongs to.
inline std::vector<double> factors_at(const analysis::System& system, const analysis::PathResult& path,
                                      const analysis::Increment& increment) {
  const auto& stage = path.stages[static_cast<std::size_t>(increment.stage)];
  auto factors = system.factors(stage.constant);
  const auto variable = system.factors(stage.variable);
  for (std::size_t k = 0; k < factors.size(); ++k)
    factors[k] = increment.kept->preload * factors[k] + increment.load_factor * variable[k];
  return factors;
}

}  // namespace archway::study::detail
