#include "archway/algebra/factorisation.hpp"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>

#include "archway/base/errors.hpp"
#include "factor_backend_detail.hpp"

namespace archway::algebra {

bool FactorOutcome::regular() const {
  if (ending == FactorEnding::out_of_memory) throw base::OutOfMemory(message);
  if (ending == FactorEnding::failed || ending == FactorEnding::not_run) throw SolverError(message);
  return ending == FactorEnding::done;
}

namespace {
/// Of this process, by all threads.
struct Counters {
  std::atomic<int> orderings{0}, analyses{0}, factorisations{0}, right_hand_sides{0};
};
Counters& counters() {
  static Counters all;
  return all;
}

/// Four interleaved multiplicative hashes of the bits of the values; each step is a bijection of the hash before, so
/// that a change of one value always changes the result.
std::array<std::uint64_t, 4> fingerprint_of(const std::vector<double>& values) {
  constexpr std::uint64_t kPrime = 0x9E3779B97F4A7C15ull;
  std::array<std::uint64_t, 4> hash = {1, 2, 3, 4};
  const auto add = [&](std::size_t lane, double value) {
    std::uint64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    hash[lane] = (hash[lane] ^ bits) * kPrime;
    hash[lane] ^= hash[lane] >> 29;
  };
  const std::size_t whole = values.size() / 4 * 4;
  for (std::size_t i = 0; i < whole; i += 4)
    for (std::size_t lane = 0; lane < 4; ++lane) add(lane, values[i + lane]);
  for (std::size_t i = whole; i < values.size(); ++i) add(i - whole, values[i]);
  return hash;
}
}  // namespace

FactorCost work_done() {
  FactorCost cost;
  cost.orderings = counters().orderings;
  cost.analyses = counters().analyses;
  cost.factorisations = counters().factorisations;
  cost.right_hand_sides = counters().right_hand_sides;
  return cost;
}

FactorCost operator-(const FactorCost& later, const FactorCost& earlier) {
  FactorCost cost = later;
  cost.orderings -= earlier.orderings;
  cost.analyses -= earlier.analyses;
  cost.factorisations -= earlier.factorisations;
  cost.right_hand_sides -= earlier.right_hand_sides;
  return cost;
}

void detail::count_ordering() {
  ++counters().orderings;
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
  const Fingerprint values = fingerprint_of(matrix.values);
  if (known_.outcome.done() && known_.values == values) {
    cost_.storage_bytes = known_.storage_bytes;
    return known_.outcome;
  }
  forget();
  const FactorCost before = cost_;
  FactorOutcome outcome = backend_->factor(matrix, cost_);
  counters().analyses += cost_.analyses - before.analyses;
  counters().factorisations += cost_.factorisations - before.factorisations;
  if (outcome.done()) known_ = {outcome, values, cost_.storage_bytes};
  return outcome;
}

void Factorisation::solve(Eigen::Ref<Eigen::MatrixXd> b) {
  if (b.rows() == 0 || b.cols() == 0) return;
  backend_->solve(b);
  cost_.right_hand_sides += static_cast<int>(b.cols());
  counters().right_hand_sides += static_cast<int>(b.cols());
}

}  // namespace archway::algebra
