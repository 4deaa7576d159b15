#pragma once
#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

#include "archway/algebra/pattern.hpp"
#include "archway/base/dense.hpp"

namespace archway::algebra::detail {

/// Pairs that are known already, kept out of a space: their shapes and K times them.
struct Known {
  Eigen::MatrixXd x, kx;
};

/// Krylov space of a K-self-adjoint operator, kept K-orthonormal and clear of what is known, with the projected matrix.
class KrylovSpace {
 public:
  using Operator = std::function<Eigen::MatrixXd(const Eigen::MatrixXd& v, const Eigen::MatrixXd& kv)>;

  /// \param capacity  most columns it will hold \param executor  nullptr: one thread
  KrylovSpace(const SymmetricMatrix& k, Operator apply, const Known& known, Eigen::MatrixXd start, int capacity,
              const base::Executor* executor)
      : k_(k),
        apply_(std::move(apply)),
        known_(known),
        executor_(executor),
        v_(k.size(), capacity),
        h_(Eigen::MatrixXd::Zero(capacity, capacity)) {
    clear_of_known(start);
    Eigen::MatrixXd k_start = times_k(start);
    append(std::move(start), std::move(k_start));
  }

  /// One block step: operator on the newest block, orthogonalise, append. False when the space is exhausted.
  bool expand() {
    const int width = size_ - last_;
    Eigen::MatrixXd w = apply_(v_.middleCols(last_, width), k_newest_);
    Eigen::MatrixXd kw;
    const Eigen::MatrixXd c = orthogonalise(w, kw);
    h_.block(0, last_, size_, width) = c;
    h_.block(last_, 0, width, size_) = c.transpose();
    const int old_size = size_, old_last = last_;
    const Eigen::MatrixXd r = append(std::move(w), std::move(kw), c.colwise().squaredNorm().maxCoeff());
    if (size_ == old_size) return false;
    h_.block(old_size, old_last, size_ - old_size, width) = r;
    h_.block(old_last, old_size, width, size_ - old_size) = r.transpose();
    return true;
  }

  /// Ritz values (largest first), vectors of the space before the newest block, and their residual norms.
  struct Ritz {
    Eigen::VectorXd values, residuals;
    Eigen::MatrixXd coefficients;
  };
  Ritz ritz() const {
    const int m = last_ > 0 ? last_ : size_;
    const base::SymmetricEigen solver(h_.topLeftCorner(m, m));
    Ritz result{solver.eigenvalues().reverse(), Eigen::VectorXd::Zero(m), solver.eigenvectors().rowwise().reverse()};
    if (last_ > 0)
      result.residuals = (h_.block(last_, 0, size_ - last_, m) * result.coefficients).colwise().norm().transpose();
    return result;
  }
  /// Ritz vectors of some columns.
  Eigen::MatrixXd vectors(const Ritz& ritz, const std::vector<int>& columns) const {
    Eigen::MatrixXd c(ritz.coefficients.rows(), static_cast<Eigen::Index>(columns.size()));
    for (std::size_t i = 0; i < columns.size(); ++i)
      c.col(static_cast<Eigen::Index>(i)) = ritz.coefficients.col(columns[i]);
    return v_.leftCols(c.rows()) * c;
  }
  bool full(int width) const { return size_ + width > v_.cols(); }

 private:
  /// Takes the part of w inside the space out, twice for the last digits; returns the coefficients. \param kw  out: K w
  Eigen::MatrixXd orthogonalise(Eigen::MatrixXd& w, Eigen::MatrixXd& kw) const {
    clear_of_known(w);
    const auto v = v_.leftCols(size_);
    const Eigen::MatrixXd c = inner(v, times_k(w));
    subtract(v, c, w);
    kw = times_k(w);
    const Eigen::MatrixXd again = inner(v, kw);
    const double left = w.cwiseProduct(kw).colwise().sum().minCoeff();
    subtract(v, again, w);
    clear_of_known(w);
    // what the second pass takes out is rounding, which K times it is too, unless little of w was left
    if (known_.x.cols() > 0 || !(again.colwise().squaredNorm().maxCoeff() < 1e-24 * left)) kw = times_k(w);
    return c + again;
  }
  void clear_of_known(Eigen::MatrixXd& w) const {
    if (known_.x.cols() > 0) subtract(known_.x, inner(known_.kx, w), w);
  }
  Eigen::MatrixXd times_k(const Eigen::MatrixXd& w) const { return k_.times(w, executor_); }

