#include <algorithm>
#include <cmath>

#include "archway/analysis/mode_reading.hpp"
#include "archway/analysis/section_stress.hpp"
#include "archway/analysis/stress_recovery.hpp"
#include "archway/analysis/system.hpp"
#include "archway/model/panel_area.hpp"

namespace archway::analysis {

namespace {
using elements::Mat3;

/// Energy of a part in measures of its stresses, and what a better field differs by.
struct Variation {
  double energy = 0, difference = 0;
  void add(double weight, double own, double off) {
    energy += weight * own;
    difference += weight * off;
  }
};

/// sigma^T C^-1 sigma times E of an isotropic solid; for plane stress as well.
double energy_of(const Stress& s, double nu) {
  return s[0] * s[0] + s[1] * s[1] + s[2] * s[2] - 2 * nu * (s[0] * s[1] + s[1] * s[2] + s[2] * s[0]) +
         2 * (1 + nu) * (s[3] * s[3] + s[4] * s[4] + s[5] * s[5]);
}

/// Energy of membrane forces and bending moments per area from what the two faces and the middle carry.
double energy_of(const LayerStress& s, double nu) {
  return energy_of(s.middle, nu) + energy_of(Stress(0.5 * (s.top - s.bottom)), nu) / 3;
}
LayerStress less(const LayerStress& a, const LayerStress& b) {
  return {a.top - b.top, a.middle - b.middle, a.bottom - b.bottom};
}
LayerStress flipped(const LayerStress& s) {
  return {s.bottom, s.middle, s.top};
}

/// Averaged stresses of one mode, by node.
class Averages {
 public:
  Averages(const model::Model& model, const RecoveredStress& stresses) : at_(model.nodes.size()) {
    for (const auto& s : stresses.nodes) at_[static_cast<std::size_t>(s.node)].push_back(&s);
  }
  /// The average of the part at the node that is nearest to `own`; a fold has several, and normals may be flipped.
  double difference(int node, int part, const LayerStress& own, double nu) const {
    double least = HUGE_VAL;
    for (const auto* s : at_[static_cast<std::size_t>(node)])
      if (s->part == part)
        least = std::min({least, energy_of(less(s->stress, own), nu), energy_of(less(flipped(s->stress), own), nu)});
    return std::isfinite(least) ? least : 0.0;
  }

