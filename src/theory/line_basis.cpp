#include <algorithm>
#include <cmath>
#include <numeric>

#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"
#include "line_basis_detail.hpp"

namespace archway::theory::detail {

namespace {
constexpr double kPi = 3.14159265358979323846;

/// Legendre polynomials of x on [-1, 1] with first and second derivatives, degrees 0 to `last`.
Eigen::MatrixXd legendre(double x, int last) {
  Eigen::MatrixXd p = Eigen::MatrixXd::Zero(3, last + 1);
  p(0, 0) = 1;
  if (last > 0) p(0, 1) = x, p(1, 1) = 1;
  for (int n = 1; n < last; ++n) {
    const double a = (2.0 * n + 1) / (n + 1), b = static_cast<double>(n) / (n + 1);
    p(0, n + 1) = a * x * p(0, n) - b * p(0, n - 1);
    p(1, n + 1) = a * (p(0, n) + x * p(1, n)) - b * p(1, n - 1);
    p(2, n + 1) = a * (2 * p(1, n) + x * p(2, n)) - b * p(2, n - 1);
  }
  return p;
}

void require_stable(const Eigen::MatrixXd& stiffness) {
  if (!base::is_positive_definite(stiffness))
    throw base::InputError("", "the constant load makes the structure unstable by itself, or nothing supports it",
                           "hold less, or support it");
}
}  // namespace

std::vector<double> lowest_factors(const Eigen::MatrixXd& stiffness, const Eigen::MatrixXd& geometric, int count) {
  require_stable(stiffness);
  const base::GeneralisedEigen pairs(geometric, stiffness, false);
  // G x = mu K x, f = -1 / mu: the most negative mu gives the lowest factor
  const double rounding = 1e-12 * pairs.eigenvalues().cwiseAbs().maxCoeff();
  std::vector<double> factors;
  for (Eigen::Index i = 0; i < pairs.eigenvalues().size() && static_cast<int>(factors.size()) < count; ++i)
    if (pairs.eigenvalues()[i] < -rounding) factors.push_back(-1 / pairs.eigenvalues()[i]);
  return factors;
}

double lowest_skew_factor(const Eigen::MatrixXd& stiffness, const Eigen::MatrixXd& skew) {
  require_stable(stiffness);
  // with K = L L^T the spectrum of i L^-1 A L^-T is +- the singular values of that matrix, whose squares are the
  // eigenvalues of A^T K^-1 A x = s^2 K x
  const Eigen::MatrixXd square = skew.transpose() * base::solve_positive_definite(stiffness, skew);
  const auto factors = lowest_factors(stiffness, -0.5 * (square + square.transpose()), 1);
  return factors.empty() ? HUGE_VAL : std::sqrt(factors[0]);
}

GaussRule gauss_rule(int count) {
  GaussRule rule;
  for (int i = 0; i < count; ++i) {
    double x = std::cos(kPi * (i + 0.75) / (count + 0.5));
    for (int step = 0; step < 50; ++step) {
      const auto p = legendre(x, count);
      const double change = p(0, count) / p(1, count);
      x -= change;
      if (std::abs(change) < 1e-15) break;
    }
    const double slope = legendre(x, count)(1, count);
    rule.points.push_back((1 + x) / 2);
    rule.weights.push_back(1 / ((1 - x * x) * slope * slope));
  }
  return rule;
}

LineBasis::LineBasis(std::vector<double> joints, int degree)
    : joints_(std::move(joints)), degree_(degree), size_(2 * (last_joint() + 1) + last_joint() * (degree - 3)) {}

int LineBasis::dof(int piece, int local) const {
  return local < 4 ? 2 * piece + local : 2 * (last_joint() + 1) + piece * (degree_ - 3) + local - 4;
}

Eigen::MatrixXd LineBasis::local(double xi, double length) const {
  const double x = xi, y = 1 - xi;
  Eigen::MatrixXd f(3, degree_ + 1);
  f.col(0) << y * y * (1 + 2 * x), -6 * x * y, 12 * x - 6;
  f.col(1) << x * y * y, y * (1 - 3 * x), 6 * x - 4;
  f.col(2) << x * x * (3 - 2 * x), 6 * x * y, 6 - 12 * x;
  f.col(3) << -x * x * y, x * (3 * x - 2), 6 * x - 2;
  const auto p = legendre(2 * x - 1, std::max(0, degree_ - 4));
  const double s = x * x * y * y, s1 = 2 * x * y * (1 - 2 * x), s2 = 2 * (1 - 6 * x * y);
  for (int k = 4; k <= degree_; ++k) {
    const double q = p(0, k - 4), q1 = 2 * p(1, k - 4), q2 = 4 * p(2, k - 4);
    f.col(k) << s * q, s1 * q + s * q1, s2 * q + 2 * s1 * q1 + s * q2;
  }
  f.col(1) *= length;  // slopes are by x, not by xi
  f.col(3) *= length;
  f.row(1) /= length;
  f.row(2) /= length * length;
  return f;
}

Eigen::MatrixXd LineBasis::integrate(int first, int second, const std::function<double(double)>& coefficient) const {
  static const int extra = 4;  // for coefficients that are not polynomials of low degree
  const auto rule = gauss_rule(degree_ + 1 + extra);
  Eigen::MatrixXd sum = Eigen::MatrixXd::Zero(size_, size_);
  for (int piece = 0; piece < last_joint(); ++piece) {
    const double from = joints_[static_cast<std::size_t>(piece)];
    const double length = joints_[static_cast<std::size_t>(piece + 1)] - from;
    for (std::size_t g = 0; g < rule.points.size(); ++g) {
      const auto f = local(rule.points[g], length);
      const double weight = rule.weights[g] * length * coefficient(from + rule.points[g] * length);
      for (int i = 0; i <= degree_; ++i)
        for (int j = 0; j <= degree_; ++j) sum(dof(piece, i), dof(piece, j)) += weight * f(first, i) * f(second, j);
    }
  }
  return sum;
}

Eigen::MatrixXd reduced(const Eigen::MatrixXd& matrix, const std::vector<int>& held) {
  std::vector<int> kept;
  for (int i = 0; i < matrix.rows(); ++i)
    if (std::find(held.begin(), held.end(), i) == held.end()) kept.push_back(i);
  return matrix(kept, kept);
}

}  // namespace archway::theory::detail
