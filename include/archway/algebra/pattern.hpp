#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include <Eigen/Core>

#include "archway/base/executor.hpp"

namespace archway::algebra {

/// Blocks of equations (the degrees of freedom of a node) and the cliques that couple them (the nodes of an element).
struct BlockGraph {
  std::vector<int> block_start;   ///< equations of block b: block_start[b] .. block_start[b+1]; size blocks + 1
  std::vector<int> clique_start;  ///< blocks of clique c: clique_blocks[clique_start[c] .. clique_start[c+1]]
  std::vector<int> clique_blocks;
  int multipliers = 0;  ///< equations at the end, in blocks of their own (SymmetricPattern)
  int block_count() const { return static_cast<int>(block_start.size()) - 1; }
};

/// Place of an entry; there may be more than fit an int.
using Entry = std::int64_t;

/// Sparsity of a symmetric matrix, lower triangle by columns with rising rows, made once and shared by all matrices of
/// a model.
///
/// A matrix may have multipliers behind its own equations: [K, B^T; B, -C] with a diagonal C > 0 means K + B^T
/// C^-1 B, and vectors have the multipliers C^-1 B x behind their own values. Rigid parts are written so: however small
/// C is, nothing cancels. The whole has the negative eigenvalues of what it means and one more for every
/// multiplier
/// ([Haynsworth1968]); those are not counted.
class SymmetricPattern {
 public:
  explicit SymmetricPattern(const BlockGraph& graph);

  int size() const { return static_cast<int>(column_start_.size()) - 1; }
  /// Of these, at the end.
  int multipliers() const { return multipliers_; }
  int own() const { return size() - multipliers_; }
  std::size_t entry_count() const { return row_index_.size(); }
  /// Entries of a column: from its first, the diagonal, to the first of the next one.
  Entry first_entry(int column) const { return column_start_[static_cast<std::size_t>(column)]; }
  int row(Entry entry) const { return row_index_[static_cast<std::size_t>(entry)]; }
  /// Where (row, column) or its mirror is stored; the entry must be part of the pattern.
  Entry position(int row, int column) const;
  bool holds(int row, int column) const;
  /// Elimination order by nested dissection of the block graph: place of each equation, 0-based.
  const std::vector<int>& elimination_place() const { return elimination_place_; }

 private:
  std::vector<Entry> column_start_;
  std::vector<int> row_index_, elimination_place_;
  int multipliers_ = 0;
};

/// A symmetric matrix on a shared pattern.
struct SymmetricMatrix {
  std::shared_ptr<const SymmetricPattern> pattern;
  std::vector<double> values;

  explicit SymmetricMatrix(std::shared_ptr<const SymmetricPattern> shared);
  int size() const { return pattern->size(); }
  double& diagonal_entry(int equation) { return values[static_cast<std::size_t>(pattern->first_entry(equation))]; }
  /// This matrix times each column of x. The bits do not hang on the number of threads.
  /// \param executor  nullptr: one thread
  Eigen::MatrixXd times(const Eigen::MatrixXd& x, const base::Executor* executor = nullptr) const;
  /// this + factor * other, on the same pattern.
  SymmetricMatrix plus(double factor, const SymmetricMatrix& other) const;
  Eigen::VectorXd diagonal() const;
  /// Of what the matrix means, by equation of its own; multipliers have 0.
  Eigen::VectorXd diagonal_stood_for() const;
  Eigen::MatrixXd dense() const;
  /// Multipliers whose own entry is negative: not counted in the inertia of what the matrix means.
  int negative_multipliers() const;
};

}  // namespace archway::algebra
