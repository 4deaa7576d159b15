#include "archway/algebra/eigen_pairs.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include <fmt/format.h>

#include "dense_pairs_detail.hpp"
#include "eigen_thresholds_detail.hpp"
#include "krylov_space_detail.hpp"

namespace archway::algebra {

namespace {
using detail::Known;
using detail::KrylovSpace;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr int kDenseLimit = 300;
// a factor that many times beyond everything found is looked at to say that there is nothing more
constexpr int kMostSlices = 60;
constexpr int kShifts = 4;  // a little lower each, before a slice is given up
// block steps after which an iteration must show that it gets somewhere, and the residual that counts as such
constexpr int kTrialSteps = 7;
constexpr int kMostSteps = 40;  // of one space, whose vectors take as much room as a factor of a plate then

MatrixXd random_block(int rows, int columns, unsigned seed) {
  std::mt19937_64 generator(seed);
  std::uniform_real_distribution<double> uniform(-1.0, 1.0);
  return MatrixXd::NullaryExpr(rows, columns, [&] { return uniform(generator); });
}

/// residual_of, of several pairs at once.
VectorXd residuals_of(const SymmetricMatrix& k, const SymmetricMatrix& g, const MatrixXd& x, const VectorXd& factors,
                      const base::Executor* executor) {
  const MatrixXd kx = k.times(x, executor);
  const MatrixXd rest = kx + g.times(x, executor) * factors.asDiagonal();
  return rest.colwise().norm().cwiseQuotient(kx.colwise().norm()).transpose();
}

/// Residual that rounding alone may leave: what cancels in K x.
double rounding_in(const SymmetricMatrix& k, const VectorXd& x) {
  SymmetricMatrix sizes = k;
  for (double& value : sizes.values) value = std::abs(value);
  return std::min(detail::kMostRounding, 4 * std::numeric_limits<double>::epsilon() *
                                             VectorXd(sizes.times(x.cwiseAbs())).norm() / VectorXd(k.times(x)).norm());
}

/// Runs the search; a class so that its steps can be read one by one.
///
/// The spectrum is cut into slices: a factorisation at a shift counts the factors below it, block Lanczos about it
/// finds those on both sides, clear of what is known. Everything below a shift is known when as many are known as are
/// counted.
class Search {
 public:
  Search(const SymmetricMatrix& k, const SymmetricMatrix& g, Factorisation& factorisation, const PencilOptions& options)
      : k_(k), g_(g), factorisation_(factorisation), options_(options), wanted_(options.count) {
    width_ = std::min(options.block_size, k.size());
  }

  PencilResult run() {
    if (!options_.k_is_factored) {
      const FactorOutcome outcome = factorisation_.factor(k_);
      const bool regular = outcome.regular();
      if (!regular || outcome.negative_pivots > 0) {
        result_.ending = PencilEnding::not_definite;
        result_.negatives_of_k = outcome.negative_pivots;
        result_.message = regular ? fmt::format("the stiffness has {} negative eigenvalues", outcome.negative_pivots)
                                  : outcome.message;
        return result_;
      }
    }
    if (k_.size() <= kDenseLimit) {
      const bool plain = k_.pattern->multipliers() == 0;
      for (auto& pair : plain ? detail::solve_densely(k_, g_) : detail::solve_by_compliance(k_, g_, factorisation_))
        if (pair.factor > options_.lower) pairs_.push_back(std::move(pair));
      result_.block_steps = 1;
    } else if (options_.lower <= 0) {
      iterate_about_zero();
    }
    counts_[0] = 0;
    for (const double bound : {options_.lower, options_.upper})
      if (bound > 0 && std::isfinite(bound) && count_at(bound) < 0) {
        result_.ending = PencilEnding::incomplete;
        result_.message =
            fmt::format("the bound {:.9g} lies on a factor, which cannot be counted: move it a little", bound);
        return result_;
      }
    if (std::isfinite(options_.upper)) wanted_ = std::max(1, counted_below(options_.upper));
    for (int slice = 0; slice < kMostSlices && !stopped_; ++slice) {
      if (settled()) return result_;
      if (!cut_next_slice()) break;
    }
    return give_up();
  }

