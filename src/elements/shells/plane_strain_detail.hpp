#pragma once
#include <Eigen/Core>

namespace archway::elements::detail {

/// From covariant (rr, ss, 2rs) to local (11, 22, 2*12) strains. \param a  inverse Jacobian
inline Eigen::Matrix3d to_local_strain(const Eigen::Matrix2d& a) {
  Eigen::Matrix3d t;
  t << a(0, 0) * a(0, 0), a(0, 1) * a(0, 1), a(0, 0) * a(0, 1), a(1, 0) * a(1, 0), a(1, 1) * a(1, 1), a(1, 0) * a(1, 1),
      2 * a(0, 0) * a(1, 0), 2 * a(0, 1) * a(1, 1), a(0, 0) * a(1, 1) + a(0, 1) * a(1, 0);
  return t;
}

}  // namespace archway::elements::detail
