#include "archway/study/section_curve.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/section_stress.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"
#include "archway/study/build_model.hpp"

namespace archway::study {

namespace {
using Eigen::Vector3d;

/// Fibres of a section with what they remember. Strains: of the centroid, curvature about y, curvature about z.
class Fibres {
 public:
  Fibres(const theory::SectionProperties& section, double youngs_modulus, const material::Flow& flow)
      : section_(section), law_(material::flow_law<1>({youngs_modulus, 0.3}, flow)) {
    for (std::size_t f = 0; f < section.fibres.size(); ++f)
      for (const auto& field : law_->memory()) memory_.push_back(field.start);
    next_ = memory_;
  }

  struct Answer {
    Vector3d forces = Vector3d::Zero();  // N, My, Mz
    Eigen::Matrix3d tangent = Eigen::Matrix3d::Zero();
  };
  Answer respond(const Vector3d& strain) {
    Answer answer;
    const std::size_t size = law_->memory().size();
    for (std::size_t f = 0; f < section_.fibres.size(); ++f) {
      const auto& fibre = section_.fibres[f];
      const Vector3d shape(1, fibre.z, -fibre.y);
      const auto own = law_->respond(Eigen::Matrix<double, 1, 1>(shape.dot(strain)), 0, memory_.data() + size * f,
                                     next_.data() + size * f);
      answer.forces += fibre.area * own.stress[0] * shape;
      answer.tangent += fibre.area * own.tangent(0, 0) * shape * shape.transpose();
    }
    return answer;
  }
  void keep() { memory_ = next_; }
  double plastic_strain(std::size_t fibre) const {
    return memory_[law_->memory().size() * fibre + static_cast<std::size_t>(law_->plastic_strain_place())];
  }
  double strain(std::size_t fibre, const Vector3d& of) const {
    return of[0] + section_.fibres[fibre].z * of[1] - section_.fibres[fibre].y * of[2];
  }

 private:
  const theory::SectionProperties& section_;
  std::unique_ptr<material::Law<1>> law_;
  std::vector<double> memory_, next_;
};

/// Stretch and the other curvature for which the normal force is `axial` and the other moment zero: Newton's method
/// with halving. False: not found.
bool balance(Fibres& fibres, Vector3d& strain, Eigen::Index led, double axial, double scale, double size) {
  const Eigen::Index other = led == 1 ? 2 : 1;
  const auto gap = [&](const Vector3d& at, Fibres::Answer& answer) {
    answer = fibres.respond(at);
    return Eigen::Vector2d(answer.forces[0] - axial, answer.forces[other] / size);
  };
  Fibres::Answer answer;
  Eigen::Vector2d left = gap(strain, answer);
  for (int k = 0; k < 60; ++k) {
    if (left.norm() <= 1e-10 * scale) return true;
    Eigen::Matrix2d tangent;
    tangent << answer.tangent(0, 0), answer.tangent(0, other), answer.tangent(other, 0) / size,
        answer.tangent(other, other) / size;
    const Eigen::Vector2d step = -base::solve_full_pivot(tangent, left);
    if (!step.allFinite()) return false;
    double share = 1;
    Vector3d trial = strain;
    Eigen::Vector2d next = left;
    for (; share > 1e-6; share *= 0.5) {
      trial = strain;
      trial[0] += share * step[0];
      trial[other] += share * step[1];
      next = gap(trial, answer);
      if (next.norm() < left.norm()) break;
    }
    if (!(next.norm() < left.norm())) return left.norm() <= 1e-7 * scale;
    strain = trial;
    left = next;
  }
  return left.norm() <= 1e-7 * scale;
}

/// Moment at which the elastic stress at one of the stress points reaches yield; 0: the normal force has done so alone.
double first_yield(const theory::SectionProperties& section, double yield, double axial, bool about_z) {
  const auto profile = to_profile("", section);
  const auto used = [&](double moment) {
    elements::SectionForces forces;
    forces.axial = axial;
    (about_z ? forces.moment_z : forces.moment_y) = moment;
    return analysis::section_stress(profile, forces).size() / yield;
  };
  if (used(0) >= 1) return 0;
  double low = 0, high = yield * std::pow(section.area, 1.5);
  while (used(high) < 1) high *= 2;
  while (high - low > 1e-12 * high) {
    const double middle = 0.5 * (low + high);
    (used(middle) < 1 ? low : high) = middle;
  }
  return high;
}
}  // namespace

SectionCurve section_curve(const theory::SectionProperties& section, double youngs_modulus, const material::Flow& flow,
                           double axial, bool about_z, double times) {
  if (!flow.flows())
    throw base::InputError("", "the material does not yield",
                           "give it yielding = { model = \"perfect\" }, for instance");
  if (section.fibres.empty())
    throw base::InputError("", "the section has no fibres", "give it by its shape or its walls, not by properties");
  Fibres fibres(section, youngs_modulus, flow);
  const double squash = section.area * flow.yield_stress;
  const Eigen::Index led = about_z ? 2 : 1;
  double outermost = 0, size = 0;
  for (const auto& f : section.fibres) {
    outermost = std::max(outermost, std::abs(about_z ? f.y : f.z));
    size = std::max({size, std::abs(f.y), std::abs(f.z)});
  }
  const double yield_curvature = flow.yield_stress / youngs_modulus / outermost;
  SectionCurve curve;
  curve.axial = axial;
  curve.about_z = about_z;
  curve.first_yield = first_yield(section, flow.yield_stress, axial, about_z);
  Vector3d strain = Vector3d::Zero();
  constexpr int steps = 120;
  for (int k = 0; k <= steps; ++k) {
    // short steps where it bends, long ones beyond
    const double share = static_cast<double>(k) / steps;
    strain[led] = yield_curvature * times * share * share;
    if (!balance(fibres, strain, led, axial, std::max(squash, std::abs(axial)), size)) {
      if (k > 0) break;
      throw base::InputError("", fmt::format("the section cannot carry a normal force of {:.5g}", axial),
                             fmt::format("it squashes at {:.5g}", squash));
    }
    const auto answer = fibres.respond(strain);
    fibres.keep();
    SectionCurve::Point point;
    point.curvature = strain[led];
    point.moment = k == 0 ? 0 : answer.forces[led];
    for (std::size_t f = 0; f < section.fibres.size(); ++f) {
      point.strain = std::max(point.strain, std::abs(fibres.strain(f, strain)));
      point.plastic_strain = std::max(point.plastic_strain, fibres.plastic_strain(f));
      if (fibres.plastic_strain(f) > 0) point.yielded_share += section.fibres[f].area / section.area;
    }
    curve.points.push_back(point);
  }
  for (std::size_t f = 0; f < section.fibres.size(); ++f) curve.plastic_strain.push_back(fibres.plastic_strain(f));
  return curve;
}

}  // namespace archway::study
