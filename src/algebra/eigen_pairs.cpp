#include "archway/algebra/eigen_pairs.hpp"

#include <algorithm>
#include <cmath>
#include <random>

#include <Eigen/Dense>
#include <fmt/format.h>

namespace archway::algebra {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr int kDenseLimit = 300;
// residual of a Ritz pair in the K norm, as a share of the tolerance asked of the measured residual: the two norms
// differ
constexpr double kRitzShare = 0.1;

/// Krylov space of a K-self-adjoint operator, kept K-orthonormal, with the projected matrix and thick restarts.
class KrylovSpace {
 public:
  using Operator = std::function<MatrixXd(const MatrixXd& v, const MatrixXd& kv)>;

  KrylovSpace(const SymmetricMatrix& k, Operator apply, MatrixXd start, int capacity)
      : k_(k),
        apply_(std::move(apply)),
        v_(k.size(), capacity),
        kv_(k.size(), capacity),
        h_(MatrixXd::Zero(capacity, capacity)) {
    append(std::move(start));
  }

  /// One block step: operator on the newest block, orthogonalise, append. False when the space is exhausted.
  bool expand() {
    const int width = size_ - last_;
    MatrixXd w = apply_(v_.middleCols(last_, width), kv_.middleCols(last_, width));
    const MatrixXd c = orthogonalise(w);
    h_.block(0, last_, size_, width) = c;
    h_.block(last_, 0, width, size_) = c.transpose();
    const int old_size = size_, old_last = last_;
    const MatrixXd r = append(std::move(w), c.colwise().squaredNorm().maxCoeff());
    if (size_ == old_size) {
      coupling_.setZero(1, width);
      return false;
    }
    coupling_ = r;
    h_.block(old_size, old_last, size_ - old_size, width) = r;
    h_.block(old_last, old_size, width, size_ - old_size) = r.transpose();
    return true;
  }

  /// Ritz values (largest first), vectors of the space before the newest block, and their residual norms.
  struct Ritz {
    VectorXd values, residuals;
    MatrixXd coefficients;
  };
  Ritz ritz() const {
    const int m = last_ > 0 ? last_ : size_;
    const Eigen::SelfAdjointEigenSolver<MatrixXd> solver(h_.topLeftCorner(m, m));
    Ritz result{solver.eigenvalues().reverse(), VectorXd::Zero(m), solver.eigenvectors().rowwise().reverse()};
    if (last_ > 0)
      result.residuals = (h_.block(last_, 0, size_ - last_, m) * result.coefficients).colwise().norm().transpose();
    return result;
  }
  MatrixXd vectors(const Ritz& ritz, int count) const {
    return v_.leftCols(ritz.coefficients.rows()) * ritz.coefficients.leftCols(count);
  }
  bool full(int width) const { return size_ + width > v_.cols(); }

  /// Keeps the best Ritz vectors and the newest block.
  void restart(const Ritz& ritz, int keep) {
    const int m = static_cast<int>(ritz.coefficients.rows()), width = size_ - last_;
    const MatrixXd y = ritz.coefficients.leftCols(keep);
    const MatrixXd newest_v = v_.middleCols(last_, width), newest_kv = kv_.middleCols(last_, width);
    const MatrixXd border = h_.block(last_, 0, width, m) * y;
    v_.leftCols(keep) = (v_.leftCols(m) * y).eval();
    kv_.leftCols(keep) = (kv_.leftCols(m) * y).eval();
    v_.middleCols(keep, width) = newest_v;
    kv_.middleCols(keep, width) = newest_kv;
    h_.setZero();
    h_.topLeftCorner(keep, keep) = ritz.values.head(keep).asDiagonal();
    h_.block(keep, 0, width, keep) = border;
    h_.block(0, keep, keep, width) = border.transpose();
    last_ = keep;
    size_ = keep + width;
  }

 private:
  /// Takes the part of w inside the space out, twice for the last digits; returns the coefficients.
  MatrixXd orthogonalise(MatrixXd& w) const {
    MatrixXd c = kv_.leftCols(size_).transpose() * w;
    w.noalias() -= v_.leftCols(size_) * c;
    const MatrixXd again = kv_.leftCols(size_).transpose() * w;
    w.noalias() -= v_.leftCols(size_) * again;
    return c + again;
  }

