
#include "archway/base/dense.hpp"
#include "dense_pairs_detail.hpp"

namespace archway::algebra::detail {

using Eigen::MatrixXd;
using Eigen::VectorXd;

double residual_of(const SymmetricMatrix& k, const SymmetricMatrix& g, const VectorXd& x, double factor) {
  const VectorXd kx = k.times(x);
  return (kx + factor * VectorXd(g.times(x))).norm() / kx.norm();
}

std::vector<PencilPair> solve_densely(const SymmetricMatrix& k, const SymmetricMatrix& g) {
  std::vector<PencilPair> pairs;
  // (-G) x = theta K x, f = 1 / theta
  const base::GeneralisedEigen solver(-g.dense(), k.dense());
  const VectorXd theta = solver.eigenvalues();
  const double noise = 1e-12 * theta.cwiseAbs().maxCoeff();
  for (Eigen::Index i = theta.size() - 1; i >= 0 && theta[i] > noise; --i) {
    PencilPair pair{1 / theta[i], 0, solver.eigenvectors().col(i)};
    pair.residual = residual_of(k, g, pair.shape, pair.factor);
    pairs.push_back(std::move(pair));
  }
  return pairs;
}

std::vector<PencilPair> solve_by_compliance(const SymmetricMatrix& k, const SymmetricMatrix& g,
                                            Factorisation& factorisation) {
  const int own = k.pattern->own();
  MatrixXd compliance = MatrixXd::Zero(k.size(), own);
  compliance.topRows(own).setIdentity();
  factorisation.solve(compliance);
  const MatrixXd square = compliance.topRows(own);
  const base::SymmetricEigen parts(0.5 * (square + square.transpose()));
  const MatrixXd root = parts.eigenvectors() * parts.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal();
  const MatrixXd load = -g.dense().topLeftCorner(own, own);
  const base::SymmetricEigen solver(root.transpose() * load * root);
  const VectorXd theta = solver.eigenvalues();
  const double noise = 1e-12 * theta.cwiseAbs().maxCoeff();
  std::vector<PencilPair> pairs;
  for (Eigen::Index i = theta.size() - 1; i >= 0 && theta[i] > noise; --i) {
    PencilPair pair{1 / theta[i], 0, MatrixXd::Zero(k.size(), 1)};
    pair.shape.head(own) = load * (root * solver.eigenvectors().col(i)) / theta[i];
    MatrixXd x = pair.shape;  // once more by the factor, which leaves less than the sum of columns
    factorisation.solve(x);
    pair.shape = x.col(0);
    pair.residual = residual_of(k, g, pair.shape, pair.factor);
    pairs.push_back(std::move(pair));
  }
  return pairs;
}

}  // namespace archway::algebra::detail
