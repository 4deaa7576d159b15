#include "archway/algebra/softest.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "archway/base/dense.hpp"

namespace archway::algebra {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// As many columns as wanted: those given, then fixed random ones.
MatrixXd filled(const MatrixXd& start, Eigen::Index rows, Eigen::Index columns) {
  std::mt19937_64 generator(7);
  std::uniform_real_distribution<double> uniform(-1.0, 1.0);
  MatrixXd block = MatrixXd::NullaryExpr(rows, columns, [&] { return uniform(generator); });
  const Eigen::Index own = start.rows() == rows ? std::min(columns, start.cols()) : 0;
  if (own > 0) block.leftCols(own) = start.leftCols(own);
  return block;
}

/// Ritz pairs of k in the span of a block, nearest to zero first.
void ritz(const SymmetricMatrix& k, const VectorXd& metric, const MatrixXd& block, SoftPairs& pairs) {
  // directions that have fallen together, or that the metric does not see, are omitted
  const MatrixXd gram = block.transpose() * metric.asDiagonal() * block;
  const VectorXd size = gram.diagonal().cwiseMax(1e-300).cwiseSqrt().cwiseInverse();
  const base::SymmetricEigen seen(size.asDiagonal() * gram * size.asDiagonal());
  Eigen::Index first = 0;
  while (first + 1 < seen.eigenvalues().size() && seen.eigenvalues()[first] < 1e-10) ++first;
  const Eigen::Index count = seen.eigenvalues().size() - first;
  const MatrixXd basis = block * (size.asDiagonal() * seen.eigenvectors().rightCols(count) *
                                  seen.eigenvalues().tail(count).cwiseSqrt().cwiseInverse().asDiagonal());
  const MatrixXd kb = k.times(basis);
  const base::SymmetricEigen small(basis.transpose() * kb);
  std::vector<Eigen::Index> order(static_cast<std::size_t>(count));
  std::iota(order.begin(), order.end(), Eigen::Index{0});
  std::stable_sort(order.begin(), order.end(), [&](Eigen::Index a, Eigen::Index b) {
    return std::abs(small.eigenvalues()[a]) < std::abs(small.eigenvalues()[b]);
  });
  pairs.values.resize(count);
  pairs.residuals.resize(count);
  pairs.shapes.resize(block.rows(), count);
  for (Eigen::Index i = 0; i < count; ++i) {
    const VectorXd c = small.eigenvectors().col(order[static_cast<std::size_t>(i)]);
    pairs.values[i] = small.eigenvalues()[order[static_cast<std::size_t>(i)]];
    pairs.shapes.col(i) = basis * c;
    pairs.residuals[i] = (kb * c - pairs.values[i] * metric.cwiseProduct(pairs.shapes.col(i))).norm();
  }
}
}  // namespace

SoftPairs softest(const SymmetricMatrix& k, Factorisation& factorisation, const VectorXd& metric, const MatrixXd& start,
                  const SoftOptions& options) {
  SoftPairs pairs;
  const Eigen::Index size = k.size(), columns = std::min<Eigen::Index>(size, options.count);
  if (size == 0) return pairs;
  MatrixXd block = filled(start, size, columns);
  for (int step = 0; step < options.most_steps && !pairs.settled; ++step) {
    block = metric.asDiagonal() * block;
    factorisation.solve(block);
    if (!block.allFinite()) break;
    const double before = pairs.values.size() > 0 ? pairs.values[0] : HUGE_VAL;
    ritz(k, metric, block, pairs);
    // a first value that is rounding beside the others cannot settle any further
    pairs.settled = std::abs(pairs.values[0] - before) <=
                    std::max(options.tolerance * std::abs(pairs.values[0]), 1e-14 * pairs.values.cwiseAbs().maxCoeff());
    block = filled(pairs.shapes, size, columns);
  }
  const Eigen::Index last = pairs.values.size() - 1;
  for (Eigen::Index i = 1; i < last; ++i)
    if (std::abs(pairs.values[i]) < 0.01 * std::abs(pairs.values[last])) pairs.multiplicity = static_cast<int>(i) + 1;
  return pairs;
}

}  // namespace archway::algebra
