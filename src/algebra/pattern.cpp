#include "archway/algebra/pattern.hpp"

#include <algorithm>
#include <metis.h>

#include "archway/base/thread_pool.hpp"

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

namespace {
using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

/// Adds columns [begin, end) of the lower triangle and their mirror to `out`; `width` is known at compile time for
/// speed.
template <int kWidth>
void add_columns(const SymmetricMatrix& a, const RowMajor& in, int begin, int end, RowMajor& out) {
  const int* start = a.pattern->column_start().data();
  const int* rows = a.pattern->row_index().data();
  const double* values = a.values.data();
  for (int j = begin; j < end; ++j) {
    Eigen::Matrix<double, kWidth, 1> sum = Eigen::Matrix<double, kWidth, 1>::Zero();
    const Eigen::Map<const Eigen::Matrix<double, kWidth, 1>> xj(in.data() + static_cast<std::ptrdiff_t>(kWidth) * j);
    int p = start[j];
    if (rows[p] == j) sum = values[p++] * xj;
    for (; p < start[j + 1]; ++p) {
      const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(kWidth) * rows[p];
      Eigen::Map<Eigen::Matrix<double, kWidth, 1>> yi(out.data() + at);
      yi += values[p] * xj;
      sum += values[p] * Eigen::Map<const Eigen::Matrix<double, kWidth, 1>>(in.data() + at);
    }
    Eigen::Map<Eigen::Matrix<double, kWidth, 1>>(out.data() + static_cast<std::ptrdiff_t>(kWidth) * j) += sum;
  }
}

template <int kWidth>
Eigen::MatrixXd product(const SymmetricMatrix& a, const Eigen::MatrixXd& x) {
  const RowMajor in = x;
  const int threads = base::thread_count();
  std::vector<RowMajor> parts(static_cast<std::size_t>(threads));
  base::parallel_for(
      a.size(),
      [&](int begin, int end, int thread) {
        auto& part = parts[static_cast<std::size_t>(thread)];
        part = RowMajor::Zero(x.rows(), kWidth);
        add_columns<kWidth>(a, in, begin, end, part);
      },
      20000);
  for (std::size_t t = 1; t < parts.size(); ++t)
    if (parts[t].size() > 0) parts[0] += parts[t];
  return parts[0];
}
}  // namespace

Eigen::MatrixXd SymmetricMatrix::times(const Eigen::MatrixXd& x) const {
  // rows of x next to each other: one pass over the matrix serves four columns
  Eigen::MatrixXd result(x.rows(), x.cols());
  Eigen::Index at = 0;
  for (; at + 4 <= x.cols(); at += 4) result.middleCols<4>(at) = product<4>(*this, x.middleCols<4>(at));
  for (; at < x.cols(); ++at) result.col(at) = product<1>(*this, x.col(at));
  return result;
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
