#include <algorithm>
#include <cmath>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "buckling/buckling_thresholds_detail.hpp"
#include "recovery/element_strains_detail.hpp"

namespace archway::analysis {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// The value above which half of the weight lies.
double median(std::vector<std::pair<double, double>> values) {
  std::sort(values.begin(), values.end());
  double whole = 0, below = 0;
  for (const auto& [value, weight] : values) whole += weight;
  for (const auto& [value, weight] : values)
    if (below += weight; below >= 0.5 * whole) return value;
  return 0;
}

/// One value a mode and element: strain energy, or work that drives the mode.
struct Shares {
  struct Row {
    ElementKind kind;
    int element;
    VectorXd values;
  };
  std::vector<Row> energy, work;
};

Shares shares_of(const System& system, const std::vector<double>& variable, const BucklingResult& result,
                 const std::vector<Mode>& modes) {
  MatrixXd shapes(modes[0].shape.size(), static_cast<Eigen::Index>(modes.size()));
  for (std::size_t m = 0; m < modes.size(); ++m) shapes.col(static_cast<Eigen::Index>(m)) = modes[m].shape;
  Shares shares;
  elements::StressSource source;
  source.slack = &result.slack;
  const auto into = [](std::vector<Shares::Row>& list) {
    return [&list](ElementKind kind, int element, int, const VectorXd& v) { list.push_back({kind, element, v}); };
  };
  system.each_form(State::reference(system.model()), source, false, shapes, into(shares.energy));
  source.linear = &result.variable_displacement;
  system.each_form(system.warmed_reference(variable), source, true, shapes, into(shares.work));
  return shares;
}

/// Fills in strains. \return one a mode: in compression places drive it
std::vector<char> judge(const System& system, const BucklingOptions& options, const BucklingResult& result,
                        std::vector<Mode>& modes, double sign) {
  std::vector<char> pressed(modes.size(), 1);
  if (modes.empty()) return pressed;
  const auto variable = system.factors(options.variable), held = system.factors(options.constant);
  const auto grown = recover_forces(system, variable, result.variable_displacement, result.slack);
  const bool stands = result.constant_displacement.size() > 0;
  const auto still = stands ? recover_forces(system, held, result.constant_displacement, result.slack) : grown;
  const auto shares = shares_of(system, variable, result, modes);
  for (std::size_t m = 0; m < modes.size(); ++m) {
    const auto strains = detail::strains_of(system, sum_of(still, modes[m].load_factor - (stands ? 0 : 1), grown));
    const auto at = [&](const Shares::Row& row) -> const detail::Strained& {
      return strains[static_cast<std::size_t>(row.kind)][static_cast<std::size_t>(row.element)];
    };
    const auto column = static_cast<Eigen::Index>(m);
    std::vector<std::pair<double, double>> energy;
    for (const auto& row : shares.energy) energy.emplace_back(at(row).strain, std::max(0.0, row.values[column]));
    modes[m].strain = median(std::move(energy));
    double driving = 0, from_pressed = 0;
    for (const auto& row : shares.work) {
      const double work = std::max(0.0, -sign * row.values[column]);
      driving += work;
      if (at(row).pressed) from_pressed += work;
    }
    pressed[m] = !(from_pressed < detail::kPressed * driving);
  }
  return pressed;
}
}  // namespace

void detail::judge_strains(const System& system, const BucklingOptions& options, BucklingResult& result) {
  for (const bool reversed : {false, true}) {
    auto& modes = reversed ? result.negative_modes : result.modes;
    const auto pressed = judge(system, options, result, modes, reversed ? -1 : 1);
    std::vector<Mode> kept;
    for (std::size_t m = 0; m < modes.size(); ++m) {
      const bool senseless = modes[m].strain > kSenselessStrain && !pressed[m];
      (!senseless ? kept : reversed ? result.left_out_reversed : result.left_out).push_back(std::move(modes[m]));
    }
    modes = std::move(kept);
  }
}

}  // namespace archway::analysis
