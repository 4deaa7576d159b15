#pragma once
#include <memory>
#include <string>

#include <Eigen/Core>

#include "archway/algebra/pattern.hpp"

namespace archway::algebra {

/// What a numeric factorisation found.
struct FactorOutcome {
  bool done = false;
  int negative_pivots = 0;  ///< number of negative eigenvalues (Sylvester's law of inertia)
  std::string message = "the factorisation was not run";
};

/// Work done so far, for the cost lines of results and for the bench.
struct FactorCost {
  int factorisations = 0;
  int right_hand_sides = 0;
  double storage_bytes = 0;  ///< entries of the factor times eight
};

/// Sparse L D L^T of symmetric matrices on one pattern, with inertia. The order is found once (nested dissection of the
/// node graph), the symbolic work is shared by all numeric factorisations. Backend: MUMPS, sequential, threads in BLAS.
class Factorisation {
 public:
  explicit Factorisation(std::shared_ptr<const SymmetricPattern> pattern);
  ~Factorisation();
  Factorisation(Factorisation&&) noexcept;
  Factorisation& operator=(Factorisation&&) noexcept;

  /// Factorises. An exactly singular matrix gives done = false; a nearly singular one goes through, look at the pivots.
  FactorOutcome factor(const SymmetricMatrix& matrix);
  /// Solves for every column of b in place; needs a successful factor() before.
  void solve(Eigen::Ref<Eigen::MatrixXd> b);
  const FactorCost& cost() const;

 private:
  struct Backend;
  std::unique_ptr<Backend> backend_;
};

}  // namespace archway::algebra