  /// K-orthonormalises the columns of w and appends them, leaving out directions that have vanished
  /// beside what was taken out of them (`removed`: square of its size). Returns R with w = (appended) R.
  MatrixXd append(MatrixXd w, double removed = 0) {
    MatrixXd kw = k_.times(w);
    const Eigen::SelfAdjointEigenSolver<MatrixXd> gram(w.transpose() * kw);
    const VectorXd d = gram.eigenvalues().cwiseMax(0.0);
    const double least = 1e-26 * std::max(d.maxCoeff(), removed);
    std::vector<int> kept;
    for (int i = 0; i < d.size(); ++i)
      if (d[i] > least) kept.push_back(i);
    const int count = std::min(static_cast<int>(kept.size()), static_cast<int>(v_.cols()) - size_);
    MatrixXd scale(w.cols(), count), r(count, w.cols());
    for (int i = 0; i < count; ++i) {
      const int from = kept[kept.size() - 1 - static_cast<std::size_t>(i)];
      const double root = std::sqrt(d[from]);
      scale.col(i) = gram.eigenvectors().col(from) / root;
      r.row(i) = gram.eigenvectors().col(from).transpose() * root;
    }
    MatrixXd block = w * scale, k_block = kw * scale;
    if (size_ > 0) {  // once more, since scaling up small remainders scales their errors too; K goes along
      const MatrixXd c = kv_.leftCols(size_).transpose() * block;
      block.noalias() -= v_.leftCols(size_) * c;
      k_block.noalias() -= kv_.leftCols(size_) * c;
    }
    last_ = size_;
    v_.middleCols(size_, count) = block;
    kv_.middleCols(size_, count) = k_block;
    size_ += count;
    return r;
  }

  const SymmetricMatrix& k_;
  Operator apply_;
  MatrixXd v_, kv_, h_, coupling_;
  int size_ = 0, last_ = 0;
};

MatrixXd random_block(int rows, int columns, unsigned seed) {
  std::mt19937_64 generator(seed);
  std::uniform_real_distribution<double> uniform(-1.0, 1.0);
  return MatrixXd::NullaryExpr(rows, columns, [&] { return uniform(generator); });
}

double residual_of(const SymmetricMatrix& k, const SymmetricMatrix& g, const VectorXd& x, double factor) {
  const VectorXd kx = k.times(x);
  return (kx + factor * VectorXd(g.times(x))).norm() / kx.norm();
}

/// Whole spectrum of a small problem; `next` becomes the first factor that was not delivered.
PencilResult solve_densely(const SymmetricMatrix& k, const SymmetricMatrix& g, const PencilOptions& options,
                           double& next) {
  PencilResult result;
  // (-G) x = theta K x, f = 1 / theta
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> solver(-g.dense(), k.dense());
  const VectorXd theta = solver.eigenvalues();
  const double noise = 1e-12 * theta.cwiseAbs().maxCoeff();
  for (Eigen::Index i = theta.size() - 1; i >= 0 && theta[i] > noise; --i) {
    const double factor = 1 / theta[i];
    if (static_cast<int>(result.pairs.size()) >= options.count &&
        factor > result.pairs.back().factor * (1 + options.cluster_tolerance)) {
      next = factor;
      break;
    }
    PencilPair pair{factor, 0, solver.eigenvectors().col(i)};
    pair.residual = residual_of(k, g, pair.shape, factor);
    result.pairs.push_back(std::move(pair));
  }
  result.block_steps = 1;
  return result;
}

/// Runs the search; a class so that its steps can be read one by one.
class Search {
 public:
  Search(const SymmetricMatrix& k, const SymmetricMatrix& g, Factorisation& factorisation, const PencilOptions& options)
      : k_(k), g_(g), factorisation_(factorisation), options_(options), wanted_(options.count) {
    width_ = std::min(options.block_size, k.size());
  }

  PencilResult run() {
    const FactorOutcome outcome = options_.k_is_factored ? FactorOutcome{true, 0, ""} : factorisation_.factor(k_);
    if (!outcome.done || outcome.negative_pivots > 0) {
      result_.ending = PencilEnding::not_definite;
      result_.negatives_of_k = outcome.negative_pivots;
      result_.message = outcome.done ? fmt::format("the stiffness has {} negative eigenvalues", outcome.negative_pivots)
                                     : outcome.message;
      return result_;
    }
    if (k_.size() <= kDenseLimit) {
      result_ = solve_densely(k_, g_, options_, next_);
      if (!settle()) {
        result_.ending = PencilEnding::incomplete;
        result_.message = fmt::format("the inertia count {} does not agree with the {} factors found",
                                      result_.counted_below_cut, result_.pairs.size());
      }
      return result_;
    }
    if (!iterate_about_zero()) return result_;
    for (int round = 0; round < 6; ++round) {
      if (settle()) return result_;
      // the count says that something is missing: go on about a shift with more wanted and a fresh random part
      wanted_ = std::max(wanted_, std::max(result_.counted_below_cut, static_cast<int>(result_.pairs.size())) + 1);
      iterate_about_shift(round + 2);
    }
    result_.ending = PencilEnding::incomplete;
    result_.message = fmt::format("{} factors lie below {:.9g} by inertia, {} were found", result_.counted_below_cut,
                                  result_.cut, result_.pairs.size());
    return result_;
  }

