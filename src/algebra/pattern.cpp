#include "archway/algebra/pattern.hpp"

#include <algorithm>
#include <metis.h>

namespace archway::algebra {

namespace {
/// Neighbours of every block, itself left out, rising.
std::vector<std::vector<int>> neighbours(const BlockGraph& graph) {
  std::vector<std::vector<int>> near(static_cast<std::size_t>(graph.block_count()));
  for (std::size_t c = 0; c + 1 < graph.clique_start.size(); ++c)
    for (int i = graph.clique_start[c]; i < graph.clique_start[c + 1]; ++i)
      for (int j = graph.clique_start[c]; j < graph.clique_start[c + 1]; ++j) {
        const int a = graph.clique_blocks[static_cast<std::size_t>(i)],
                  b = graph.clique_blocks[static_cast<std::size_t>(j)];
        if (a != b) near[static_cast<std::size_t>(a)].push_back(b);
      }
  for (auto& list : near) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
  }
  return near;
}

/// Block numbers in elimination order. Empty blocks take part in the graph but bring no equations.
std::vector<int> nested_dissection(const std::vector<std::vector<int>>& near) {
  idx_t count = static_cast<idx_t>(near.size());
  std::vector<idx_t> start{0}, adjacent;
  for (const auto& list : near) {
    adjacent.insert(adjacent.end(), list.begin(), list.end());
    start.push_back(static_cast<idx_t>(adjacent.size()));
  }
  std::vector<idx_t> order(near.size()), place(near.size());
  for (std::size_t i = 0; i < near.size(); ++i) order[i] = static_cast<idx_t>(i);
  idx_t options[METIS_NOPTIONS];
  METIS_SetDefaultOptions(options);
  options[METIS_OPTION_SEED] = 1;  // the same study gives the same digits again
  if (!adjacent.empty())
    METIS_NodeND(&count, start.data(), adjacent.data(), nullptr, options, order.data(), place.data());
  return {order.begin(), order.end()};
}
}  // namespace

SymmetricPattern::SymmetricPattern(const BlockGraph& graph) {
  const auto near = neighbours(graph);
  const int equations = graph.block_start.back();
  column_start_.assign(1, 0);
  for (std::size_t b = 0; b < near.size(); ++b)
    for (int column = graph.block_start[b]; column < graph.block_start[b + 1]; ++column) {
      for (int row = column; row < graph.block_start[b + 1]; ++row) row_index_.push_back(row);
      for (const int other : near[b])
        if (other > static_cast<int>(b))
          for (int row = graph.block_start[static_cast<std::size_t>(other)];
               row < graph.block_start[static_cast<std::size_t>(other) + 1]; ++row)
            row_index_.push_back(row);
      column_start_.push_back(static_cast<int>(row_index_.size()));
    }
  elimination_place_.resize(static_cast<std::size_t>(equations));
  int place = 0;
  for (const int b : nested_dissection(near))
    for (int e = graph.block_start[static_cast<std::size_t>(b)]; e < graph.block_start[static_cast<std::size_t>(b) + 1];
         ++e)
      elimination_place_[static_cast<std::size_t>(e)] = place++;
}

int SymmetricPattern::position(int row, int column) const {
  if (row < column) std::swap(row, column);
  const auto first = row_index_.begin() + column_start_[static_cast<std::size_t>(column)];
  const auto last = row_index_.begin() + column_start_[static_cast<std::size_t>(column) + 1];
  return static_cast<int>(std::lower_bound(first, last, row) - row_index_.begin());
}

SymmetricMatrix::SymmetricMatrix(std::shared_ptr<const SymmetricPattern> shared)
    : pattern(std::move(shared)), values(pattern->entry_count(), 0.0) {}

Eigen::MatrixXd SymmetricMatrix::times(const Eigen::MatrixXd& x) const {
  // rows of x next to each other: one pass over the matrix serves all columns
  using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  const RowMajor in = x;
  RowMajor out = RowMajor::Zero(x.rows(), x.cols());
  const auto& start = pattern->column_start();
  const auto& rows = pattern->row_index();
  const Eigen::Index width = x.cols();
  for (int j = 0; j < size(); ++j) {
    const double* xj = in.data() + j * width;
    double* yj = out.data() + j * width;
    for (int p = start[static_cast<std::size_t>(j)]; p < start[static_cast<std::size_t>(j) + 1]; ++p) {
      const double a = values[static_cast<std::size_t>(p)];
      const int i = rows[static_cast<std::size_t>(p)];
      const double* xi = in.data() + i * width;
      double* yi = out.data() + i * width;
      for (Eigen::Index k = 0; k < width; ++k) yi[k] += a * xj[k];
      if (i != j)
        for (Eigen::Index k = 0; k < width; ++k) yj[k] += a * xi[k];
    }
  }
  return out;
}

SymmetricMatrix SymmetricMatrix::plus(double factor, const SymmetricMatrix& other) const {
  SymmetricMatrix sum(pattern);
  for (std::size_t i = 0; i < values.size(); ++i) sum.values[i] = values[i] + factor * other.values[i];
  return sum;
}

Eigen::VectorXd SymmetricMatrix::diagonal() const {
  Eigen::VectorXd d(size());
  for (int j = 0; j < size(); ++j)
    d[j] = values[static_cast<std::size_t>(pattern->column_start()[static_cast<std::size_t>(j)])];
  return d;
}

Eigen::MatrixXd SymmetricMatrix::dense() const {
  Eigen::MatrixXd full = Eigen::MatrixXd::Zero(size(), size());
  for (int j = 0; j < size(); ++j)
    for (int p = pattern->column_start()[static_cast<std::size_t>(j)];
         p < pattern->column_start()[static_cast<std::size_t>(j) + 1]; ++p) {
      const int i = pattern->row_index()[static_cast<std::size_t>(p)];
      full(i, j) = full(j, i) = values[static_cast<std::size_t>(p)];
    }
  return full;
}

}  // namespace archway::algebra
