#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "critical/first_yield_detail.hpp"

namespace archway::analysis::detail {

using base::at;

YieldSearch::Sample YieldSearch::sample(const Point& point, double way) const {
  Sample y;
  y.way = way, y.factor = point.factor;
  const auto& model = system_.model();
  const auto peaks = peaks_by_part(model, equilibrium_.forces(point), Residual::counted);
  const auto flow = flow_by_part(system_, equilibrium_.memory_after(point));
  double most = 0;
  for (std::size_t p = 0; p < peaks.size(); ++p) {
    if (flow[p].plastic_strain > most)
      most = flow[p].plastic_strain, y.flows = true, y.part = static_cast<int>(p), y.place = flow[p].place;
    // beside parts that flow, elastic ones are not followed beyond their yield stress
    const bool counts = !flows_ || model.materials[at(model.parts[p].material)].flows();
    if (counts && peaks[p].utilisation() > y.used) {
      y.used = peaks[p].utilisation();
      if (most == 0.0) y.part = static_cast<int>(p), y.place = peaks[p].place;
    }
  }
  return y;
}

YieldSearch::Outcome YieldSearch::find(const Point& from, const Point& to, double reach_of_to, int increment,
                                       const Reach& reach, FirstYieldOnPath& yield) const {
  Sample high = sample(to, reach_of_to);
  if (!high.beyond()) return Outcome::none;
  Sample low = sample(from, 0);
  constexpr double fine = 1e-3;
  constexpr int most = 24;
  for (int k = 0; k < most && std::abs(high.way - low.way) > fine * std::abs(reach_of_to); ++k) {
    if (!high.flows && std::abs(high.used - 1) < fine) break;
    // elastic stresses report where they reach yield; points that flow have lost theirs
    double share = 0.5;
    if (!high.flows && high.used > low.used) share = std::clamp((1 - low.used) / (high.used - low.used), 0.05, 0.95);
    Point point = from;
    const double way = low.way + share * (high.way - low.way);
    if (reach(point, way, Begin::factor_at_hand).outcome != Attempt::converged) return Outcome::lost;
    const Sample between = sample(point, way);
    (between.beyond() ? high : low) = between;
  }
  const double share = !high.flows && high.used > low.used ? (1 - low.used) / (high.used - low.used) : 1;
  yield = {high.part, increment, low.factor + share * (high.factor - low.factor), high.place};
  return Outcome::found;
}

YieldSearch::Outcome YieldSearch::at_start(const Point& point, FirstYieldOnPath& yield) const {
  const Sample held = sample(point, 0);
  if (!held.beyond()) return Outcome::none;
  yield = {held.part, 0, 0, held.place};
  return Outcome::found;
}

}  // namespace archway::analysis::detail
