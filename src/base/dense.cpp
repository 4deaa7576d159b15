#include "archway/base/dense.hpp"

#include <lapacke.h>
#include <limits>
#include <vector>

#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <Eigen/SVD>

#include "archway/base/rotation.hpp"

// present when BLAS is OpenBLAS
extern "C" void openblas_set_num_threads(int) __attribute__((weak));

namespace archway::base {

using Eigen::MatrixXd;
using Eigen::VectorXd;

void keep_blas_serial() {
  static const bool done = [] {
    if (openblas_set_num_threads != nullptr) openblas_set_num_threads(1);
    return true;
  }();
  static_cast<void>(done);
}

namespace {
/// A size as LAPACK takes it.
lapack_int size_of(Eigen::Index n) {
  keep_blas_serial();
  return static_cast<lapack_int>(n);
}

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
}  // namespace

// Eigen's implicit QR iteration, not LAPACK's: where a path passes two bifurcations within a thousandth of the load,
// the last digits of these vectors decide how its steps are cut
SymmetricEigen::SymmetricEigen(const MatrixXd& matrix, bool with_vectors) {
  const Eigen::SelfAdjointEigenSolver<MatrixXd> solver(
      matrix, with_vectors ? Eigen::ComputeEigenvectors : Eigen::EigenvaluesOnly);
  converged_ = solver.info() == Eigen::Success;
  values_ = solver.eigenvalues();
  if (with_vectors) vectors_ = solver.eigenvectors();
}

GeneralisedEigen::GeneralisedEigen(const MatrixXd& a, const MatrixXd& b, bool with_vectors)
    : values_(VectorXd::Constant(a.rows(), kNaN)), vectors_(a) {
  const auto n = size_of(a.rows());
  MatrixXd factor = b;
  const bool converged = n == 0 || LAPACKE_dsygvd(LAPACK_COL_MAJOR, 1, with_vectors ? 'V' : 'N', 'L', n,
                                                  vectors_.data(), n, factor.data(), n, values_.data()) == 0;
  if (!converged) values_.setConstant(kNaN), vectors_.setConstant(kNaN);
  if (!with_vectors) vectors_.resize(0, 0);
}

// of a fixed size, for which Eigen's code is several times faster than a call of LAPACK
PrincipalAxes::PrincipalAxes(const Eigen::Matrix3d& matrix) {
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(matrix);
  values_ = solver.eigenvalues();
  vectors_ = solver.eigenvectors();
}

Eigen::VectorXcd general_eigenvalues(const MatrixXd& matrix) {
  const auto n = size_of(matrix.rows());
  MatrixXd work = matrix;
  VectorXd real = VectorXd::Constant(n, kNaN), imaginary = real;
  if (n > 0 && LAPACKE_dgeev(LAPACK_COL_MAJOR, 'N', 'N', n, work.data(), n, real.data(), imaginary.data(), nullptr, 1,
                             nullptr, 1) != 0)
    real.setConstant(kNaN);
  Eigen::VectorXcd values(n);
  values.real() = real;
  values.imag() = imaginary;
  return values;
}

bool is_positive_definite(const MatrixXd& matrix) {
  MatrixXd factor = matrix;
  const auto n = size_of(matrix.rows());
  return n == 0 || LAPACKE_dpotrf(LAPACK_COL_MAJOR, 'L', n, factor.data(), n) == 0;
}

MatrixXd solve_positive_definite(const MatrixXd& a, const MatrixXd& b) {
  MatrixXd factor = a, x = b;
  const auto n = size_of(a.rows());
  if (n > 0 && LAPACKE_dposv(LAPACK_COL_MAJOR, 'L', n, size_of(b.cols()), factor.data(), n, x.data(), n) != 0)
    x.setConstant(kNaN);
  return x;
}

MatrixXd solve_full_pivot(const MatrixXd& a, const MatrixXd& b, Eigen::Index* rank) {
  const Eigen::FullPivLU<MatrixXd> lu(a);
  if (rank != nullptr) *rank = lu.rank();
  return lu.solve(b);
}

MatrixXd inverse_of(const MatrixXd& matrix) {
  MatrixXd factor = matrix, inverse = MatrixXd::Identity(matrix.rows(), matrix.cols());
  const auto n = size_of(matrix.rows());
  std::vector<lapack_int> pivots(static_cast<std::size_t>(n));
  if (n > 0 && LAPACKE_dgesv(LAPACK_COL_MAJOR, n, n, factor.data(), n, pivots.data(), inverse.data(), n) != 0)
    inverse.setConstant(kNaN);
  return inverse;
}

MatrixXd least_squares(const MatrixXd& a, const MatrixXd& b, double threshold) {
  const auto rows = size_of(a.rows()), columns = size_of(a.cols()), most = std::max(rows, columns);
  MatrixXd work = a, x = MatrixXd::Zero(most, b.cols());
  x.topRows(b.rows()) = b;
  std::vector<lapack_int> pivots(static_cast<std::size_t>(columns), 0);
  lapack_int rank = 0;
  const double least = threshold > 0 ? threshold : most * std::numeric_limits<double>::epsilon();
  if (rows > 0 && columns > 0 &&
      LAPACKE_dgelsy(LAPACK_COL_MAJOR, rows, columns, size_of(b.cols()), work.data(), rows, x.data(), most,
                     pivots.data(), least, &rank) != 0)
    x.setConstant(kNaN);
  return x.topRows(a.cols());
}

MatrixXd orthonormal_columns(const MatrixXd& a, Eigen::Index count) {
  const auto rows = size_of(a.rows()), own = size_of(std::min(a.rows(), a.cols())), wanted = size_of(count);
  MatrixXd q = MatrixXd::Zero(a.rows(), std::max(a.cols(), count));
  q.leftCols(a.cols()) = a;
  VectorXd scale(own);
  if (rows > 0 && (LAPACKE_dgeqrf(LAPACK_COL_MAJOR, rows, size_of(a.cols()), q.data(), rows, scale.data()) != 0 ||
                   LAPACKE_dorgqr(LAPACK_COL_MAJOR, rows, wanted, own, q.data(), rows, scale.data()) != 0))
    q.setConstant(kNaN);
  return q.leftCols(count);
}

Eigen::Matrix3d nearest_rotation(const Eigen::Matrix3d& matrix) {
  const Eigen::JacobiSVD<Eigen::Matrix3d, Eigen::NoQRPreconditioner> svd(matrix,
                                                                         Eigen::ComputeFullU | Eigen::ComputeFullV);
  Eigen::Vector3d sign = Eigen::Vector3d::Ones();
  sign[2] = (svd.matrixU() * svd.matrixV().transpose()).determinant() < 0 ? -1 : 1;
  return svd.matrixU() * sign.asDiagonal() * svd.matrixV().transpose();
}

}  // namespace archway::base