 private:
  // ---- what is known ----

  int known_below(double factor) const {
    int count = 0;
    for (const auto& p : pairs_) count += p.factor < factor;
    return count;
  }
  int counted_below(double shift) const { return counts_.at(shift) - counts_.at(options_.lower); }
  bool complete_to(double shift) const { return known_below(shift) == counted_below(shift); }
  /// The largest shift up to which everything is known, and the next one (infinite: none), where something is missing.
  std::pair<double, double> frontier() const {
    double low = options_.lower;
    for (const auto& [shift, count] : counts_) {
      if (shift <= low) continue;
      if (!complete_to(shift)) return {low, shift};
      low = shift;
    }
    return {low, HUGE_VAL};
  }
  /// How many pairs are to be delivered: as many as wanted and those that cluster with the last.
  std::size_t delivered(std::size_t available) const {
    if (std::isfinite(options_.upper)) return available;
    auto n = static_cast<std::size_t>(wanted_);
    while (n < available && pairs_[n].factor <= pairs_[n - 1].factor * (1 + options_.cluster_tolerance)) ++n;
    return std::min(n, available);
  }
  int count_at(double shift) {
    const FactorOutcome outcome = factorisation_.factor(k_.plus(shift, g_));
    if (!outcome.regular()) return -1;
    return counts_[shift] = outcome.negative_pivots;
  }

  /// True when enough is known and proved; fills the result in.
  bool settled() {
    std::sort(pairs_.begin(), pairs_.end(), [](const auto& a, const auto& b) { return a.factor < b.factor; });
    const double proved = frontier().first;
    const auto available = static_cast<std::size_t>(known_below(proved));
    const std::size_t deliver = delivered(available);
    // the last cluster is whole only when something beyond it is known to be further away
    const bool whole = deliver < available ||
                       (available > 0 && proved > pairs_[available - 1].factor * (1 + options_.cluster_tolerance));
    const bool enough = std::isfinite(options_.upper) ? proved >= options_.upper
                                                      : deliver >= static_cast<std::size_t>(wanted_) && whole;
    const bool nothing_more = exhausted_ > 0 && proved >= exhausted_;
    if (!enough && !nothing_more) return false;
    result_.cut = deliver < available ? 0.5 * (pairs_[deliver - 1].factor + pairs_[deliver].factor) : proved;
    pairs_.resize(deliver);
    result_.counted_below_cut = static_cast<int>(deliver);
    result_.pairs = std::move(pairs_);
    result_.message = "";
    result_.ending = enough ? PencilEnding::proved : PencilEnding::fewer_exist;
    if (result_.pairs.empty() && !enough) {
      result_.ending = PencilEnding::none;
      result_.message = "there is no positive factor";
    }
    return true;
  }

  PencilResult give_up() {
    const auto [low, high] = frontier();
    std::sort(pairs_.begin(), pairs_.end(), [](const auto& a, const auto& b) { return a.factor < b.factor; });
    pairs_.resize(std::min(pairs_.size(), static_cast<std::size_t>(std::max(wanted_, 1))));
    result_.cut = std::isfinite(high) ? high : low;
    result_.counted_below_cut = counted_below(result_.cut);
    if (!stopped_) {
      result_.ending = PencilEnding::incomplete;
      result_.message = fmt::format("{} factors lie below {:.9g} by inertia, {} were found", result_.counted_below_cut,
                                    result_.cut, known_below(result_.cut));
    }
    result_.pairs = std::move(pairs_);
    return result_;
  }

  // ---- iterations ----

