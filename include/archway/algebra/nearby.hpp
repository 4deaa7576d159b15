#pragma once
#include <functional>

#include <Eigen/Core>

namespace archway::algebra {

/// A linear map of vectors of one size onto itself.
using LinearMap = std::function<Eigen::VectorXd(const Eigen::VectorXd&)>;

struct NearbySolution {
  bool converged = false;
  int steps = 0;        ///< each applies both maps once; the end applies P once more
  double residual = 0;  ///< |b - A x| / |b|; infinite when numbers overflowed
};

/// Solves A x = b with the exact inverse P of something close to A, such as the factor of an earlier tangent or of a
/// part of A: minimal residuals on A P z = b, x = P z ([SaadSchultz1986]). A need not be symmetric.
/// \param x  in: b; out: the solution, or the best that was found in `most_steps`
NearbySolution solve_nearby(const LinearMap& a, const LinearMap& p, Eigen::VectorXd& x, double tolerance,
                            int most_steps);

}  // namespace archway::algebra
