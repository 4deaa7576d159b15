#pragma once
#include <set>

#include <Eigen/Geometry>

#include "archway/analysis/path_records.hpp"

namespace archway::analysis::detail {

/// Notices parts that pass through each other: an edge of a face or a piece of a member that goes through a face it was
/// not near in the unloaded structure. Faces are those of shell elements and the outer ones of solids, as their nodes
/// lie, without thickness.
class CrossingWatch {
 public:
  explicit CrossingWatch(const model::Model& model);
  /// Pairs of parts that cross in a state and did not in the ones looked at before.
  std::vector<Crossing> look(const State& state);

 private:
  /// Three corners, or two of a piece of a member (the third is the second).
  struct Facet {
    std::array<int, 3> nodes;
    int part;
    bool line() const { return nodes[2] == nodes[1]; }
  };
  struct Search;

  std::vector<Facet> facets_;
  std::vector<Eigen::AlignedBox3d> start_;    ///< of each facet, with a margin
  std::set<std::pair<int, int>> kept_apart_;  // parts with contact between them
  std::vector<std::pair<int, int>> known_;    ///< parts that cross already
};

}  // namespace archway::analysis::detail
