#pragma once
#include "archway/material/law.hpp"

namespace archway::material::detail {

/// Elastic stiffness of a point.
template <int N>
typename Answer<N>::Matrix stiffness(const Elastic& elastic) {
  const double e = elastic.youngs_modulus, nu = elastic.poisson_ratio, g = e / (2 * (1 + nu));
  typename Answer<N>::Matrix c = Answer<N>::Matrix::Zero();
  if constexpr (N == 1) {
    c(0, 0) = e;
  } else if constexpr (N == 3) {
    c << 1, nu, 0, nu, 1, 0, 0, 0, 0.5 * (1 - nu);
    c *= e / (1 - nu * nu);
  } else {
    c.template topLeftCorner<3, 3>().setConstant(e / ((1 + nu) * (1 - 2 * nu)) * nu);
    c.template topLeftCorner<3, 3>().diagonal().setConstant(e / ((1 + nu) * (1 - 2 * nu)) * (1 - nu));
    c.template bottomRightCorner<3, 3>().diagonal().setConstant(g);
  }
  return c;
}

/// Strain of free growth by one.
template <int N>
typename Answer<N>::Vector all_directions() {
  typename Answer<N>::Vector v = Answer<N>::Vector::Zero();
  v.template head<(N == 1 ? 1 : N == 3 ? 2 : 3)>().setOnes();
  return v;
}

}  // namespace archway::material::detail
