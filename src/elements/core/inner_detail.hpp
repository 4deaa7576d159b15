#pragma once
#include <algorithm>
#include <cmath>
#include <limits>

#include <Eigen/Cholesky>

namespace archway::elements::detail {

/// Residual and stiffness of the inner unknowns of an element (amplitudes of enhanced modes) at some amplitudes.
template <int N>
struct Inner {
  Eigen::Matrix<double, N, 1> gap = Eigen::Matrix<double, N, 1>::Zero();
  Eigen::Matrix<double, N, N> stiffness = Eigen::Matrix<double, N, N>::Zero();
  double scale = 0;   ///< sum of the sizes of what cancels in the gap
  double digits = 0;  ///< the same for the stress of the whole strain: elastic and plastic strains cancel in stresses
  bool balanced() const {
    constexpr double kDigits = 16 * std::numeric_limits<double>::epsilon();
    return gap.norm() <= 1e-12 * scale + kDigits * digits;
  }
};

/// Strains below it have no digits: places have sixteen.
constexpr double kNoStrain = 1e-16;

/// Looks at the residual of one point. States on the way of a path take 2 to 6, rarely 50; more are of corrections gone
/// astray, which had better be reported as failed.
constexpr int kMostLooks = 100;

/// Amplitudes that leave no residual: Newton's method with a search along each correction, since the points that flow
/// and those that do not change sides. Associated flow makes the gap the gradient of a convex work, so the search
/// always has an end. \param respond  Inner<N>(amplitudes) \param amplitude  in: where to begin; out: what was found
/// \return false: not found, or their stiffness is not positive definite. Only when it is does what is condensed take
/// no negative pivot out of the count of the whole.
template <int N, class Respond>
bool find_inner(const Respond& respond, Eigen::Matrix<double, N, 1>& amplitude) {
  Inner<N> now = respond(amplitude);
  int looks = 1;
  while (looks < kMostLooks && !now.balanced()) {
    const Eigen::Matrix<double, N, 1> way = -now.stiffness.ldlt().solve(now.gap);
    const double downhill = now.gap.dot(way);
    if (!std::isfinite(downhill)) return false;
    double share = 1;
    Inner<N> next = respond(amplitude + way);
    for (++looks; looks < kMostLooks && !next.balanced() && next.gap.dot(way) > -0.5 * downhill; ++looks) {
      share *= std::clamp(downhill / (downhill - next.gap.dot(way)), 0.1, 0.9);
      next = respond(amplitude + share * way);
    }
    amplitude += share * way;
    now = next;
  }
  return now.balanced() && Eigen::LDLT<Eigen::Matrix<double, N, N>>(now.stiffness).isPositive();
}

}  // namespace archway::elements::detail