 private:
  std::vector<std::vector<const NodalStress*>> at_;
};

/// Mean square of a linear variation inside an element from its values at the corners is a third of theirs.
constexpr double kInside = 1.0 / 3;

void add_shells(const System& system, const RecoveredStress& stresses, const Averages& averages,
                std::vector<Variation>& sums) {
  const auto& m = system.model();
  for (std::size_t e = 0; e < stresses.shells.size(); ++e) {
    const auto& element = m.shell_elements[e];
    const auto part = static_cast<std::size_t>(element.part);
    const double nu = m.materials[static_cast<std::size_t>(m.parts[part].material)].poisson_ratio;
    double off = 0;
    for (int c = 0; c < element.corners(); ++c)
      off += averages.difference(element.nodes[static_cast<std::size_t>(c)], element.part, stresses.shells[e], nu);
    sums[part].add(model::area(m, element), energy_of(stresses.shells[e], nu), kInside * off / element.corners());
  }
}

void add_solids(const System& system, const RecoveredStress& stresses, const Averages& averages,
                std::vector<Variation>& sums) {
  const auto& m = system.model();
  for (std::size_t e = 0; e < stresses.solids.size(); ++e) {
    const auto part = static_cast<std::size_t>(m.solid_elements[e].part);
    const double nu = m.materials[static_cast<std::size_t>(m.parts[part].material)].poisson_ratio;
    for (std::size_t c = 0; c < 8; ++c) {
      const Stress& s = stresses.solids[e][c];
      const double off = averages.difference(m.solid_elements[e].nodes[c], m.solid_elements[e].part, {s, s, s}, nu);
      sums[part].add(1, energy_of(s, nu), kInside * off);
    }
  }
}

void add_members(const model::Model& m, const ElementForces& forces, std::vector<Variation>& sums) {
  for (const auto& f : forces.member_forces) {
    const auto& element = m.line_elements[static_cast<std::size_t>(f.element)];
    const auto part = static_cast<std::size_t>(element.part);
    const double length =
        (m.nodes[static_cast<std::size_t>(element.nodes[3])] - m.nodes[static_cast<std::size_t>(element.nodes[0])])
            .norm();
    const auto bend = [&](std::size_t k) {
      const auto& profile = m.section_at(element, model::kGaussStations[k]);
      const auto b = principal_bending(profile, f.points[k]);
      return Eigen::Vector3d(b.moment_1 / std::sqrt(b.second_moment_1), b.moment_2 / std::sqrt(b.second_moment_2),
                             f.points[k].torque / std::sqrt(0.4 * profile.torsion_constant));
    };
    // Gauss weights 5/18, 8/18, 5/18
    const Eigen::Vector3d a = bend(0), b = bend(1), c = bend(2);
    const Eigen::Vector3d mean = (5 * a + 8 * b + 5 * c) / 18;
    sums[part].add(length, (5 * a.squaredNorm() + 8 * b.squaredNorm() + 5 * c.squaredNorm()) / 18,
                   (5 * (a - mean).squaredNorm() + 8 * (b - mean).squaredNorm() + 5 * (c - mean).squaredNorm()) / 18);
  }
}

/// What the best polynomial of degree order/2 - 1 leaves of a wave of which the best constant leaves `share`:
/// (k h)^2 / 12, (k h)^4 / 720 and (k h)^6 / 100800.
double left_over(double share, int order) {
  switch (order) {
    case 2:
      return share;
    case 4:
      return share * share * 144 / 720;
    default:
      return share * share * share * 1728 / 100800;
  }
}
}  // namespace

int error_order(const model::Model& model, int part) {
  if (part < 0) return 2;
  switch (model.parts[static_cast<std::size_t>(part)].kind) {
    case model::PartKind::member:
      return 6;
    case model::PartKind::solid:
      for (const auto& e : model.solid_elements)
        if (e.part == part) return e.count == 20 ? 4 : 2;
      return 2;
    default:
      for (const auto& e : model.shell_elements)
        if (e.part == part) return e.count == 9 ? 4 : 2;
      return 2;
  }
}

namespace {
/// Cubic members show forces of second degree; their factors are off by so many times what the best of these leave of a
/// wave, since the line moves by a cubic too (2.3 to 2.4 measured on pinned, clamped and shear-flexible columns).
constexpr double kCubicMembers = 2.4;

/// Error of a member from the length of its shortest half wave: forces at three points of an element see nothing of
/// waves shorter than it.
double from_waves(const std::vector<PartWaves>& waves, int part) {
  double error = 0;
  for (const auto& w : waves)
    if (w.part == part && !w.lines.empty() && w.lines[0].elements_per_half_wave > 0)
      error = left_over(std::pow(M_PI / w.lines[0].elements_per_half_wave, 2) / 12, 6);
  return error;
}
}  // namespace

std::vector<double> mesh_errors(const System& system, const BucklingResult& result) {
  const auto& model = system.model();
  const std::vector<double> none(model.actions.size(), 0.0);
  elements::StressSource source;
  source.slack = &result.slack;
  Eigen::MatrixXd shapes(result.modes.empty() ? 0 : result.modes[0].shape.size(),
                         static_cast<Eigen::Index>(result.modes.size()));
  for (std::size_t m = 0; m < result.modes.size(); ++m)
    shapes.col(static_cast<Eigen::Index>(m)) = result.modes[m].shape;
  const Eigen::MatrixXd energy = system.forms_by_part(State::reference(model), source, false, shapes);
  std::vector<double> errors;
  for (std::size_t m = 0; m < result.modes.size(); ++m) {
    LinearStaticResult mode;
    static_cast<ElementForces&>(mode) = recover_forces(system, none, result.modes[m].shape, result.slack);
    const auto stresses = recover_stresses(system, mode);
    const Averages averages(model, stresses);
    std::vector<Variation> sums(model.parts.size());
    add_shells(system, stresses, averages, sums);
    add_solids(system, stresses, averages, sums);
    add_members(model, mode, sums);
    double error = 0;
    const auto column = energy.col(static_cast<Eigen::Index>(m));
    const auto waves = model.line_elements.empty() ? std::vector<PartWaves>{}  // only members ask for them
                                                   : wave_counts(model, result.modes[m].shape);
    for (std::size_t p = 0; p < sums.size(); ++p) {
      if (!(sums[p].energy > 0)) continue;
      const int part = static_cast<int>(p), order = error_order(model, part);
      double own = left_over(sums[p].difference / sums[p].energy, order);
      if (order == 6) own = kCubicMembers * std::max(own, from_waves(waves, part));
      error += column[static_cast<Eigen::Index>(p)] / column.sum() * own;
    }
    errors.push_back(error);
  }
  return errors;
}

}  // namespace archway::analysis
