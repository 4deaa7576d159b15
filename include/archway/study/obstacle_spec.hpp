#pragma once
#include "archway/model/obstacle_shape.hpp"
#include "archway/study/keys.hpp"

namespace archway::study {

/// A rigid body in the way: what the study says of it.
struct ObstacleSpec {
  model::Obstacle body;
  std::vector<std::string> on;   ///< parts that may touch it; empty: all
  std::optional<Spot> at;        ///< and of them only these nodes
  bool by_nodes = false;         ///< members and panels touch with the line or surface of their nodes
  std::optional<double> reach;   ///< or so far from there
  bool close_gaps = false;       ///< what is between them in the unloaded structure counts as nothing
  bool overlap_is_free = false;  ///< what overlaps there presses only beyond that
  SourceLocation place;
};

}  // namespace archway::study
