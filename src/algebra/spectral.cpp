#include <limits>

#include "archway/base/dense.hpp"
#include "factor_backend_detail.hpp"

namespace archway::algebra::detail {

namespace {
/// All eigenvalues: slow and plain, what the other backends are checked by.
class Spectral final : public FactorBackend {
 public:
  FactorOutcome factor(const SymmetricMatrix& matrix, FactorCost& cost) override {
    FactorOutcome outcome;
    ++cost.factorisations;
    cost.storage_bytes = 8.0 * matrix.size() * matrix.size();
    solver_ = base::SymmetricEigen(matrix.dense());
    if (!solver_.converged()) {
      outcome.ending = FactorEnding::failed;
      outcome.message = "the eigenvalues of the matrix were not found";
      return outcome;
    }
    const auto& values = solver_.eigenvalues();
    const double noise = std::numeric_limits<double>::epsilon() * values.cwiseAbs().maxCoeff() * matrix.size();
    outcome.ending = FactorEnding::done;
    outcome.message = "";
    for (Eigen::Index i = 0; i < values.size(); ++i) {
      if (values[i] < 0) ++outcome.negative_pivots;  // less those of multipliers, below
      if (std::abs(values[i]) > noise) continue;
      outcome.ending = FactorEnding::singular;
      outcome.message = "the matrix is singular";
      Eigen::Index most = 0;
      solver_.eigenvectors().col(i).cwiseAbs().maxCoeff(&most);
      outcome.where.push_back(static_cast<int>(most));
    }
    outcome.negative_pivots -= matrix.negative_multipliers();
    return outcome;
  }

  void solve(Eigen::Ref<Eigen::MatrixXd> b) override {
    const Eigen::MatrixXd& v = solver_.eigenvectors();
    b = (v * (solver_.eigenvalues().cwiseInverse().asDiagonal() * (v.transpose() * b))).eval();
  }

 private:
  base::SymmetricEigen solver_;
};
}  // namespace

std::unique_ptr<FactorBackend> spectral() {
  return std::make_unique<Spectral>();
}

}  // namespace archway::algebra::detail
