#pragma once
#include <algorithm>

#include "archway/analysis/path.hpp"

namespace archway::test {

/// The largest force of an increment: all loads, one support, one contact.
inline double acting(const analysis::Increment& i) {
  double most = i.applied.force.norm();
  for (const auto& reaction : i.reactions) most = std::max(most, reaction.force.norm());
  for (const auto& contact : i.contacts) most = std::max(most, contact.force.norm());
  return most;
}
inline double largest_acting(const analysis::PathResult& path) {
  double most = 0;
  for (const auto& i : path.increments) most = std::max(most, acting(i));
  return most;
}
/// Sum of loads and reactions over what acts, the worst of all increments; where next to nothing does (a clamp still
/// holds what has yielded) over a tenth of the largest of the path.
/// \param size  of the structure: of moments alone, moments over it are the measure
inline double worst_imbalance(const analysis::PathResult& path, double size = 0) {
  double least = 0.1 * largest_acting(path);
  for (const auto& i : path.increments)
    if (size > 0) least = std::max(least, i.applied.moment.norm() / size);
  double worst = 0;
  for (const auto& i : path.increments)
    if (const double scale = std::max(acting(i), least); scale > 0)
      worst = std::max(worst, (i.applied.force + i.reacted.force).norm() / scale);
  return worst;
}

}  // namespace archway::test
