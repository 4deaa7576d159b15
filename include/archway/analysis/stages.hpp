#pragma once
#include <memory>

#include "archway/analysis/path.hpp"

namespace archway::analysis {

/// One stage of a path: one load goes from where it is to somewhere else, the others stay as they are.
struct PathStage {
  std::string name;
  std::string load;                      ///< the variable load; a later stage of the same load goes on from its factor
  std::shared_ptr<const System> system;  ///< nodes and elements are those of all stages, supports and ties may differ
  /// Of this stage. `held` counts in the first one only: later on everything is restrained that is in place; `start` is
  /// found.
  PathOptions options;
  /// The next stage begins only where this one has reached its load factor (options.stop_load_factor).
  bool must_arrive = false;
};

/// A path that is loaded, unloaded and loaded again, by several loads one after the other. Every stage begins where the
/// last one ended, with what the points remember. Where supports or ties differ from those before, nodes that are
/// restrained or tied now are so where they are, and what no longer holds lets go bit by bit before the load moves on.
/// Load factors of increments are those of the load of their stage. \throws base::InputError
PathResult follow_stages(const std::vector<PathStage>& stages, const PathWatcher& watcher = {});

}  // namespace archway::analysis
