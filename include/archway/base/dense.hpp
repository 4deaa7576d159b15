#pragma once
#include <Eigen/Core>

/// Decompositions of small dense matrices, by LAPACK and Eigen. In one place: a decomposition that is instantiated from
/// templates takes ten to twenty seconds to compile, and some twenty files need one. Where there is no answer (entries
/// that are not finite, no convergence) the result is filled with NaN.
namespace archway::base {

/// One thread in BLAS and LAPACK from now on, in the whole process: matrices here are small, and no sum may depend on
/// a number of threads. Called by everything of this header that uses them.
void keep_blas_serial();

/// Eigenvalues of a symmetric matrix, ascending, and orthonormal eigenvectors as columns. Only the lower triangle is
/// read. For 3 x 3 matrices PrincipalAxes is faster.
class SymmetricEigen {
 public:
  SymmetricEigen() = default;
  explicit SymmetricEigen(const Eigen::MatrixXd& matrix, bool with_vectors = true);
  const Eigen::VectorXd& eigenvalues() const { return values_; }
  /// Empty when made without vectors.
  const Eigen::MatrixXd& eigenvectors() const { return vectors_; }
  /// False when no eigenvalues were found (entries that are not finite): the values mean nothing then.
  bool converged() const { return converged_; }

 private:
  bool converged_ = false;
  Eigen::VectorXd values_;
  Eigen::MatrixXd vectors_;
};

/// The same for A x = theta B x with B positive definite; vectors have x^T B x = 1.
class GeneralisedEigen {
 public:
  GeneralisedEigen(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, bool with_vectors = true);
  const Eigen::VectorXd& eigenvalues() const { return values_; }
  const Eigen::MatrixXd& eigenvectors() const { return vectors_; }

 private:
  Eigen::VectorXd values_;
  Eigen::MatrixXd vectors_;
};

/// Eigenvalues of a symmetric 3 x 3 matrix (spread of a cloud of points, stress), ascending, and eigenvectors as
/// columns.
class PrincipalAxes {
 public:
  PrincipalAxes() = default;
  explicit PrincipalAxes(const Eigen::Matrix3d& matrix);
  const Eigen::Vector3d& eigenvalues() const { return values_; }
  const Eigen::Matrix3d& eigenvectors() const { return vectors_; }

 private:
  Eigen::Vector3d values_ = Eigen::Vector3d::Zero();
  Eigen::Matrix3d vectors_ = Eigen::Matrix3d::Identity();
};

/// Eigenvalues of a square matrix without symmetry.
Eigen::VectorXcd general_eigenvalues(const Eigen::MatrixXd& matrix);

/// Whether the Cholesky decomposition of a symmetric matrix exists.
bool is_positive_definite(const Eigen::MatrixXd& matrix);

/// Solution of A X = B for A symmetric and positive definite, by the Cholesky decomposition; NaN when A is not.
Eigen::MatrixXd solve_positive_definite(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b);

/// Solution of A X = B for a square A, by the LU decomposition with pivots from all rows and columns.
/// \param rank  out: numerical rank of A; may be null
Eigen::MatrixXd solve_full_pivot(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, Eigen::Index* rank = nullptr);

/// Inverse of a square matrix, by the LU decomposition with pivots from the rows.
Eigen::MatrixXd inverse_of(const Eigen::MatrixXd& matrix);

/// The X of least norm among those with the least |A X - B|, column by column, by a complete orthogonal decomposition.
/// \param threshold  pivots below this share of the largest count as zero; 0: those that rounding leaves
Eigen::MatrixXd least_squares(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, double threshold = 0);

/// The first `count` columns of the orthogonal factor Q of A = Q R (Householder); count up to the rows of A.
Eigen::MatrixXd orthonormal_columns(const Eigen::MatrixXd& a, Eigen::Index count);

/// The rotation nearest to a 3 x 3 matrix in the sum of squares (orthogonal Procrustes problem, determinant +1).
Eigen::Matrix3d nearest_rotation(const Eigen::Matrix3d& matrix);

}  // namespace archway::base
