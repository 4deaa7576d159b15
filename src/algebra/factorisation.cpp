#include "archway/algebra/factorisation.hpp"

#include <algorithm>
#include <cmath>

#include "archway/base/errors.hpp"
#include "factor_backend_detail.hpp"

namespace archway::algebra {

bool FactorOutcome::regular() const {
  if (ending == FactorEnding::out_of_memory) throw base::OutOfMemory(message);
  if (ending == FactorEnding::failed || ending == FactorEnding::not_run) throw SolverError(message);
  return ending == FactorEnding::done;
}

Factorisation::Factorisation(std::shared_ptr<const SymmetricPattern> pattern, Method method)
    : backend_(method == Method::spectral ? detail::spectral() : detail::multifrontal(std::move(pattern))) {}
Factorisation::~Factorisation() = default;
Factorisation::Factorisation(Factorisation&&) noexcept = default;
Factorisation& Factorisation::operator=(Factorisation&&) noexcept = default;

FactorOutcome Factorisation::factor(const SymmetricMatrix& matrix) {
  if (matrix.size() == 0) {  // nothing can move: nothing is singular, and nothing is left to solve for
    FactorOutcome outcome;
    outcome.ending = FactorEnding::done;
    outcome.message = "";
    return outcome;
  }
  if (!std::all_of(matrix.values.begin(), matrix.values.end(), [](double v) { return std::isfinite(v); })) {
    FactorOutcome outcome;
    outcome.ending = FactorEnding::singular;
    outcome.message = "the matrix holds values that are no numbers";
    return outcome;
  }
  return backend_->factor(matrix, cost_);
}

void Factorisation::solve(Eigen::Ref<Eigen::MatrixXd> b) {
  if (b.rows() == 0 || b.cols() == 0) return;
  backend_->solve(b);
  cost_.right_hand_sides += static_cast<int>(b.cols());
}

}  // namespace archway::algebra
