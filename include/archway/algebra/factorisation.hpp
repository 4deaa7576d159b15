#pragma once
#include <array>
#include <cstdint>
#include <memory>
#include <stdexcept>
#include <string>
#include <vector>

#include <Eigen/Core>

#include "archway/algebra/pattern.hpp"

namespace archway::algebra {

/// What became of a numeric factorisation. Nothing rotations one into another.
enum class FactorEnding {
  not_run,
  done,
  singular,       ///< exactly, as far as rounding can report: `where` says in which equations
  out_of_memory,  ///< `megabytes` says how much it asked for, where that is known
  failed          ///< otherwise; `message` says how
};

struct FactorOutcome {
  FactorEnding ending = FactorEnding::not_run;
  int negative_pivots = 0;  ///< number of negative eigenvalues (Sylvester's law of inertia); when done
  std::vector<int> where;   ///< equations whose pivots vanished; when singular
  double megabytes = 0;
  std::string message = "the factorisation was not run";
  bool done() const { return ending == FactorEnding::done; }
  /// Done (true) or singular (false). \throws base::OutOfMemory, SolverError for the other endings
  bool regular() const;
};

/// The solver failed for a reason that lies neither in the matrix nor in the memory.
class SolverError : public std::runtime_error {
 public:
  explicit SolverError(const std::string& message) : std::runtime_error(message) {}
};

/// Work that the solver did, for the cost lines of results and for the bench.
struct FactorCost {
  int orderings = 0;  ///< elimination orders; of a pattern, so counted by work_done() only
  int analyses = 0;   ///< symbolic
  int factorisations = 0;
  int right_hand_sides = 0;
  double storage_bytes = 0;  ///< entries of the factor times eight
};

/// All that solvers of this process have done since it began, on all threads; storage_bytes is 0. The difference of two
/// calls is the cost of what lies between them.
FactorCost work_done();
FactorCost operator-(const FactorCost& later, const FactorCost& earlier);

/// How to factorise.
enum class Method {
  multifrontal,  ///< sparse L D L^T with pivoting (MUMPS, sequential): everyday work
  spectral       ///< all eigenvalues of the dense matrix: a few hundred equations, to check the other by
};

namespace detail {
class FactorBackend;
}

/// Factorisation of symmetric matrices on one pattern, with inertia. The order comes with the pattern, the symbolic
/// work is done once for all numeric factorisations. One thread; different objects may be used on different threads.
class Factorisation {
 public:
  explicit Factorisation(std::shared_ptr<const SymmetricPattern> pattern, Method method = Method::multifrontal);
  ~Factorisation();
  Factorisation(Factorisation&&) noexcept;
  Factorisation& operator=(Factorisation&&) noexcept;

  /// Factorises. A nearly singular matrix goes through: look at the pivots. A matrix whose values are those of the
  /// factor at hand, bit for bit (by a hash of 256 bits), costs nothing: analyses that follow each other on one
  /// structure share its factor.
  [[nodiscard]] FactorOutcome factor(const SymmetricMatrix& matrix);
  /// The next call of factor() does the work in any case.
  void forget() { known_ = {}; }
  /// Solves for every column of b in place; needs a factor() that was done before. \throws SolverError,
  /// base::OutOfMemory
  void solve(Eigen::Ref<Eigen::MatrixXd> b);
  /// Since it was made, or since the last reset.
  const FactorCost& cost() const { return cost_; }
  void reset_cost() { cost_ = {}; }

 private:
  using Fingerprint = std::array<std::uint64_t, 4>;
  /// What the factor at hand is of; not done: nothing.
  struct Known {
    FactorOutcome outcome;
    Fingerprint values{};
    double storage_bytes = 0;
  };

  std::unique_ptr<detail::FactorBackend> backend_;
  FactorCost cost_;
  Known known_;
};

}  // namespace archway::algebra
