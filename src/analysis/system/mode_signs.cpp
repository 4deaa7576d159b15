#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/index.hpp"
#include "system/mode_signs_detail.hpp"

namespace archway::analysis::detail {

using base::at;
using Eigen::VectorXd;

namespace {
constexpr double kAsLarge = 0.9;  ///< share of the largest that counts as the largest
/// Of the structure's size: places that lie so near count as equal. Of waves that go to and fro the sign hangs on the
/// place, so it is wide; a group is rotated with the place, so the place is as exact as the nodes are.
constexpr double kAsFar = 0.02, kSamePlace = 1e-6;
constexpr double kEqual = 1e-5;  ///< relative, of load factors of one group
}  // namespace

/// Translations, or rotations where those move the outline more.
int ModeSigns::offset_of(const std::vector<VectorXd>& shapes) const {
  double size = 0, moves = 0;
  for (const auto& shape : shapes) {
    size = std::max(size, outline_.largest(shape));
    moves = std::max(moves, model::largest_translation(shape));
  }
  return moves < 0.5 * size || size == 0.0 ? 3 : 0;
}

int ModeSigns::telling_node(const VectorXd& sizes, double as_far) const {
  const auto& nodes = system_.model().nodes;
  const double largest = sizes.maxCoeff(), near = as_far * system_.model().size();
  std::vector<int> left;
  for (Eigen::Index n = 0; n < sizes.size(); ++n)
    if (sizes[n] >= kAsLarge * largest) left.push_back(static_cast<int>(n));
  for (int axis = 0; axis < 3; ++axis) {
    double farthest = -HUGE_VAL;
    for (const int n : left) farthest = std::max(farthest, nodes[at(n)][axis]);
    left.erase(std::remove_if(left.begin(), left.end(), [&](int n) { return nodes[at(n)][axis] < farthest - near; }),
               left.end());
  }
  return *std::max_element(left.begin(), left.end(), [&](int a, int b) { return sizes[a] < sizes[b]; });
}

int ModeSigns::telling_component(const Eigen::Vector3d& sizes) {
  for (int k = 0; k < 3; ++k)
    if (sizes[k] >= kAsLarge * sizes.maxCoeff()) return k;
  return 0;
}

VectorXd ModeSigns::settled(VectorXd full) const {
  double size = outline_.largest(full);
  if (size == 0.0) size = full.cwiseAbs().maxCoeff();
  if (!(size > 0)) return full;
  const int offset = offset_of({full});
  VectorXd sizes(system_.node_count());
  for (int n = 0; n < system_.node_count(); ++n) sizes[n] = full.segment<3>(model::row(n) + offset).norm();
  const Eigen::Vector3d there = full.segment<3>(model::row(telling_node(sizes, kAsFar)) + offset);
  return full / (there[telling_component(there.cwiseAbs())] < 0 ? -size : size);
}

void ModeSigns::settle_groups(std::vector<algebra::PencilPair>& pairs) const {
  for (std::size_t first = 0; first < pairs.size();) {
    std::size_t end = first + 1;
    while (end < pairs.size() &&
           std::abs(pairs[end].factor - pairs[end - 1].factor) <= kEqual * std::abs(pairs[end].factor))
      ++end;
    if (end - first > 1) settle_group(&pairs[first], static_cast<int>(end - first));
    first = end;
  }
}

void ModeSigns::settle_group(algebra::PencilPair* pairs, int count) const {
  const double spread = std::abs(pairs[count - 1].factor - pairs[0].factor) / std::abs(pairs[0].factor);
  double residual = 0;
  std::vector<VectorXd> free;
  for (int k = 0; k < count; ++k) {
    free.push_back(pairs[k].shape);
    residual = std::max(residual, pairs[k].residual);
  }
  for (int done = 0; done < count; ++done) {
    const auto left = static_cast<Eigen::Index>(free.size());
    std::vector<VectorXd> full;
    for (const auto& shape : free) full.push_back(system_.to_full(shape, state_));
    const int offset = offset_of(full);
    VectorXd sizes = VectorXd::Zero(system_.node_count());
    for (const auto& shape : full)
      for (int n = 0; n < system_.node_count(); ++n) sizes[n] += shape.segment<3>(model::row(n) + offset).squaredNorm();
    const auto row = model::row(telling_node(sizes.cwiseSqrt(), kSamePlace)) + offset;
    Eigen::MatrixXd there(3, left);
    for (Eigen::Index k = 0; k < left; ++k) there.col(k) = full[static_cast<std::size_t>(k)].segment<3>(row);
    const VectorXd way = there.row(telling_component(there.rowwise().norm()));
    if (!(way.norm() > 0)) {  // nothing moves: as they are
      for (std::size_t k = 0; k < free.size(); ++k) pairs[static_cast<std::size_t>(done) + k].shape = free[k];
      return;
    }
    // the first of orthonormal mixes has all of that component, the others none
    const Eigen::MatrixXd mixes = base::orthonormal_columns(way, left);
    std::vector<VectorXd> mixed(free.size(), VectorXd::Zero(free[0].size()));
    for (Eigen::Index m = 0; m < left; ++m)
      for (Eigen::Index k = 0; k < left; ++k)
        mixed[static_cast<std::size_t>(m)] += mixes(k, m) * free[static_cast<std::size_t>(k)];
    pairs[done].shape = mixed[0];
    pairs[done].residual = residual + spread;
    free.assign(mixed.begin() + 1, mixed.end());
  }
}

}  // namespace archway::analysis::detail
