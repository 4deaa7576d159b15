#include "archway/algebra/perturbed.hpp"

#include <unsupported/Eigen/IterativeSolvers>

namespace archway::algebra {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;
constexpr double kTolerance = 1e-10;
constexpr Eigen::Index kSteps = 60;

/// x - K^-1 L x, as the library wants its matrices.
struct Operator {
  Factorisation& k;
  const std::function<VectorXd(const VectorXd&)>& times_l;
  Eigen::Index size;
  Eigen::Index rows() const { return size; }
  VectorXd operator*(const VectorXd& x) const {
    MatrixXd moved = times_l(x);
    k.solve(moved);
    return x - moved.col(0);
  }
};
struct Plain {
  const VectorXd& solve(const VectorXd& b) const { return b; }
};
}  // namespace

bool solve_perturbed(Factorisation& k, const std::function<VectorXd(const VectorXd&)>& times_l, MatrixXd& b) {
  k.solve(b);
  const Operator a{k, times_l, b.rows()};
  MatrixXd x = b;
  for (Eigen::Index c = 0; c < b.cols(); ++c) {
    VectorXd column = b.col(c);
    Eigen::Index steps = std::min(kSteps, b.rows());
    double residual = kTolerance;
    (void)Eigen::internal::gmres(a, VectorXd(b.col(c)), column, Plain(), steps, kSteps, residual);
    if (!(residual <= kTolerance)) return false;
    x.col(c) = column;
  }
  b = x;
  return true;
}

}  // namespace archway::algebra
