#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "newton/newton_thresholds_detail.hpp"
#include "newton/tangent_detail.hpp"

namespace archway::analysis::detail {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr int kFewSteps = 8;        ///< of minimal residuals with an earlier factor: about half a factorisation
constexpr int kSkewSteps = 60;      ///< with the factor of the symmetric part, for which there is no better one
constexpr int kFar = 5;             ///< steps that report that the next solution is better begun with a new factor
constexpr double kExactly = 1e-13;  ///< a skew part of low rank is solved for to the end in as many steps

VectorXd as_it_is(const VectorXd& x) {
  return x;
}
}  // namespace

Tangent::Tangent(const System& system)
    : system_(system),
      lease_(system.factorisation()),
      matrix_(system.pattern()),
      weights_(VectorXd::Ones(system.free_count())),
      metric_(VectorXd::Zero(system.free_count())) {
  for (int i = 0; i < system.full_size(); ++i)
    if (const int e = system.equation(i); e >= 0 && i % model::kNodeDofs < 3) metric_[e] = 1;
  if (metric_.isZero(0.0)) metric_.setOnes();  // nothing but rotations
}

bool Tangent::factorise() {
  const auto outcome = lease_->factor(matrix_);
  factored_ = exact_ = outcome.regular();
  negatives_ = outcome.negative_pivots;
  of_load_.resize(0);
  last_steps_ = 0;
  return factored_;
}

int Tangent::most_steps() const {
  return skew_.nonZeros() > 0 ? kSkewSteps : kFewSteps;
}

VectorXd Tangent::times(const VectorXd& free, const State& state) const {
  VectorXd product = matrix_.times(free, &system_.executor());
  // without its skew part Newton does not converge where a moment of fixed direction acts on a node that rotates easily
  if (skew_.nonZeros() > 0) product -= system_.times_full(skew_, free, state);
  return product;
}

VectorXd Tangent::by_factor(const VectorXd& b) {
  MatrixXd x = b;
  lease_->solve(x);
  return x;
}

/// Takes what minimal residuals have found, if it is of use; else the caller tries again with a new factor.
bool Tangent::good_enough(const algebra::NearbySolution& solution) {
  last_steps_ = solution.steps;
  return solution.converged || solution.residual <= (exact_ ? kUseful * kUseful : kUseful);
}

bool Tangent::far() const {
  return !exact_ && last_steps_ >= kFar;
}

bool Tangent::solve(VectorXd& b, const State& state, double tolerance) {
  if (!factored_ && !factorise()) return false;
  if (exact_ && skew_.nonZeros() == 0) {
    b = by_factor(b);
    return b.allFinite();
  }
  if (exact_) return solve_beside_skew(b, state);
  VectorXd x = b.cwiseProduct(weights_);
  const auto solution = algebra::solve_nearby(
      [&](const VectorXd& y) { return VectorXd(weights_.cwiseProduct(times(y, state))); },
      [&](const VectorXd& f) { return by_factor(f.cwiseQuotient(weights_)); }, x, tolerance, most_steps());
  if (good_enough(solution)) {
    b = x;
    return true;
  }
  return factorise() && solve(b, state, tolerance);
}

/// The symmetric part is factorised: x - F^-1 S x = F^-1 b. Nothing is multiplied by stiff parts, whose rounding would
/// drown what a small load asks for.
bool Tangent::solve_beside_skew(VectorXd& b, const State& state) {
  VectorXd x = by_factor(b);
  const auto a = [&](const VectorXd& y) { return VectorXd(y - by_factor(system_.times_full(skew_, y, state))); };
  const auto solution = algebra::solve_nearby(a, as_it_is, x, kExactly, kSkewSteps);
  if (!good_enough(solution)) return false;
  b = x;
  return true;
}

/// The same with a border.
bool Tangent::solve_beside_skew(VectorXd& b, double& right, const Border& border, const State& state) {
  if (of_load_.size() == 0) of_load_ = by_factor(border.q);
  const Eigen::Index n = b.size();
  const double pivot = border.corner + border.c.dot(of_load_);
  const auto p = [&](const VectorXd& f, double last) {
    VectorXd x(n + 1);
    x.head(n) = by_factor(f);
    x[n] = (last - border.c.dot(x.head(n))) / pivot;
    x.head(n) += x[n] * of_load_;
    return x;
  };
  const auto a = [&](const VectorXd& y) { return VectorXd(y - p(system_.times_full(skew_, y.head(n), state), 0)); };
  VectorXd x = p(b, right);
  const auto solution = algebra::solve_nearby(a, as_it_is, x, kExactly, kSkewSteps);
  if (!good_enough(solution)) return false;
  b = x.head(n);
  right = x[n];
  return true;
}

