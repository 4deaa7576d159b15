#include "archway/algebra/nearby.hpp"

#include <limits>
#include <unsupported/Eigen/IterativeSolvers>

namespace archway::algebra::detail {
/// A P in the form that the library takes for a matrix.
class Product;
}  // namespace archway::algebra::detail

namespace Eigen::internal {
template <>
struct traits<archway::algebra::detail::Product> : traits<SparseMatrix<double>> {};
}  // namespace Eigen::internal

namespace archway::algebra {

namespace detail {
class Product : public Eigen::EigenBase<Product> {
 public:
  using Scalar = double;
  using RealScalar = double;
  using StorageIndex = int;
  enum { ColsAtCompileTime = Eigen::Dynamic, MaxColsAtCompileTime = Eigen::Dynamic, IsRowMajor = false };

  Product(const LinearMap& a, const LinearMap& p, Eigen::Index size) : a_(a), p_(p), size_(size) {}
  Eigen::Index rows() const { return size_; }
  Eigen::Index cols() const { return size_; }
  template <class Right>
  Eigen::Product<Product, Right, Eigen::AliasFreeProduct> operator*(const Eigen::MatrixBase<Right>& x) const {
    return {*this, x.derived()};
  }
  /// Starts from nothing are for free.
  Eigen::VectorXd times(const Eigen::VectorXd& x) const {
    return x.isZero(0.0) ? Eigen::VectorXd(Eigen::VectorXd::Zero(size_)) : a_(p_(x));
  }

 private:
  const LinearMap& a_;
  const LinearMap& p_;
  Eigen::Index size_;
};
}  // namespace detail

}  // namespace archway::algebra

namespace Eigen::internal {
template <class Right>
struct generic_product_impl<archway::algebra::detail::Product, Right, SparseShape, DenseShape, GemvProduct>
    : generic_product_impl_base<archway::algebra::detail::Product, Right,
                                generic_product_impl<archway::algebra::detail::Product, Right>> {
  template <class To>
  static void scaleAndAddTo(To& to, const archway::algebra::detail::Product& product, const Right& x,
                            const double& alpha) {
    to.noalias() += alpha * product.times(x);
  }
};
}  // namespace Eigen::internal

namespace archway::algebra {

NearbySolution solve_nearby(const LinearMap& a, const LinearMap& p, Eigen::VectorXd& x, double tolerance,
                            int most_steps) {
  NearbySolution solution;
  if (x.isZero(0.0)) {
    solution.converged = true;
    return solution;
  }
  const detail::Product product(a, p, x.size());
  Eigen::GMRES<detail::Product, Eigen::IdentityPreconditioner> solver;
  solver.compute(product);
  solver.setTolerance(tolerance);
  solver.setMaxIterations(most_steps);
  solver.set_restart(most_steps);
  const Eigen::VectorXd found = solver.solve(x);
  solution.steps = static_cast<int>(solver.iterations());
  solution.residual = solver.error();
  x = p(found);
  if (!x.allFinite()) solution.residual = std::numeric_limits<double>::infinity();
  solution.converged = solution.residual <= tolerance;
  return solution;
}

}  // namespace archway::algebra
