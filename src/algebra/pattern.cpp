#include "archway/algebra/pattern.hpp"

#include <algorithm>
#include <metis.h>

#include "factor_backend_detail.hpp"

namespace archway::algebra {

namespace {
/// Neighbours of every block, itself omitted, rising.
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
  detail::count_ordering();
  if (!adjacent.empty())
    METIS_NodeND(&count, start.data(), adjacent.data(), nullptr, options, order.data(), place.data());
  return {order.begin(), order.end()};
}
}  // namespace

SymmetricPattern::SymmetricPattern(const BlockGraph& graph) : multipliers_(graph.multipliers) {
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
      column_start_.push_back(static_cast<Entry>(row_index_.size()));
    }
  elimination_place_.resize(static_cast<std::size_t>(equations));
  int place = 0;
  for (const int b : nested_dissection(near))
    for (int e = graph.block_start[static_cast<std::size_t>(b)]; e < graph.block_start[static_cast<std::size_t>(b) + 1];
         ++e)
      elimination_place_[static_cast<std::size_t>(e)] = place++;
}

Entry SymmetricPattern::position(int row, int column) const {
  if (row < column) std::swap(row, column);
  const auto first = row_index_.begin() + first_entry(column), last = row_index_.begin() + first_entry(column + 1);
  return static_cast<Entry>(std::lower_bound(first, last, row) - row_index_.begin());
}

bool SymmetricPattern::holds(int row, int column) const {
  const Entry place = position(row, column);
  return place < first_entry(std::min(row, column) + 1) && this->row(place) == std::max(row, column);
}

SymmetricMatrix::SymmetricMatrix(std::shared_ptr<const SymmetricPattern> shared)
    : pattern(std::move(shared)), values(pattern->entry_count(), 0.0) {}

namespace {
using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

/// Adds columns [begin, end) of the lower triangle and their mirror to `out`, whose first row is that of column
/// `begin`; `width` is known at compile time for speed.
template <int kWidth>
void add_columns(const SymmetricMatrix& a, const RowMajor& in, int begin, int end, RowMajor& out) {
  using Part = Eigen::Matrix<double, kWidth, 1>;
  const double* values = a.values.data();
  const auto from = [&](int row) {
    return Eigen::Map<const Part>(in.data() + static_cast<std::ptrdiff_t>(kWidth) * row);
  };
  const auto to = [&](int row) {
    return Eigen::Map<Part>(out.data() + static_cast<std::ptrdiff_t>(kWidth) * (row - begin));
  };
  for (int j = begin; j < end; ++j) {
    const Part xj = from(j);
    Entry p = a.pattern->first_entry(j);
    const Entry stop = a.pattern->first_entry(j + 1);
    Part sum = values[p++] * xj;
    for (; p < stop; ++p) {
      const int i = a.pattern->row(p);
      to(i) += values[p] * xj;
      sum += values[p] * from(i);
    }
    to(j) += sum;
  }
}

constexpr int kStrips = 4;           ///< of columns, each with a sum of its own: how many does not hang on the threads
constexpr int kLeastStriped = 5000;  ///< equations

/// First columns of strips with about as many entries each, and the end.
std::vector<int> strips_of(const SymmetricPattern& pattern) {
  const int count = pattern.size() < kLeastStriped ? 1 : kStrips;
  std::vector<int> first{0};
  for (int s = 1, column = 0; s < count; ++s) {
    const Entry wanted = static_cast<Entry>(pattern.entry_count()) / count * s;
    while (column < pattern.size() && pattern.first_entry(column) < wanted) ++column;
    first.push_back(column);
  }
  first.push_back(pattern.size());
  return first;
}

void over(const base::Executor* executor, int count, const std::function<void(int, int)>& body, int least) {
  if (executor == nullptr)
    body(0, count);
  else
    executor->for_range(count, body, least);
}

template <int kWidth>
Eigen::MatrixXd product(const SymmetricMatrix& a, const Eigen::MatrixXd& x, const base::Executor* executor) {
  const RowMajor in = x;
  const auto first = strips_of(*a.pattern);
  std::vector<RowMajor> sums(first.size() - 1);
  const auto strip = [&](int begin, int end) {
    for (auto s = static_cast<std::size_t>(begin); s < static_cast<std::size_t>(end); ++s) {
      sums[s] = RowMajor::Zero(a.size() - first[s], kWidth);
      add_columns<kWidth>(a, in, first[s], first[s + 1], sums[s]);
    }
  };
  over(executor, static_cast<int>(sums.size()), strip, 1);
  // a strip gives to rows below its first column only
  const auto join = [&](int begin, int end) {
    for (std::size_t s = 1; s < sums.size(); ++s)
      if (const int from = std::max(begin, first[s]); from < end)
        sums[0].middleRows(from, end - from) += sums[s].middleRows(from - first[s], end - from);
  };
  over(executor, a.size(), join, kLeastStriped);
  return sums[0];
}
}  // namespace

Eigen::MatrixXd SymmetricMatrix::times(const Eigen::MatrixXd& x, const base::Executor* executor) const {
  // rows of x next to each other: one pass over the matrix serves four columns
  Eigen::MatrixXd result(x.rows(), x.cols());
  Eigen::Index at = 0;
  for (; at + 4 <= x.cols(); at += 4) result.middleCols<4>(at) = product<4>(*this, x.middleCols<4>(at), executor);
  for (; at < x.cols(); ++at) result.col(at) = product<1>(*this, x.col(at), executor);
  return result;
}

int SymmetricMatrix::negative_multipliers() const {
  int count = 0;
  for (int i = pattern->own(); i < size(); ++i) count += values[static_cast<std::size_t>(pattern->first_entry(i))] < 0;
  return count;
}

SymmetricMatrix SymmetricMatrix::plus(double factor, const SymmetricMatrix& other) const {
  SymmetricMatrix sum(pattern);
  for (std::size_t i = 0; i < values.size(); ++i) sum.values[i] = values[i] + factor * other.values[i];
  return sum;
}

Eigen::VectorXd SymmetricMatrix::diagonal() const {
  Eigen::VectorXd d(size());
  for (int j = 0; j < size(); ++j) d[j] = values[static_cast<std::size_t>(pattern->first_entry(j))];
  return d;
}

Eigen::VectorXd SymmetricMatrix::diagonal_stood_for() const {
  Eigen::VectorXd d = diagonal();
  const int own = pattern->own();
  for (int j = 0; j < own && own < size(); ++j)
    for (Entry p = pattern->first_entry(j); p < pattern->first_entry(j + 1); ++p)
      if (const int k = pattern->row(p); k >= own) {
        const double c = values[static_cast<std::size_t>(pattern->first_entry(k))],
                     b = values[static_cast<std::size_t>(p)];
        if (c != 0.0) d[j] -= b * b / c;
      }
  d.tail(size() - own).setZero();
  return d;
}

Eigen::MatrixXd SymmetricMatrix::dense() const {
  Eigen::MatrixXd full = Eigen::MatrixXd::Zero(size(), size());
  for (int j = 0; j < size(); ++j)
    for (Entry p = pattern->first_entry(j); p < pattern->first_entry(j + 1); ++p)
      full(pattern->row(p), j) = full(j, pattern->row(p)) = values[static_cast<std::size_t>(p)];
  return full;
}

}  // namespace archway::algebra