 private:
  int capacity() const { return std::min(k_.size(), std::max(2 * wanted_ + 4 * width_, 8 * width_)); }

  /// Shift zero: good when the wanted factors are well apart, and gives the estimate for the shift otherwise.
  bool iterate_about_zero() {
    const auto apply = [this](const MatrixXd& v, const MatrixXd&) {
      MatrixXd w = -g_.times(v);
      factorisation_.solve(w);
      return w;
    };
    KrylovSpace space(k_, apply, apply(random_block(k_.size(), width_, 1), {}), capacity());
    const auto factor_of = [](double theta) { return theta > 0 ? 1 / theta : HUGE_VAL; };
    const int most = std::max(6, 2 * wanted_ / width_ + 4);
    // while pairs converge it is cheaper to go on than to factorise about a shift
    const auto worth_it = [&](int step) { return step < most || (found_ > 0 && step < 3 * most); };
    for (int step = 0; worth_it(step) && keep_going(); ++step) {
      const bool open = space.expand();
      const auto ritz = space.ritz();
      const double largest = ritz.values.cwiseAbs().maxCoeff();
      if (ritz.values[0] <= 1e-9 * largest && step >= 2) return declare_none(largest);
      if (harvest(space, ritz, factor_of) || !open) break;
      if (!worth_it(step + 1))
        estimate_vectors_ = space.vectors(ritz, std::min(static_cast<int>(ritz.values.size()), width_));
      if (space.full(width_)) space.restart(ritz, keep_count(ritz));
    }
    if (result_.pairs.empty() && result_.ending == PencilEnding::stopped) return false;
    if (!converged_) iterate_about_shift(1);
    return true;
  }

  bool declare_none(double largest_inverse) {
    // proof: no negative eigenvalue a thousand times further out than the smallest factor of either sign
    const double horizon = 1e3 / std::max(largest_inverse, 1e-300);
    const FactorOutcome far = factorisation_.factor(k_.plus(horizon, g_));
    if (far.done && far.negative_pivots > 0) {
      estimate_ = horizon;
      iterate_about_shift(1);
      return true;
    }
    result_.ending = PencilEnding::none;
    result_.cut = horizon;
    result_.counted_below_cut = 0;
    result_.message = "there is no positive factor";
    return false;
  }

  /// A shift below the first factor whose inertia is zero; the estimate from above shrinks until it is.
  void find_shift() {
    double shift = 0.97 * estimate_;
    double low = 0;
    for (int attempt = 0; attempt < 40; ++attempt) {
      const FactorOutcome outcome = factorisation_.factor(k_.plus(shift, g_));
      result_.negatives_at_shift = outcome.negative_pivots;
      if (outcome.done && outcome.negative_pivots == 0) break;
      shift = attempt < 3 ? low + 0.85 * (shift - low) : low + 0.5 * (shift - low);
    }
    result_.shift = shift;
  }

  void iterate_about_shift(int round) {
    find_shift();
    const double shift = result_.shift;
    const auto apply = [this](const MatrixXd&, const MatrixXd& kv) {
      MatrixXd w = kv;
      factorisation_.solve(w);
      return w;
    };
    MatrixXd start = random_block(k_.size(), width_, static_cast<unsigned>(round));
    start = apply({}, start);
    if (estimate_vectors_.cols() > 0) {
      // the best vectors so far, stirred with a random part so that nothing stays orthogonal to the start
      const Eigen::Index count = std::min<Eigen::Index>(estimate_vectors_.cols(), width_);
      const MatrixXd k_start = k_.times(start);
      const double scale = 0.1 / std::sqrt((start.transpose() * k_start).diagonal().maxCoeff());
      start *= scale;
      start.leftCols(count) += estimate_vectors_.leftCols(count);
    }
    KrylovSpace space(k_, apply, start, capacity());
    const auto factor_of = [shift](double nu) { return nu > 1 ? shift * nu / (nu - 1) : HUGE_VAL; };
    converged_ = false;
    while (keep_going()) {
      const bool open = space.expand();
      const auto ritz = space.ritz();
      if (harvest(space, ritz, factor_of) || !open) break;
      if (space.full(width_)) space.restart(ritz, keep_count(ritz));
    }
  }

