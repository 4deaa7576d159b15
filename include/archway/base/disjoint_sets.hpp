#pragma once
#include <numeric>
#include <vector>

namespace archway::base {

/// What hangs together: numbers 0 .. count - 1 in sets that are joined (union by the second, paths halved; Tarjan
/// 1975).
class DisjointSets {
 public:
  explicit DisjointSets(std::size_t count) : parent_(count) { std::iota(parent_.begin(), parent_.end(), 0); }
  /// The number that means the set of another; changes when sets are joined.
  int find(int n) {
    while (up(n) != n) n = up(n) = up(up(n));
    return n;
  }
  void join(int a, int b) { up(find(a)) = find(b); }
  bool together(int a, int b) { return find(a) == find(b); }

 private:
  int& up(int n) { return parent_[static_cast<std::size_t>(n)]; }
  std::vector<int> parent_;
};

}  // namespace archway::base
