#pragma once
#include "archway/analysis/assembly.hpp"
#include "archway/elements/surface_contact.hpp"

namespace archway::analysis {

/// Faces of parts that touch each other, see elements::SurfaceContact. What lies opposite to what is in the memory, and
/// the pattern must hold it (System::coupled). Without memory, and in linear theory, nothing touches.
class SurfacePairs final : public Contribution {
 public:
  SurfacePairs(const Topology& topology, const Geometry& geometry, const base::Executor& executor)
      : topology_(topology), geometry_(geometry), executor_(executor) {}
  /// \throws base::InputError where stiffness is asked for on a pattern without the pairs
  [[nodiscard]] base::Verdict add(const State& state, const AssemblyRequest& request) const override;

 private:
  void take(const elements::SurfaceContact::Group& group, const State& state, const AssemblyRequest& request) const;
  void take_free(const elements::SurfaceContact::Group& group, const AssemblyRequest& request) const;
  void take_tied(const elements::SurfaceContact::Group& group, const State& state,
                 const AssemblyRequest& request) const;

  const Topology& topology_;
  const Geometry& geometry_;
  const base::Executor& executor_;
};

}  // namespace archway::analysis