  int keep_count(const KrylovSpace::Ritz& ritz) const {
    return std::min(static_cast<int>(ritz.values.size()) - 1, wanted_ + width_);
  }

  bool keep_going() {
    if (result_.block_steps >= options_.max_block_steps) return false;
    ++result_.block_steps;
    if (options_.go_on && !options_.go_on(found_)) {
      result_.ending = PencilEnding::stopped;
      result_.message = "stopped on request";
      return false;
    }
    return true;
  }

  /// Takes the leading converged Ritz pairs over into the result; true when there are enough.
  template <class FactorOf>
  bool harvest(const KrylovSpace& space, const KrylovSpace::Ritz& ritz, const FactorOf& factor_of) {
    const int available = static_cast<int>(ritz.values.size());
    if (available < 2) return false;
    estimate_ = factor_of(ritz.values[0]);
    const double spread = ritz.values.cwiseAbs().maxCoeff();
    found_ = 0;
    while (found_ < available && std::isfinite(factor_of(ritz.values[found_])) &&
           ritz.residuals[found_] <= kRitzShare * options_.residual_tolerance * std::abs(ritz.values[found_]))
      ++found_;
    const int needed = last_needed(ritz, factor_of);
    const bool enough = found_ >= needed && needed < available;
    const bool none_left = found_ > 0 && found_ < available && !std::isfinite(factor_of(ritz.values[found_])) &&
                           ritz.residuals[found_] < 1e-6 * spread;
    if (!enough && !none_left) return false;
    take(space, ritz, factor_of, std::min(found_, needed));
    next_ = needed < available ? factor_of(ritz.values[needed]) : HUGE_VAL;
    if (none_left && found_ < needed) next_ = HUGE_VAL;
    return measured_good();
  }

  /// Number of pairs to deliver: as many as wanted and those that cluster with the last.
  template <class FactorOf>
  int last_needed(const KrylovSpace::Ritz& ritz, const FactorOf& factor_of) const {
    int needed = wanted_;
    while (needed < ritz.values.size() && needed < found_ + 1 &&
           factor_of(ritz.values[needed]) <= factor_of(ritz.values[needed - 1]) * (1 + options_.cluster_tolerance))
      ++needed;
    return needed;
  }

  template <class FactorOf>
  void take(const KrylovSpace& space, const KrylovSpace::Ritz& ritz, const FactorOf& factor_of, int count) {
    const MatrixXd x = space.vectors(ritz, count);
    result_.pairs.clear();
    for (int i = 0; i < count; ++i) {
      const double factor = factor_of(ritz.values[i]);
      result_.pairs.push_back({factor, residual_of(k_, g_, x.col(i), factor), x.col(i)});
    }
  }

  bool measured_good() {
    converged_ = std::all_of(result_.pairs.begin(), result_.pairs.end(),
                             [&](const PencilPair& p) { return p.residual <= options_.residual_tolerance; });
    return converged_;
  }

  /// Counts by inertia just above the last factor. True when the result is settled, one way or the other.
  bool settle() {
    if (result_.ending == PencilEnding::stopped) return true;
    if (result_.pairs.empty()) {
      result_.ending = PencilEnding::none;
      result_.message = "there is no positive factor";
      return true;
    }
    const double last = result_.pairs.back().factor;
    const double gap = next_ > last ? std::min(0.5 * (next_ - last), 0.01 * last) : 0.001 * last;
    result_.cut = last + std::max(gap, 0.2 * options_.cluster_tolerance * last);
    const FactorOutcome above = factorisation_.factor(k_.plus(result_.cut, g_));
    result_.counted_below_cut = above.negative_pivots;
    const int found = static_cast<int>(result_.pairs.size());
    if (!above.done || above.negative_pivots != found) return false;
    result_.ending = found >= options_.count ? PencilEnding::proved : PencilEnding::fewer_exist;
    result_.message = "";
    return true;
  }

  const SymmetricMatrix& k_;
  const SymmetricMatrix& g_;
  Factorisation& factorisation_;
  const PencilOptions& options_;
  PencilResult result_;
  MatrixXd estimate_vectors_;
  int wanted_, width_ = 0, found_ = 0;
  double estimate_ = 0, next_ = HUGE_VAL;
  bool converged_ = false;
};
}  // namespace

PencilResult smallest_positive(const SymmetricMatrix& k, const SymmetricMatrix& g, Factorisation& factorisation,
                               const PencilOptions& options) {
  return Search(k, g, factorisation, options).run();
}

}  // namespace archway::algebra
