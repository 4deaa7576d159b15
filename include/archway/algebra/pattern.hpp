#pragma once
#include <memory>
#include <vector>

#include <Eigen/Core>

namespace archway::algebra {

/// Blocks of equations (the freedoms of a node) and the cliques that couple them (the nodes of an element).
struct BlockGraph {
  std::vector<int> block_start;   ///< equations of block b: block_start[b] .. block_start[b+1]; size blocks + 1
  std::vector<int> clique_start;  ///< blocks of clique c: clique_blocks[clique_start[c] .. clique_start[c+1]]
  std::vector<int> clique_blocks;
  int block_count() const { return static_cast<int>(block_start.size()) - 1; }
};

/// Sparsity of a symmetric matrix, lower triangle by columns with rising rows, made once and shared by all matrices of
/// a model.
class SymmetricPattern {
 public:
  explicit SymmetricPattern(const BlockGraph& graph);

  int size() const { return static_cast<int>(column_start_.size()) - 1; }
  std::size_t entry_count() const { return row_index_.size(); }
  const std::vector<int>& column_start() const { return column_start_; }
  const std::vector<int>& row_index() const { return row_index_; }
  /// Where (row, column) or its mirror is stored; the entry must be part of the pattern.
  int position(int row, int column) const;
  /// Elimination order by nested dissection of the block graph: place of each equation, 0-based.
  const std::vector<int>& elimination_place() const { return elimination_place_; }

 private:
  std::vector<int> column_start_, row_index_, elimination_place_;
};

/// A symmetric matrix on a shared pattern.
struct SymmetricMatrix {
  std::shared_ptr<const SymmetricPattern> pattern;
  std::vector<double> values;

  explicit SymmetricMatrix(std::shared_ptr<const SymmetricPattern> shared);
  int size() const { return pattern->size(); }
  /// This matrix times each column of x.
  Eigen::MatrixXd times(const Eigen::MatrixXd& x) const;
  /// this + factor * other, on the same pattern.
  SymmetricMatrix plus(double factor, const SymmetricMatrix& other) const;
  Eigen::VectorXd diagonal() const;
  Eigen::MatrixXd dense() const;
};

}  // namespace archway::algebra
