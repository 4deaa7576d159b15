#include "archway/theory/plates.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/Core>

#include "archway/base/errors.hpp"
#include "line_basis_detail.hpp"

namespace archway::theory {

namespace {
using detail::LineBasis;

/// Integrals of products of derivatives along one direction, without the degrees of freedom its two edges hold.
struct Side {
  Eigen::MatrixXd m00, m11, m22, m20, m21, m10, weighted00, end0, end1;
  Side(double length, int degree, int pieces, PlateEdge first, PlateEdge second) {
    std::vector<double> joints;
    for (int j = 0; j <= pieces; ++j) joints.push_back(length * j / pieces);
    const LineBasis basis(joints, degree);
    std::vector<int> held;
    const auto hold = [&](PlateEdge edge, int joint) {
      if (edge != PlateEdge::free) held.push_back(LineBasis::value_at(joint));
      if (edge == PlateEdge::clamped) held.push_back(LineBasis::slope_at(joint));
    };
    hold(first, 0);
    hold(second, basis.last_joint());
    const auto get = [&](int a, int b) { return detail::reduced(basis.integrate(a, b), held); };
    m00 = get(0, 0), m11 = get(1, 1), m22 = get(2, 2), m20 = get(2, 0), m21 = get(2, 1), m10 = get(1, 0);
    weighted00 = detail::reduced(basis.integrate(0, 0, [&](double y) { return y / length; }), held);
    const auto rotation_at = [&](int joint) {
      Eigen::MatrixXd spring = Eigen::MatrixXd::Zero(basis.size(), basis.size());
      spring(LineBasis::slope_at(joint), LineBasis::slope_at(joint)) = 1;
      return detail::reduced(spring, held);
    };
    end0 = rotation_at(0);
    end1 = rotation_at(basis.last_joint());
  }
};

Eigen::MatrixXd product(const Eigen::MatrixXd& x, const Eigen::MatrixXd& y) {
  Eigen::MatrixXd out(x.rows() * y.rows(), x.cols() * y.cols());
  for (Eigen::Index i = 0; i < x.rows(); ++i)
    for (Eigen::Index j = 0; j < x.cols(); ++j) out.block(i * y.rows(), j * y.cols(), y.rows(), y.cols()) = x(i, j) * y;
  return out;
}
Eigen::MatrixXd both(const Eigen::MatrixXd& m) {
  return m + m.transpose();
}

Eigen::MatrixXd bending_energy(const Plate& p, const Side& x, const Side& y) {
  const auto& [d11, d12, d22, d66, d16, d26] = p.bending;
  Eigen::MatrixXd k = d11 * product(x.m22, y.m00) + d22 * product(x.m00, y.m22) + 4 * d66 * product(x.m11, y.m11);
  k += d12 * both(product(x.m20, y.m20.transpose()));
  if (d16 != 0) k += 2 * d16 * both(product(x.m21, y.m10.transpose()));
  if (d26 != 0) k += 2 * d26 * both(product(x.m10.transpose(), y.m21));
  k += p.restraint_y0 * product(x.m00, y.end0) + p.restraint_yb * product(x.m00, y.end1);
  return k;
}

Eigen::MatrixXd work_of(const Side& x, const Side& y, double along, double variation, double across, double shear) {
  Eigen::MatrixXd g = along * product(x.m11, y.m00 - variation * y.weighted00) + across * product(x.m00, y.m11);
  if (shear != 0) g += shear * both(product(x.m10, y.m10.transpose()));
  return g;
}
}  // namespace

std::array<double, 6> isotropic_bending(double youngs_modulus, double poisson_ratio, double thickness) {
  const double d = youngs_modulus * std::pow(thickness, 3) / (12 * (1 - poisson_ratio * poisson_ratio));
  return {d, poisson_ratio * d, d, (1 - poisson_ratio) / 2 * d, 0, 0};
}

std::vector<double> plate_factors(const Plate& plate, int count) {
  if (!(plate.length > 0) || !(plate.width > 0) || !(plate.bending[0] > 0) || !(plate.bending[2] > 0))
    throw base::InputError("", "the plate has no size or no stiffness", "make them larger than zero");
  const double ratio = plate.length / plate.width;
  const auto pieces = [](double r) { return std::clamp(static_cast<int>(std::ceil(r / 2)), 1, 6); };
  const Side x(plate.length, 13, pieces(ratio), plate.edges[0], plate.edges[1]);
  const Side y(plate.width, 13, pieces(1 / ratio), plate.edges[2], plate.edges[3]);
  const Eigen::MatrixXd stiffness =
      bending_energy(plate, x, y) - work_of(x, y, plate.constant_along, 0, plate.constant_across, plate.constant_shear);
  const Eigen::MatrixXd geometric = -work_of(x, y, plate.along, plate.along_variation, plate.across, plate.shear);
  return detail::lowest_factors(stiffness, geometric, count);
}

}  // namespace archway::theory