  using Columns = Eigen::Ref<const Eigen::MatrixXd>;
  static constexpr Eigen::Index kStrip = 8192;  ///< rows that are summed by themselves, whatever the threads
  void strips(Eigen::Index rows, const std::function<void(Eigen::Index, Eigen::Index, std::size_t)>& body) const {
    const int count = static_cast<int>((rows + kStrip - 1) / kStrip);
    const auto piece = [&](int begin, int end) {
      for (Eigen::Index s = begin; s < end; ++s)
        body(s * kStrip, std::min(kStrip, rows - s * kStrip), static_cast<std::size_t>(s));
    };
    if (executor_ == nullptr)
      piece(0, count);
    else
      executor_->for_range(count, piece);
  }
  /// a^T b, summed by strips of rows.
  Eigen::MatrixXd inner(const Columns& a, const Columns& b) const {
    std::vector<Eigen::MatrixXd> parts(static_cast<std::size_t>((a.rows() + kStrip - 1) / kStrip));
    strips(a.rows(), [&](Eigen::Index first, Eigen::Index rows, std::size_t s) {
      parts[s].noalias() = a.middleRows(first, rows).transpose() * b.middleRows(first, rows);
    });
    Eigen::MatrixXd sum = Eigen::MatrixXd::Zero(a.cols(), b.cols());
    for (const auto& part : parts) sum += part;
    return sum;
  }
  /// w -= v c.
  void subtract(const Columns& v, const Eigen::MatrixXd& c, Eigen::MatrixXd& w) const {
    strips(v.rows(), [&](Eigen::Index first, Eigen::Index rows, std::size_t) {
      w.middleRows(first, rows).noalias() -= v.middleRows(first, rows) * c;
    });
  }

  /// K-orthonormalises the columns of w and appends them, omitting directions that have vanished
  /// beside what was taken out of them (`removed`: square of its size). \param kw  K w. Returns R with w = (appended)
  /// R.
  Eigen::MatrixXd append(Eigen::MatrixXd w, Eigen::MatrixXd kw, double removed = 0) {
    const base::SymmetricEigen gram(w.transpose() * kw);
    const Eigen::VectorXd d = gram.eigenvalues().cwiseMax(0.0);
    const double least = 1e-26 * std::max(d.maxCoeff(), removed);
    std::vector<int> kept;
    for (int i = 0; i < d.size(); ++i)
      if (d[i] > least) kept.push_back(i);
    const int count = std::min(static_cast<int>(kept.size()), static_cast<int>(v_.cols()) - size_);
    Eigen::MatrixXd scale(w.cols(), count), r(count, w.cols());
    for (int i = 0; i < count; ++i) {
      const int from = kept[kept.size() - 1 - static_cast<std::size_t>(i)];
      const double root = std::sqrt(d[from]);
      scale.col(i) = gram.eigenvectors().col(from) / root;
      r.row(i) = gram.eigenvectors().col(from).transpose() * root;
    }
    Eigen::MatrixXd block = w * scale;
    k_newest_ = kw * scale;
    // once more where scaling up small remainders scales their errors too
    if (size_ > 0 && (count == 0 || d[kept[kept.size() - static_cast<std::size_t>(count)]] < 1e-6 * removed)) {
      subtract(v_.leftCols(size_), inner(v_.leftCols(size_), k_newest_), block);
      k_newest_ = times_k(block);
    }
    last_ = size_;
    v_.middleCols(size_, count) = block;
    size_ += count;
    return r;
  }

  const SymmetricMatrix& k_;
  Operator apply_;
  const Known& known_;
  const base::Executor* executor_;
  Eigen::MatrixXd v_, h_, k_newest_;  // K times the newest block alone: the space is large
  int size_ = 0, last_ = 0;
};

}  // namespace archway::algebra::detail
