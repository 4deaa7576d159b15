#pragma once
#include <map>
#include <memory>
#include <set>

#include "archway/analysis/system.hpp"
#include "archway/study/spec.hpp"

namespace archway::study {

using Threads = std::shared_ptr<const base::Executor>;
using SharedTopology = std::shared_ptr<const analysis::Topology>;

/// A structure ready for solving: the study's own, or a variant of it.
struct Stage {
  StudySpec spec;
  std::shared_ptr<const model::Model> model;
  std::vector<int> watch_nodes;
  Threads threads;
  std::map<std::set<int>, std::unique_ptr<analysis::System>> systems;  ///< by the actions that move something

  const analysis::System& system(const model::Combination& held, const model::Combination& growing);
  /// The same mesh with moved nodes: what does not hang on places is shared.
  std::unique_ptr<analysis::System> moved(const model::Model& geometry, const model::Combination& held,
                                          const model::Combination& growing);
};

/// \throws base::InputError when the study cannot be varied, or the variant can move freely
Stage stage_of(const StudySpec& study, const Variant& variant, const Threads& threads);

/// Whether two meshes of one structure are held at the same places and carry the same loads: selections by nearness may
/// catch other nodes on another mesh.
bool same_problem(const model::Model& a, const model::Model& b);

}  // namespace archway::study
