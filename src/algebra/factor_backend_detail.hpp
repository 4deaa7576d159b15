#pragma once
#include "archway/algebra/factorisation.hpp"

namespace archway::algebra::detail {

/// What a backend must do; tests/algebra holds every one to the same contract.
class FactorBackend {
 public:
  FactorBackend() = default;
  FactorBackend(const FactorBackend&) = delete;
  FactorBackend& operator=(const FactorBackend&) = delete;
  virtual ~FactorBackend() = default;
  /// Numeric factorisation; counts itself, and symbolic work if there was any.
  virtual FactorOutcome factor(const SymmetricMatrix& matrix, FactorCost& cost) = 0;
  virtual void solve(Eigen::Ref<Eigen::MatrixXd> b) = 0;
};

/// One more elimination order, see work_done().
void count_ordering();

std::unique_ptr<FactorBackend> multifrontal(std::shared_ptr<const SymmetricPattern> pattern);
std::unique_ptr<FactorBackend> spectral();

}  // namespace archway::algebra::detail