  /// Shift zero: good when the wanted factors are well apart, and reports where to cut otherwise.
  void iterate_about_zero() {
    const auto apply = [this](const MatrixXd& v, const MatrixXd&) {
      MatrixXd w = -g_.times(v, options_.executor);
      factorisation_.solve(w);
      return w;
    };
    const auto size_of = [](double theta) { return theta; };
    const auto factor_of = [](double theta) { return theta > 0 ? 1 / theta : HUGE_VAL; };
    const int steps = most_steps(wanted_);
    KrylovSpace space(k_, apply, known_, apply(random_block(k_.size(), width_, 1), {}),
                      std::min(k_.size(), (steps + 2) * width_), options_.executor);
    KrylovSpace::Ritz ritz;
    for (int step = 0; step < steps && keep_going(); ++step) {
      const bool open = space.expand() && !space.full(width_);
      ritz = space.ritz();
      found_ = converged(ritz, factor_of, size_of);
      if (!open || (found_ > wanted_ && measured(space, ritz, factor_of, size_of))) break;
      if (ritz.values[0] <= 1e-9 * ritz.values.cwiseAbs().maxCoeff() && step >= 2) break;
      if (step + 1 >= kTrialSteps && settling(ritz, factor_of, size_of) < hoped_for(wanted_, step)) break;
    }
    const double largest = ritz.values.size() > 0 ? ritz.values.cwiseAbs().maxCoeff() : 0;
    take_over(space, ritz, factor_of, size_of, [&](const MatrixXd& x) { return apply(x, {}); });
    if (largest > 0) first_horizon_ = detail::kHorizon / largest;
    estimates_.clear();
    for (Eigen::Index i = 0; i < ritz.values.size() && ritz.values[i] > 1e-7 * largest; ++i) {
      if (is_known(factor_of(ritz.values[i]))) continue;
      // guesses of a cluster lie far above it: only the first reports anything
      if (!estimates_.empty() && ritz.residuals[i] > detail::kSettling * ritz.values[i]) break;
      estimates_.push_back(factor_of(ritz.values[i]));
      guess_only_ = estimates_.size() == 1 && ritz.residuals[i] > detail::kSettling * ritz.values[i];
    }
  }

  /// Block Lanczos about a shift that is factorised: what is missing below it and what comes next above.
  void iterate_about(double shift) {
    const auto apply = [this](const MatrixXd&, const MatrixXd& kv) {
      MatrixXd w = kv;
      w.bottomRows(k_.pattern->multipliers()).setZero();  // but for rounding they are, and random starts are to be
      factorisation_.solve(w);
      return w;
    };
    const auto factor_of = [shift](double nu) { return nu > 1 || nu < 0 ? shift * nu / (nu - 1) : HUGE_VAL; };
    const auto size_of = [](double nu) { return nu - 1; };
    const int below = std::max(0, counted_below(shift) - known_below(shift));
    const int above = std::max(std::isfinite(options_.upper) ? counted_below(options_.upper) - counted_below(shift)
                                                             : wanted_ - counted_below(shift),
                               0);
    const int target = std::min(below + above, 40);
    const int steps = most_steps(target);
    MatrixXd start = random_block(k_.size(), width_, static_cast<unsigned>(counts_.size() + 1));
    start = apply({}, k_.times(start, options_.executor));
    KrylovSpace space(k_, apply, known_, start, std::min(k_.size(), (steps + 1) * width_), options_.executor);
    KrylovSpace::Ritz ritz;
    for (int step = 0; step < steps && keep_going(); ++step) {
      const bool open = space.expand() && !space.full(width_);
      ritz = space.ritz();
      const int found = converged(ritz, factor_of, size_of);
      if (!open || (found > target && below_found(ritz, factor_of, size_of, shift) >= below &&
                    measured(space, ritz, factor_of, size_of)))
        break;
      if (step + 1 >= kTrialSteps && settling(ritz, factor_of, size_of) < hoped_for(target, step)) break;
    }
    take_over(space, ritz, factor_of, size_of, [&](const MatrixXd& x) { return apply({}, k_.times(x)); });
    estimates_.clear();
    guess_only_ = false;
    for (Eigen::Index i = 0; i < ritz.values.size(); ++i) {
      const double f = factor_of(ritz.values[i]);
      if (std::isfinite(f) && ritz.residuals[i] < 0.05 * std::abs(size_of(ritz.values[i])) && !is_known(f))
        estimates_.push_back(f);
    }
    std::sort(estimates_.begin(), estimates_.end());
  }

