#include "archway/analysis/element_forces.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "archway/analysis/section_stress.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/executor.hpp"
#include "archway/elements/bar.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/shell.hpp"
#include "archway/elements/solid.hpp"
#include "archway/elements/spring.hpp"

namespace archway::analysis {

std::array<double, 3> principal_stresses(const Stress& s) {
  base::Mat3 m;
  m << s[0], s[3], s[5], s[3], s[1], s[4], s[5], s[4], s[2];
  const Vec3 values = base::PrincipalAxes(m).eigenvalues();
  return {values[2], values[1], values[0]};
}

namespace {
/// one(e) of every element in their order, whatever number of threads works on them.
template <class T, class One>
std::vector<T> of_each(const base::Executor& executor, int count, const One& one) {
  std::vector<T> list(static_cast<std::size_t>(count));
  executor.for_range(count, [&](int begin, int end) {
    for (int e = begin; e < end; ++e) list[static_cast<std::size_t>(e)] = one(e);
  });
  return list;
}

/// The same where one(e, points) also adds to a list: in pieces of so many elements, put together in their order.
template <class T, class P, class One>
std::vector<T> of_each(const base::Executor& executor, int count, std::vector<P>& points, const One& one) {
  constexpr int kPiece = 128;
  std::vector<T> list(static_cast<std::size_t>(count));
  std::vector<std::vector<P>> pieces(static_cast<std::size_t>((count + kPiece - 1) / kPiece));
  executor.for_range(static_cast<int>(pieces.size()), [&](int begin, int end) {
    for (int piece = begin; piece < end; ++piece)
      for (int e = kPiece * piece; e < std::min(count, kPiece * (piece + 1)); ++e)
        list[static_cast<std::size_t>(e)] = one(e, pieces[static_cast<std::size_t>(piece)]);
  });
  for (const auto& own : pieces) points.insert(points.end(), own.begin(), own.end());
  return list;
}

/// \param linear  full displacement of linear theory; nullptr: the state as it is
ElementForces forces_of(const System& system, const State& state, const Eigen::VectorXd* linear,
                        const std::vector<char>& slack, const elements::Memory* memory = nullptr) {
  ElementForces r;
  const auto& geometry = system.geometry();
  const auto& executor = system.executor();
  const auto& beams = system.beams();
  const auto& bars = system.bars();
  const auto& springs = system.springs();
  const auto trial = [&](const elements::Batch& batch) { return geometry.trial(state, memory, batch); };
  const auto beam_trial = trial(beams), bar_trial = trial(bars), spring_trial = trial(springs);
  r.member_forces = of_each<MemberForces>(executor, beams.size(), [&](int e) {
    return MemberForces{e, beams.section_forces(beam_trial, e, linear)};
  });
  r.bar_forces = of_each<double>(executor, bars.size(), [&](int e) {
    return !slack.empty() && slack[static_cast<std::size_t>(e)] ? 0.0 : bars.axial_force(bar_trial, e, linear);
  });
  r.spring_forces = of_each<std::array<double, 6>>(executor, springs.size(), [&](int e) {
    const auto f = springs.forces(spring_trial, e, linear);
    return std::array<double, 6>{f[0], f[1], f[2], f[3], f[4], f[5]};
  });
  r.shell_stresses = of_each<elements::ShellStress>(executor, system.shell_count(), r.shell_faces,
                                                    [&](int e, std::vector<elements::FaceStress>& faces) {
                                                      const auto& [batch, place] = geometry.shell(e);
                                                      return batch->stress(trial(*batch), place, linear, &faces);
                                                    });
  r.solid_stresses = of_each<std::vector<elements::SolidStress>>(
      executor, static_cast<int>(system.model().solid_elements.size()), r.solid_points,
      [&](int e, std::vector<elements::SolidStress>& points) {
        const auto& [batch, place] = geometry.solid(e);
        return batch->stress(trial(*batch), place, linear, &points);
      });
  return r;
}
}  // namespace

ElementForces recover_forces(const System& system, const std::vector<double>& factors,
                             const Eigen::VectorXd& displacement, const std::vector<char>& slack) {
  return forces_of(system, system.warmed_reference(factors), &displacement, slack);
}

ElementForces added_forces(const System& system, const State& state, const Eigen::VectorXd& displacement) {
  State still = state;
  still.expansion.clear();
  return forces_of(system, still, &displacement, {});
}

ElementForces forces_at(const System& system, const std::vector<double>& factors, const State& state,
                        const elements::Memory* memory) {
  State warmed = state;
  warmed.expansion = system.expansion(factors);
  return forces_of(system, warmed, nullptr, {}, memory);
}

namespace {
class Peaks {
 public:
  Peaks(const model::Model& model, Residual residual) : model_(model), list_(model.parts.size()) {
    for (const auto& member : model.member_stresses)
      if (residual == Residual::counted) residual_[member.part] = &member.at_points;
    for (std::size_t p = 0; p < list_.size(); ++p) {
      list_[p].yield = model.materials[static_cast<std::size_t>(model.parts[p].material)].yield_stress;
      list_[p].is_line = model.parts[p].kind == model::PartKind::member || model.parts[p].kind == model::PartKind::bar;
      list_[p].axial_low = HUGE_VAL;
      list_[p].axial_high = -HUGE_VAL;
    }
  }
  void axial(int part, double force) {
    auto& p = list_[static_cast<std::size_t>(part)];
    p.axial_low = std::min(p.axial_low, force);
    p.axial_high = std::max(p.axial_high, force);
  }
  template <class Element>
  void stress(const Element& element, const int* first, const int* last, double value) {
    auto& p = list_[static_cast<std::size_t>(element.part)];
    if (value <= p.stress) return;
    p.stress = value;
    p.place.setZero();
    for (const int* n = first; n != last; ++n)
      p.place += model_.nodes[static_cast<std::size_t>(*n)] / static_cast<double>(last - first);
  }
  void member(const model::LineElement& e, model::Station station, const elements::SectionForces& f) {
    auto& p = list_[static_cast<std::size_t>(e.part)];
    const auto& profile = model_.section_at(e, station);
    axial(e.part, f.axial);
    if (-f.axial / profile.area > p.compressive_stress) {
      p.compressive_stress = -f.axial / profile.area;
      p.compressed_profile = model_.profile_at(e, station);
    }
    p.moment_y = std::max(p.moment_y, std::abs(f.moment_y));
    p.moment_z = std::max(p.moment_z, std::abs(f.moment_z));
    p.shear = std::max(p.shear, std::hypot(f.shear_y, f.shear_z));
    p.torque = std::max(p.torque, std::abs(f.torque));
    p.bimoment = std::max(p.bimoment, std::abs(f.bimoment));
    const auto own = residual_.find(e.part);
    const bool has_residual = own != residual_.end() && !profile.stress_points.empty();
    stress(e, e.nodes.data(), e.nodes.data() + 4,
           has_residual ? stress_with_residual(profile, f, own->second->at(model_.profile_at(e, station)), p.yield)
                        : section_stress(profile, f).size());
  }
  std::vector<PartPeak> finish() {
    for (auto& p : list_)
      if (p.axial_low > p.axial_high) p.axial_low = p.axial_high = 0;
    return std::move(list_);
  }