/// With the factor of the tangent at hand: what it answers to the load reports how the plane is met.
bool Tangent::solve_directly(VectorXd& b, double& right, const Border& border) {
  MatrixXd both(b.size(), 2);
  both << border.q, b;
  lease_->solve(both);
  of_load_ = both.col(0);
  const double factor = (right - border.c.dot(both.col(1))) / (border.corner + border.c.dot(of_load_));
  b = both.col(1) + factor * of_load_;
  right = factor;
  return std::isfinite(factor) && b.allFinite();
}

bool Tangent::solve(VectorXd& b, double& right, const Border& border, const State& state, double tolerance) {
  if (!factored_ && !factorise()) return false;
  if (b.size() == 0 || (exact_ && skew_.nonZeros() == 0)) return solve_directly(b, right, border);
  if (exact_) return solve_beside_skew(b, right, border, state);
  if (of_load_.size() == 0) of_load_ = by_factor(border.q);
  const Eigen::Index n = b.size();
  VectorXd w(n + 1);
  const double load = border.q.cwiseProduct(weights_).norm();
  w << weights_, load > 0 ? load : 1.0;
  const double pivot = border.corner + border.c.dot(of_load_);
  const auto a = [&](const VectorXd& x) {
    VectorXd f(n + 1);
    f.head(n) = times(x.head(n), state) - x[n] * border.q;
    f[n] = border.c.dot(x.head(n)) + border.corner * x[n];
    return VectorXd(f.cwiseProduct(w));
  };
  const auto p = [&](const VectorXd& weighted) {
    const VectorXd f = weighted.cwiseQuotient(w);
    VectorXd x(n + 1);
    x.head(n) = by_factor(f.head(n));
    x[n] = (f[n] - border.c.dot(x.head(n))) / pivot;
    x.head(n) += x[n] * of_load_;
    return x;
  };
  VectorXd x(n + 1);
  x << b, right;
  x = x.cwiseProduct(w).eval();
  const auto solution = algebra::solve_nearby(a, p, x, tolerance, most_steps());
  if (good_enough(solution)) {
    b = x.head(n);
    right = x[n];
    return true;
  }
  return factorise() && solve(b, right, border, state, tolerance);
}

algebra::SoftPairs Tangent::softest() {
  if (!factored_) (void)factorise();  // on a new pattern
  auto pairs = algebra::softest(matrix_, *lease_, metric_, soft_);
  soft_ = pairs.shapes;
  return pairs;
}

bool Tangent::count_stands() {
  if (exact_) return true;
  if (!factored_ || metric_.size() == 0) return false;
  // soft directions of the factorised tangent, by inverse iteration: with y = F^-1 b its own forms are y^T F y = y^T b
  if (soft_.size() == 0) soft_ = algebra::softest(matrix_, *lease_, metric_, {}, {3, 0.03, 5}).shapes;
  const MatrixXd b = metric_.asDiagonal() * soft_;
  MatrixXd y = b;
  lease_->solve(y);
  if (!y.allFinite()) return false;
  const MatrixXd then = y.transpose() * b, now = y.transpose() * matrix_.times(y, &system_.executor());
  Eigen::Index rank = 0;
  const MatrixXd change = base::solve_full_pivot(0.5 * (then + then.transpose()), 0.5 * (now + now.transpose()), &rank);
  soft_ = y;
  for (Eigen::Index c = 0; c < soft_.cols(); ++c) soft_.col(c) /= y.col(c).norm();
  if (rank < soft_.cols()) return false;
  const Eigen::VectorXcd kept = base::general_eigenvalues(change);
  for (Eigen::Index i = 0; i < kept.size(); ++i)
    if (!(kept[i].real() > 1.0 / 3 && kept[i].real() < 3 && std::abs(kept[i].imag()) < 1.0 / 3)) return false;
  return true;
}

}  // namespace archway::analysis::detail