  static int most_steps(int target) { return std::min(kTrialSteps + target + target / 2, kMostSteps); }
  /// Settled values without which going on is not worth it.
  int hoped_for(int target, int step) const { return std::min(target / 3, (step + 1) * width_ / 10); }
  /// Ritz values that have nearly found their place.
  template <class FactorOf, class SizeOf>
  static int settling(const KrylovSpace::Ritz& ritz, const FactorOf& factor_of, const SizeOf& size_of) {
    int count = 0;
    for (Eigen::Index i = 0; i < ritz.values.size(); ++i)
      count += std::isfinite(factor_of(ritz.values[i])) &&
               ritz.residuals[i] < detail::kSettling * std::abs(size_of(ritz.values[i]));
    return count;
  }

  template <class FactorOf, class SizeOf>
  bool is_converged(const KrylovSpace::Ritz& ritz, Eigen::Index i, const FactorOf& factor_of,
                    const SizeOf& size_of) const {
    const double f = factor_of(ritz.values[i]);
    return std::isfinite(f) && f > 0 &&
           ritz.residuals[i] <= ritz_share_ * options_.residual_tolerance * std::abs(size_of(ritz.values[i]));
  }
  template <class FactorOf, class SizeOf>
  int converged(const KrylovSpace::Ritz& ritz, const FactorOf& factor_of, const SizeOf& size_of) const {
    return static_cast<int>(converged_columns(ritz, factor_of, size_of).size());
  }
  template <class FactorOf, class SizeOf>
  int below_found(const KrylovSpace::Ritz& ritz, const FactorOf& factor_of, const SizeOf& size_of, double shift) const {
    int count = 0;
    for (Eigen::Index i = 0; i < ritz.values.size(); ++i)
      count += is_converged(ritz, i, factor_of, size_of) && factor_of(ritz.values[i]) < shift;
    return count;
  }

  template <class FactorOf, class SizeOf>
  std::vector<int> converged_columns(const KrylovSpace::Ritz& ritz, const FactorOf& factor_of,
                                     const SizeOf& size_of) const {
    std::vector<int> columns;
    for (Eigen::Index i = 0; i < ritz.values.size(); ++i)
      if (is_converged(ritz, i, factor_of, size_of)) columns.push_back(static_cast<int>(i));
    return columns;
  }

  /// The residuals measured on the matrices hold as well; if not, more is asked of those in the K norm from here on.
  template <class FactorOf, class SizeOf>
  bool measured(const KrylovSpace& space, const KrylovSpace::Ritz& ritz, const FactorOf& factor_of,
                const SizeOf& size_of) {
    const auto columns = converged_columns(ritz, factor_of, size_of);
    if (columns.empty()) return true;
    const MatrixXd x = space.vectors(ritz, columns);
    if (measure(x, factors_of(ritz, columns, factor_of)).maxCoeff() <= options_.residual_tolerance) return true;
    ritz_share_ = std::max(0.1 * ritz_share_, 1e-3);
    return false;
  }
  VectorXd measure(const MatrixXd& x, const VectorXd& factors) const {
    return residuals_of(k_, g_, x, factors, options_.executor);
  }
  template <class FactorOf>
  static VectorXd factors_of(const KrylovSpace::Ritz& ritz, const std::vector<int>& columns,
                             const FactorOf& factor_of) {
    VectorXd factors(static_cast<Eigen::Index>(columns.size()));
    for (std::size_t c = 0; c < columns.size(); ++c)
      factors[static_cast<Eigen::Index>(c)] = factor_of(ritz.values[columns[c]]);
    return factors;
  }

