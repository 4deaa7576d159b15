#include "archway/analysis/mode_reading.hpp"

namespace archway::analysis {

BaseState base_state(const System& system, const BucklingOptions& options, const BucklingResult& result) {
  BaseState base;
  base.growing = recover_forces(system, system.factors(options.growing), result.growing_displacement, result.slack);
  const Eigen::VectorXd none = Eigen::VectorXd::Zero(system.full_size());
  base.held = recover_forces(system, system.factors(options.held),
                             result.held_displacement.size() > 0 ? result.held_displacement : none, result.slack);
  if (!result.modes.empty())
    base.at_critical = peaks_by_part(system.model(), sum_of(base.held, result.modes[0].load_factor, base.growing));
  base.yield = first_yield(system.model(), base.held, base.growing);
  return base;
}

}  // namespace archway::analysis
