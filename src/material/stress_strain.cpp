#include "archway/material/stress_strain.hpp"

#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

namespace archway::material {

namespace {
constexpr double kOnLine = 0.01;  // of the strain: digits of published tables

void require(bool good, const std::string& what) {
  if (!good) throw std::invalid_argument(what);
}

/// One point in another measure, total or plastic strain as before.
std::pair<double, double> in_measure(std::pair<double, double> point, const StressStrain& table, double modulus,
                                     Measure measure) {
  if (table.true_measure == (measure == Measure::true_stress)) return point;
  auto [strain, stress] = point;
  if (table.plastic) strain += stress / modulus;
  const double stretch = table.true_measure ? std::exp(strain) : 1 + strain;
  stress = table.true_measure ? stress / stretch : stress * stretch;
  strain = table.true_measure ? stretch - 1 : std::log(stretch);
  return {table.plastic ? strain - stress / modulus : strain, stress};
}

/// A straight piece in one measure is bent in the other: points between, a hundredth of strain apart or a fortieth of
/// the piece.
StressStrain with_points_between(const StressStrain& table, Measure measure) {
  if (table.true_measure == (measure == Measure::true_stress)) return table;
  StressStrain fine = table;
  fine.points.clear();
  for (std::size_t k = 0; k < table.points.size(); ++k) {
    const auto [strain, stress] = table.points[k];
    if (k > 0 && table.points[k - 1].second > 0) {
      const auto [last, before] = table.points[k - 1];
      const double apart = std::max(0.01, (strain - last) / 40);
      const int pieces = std::max(1, static_cast<int>(std::ceil((strain - last) / apart - 1e-9)));
      for (int i = 1; i < pieces; ++i) {
        const double share = static_cast<double>(i) / pieces;
        fine.points.emplace_back(last + share * (strain - last), before + share * (stress - before));
      }
    }
    fine.points.push_back(table.points[k]);
  }
  return fine;
}

void check_order(const StressStrain& table) {
  double strain = table.plastic ? -1 : 0, stress = 0;
  for (std::size_t k = 0; k < table.points.size(); ++k) {
    const auto [e, s] = table.points[k];
    const auto where = [&] { return fmt::format("point {} ({:g}, {:g})", k + 1, e, s); };
    require(std::isfinite(e) && std::isfinite(s), where() + " is not a number");
    if (k == 0 && e == 0.0 && s == 0.0 && !table.plastic) continue;
    require(e > strain, fmt::format("{}: strains must grow from point to point, from above {:g}", where(), strain));
    require(s >= stress && s > 0,
            fmt::format("{}: the stress falls; the curve ends at its largest stress and is level beyond it", where()));
    strain = e, stress = s;
  }
}
}  // namespace

Flow bilinear_flow(double youngs_modulus, double yield_stress, double tangent_modulus, KinematicShare share) {
  require(yield_stress > 0, "the yield stress must be above zero");
  require(tangent_modulus >= 0 && tangent_modulus < youngs_modulus,
          fmt::format("the tangent modulus is {:g}: it must not be negative, and below the modulus of elasticity",
                      tangent_modulus));
  require(share >= 0 && share <= 1, "the share of kinematic hardening lies between 0 and 1");
  const double plastic = youngs_modulus * tangent_modulus / (youngs_modulus - tangent_modulus);
  Flow flow;
  flow.yield_stress = yield_stress;
  flow.isotropic = (1 - share) * plastic;
  flow.kinematic = share * plastic;
  return flow;
}

Flow table_flow(double youngs_modulus, const StressStrain& as_given, Measure measure) {
  check_order(as_given);
  const StressStrain table = with_points_between(as_given, measure);
  Flow flow;
  double last = 0, largest = 0;
  for (std::size_t k = 0; k < table.points.size(); ++k) {
    const auto [strain, stress] = in_measure(table.points[k], table, youngs_modulus, measure);
    if (stress == 0.0) continue;
    const double plastic = table.plastic ? strain : strain - stress / youngs_modulus;
    if (!flow.flows()) {
      const double off = table.plastic ? plastic * youngs_modulus / stress : plastic / strain;
      require(std::abs(off) <= kOnLine,
              fmt::format("point {} ({:g}, {:g}) is where yield begins, so its {}", k + 1, table.points[k].first,
                          table.points[k].second,
                          table.plastic
                              ? "plastic strain must be 0"
                              : fmt::format("strain must be stress / modulus = {:.6g}", stress / youngs_modulus)));
      flow.yield_stress = largest = stress;
      continue;
    }
    if (stress < largest) break;  // true values beyond the largest force: level from here
    require(plastic > last,
            fmt::format("point {} ({:g}, {:g}): from the point before the stress rises more steeply than "
                        "the modulus of elasticity allows",
                        k + 1, table.points[k].first, table.points[k].second));
    flow.corners.emplace_back(plastic, stress);
    last = plastic, largest = stress;
  }
  require(flow.flows(), "the table has no point with a stress");
  return flow;
}

Flow power_flow(double proof_stress, double exponent) {
  require(proof_stress > 0, "the proof stress must be above zero");
  require(exponent > 1, "the exponent must be above one");
  constexpr int decades_from = -6, per_decade = 24;
  const auto stress = [&](double p) { return proof_stress * std::pow(p / 0.002, 1 / exponent); };
  Flow flow;
  flow.yield_stress = stress(std::pow(10.0, decades_from));
  for (int k = 1;; ++k) {
    const double p = std::min(std::pow(10.0, decades_from + static_cast<double>(k) / per_decade), 0.2);
    flow.corners.emplace_back(p, stress(p));
    if (p == 0.2) return flow;
  }
}

}  // namespace archway::material