  /// Adds converged Ritz pairs whose measured residual holds to what is known. Those whose does not are cleaned by the
  /// operator first: what is left of rounding in stiff directions goes.
  template <class FactorOf, class SizeOf, class Clean>
  void take_over(const KrylovSpace& space, const KrylovSpace::Ritz& ritz, const FactorOf& factor_of,
                 const SizeOf& size_of, const Clean& clean) {
    const auto columns = converged_columns(ritz, factor_of, size_of);
    if (columns.empty()) return;
    const MatrixXd x = space.vectors(ritz, columns);
    const VectorXd factors = factors_of(ritz, columns, factor_of), residuals = measure(x, factors);
    for (Eigen::Index c = 0; c < x.cols(); ++c) {
      PencilPair pair{factors[c], residuals[c], x.col(c)};
      for (int again = 0; again < 3 && pair.residual > options_.residual_tolerance; ++again) {
        PencilPair cleaner{0, 0, clean(pair.shape)};
        const VectorXd kx = k_.times(cleaner.shape);
        const double energy = cleaner.shape.dot(kx);
        cleaner.factor = -energy / cleaner.shape.dot(VectorXd(g_.times(cleaner.shape)));
        cleaner.shape /= std::sqrt(energy);
        cleaner.residual = detail::residual_of(k_, g_, cleaner.shape, cleaner.factor);
        if (cleaner.residual >= pair.residual || std::abs(cleaner.factor / pair.factor - 1) > 1e-5) break;
        pair = std::move(cleaner);
      }
      if (pair.residual <= options_.residual_tolerance || pair.residual <= rounding_in(k_, pair.shape))
        keep(std::move(pair));
    }
    found_ = static_cast<int>(pairs_.size());
  }

  /// Takes a pair over, unless cleaning has led it to one that is known: a pair counted twice would pass for a proof.
  void keep(PencilPair pair) {
    const VectorXd kx = k_.times(pair.shape);
    const Eigen::Index n = known_.x.cols();
    if (n > 0 && (known_.x.transpose() * kx).cwiseAbs().maxCoeff() > 1e-2) return;
    known_.x.conservativeResize(k_.size(), n + 1);
    known_.kx.conservativeResize(k_.size(), n + 1);
    known_.x.col(n) = pair.shape;
    known_.kx.col(n) = kx;
    if (pair.factor > options_.lower) pairs_.push_back(std::move(pair));  // the others are only kept out
  }

  bool is_known(double factor) const {
    return std::any_of(pairs_.begin(), pairs_.end(),
                       [&](const auto& p) { return std::abs(p.factor - factor) < 1e-9 * factor; });
  }

  bool keep_going() {
    if (stopped_ || result_.block_steps >= options_.max_block_steps) return false;
    ++result_.block_steps;
    if (options_.go_on && !options_.go_on(found_)) {
      stopped_ = true;
      result_.ending = PencilEnding::stopped;
      result_.message = "stopped on request";
      return false;
    }
    return true;
  }

  // ---- where to cut ----

  /// Factorises at the next shift and iterates about it when something is missing. False when there is no way on.
  bool cut_next_slice() {
    if (stopped_ || result_.block_steps >= options_.max_block_steps) return false;
    const auto [low, high] = frontier();
    double shift = std::isfinite(high) ? inside(low, high) : beyond(low);
    if (std::isfinite(high) && high - low < 1e-9 * high) return false;
    // on a factor, or so near that rounding decides on which side it is counted
    for (int attempt = 0; count_at(shift) < 0 || (attempt < kShifts && counted_below(shift) < known_below(shift));
         ++attempt) {
      if (attempt == kShifts) return false;
      counts_.erase(shift);
      shift *= 1 - 3e-6;
    }
    result_.shift = shift;
    result_.negatives_at_shift = counts_.at(shift);
    const int missing = counted_below(shift) - known_below(shift);
    const bool far_too_many = missing > std::max(24, wanted_ + wanted_ / 2) && !std::isfinite(options_.upper);
    if (far_too_many || missing < 0) return missing >= 0;  // cut lower down first
    if (shift == exhausted_ && missing == 0) return true;
    if (missing > 0 || !settled_here()) iterate_about(shift);
    return true;
  }
  bool settled_here() const {
    const auto available = static_cast<std::size_t>(known_below(frontier().first));
    return available >= static_cast<std::size_t>(wanted_);
  }

