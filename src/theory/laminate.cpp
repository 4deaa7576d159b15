#include "archway/theory/laminate.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"

namespace archway::theory {

namespace {
using Eigen::Matrix2d;
using Eigen::Matrix3d;

/// Strains (11 22 12, engineering shear) in axes rotated by an angle from those in the old ones.
Matrix3d strain_rotation(double angle) {
  const double c = std::cos(angle), s = std::sin(angle);
  Matrix3d t;
  t << c * c, s * s, c * s, s * s, c * c, -c * s, -2 * c * s, 2 * c * s, c * c - s * s;
  return t;
}
Matrix2d shear_rotation(double angle) {
  const double c = std::cos(angle), s = std::sin(angle);
  Matrix2d t;
  t << c, s, -s, c;
  return t;
}

void check(const Ply& p, std::size_t number) {
  const auto wrong = [&](const char* what, const char* remedy) {
    throw base::InputError("", fmt::format("ply {} {}", number, what), remedy);
  };
  if (!(p.thickness > 0)) wrong("has no thickness", "it must be above zero");
  for (const double stiffness : {p.youngs_along, p.youngs_across, p.shear_12, p.shear_13, p.shear_23})
    if (!(stiffness > 0)) wrong("has a stiffness that is not above zero", "give all five");
  if (!(p.poisson_ratio * p.poisson_ratio < p.youngs_along / p.youngs_across))
    wrong("has a Poisson ratio that leaves it no stiffness", "nu12^2 must be below youngs_along / youngs_across");
}

Matrix3d plane_stiffness(const Ply& p) {
  const double nu21 = p.poisson_ratio * p.youngs_across / p.youngs_along, d = 1 - p.poisson_ratio * nu21;
  Matrix3d q;
  q << p.youngs_along / d, p.poisson_ratio * p.youngs_across / d, 0, p.poisson_ratio * p.youngs_across / d,
      p.youngs_across / d, 0, 0, 0, p.shear_12;
  return q;
}
}  // namespace

LaminateStiffness LaminateStiffness::in_axes_rotated(double angle) const {
  LaminateStiffness t = *this;
  // from the rotated axes back to those of the laminate, and the forces the other way
  const Matrix3d back = strain_rotation(-angle);
  for (Matrix3d* m : {&t.membrane, &t.coupling, &t.bending}) *m = back.transpose() * *m * back;
  const Matrix2d shear_back = shear_rotation(-angle);
  t.shear = shear_back.transpose() * shear * shear_back;
  return t;
}

LaminateStiffness laminate_stiffness(const std::vector<Ply>& plies) {
  if (plies.empty()) throw base::InputError("", "the laminate has no plies", "give at least one");
  LaminateStiffness l;
  for (std::size_t k = 0; k < plies.size(); ++k) {
    check(plies[k], k + 1);
    l.thickness += plies[k].thickness;
  }
  double bottom = -l.thickness / 2;
  for (const auto& p : plies) {
    const double top = bottom + p.thickness, angle = p.angle_degrees * M_PI / 180;
    const Matrix3d rotation = strain_rotation(angle), q = rotation.transpose() * plane_stiffness(p) * rotation;
    const Matrix2d turn2 = shear_rotation(angle), g = Eigen::Vector2d(p.shear_13, p.shear_23).asDiagonal();
    l.membrane += (top - bottom) * q;
    l.coupling += (top * top - bottom * bottom) / 2 * q;
    l.bending += (top * top * top - bottom * bottom * bottom) / 3 * q;
    l.shear += 5.0 / 6 * p.thickness * (turn2.transpose() * g * turn2);
    l.density += p.thickness / l.thickness * p.density;
    bottom = top;
  }
  // what symmetry of the plies makes zero is left over by rounding only
  if (l.coupling.norm() < 1e-12 * l.membrane.norm() * l.thickness) l.coupling.setZero();
  return l;
}

namespace {
PlyUse use_of(const Ply& p, const Eigen::Vector3d& s) {
  PlyUse use{s[0], s[1], s[2], 0, 0};
  if (!p.has_strengths()) return use;
  const double x = s[0] < 0 ? p.along_compression : p.along_tension,
               y = s[1] < 0 ? p.across_compression : p.across_tension;
  use.largest_stress = std::max({std::abs(s[0]) / x, std::abs(s[1]) / y, std::abs(s[2]) / p.strength_shear});
  use.tsai_hill = std::sqrt(std::max(0.0, s[0] * s[0] / (x * x) - s[0] * s[1] / (x * x) + s[1] * s[1] / (y * y) +
                                              s[2] * s[2] / (p.strength_shear * p.strength_shear)));
  return use;
}
}  // namespace

std::vector<PlyUse> ply_use(const std::vector<Ply>& plies, const Eigen::Vector3d& force, const Eigen::Vector3d& moment,
                            double rotation) {
  const LaminateStiffness l = laminate_stiffness(plies).in_axes_rotated(-rotation);
  Eigen::Matrix<double, 6, 6> all;
  all << l.membrane, l.coupling, l.coupling, l.bending;
  Eigen::Matrix<double, 6, 1> load;
  load << force, moment;
  const Eigen::Matrix<double, 6, 1> strain = base::solve_positive_definite(all, load);
  std::vector<PlyUse> list;
  double bottom = -l.thickness / 2;
  for (const auto& p : plies) {
    PlyUse most;
    for (const double z : {bottom, bottom + p.thickness}) {
      const Eigen::Vector3d own =
          strain_rotation(rotation + p.angle_degrees * M_PI / 180) * (strain.head<3>() + z * strain.tail<3>());
      const PlyUse use = use_of(p, plane_stiffness(p) * own);
      const bool larger =
          p.has_strengths() ? use.tsai_hill > most.tsai_hill : std::abs(use.stress_along) > std::abs(most.stress_along);
      const double largest = std::max(most.largest_stress, use.largest_stress);
      if (larger) most = use;
      most.largest_stress = largest;
    }
    list.push_back(most);
    bottom += p.thickness;
  }
  return list;
}

}  // namespace archway::theory