 private:
  const model::Model& model_;
  std::map<int, const std::map<int, std::vector<double>>*> residual_;  // by part, then profile
  std::vector<PartPeak> list_;
};
}  // namespace

std::vector<PartPeak> peaks_by_part(const model::Model& m, const ElementForces& forces, Residual residual) {
  Peaks peaks(m, residual);
  using model::Station;
  for (const auto& f : forces.member_forces) {
    const auto& element = m.line_elements[static_cast<std::size_t>(f.element)];
    for (const auto& [station, place] :
         {std::pair(Station::start, 0.0), std::pair(Station::middle, 0.5), std::pair(Station::end, 1.0)})
      peaks.member(element, station, elements::along_element(f.points, place));
  }
  for (std::size_t b = 0; b < forces.bar_forces.size(); ++b) {
    const auto& e = m.bar_elements[b];
    const auto& part = m.parts[static_cast<std::size_t>(e.part)];
    peaks.axial(e.part, forces.bar_forces[b]);
    peaks.stress(e, e.nodes.data(), e.nodes.data() + 2,
                 std::abs(forces.bar_forces[b]) / m.profiles[static_cast<std::size_t>(part.profile)].area);
  }
  auto face = forces.shell_faces.begin();
  for (std::size_t e = 0; e < forces.shell_stresses.size(); ++e)
    for (int k = 0; k < m.shell_elements[e].count; ++k, ++face)
      peaks.stress(m.shell_elements[e], m.shell_elements[e].begin(), m.shell_elements[e].end(),
                   std::max(elements::equivalent_stress(face->top), elements::equivalent_stress(face->bottom)));
  auto point = forces.solid_points.begin();
  for (std::size_t e = 0; e < forces.solid_stresses.size(); ++e) {
    const auto& element = m.solid_elements[e];
    for (const auto& s : forces.solid_stresses[e])
      peaks.stress(element, element.begin(), element.end(), elements::equivalent_stress(s));
    for (int k = 0; k < (element.count == 20 ? 27 : 0); ++k, ++point)
      peaks.stress(element, element.begin(), element.end(), elements::equivalent_stress(*point));
  }
  return peaks.finish();
}

ElementForces sum_of(const ElementForces& a, double factor, const ElementForces& b) {
  ElementForces r = a;
  for (std::size_t e = 0; e < r.member_forces.size(); ++e)
    for (std::size_t k = 0; k < 3; ++k) {
      auto& f = r.member_forces[e].points[k];
      const auto& g = b.member_forces[e].points[k];
      for (const auto value :
           {&elements::SectionForces::axial, &elements::SectionForces::shear_y, &elements::SectionForces::shear_z,
            &elements::SectionForces::torque, &elements::SectionForces::moment_y, &elements::SectionForces::moment_z,
            &elements::SectionForces::bimoment})
        f.*value += factor * g.*value;
    }
  for (std::size_t e = 0; e < r.shell_stresses.size(); ++e) {
    auto& s = r.shell_stresses[e];
    const auto& t = b.shell_stresses[e];
    s.membrane += factor * t.membrane, s.moment += factor * t.moment, s.shear += factor * t.shear;
    s.top += factor * t.top, s.bottom += factor * t.bottom;
  }
  for (std::size_t k = 0; k < r.shell_faces.size(); ++k) {
    r.shell_faces[k].top += factor * b.shell_faces[k].top;
    r.shell_faces[k].bottom += factor * b.shell_faces[k].bottom;
  }
  for (std::size_t k = 0; k < r.solid_points.size(); ++k) r.solid_points[k] += factor * b.solid_points[k];
  for (std::size_t e = 0; e < r.bar_forces.size(); ++e) r.bar_forces[e] += factor * b.bar_forces[e];
  for (std::size_t e = 0; e < r.spring_forces.size(); ++e)
    for (std::size_t k = 0; k < 6; ++k) r.spring_forces[e][k] += factor * b.spring_forces[e][k];
  for (std::size_t e = 0; e < r.solid_stresses.size(); ++e)
    for (std::size_t k = 0; k < r.solid_stresses[e].size(); ++k)
      r.solid_stresses[e][k] += factor * b.solid_stresses[e][k];
  return r;
}

FirstYield first_yield(const model::Model& model, const ElementForces& held, const ElementForces& variable) {
  // every stress is a norm of something linear in the load factor, so the largest utilisation is convex in it
  FirstYield result;
  const auto utilisation = [&](double factor) {
    const auto peaks = peaks_by_part(model, sum_of(held, factor, variable));
    double most = 0;
    for (std::size_t p = 0; p < peaks.size(); ++p)
      if (peaks[p].utilisation() > most * (1 + 1e-9))
        most = peaks[p].utilisation(), result.part = static_cast<int>(p), result.place = peaks[p].place;
    return most;
  };
  if (utilisation(0) >= 1) return result;
  double low = 0, high = 1;
  while (utilisation(high) < 1) {
    if (high > 1e12) return {HUGE_VAL, -1, Vec3::Zero()};
    low = high, high *= 4;
  }
  constexpr double nothing = 1e-12;  // of the load: it yields at once, whatever the digits
  while (high - low > 1e-7 * high && high > nothing) {
    const double middle = 0.5 * (low + high);
    (utilisation(middle) < 1 ? low : high) = middle;
  }
  result.load_factor = high;
  (void)utilisation(high);
  return result;
}

}  // namespace archway::analysis