  /// A shift between two, where something is missing.
  double inside(double low, double high) const {
    // what did not converge yet reports where
    std::vector<double> there;
    for (const double e : estimates_)
      if (e > low * (1 + 1e-7) && e < high * (1 - 1e-7)) there.push_back(e);
    if (!there.empty() && counted_below(high) - known_below(high) <= 40) {
      const double middle = there[there.size() / 2];
      return middle + 0.2 * std::min(middle - low, high - middle);
    }
    if (guess_only_ && low < 0.96 * estimates_[0] && 0.97 * estimates_[0] < high) return 0.97 * estimates_[0];
    if (low > 0) return high > 4 * low ? std::sqrt(low * high) : 0.5 * (low + high);
    const double first = estimates_.empty() ? 0.3 * high : estimates_.front();
    return first < 0.95 * high ? 0.5 * (0.85 * first + high) : 0.7 * high;
  }

  /// A shift above everything that is proved, by what is known or guessed to lie there.
  double beyond(double low) {
    std::vector<double> next = estimates_;
    for (const auto& p : pairs_) next.push_back(p.factor);
    next.erase(std::remove_if(next.begin(), next.end(), [&](double f) { return f <= low; }), next.end());
    std::sort(next.begin(), next.end());
    if (low > 0 && next.empty() && counts_.size() == 2) return 1.001 * low;  // nothing was looked at yet
    if (guess_only_ && low < 0.96 * estimates_[0] && pairs_.empty()) return 0.97 * estimates_[0];
    const int have = known_below(low);
    const auto missing = static_cast<std::size_t>(std::max(wanted_ - have, 1));
    std::size_t known_next = 0;  // leading ones that are known, not guessed
    while (known_next < next.size() && is_known(next[known_next])) ++known_next;
    if (known_next < missing && next.size() == known_next && estimates_.empty()) {
      // nothing is in sight beyond what is known: look far out to prove it
      const double most = next.empty() ? low : next.back();
      exhausted_ = most > 0 ? detail::kHorizon * most : first_horizon_;
      return exhausted_;
    }
    std::size_t index =
        known_next >= missing
            ? missing
            : std::min({missing, std::max<std::size_t>(known_next + 4, 2 * missing / 5), known_next + 24});
    index = std::max<std::size_t>(1, std::min(index, next.size()));
    // not between factors that cluster, nor between a factor and an estimate of the same one
    while (index < next.size() && next[index] <= next[index - 1] * (1 + options_.cluster_tolerance)) ++index;
    const double here = next[index - 1];
    if (index == next.size()) return here * 1.002;
    const double gap = next[index] - here;
    return here + std::min(0.5 * gap, 0.01 * here);
  }

  const SymmetricMatrix& k_;
  const SymmetricMatrix& g_;
  Factorisation& factorisation_;
  const PencilOptions& options_;
  PencilResult result_;
  std::vector<PencilPair> pairs_;  // all that is known
  Known known_;                    // the same, for the iterations
  std::map<double, int> counts_;   // negative eigenvalues of K + shift G
  std::vector<double> estimates_;  // factors that did not converge in the last iteration
  bool guess_only_ = false;        // the only estimate is a guess from above
  double exhausted_ = 0;           // horizon that was looked at since nothing more was in sight
  double first_horizon_ = 1;
  // residual of a Ritz pair in the K norm, as a share of the tolerance asked of the measured residual: the two norms
  // differ
  double ritz_share_ = 0.1;
  int wanted_, width_ = 0, found_ = 0;
  bool stopped_ = false;
};
}  // namespace

PencilResult smallest_positive(const SymmetricMatrix& k, const SymmetricMatrix& g, Factorisation& factorisation,
                               const PencilOptions& options) {
  return Search(k, g, factorisation, options).run();
}

}  // namespace archway::algebra
