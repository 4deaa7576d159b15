#pragma once
#include <Eigen/SparseCore>

#include "archway/algebra/nearby.hpp"
#include "archway/algebra/softest.hpp"
#include "archway/analysis/system.hpp"

namespace archway::analysis::detail {

/// The tangent of a path, with the factor of this one or of an earlier one close by. What is solved is always solved
/// with the tangent at hand: by its own factor, or by minimal residuals with the earlier one, which is given up for a
/// new factor where that takes more than a few steps.
class Tangent {
 public:
  explicit Tangent(const System& system);

  /// To be written by whoever assembles; then say so.
  algebra::SymmetricMatrix& matrix() { return matrix_; }
  /// \param skew  what the symmetric tangent lacks, see Loading::skew_load_stiffness
  void changed(Eigen::SparseMatrix<double> skew) {
    skew_ = std::move(skew);
    exact_ = false;
  }
  /// What the parts of a residual count: one a free degree of freedom. All ones at the beginning.
  void weigh(Eigen::VectorXd weights) { weights_ = std::move(weights); }

  /// Factorises the tangent at hand. False: singular.
  bool factorise();
  /// The factor is of the tangent at hand.
  bool exact() const { return exact_; }
  bool factored() const { return factored_; }
  /// The last solution took so many steps that the factor should not be used much longer.
  bool far() const;
  /// Of the factor.
  int negative_pivots() const { return negatives_; }
  int factorisations() const { return lease_->cost().factorisations; }
  algebra::Factorisation& factorisation() { return *lease_; }

  /// K x = b on free degrees of freedom. \param tolerance  of |weights (b - K x)| / |weights b| \return false: not
  /// solved
  bool solve(Eigen::VectorXd& b, const State& state, double tolerance);
  /// [K -q; c corner] [x; factor] = [b; right].
  struct Border {
    Eigen::VectorXd q, c;
    double corner = 1;
  };
  bool solve(Eigen::VectorXd& b, double& right, const Border& border, const State& state, double tolerance);

  /// The answer of the factor at hand, be it of this tangent or not.
  Eigen::VectorXd nearly(const Eigen::VectorXd& b) { return by_factor(b); }

  /// The lowest eigenvectors of the tangent at hand, found with the factor at hand; each call begins where the last one
  /// ended.
  algebra::SoftPairs softest();
  /// The tangent at hand has as many negative eigenvalues as the factor counted, as far as its lowest eigenvectors
  /// report: between the two these keep a third of their stiffness or more, and grow to no more than three times as
  /// much.
  bool count_stands();

 private:
  Eigen::VectorXd times(const Eigen::VectorXd& free, const State& state) const;
  bool good_enough(const algebra::NearbySolution& solution);
  bool solve_beside_skew(Eigen::VectorXd& b, const State& state);
  bool solve_beside_skew(Eigen::VectorXd& b, double& right, const Border& border, const State& state);
  bool solve_directly(Eigen::VectorXd& b, double& right, const Border& border);
  Eigen::VectorXd by_factor(const Eigen::VectorXd& b);
  int most_steps() const;

  const System& system_;
  Topology::Lease lease_;
  algebra::SymmetricMatrix matrix_;
  Eigen::SparseMatrix<double> skew_;
  Eigen::VectorXd weights_;
  // 1 for displacements, 0 for rotations and warping: soft is what moves easily; patterns of rotations that cost next
  // to nothing, such as those about the normals of a shell, would hide it
  Eigen::VectorXd metric_;
  Eigen::VectorXd of_load_;  // answer of the factorised tangent to the load direction of that time
  Eigen::MatrixXd soft_;
  int negatives_ = 0, last_steps_ = 0;
  bool exact_ = false, factored_ = false;
};

}  // namespace archway::analysis::detail
