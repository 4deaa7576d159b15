#include <algorithm>
#include <cmath>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/section_stress.hpp"
#include "archway/analysis/stress_recovery.hpp"
#include "archway/analysis/system.hpp"

namespace archway::analysis {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;
constexpr double kPressed = 0.5;  ///< share of the driving work that must come from pressed places

/// Of a laminate: of the wall as a whole, in its stiffer direction.
double modulus_of(const model::Model& m, int part) {
  const auto& own = m.parts[static_cast<std::size_t>(part)];
  if (own.laminate < 0) return m.materials[static_cast<std::size_t>(own.material)].youngs_modulus;
  const auto& a = m.laminates[static_cast<std::size_t>(own.laminate)].membrane;
  return std::max(a(0, 0), a(1, 1)) / own.thickness;
}

/// Strain of one element, and whether anything in it is pressed.
struct Strained {
  double strain = 0;
  bool pressed = false;
};

Strained of_line(const model::Model& m, const model::LineElement& e,
                 const std::array<elements::SectionForces, 3>& points) {
  Strained out;
  for (std::size_t k = 0; k < points.size(); ++k) {
    const auto& f = points[k];
    const auto& profile = m.section_at(e, model::kGaussStations[k]);
    const double straight = f.axial / profile.area, bent = bending_stress(profile, f).size(),
                 twisted =
                     profile.torsion_constant > 0
                         ? std::abs(f.torque) * std::max(profile.fibre_y, profile.fibre_z) / profile.torsion_constant
                         : 0;
    out.strain = std::max(out.strain, (std::abs(straight) + bent + twisted) / modulus_of(m, e.part));
    out.pressed = out.pressed || straight - bent - twisted < -1e-6 * std::abs(straight);
  }
  return out;
}

template <class Stress>
bool presses(const Stress& stress) {
  const auto principal = principal_stresses(stress);
  const double low = *std::min_element(principal.begin(), principal.end()),
               high = *std::max_element(principal.begin(), principal.end());
  return low < -1e-3 * std::max(std::abs(low), std::abs(high));
}

/// One list a kind of element, in the order of the model.
std::array<std::vector<Strained>, 6> strains_of(const System& system, const ElementForces& forces) {
  const auto& m = system.model();
  std::array<std::vector<Strained>, 6> all;
  const auto of = [&](ElementKind kind) -> std::vector<Strained>& { return all[static_cast<std::size_t>(kind)]; };
  for (const auto& f : forces.member_forces)
    of(ElementKind::line).push_back(of_line(m, m.line_elements[static_cast<std::size_t>(f.element)], f.points));
  for (std::size_t b = 0; b < forces.bar_forces.size(); ++b) {
    const auto& part = m.parts[static_cast<std::size_t>(m.bar_elements[b].part)];
    const double area = m.profiles[static_cast<std::size_t>(part.profile)].area;
    of(ElementKind::bar)
        .push_back(
            {std::abs(forces.bar_forces[b]) / area / modulus_of(m, m.bar_elements[b].part), forces.bar_forces[b] < 0});
  }
  of(ElementKind::touch).resize(m.touches.size(), {0, true});
  of(ElementKind::spring).resize(m.springs.size(), {0, true});  // no strain, and never a reason to leave anything out
  for (std::size_t e = 0; e < forces.solid_stresses.size(); ++e) {
    Strained one;
    for (const auto& s : forces.solid_stresses[e]) {
      one.strain = std::max(one.strain, elements::equivalent_stress(s) / modulus_of(m, m.solid_elements[e].part));
      one.pressed = one.pressed || presses(Stress(s));
    }
    of(ElementKind::solid).push_back(one);
  }
  for (std::size_t e = 0; e < forces.shell_stresses.size(); ++e) {
    Strained one;
    for (const auto* s : {&forces.shell_stresses[e].top, &forces.shell_stresses[e].bottom}) {
      one.strain = std::max(one.strain, elements::equivalent_stress(*s) / modulus_of(m, m.shell_elements[e].part));
      Stress spatial = Stress::Zero();
      spatial[0] = (*s)[0], spatial[1] = (*s)[1], spatial[3] = (*s)[2];
      one.pressed = one.pressed || presses(spatial);
    }
    of(ElementKind::shell).push_back(one);
  }
  return all;
}

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

Shares shares_of(const System& system, const std::vector<double>& growing, const BucklingResult& result,
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
  source.linear = &result.growing_displacement;
  system.each_form(system.warmed_reference(growing), source, true, shapes, into(shares.work));
  return shares;
}

/// Fills in strains. \return one a mode: pressed places drive it
std::vector<char> judge(const System& system, const BucklingOptions& options, const BucklingResult& result,
                        std::vector<Mode>& modes, double sign) {
  std::vector<char> pressed(modes.size(), 1);
  if (modes.empty()) return pressed;
  const auto growing = system.factors(options.growing), held = system.factors(options.held);
  const auto grown = recover_forces(system, growing, result.growing_displacement, result.slack);
  const bool stands = result.held_displacement.size() > 0;
  const auto still = stands ? recover_forces(system, held, result.held_displacement, result.slack) : grown;
  const auto shares = shares_of(system, growing, result, modes);
  for (std::size_t m = 0; m < modes.size(); ++m) {
    const auto strains = strains_of(system, sum_of(still, modes[m].load_factor - (stands ? 0 : 1), grown));
    const auto at = [&](const Shares::Row& row) -> const Strained& {
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
    pressed[m] = !(from_pressed < kPressed * driving);
  }
  return pressed;
}
}  // namespace

bool detail::causes_no_forces(const System& system, const std::vector<double>& factors,
                              const Eigen::VectorXd& displacement, const std::vector<char>& slack) {
  constexpr double rounding = 1e-10;
  const auto& m = system.model();
  const double size = m.size();
  double scale = 0;
  const auto free = system.expansion(factors);
  for (std::size_t p = 0; p < free.size(); ++p)  // lengths of springs come behind the strains of parts
    scale = std::max(scale, std::abs(free[p]) / (p < m.parts.size() ? 1 : size));
  for (Eigen::Index n = 0; n < displacement.size(); n += model::kNodeFreedoms)
    scale = std::max(scale, displacement.segment<3>(n).norm() / size);
  const auto forces = recover_forces(system, factors, displacement, slack);
  double largest = 0;
  for (const auto& list : strains_of(system, forces))
    for (const auto& one : list) largest = std::max(largest, one.strain);
  for (std::size_t k = 0; k < forces.spring_forces.size(); ++k)
    for (std::size_t i = 0; i < 6; ++i)
      if (std::abs(forces.spring_forces[k][i]) > rounding * scale * m.springs[k].stiffness[i] * (i < 3 ? size : 1.0))
        return false;
  return largest <= rounding * scale;
}

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
