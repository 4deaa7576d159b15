#pragma once
#include <map>
#include <memory>
#include <set>

#include "archway/analysis/system.hpp"
#include "archway/study/build_model.hpp"

namespace archway::study {

using Threads = std::shared_ptr<const base::Executor>;
using SharedTopology = std::shared_ptr<const analysis::Topology>;

/// A structure ready for solving: the study's own, or a variant of it.
struct PreparedModel {
  StudySpec spec;
  std::shared_ptr<const model::Model> model;  ///< with every support, coupling and bond there is
  std::vector<analysis::WatchPoint> watch;
  Threads threads;
  SharedTopology
      checked;  ///< with every support and every prescribed displacement, as the check made it; nullptr: none

  /// With the supports, couplings and bonds that are there `when`, held where the actions move something.
  const analysis::System& system(const model::Combination& acting, const During& when);
  /// The same mesh with moved nodes: what does not hang on places is shared.
  std::shared_ptr<const analysis::System> moved(const model::Model& geometry, const model::Combination& acting,
                                                const During& when);
  /// Works with other threads; what does not hang on them is kept.
  void use_threads(const Threads& other);
  /// The same supports, couplings and bonds are there.
  bool alike(const During& a, const During& b) const { return what_is_there(spec, a) == what_is_there(spec, b); }
  /// Actions from `first` on in a combination move something that those before do not.
  bool moves_more(const model::Combination& acting, std::size_t first) const;

 private:
  std::shared_ptr<const model::Model> model_when(const During& when);
  std::map<std::vector<bool>, std::shared_ptr<const model::Model>> models_;
  using When = std::pair<std::vector<bool>, std::set<int>>;
  std::map<When, std::shared_ptr<const analysis::System>> systems_;
  std::map<When, SharedTopology> topologies_;  ///< of systems that are gone
};

/// \throws base::InputError when the study cannot be varied, or the variant can move freely
PreparedModel stage_of(const StudySpec& study, const Variant& variant, const Threads& threads);

/// Whether two meshes of one structure are restrained at the same places and carry the same loads: selections by
/// nearness may catch other nodes on another mesh.
bool same_problem(const model::Model& a, const model::Model& b);

}  // namespace archway::study
