#pragma once
#include <functional>
#include <vector>

/// Ritz functions of high degree along a line, for hand formulas that must be exact to many digits.
namespace archway::theory::detail {

/// Points and weights of Gauss-Legendre integration on [0, 1], exact to degree 2 n - 1.
struct GaussRule {
  std::vector<double> points, weights;
};
GaussRule gauss_rule(int count);

/// Functions with continuous slope on a line cut into pieces: value and slope at every joint (Hermite cubics), and
/// inside every piece bubbles up to `degree` (>= 3). Degree of freedom 2 j is the value at joint j, 2 j + 1 the slope
/// there.
class LineBasis {
 public:
  LineBasis(std::vector<double> joints, int degree);
  int size() const { return size_; }
  static int value_at(int joint) { return 2 * joint; }
  static int slope_at(int joint) { return 2 * joint + 1; }
  int last_joint() const { return static_cast<int>(joints_.size()) - 1; }
  /// Integral of coefficient(x) * f_i^(first) * f_j^(second) over the line; derivatives 0, 1 or 2.
  Eigen::MatrixXd integrate(int first, int second, const std::function<double(double)>& coefficient) const;
  Eigen::MatrixXd integrate(int first, int second, double coefficient = 1) const {
    return integrate(first, second, [coefficient](double) { return coefficient; });
  }

 private:
  Eigen::MatrixXd local(double xi, double length) const;  ///< rows: derivatives 0, 1, 2
  int dof(int piece, int local) const;
  std::vector<double> joints_;
  int degree_, size_;
};

/// The matrix without the rows and columns of the constant load.
Eigen::MatrixXd reduced(const Eigen::MatrixXd& matrix, const std::vector<int>& held);

/// The `count` smallest positive f with det(K + f G) = 0, rising; fewer when no more exist.
/// \throws base::InputError when K is not positive definite
std::vector<double> lowest_factors(const Eigen::MatrixXd& stiffness, const Eigen::MatrixXd& geometric, int count);

/// The smallest positive f with det(K + i f A) = 0 for A antisymmetric (i A is Hermitian: its spectrum is symmetric
/// about zero); HUGE_VAL when A vanishes. \throws base::InputError when K is not positive definite
double lowest_skew_factor(const Eigen::MatrixXd& stiffness, const Eigen::MatrixXd& skew);

}  // namespace archway::theory::detail
