#pragma once
#include "archway/algebra/factorisation.hpp"

namespace archway::algebra {

/// Eigenpairs of K x = value M x nearest to zero, M a diagonal metric >= 0: degrees of freedom without a weight follow
/// the others.
struct SoftPairs {
  Eigen::VectorXd values;     ///< nearest to zero first
  Eigen::MatrixXd shapes;     ///< x^T M x = 1, one a column
  Eigen::VectorXd residuals;  ///< |K x - value M x|
  /// How many of the values belong together as one zero: those below a hundredth of the largest that was computed,
  /// which is outside. At least 1.
  int multiplicity = 1;
  bool settled = false;  ///< the first value changed by less than asked in the last step
};

struct SoftOptions {
  int count = 3;            ///< pairs; the last is there to report how far the first stand out
  double tolerance = 1e-3;  ///< relative change of the first value
  int most_steps = 12;      ///< block solves
};

/// Block inverse iteration with the factor at hand, of `k` or of something close to it, with Rayleigh-Ritz values of
/// `k` itself. \param start  where to begin (columns, any scale); empty: fixed vectors. Deterministic.
SoftPairs softest(const SymmetricMatrix& k, Factorisation& factorisation, const Eigen::VectorXd& metric,
                  const Eigen::MatrixXd& start = {}, const SoftOptions& options = {});

}  // namespace archway::algebra
