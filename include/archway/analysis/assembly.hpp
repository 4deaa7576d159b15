#pragma once
#include "archway/analysis/topology.hpp"
#include "archway/elements/batch.hpp"

namespace archway::analysis {

/// What to assemble; nullptr: not wanted. Full vectors have model::kNodeFreedoms values a
/// node; full displacements hold the displacement of followers too, full forces what came from them to their leaders.
struct AssemblyRequest {
  Eigen::VectorXd* internal_force = nullptr;      ///< full
  algebra::SymmetricMatrix* tangent = nullptr;    ///< free degrees of freedom
  algebra::SymmetricMatrix* geometric = nullptr;  ///< free degrees of freedom
  elements::StressSource source;                  ///< where stresses come from
  /// What points remember before the step that led to the state, and after it; nullptr: virgin, not wanted.
  const elements::Memory* committed = nullptr;
  elements::Memory* next = nullptr;
  const Eigen::VectorXd* direction = nullptr;  ///< full; asks for tangent_times
  Eigen::VectorXd* tangent_times = nullptr;    ///< full: tangent (all degrees of freedom) times direction
};

/// Something that gives forces and stiffness to a structure. All of them together make the structure; one after the
/// other, in a fixed order.
class Contribution {
 public:
  virtual ~Contribution() = default;
  /// Adds to what the request asks for; its vectors and matrices have their sizes.
  /// \return recoverable: the state cannot be evaluated, take a smaller step
  [[nodiscard]] virtual base::Verdict add(const State& state, const AssemblyRequest& request) const = 0;
};

/// The elements, followers brought down to their leaders on the way.
class ElementContribution final : public Contribution {
 public:
  ElementContribution(const Topology& topology, const Geometry& geometry, const base::Executor& executor)
      : topology_(topology), geometry_(geometry), executor_(executor) {}
  [[nodiscard]] base::Verdict add(const State& state, const AssemblyRequest& request) const override;

 private:
  struct Buffers;
  base::Verdict add_run(const Topology::Run& run, int begin, int end, const State& state,
                        const AssemblyRequest& request) const;
  void take(std::size_t set, int element, const Buffers& buffers, int place, const State& state,
            const AssemblyRequest& request) const;
  void take_rigid(std::size_t set, int element, const double* rows, const State& state,
                  const AssemblyRequest& request) const;
  void take_tied(std::size_t set, int element, const double* force, const double* tangent, const double* geometric,
                 const State& state, const AssemblyRequest& request) const;

  const Topology& topology_;
  const Geometry& geometry_;
  const base::Executor& executor_;
};

}  // namespace archway::analysis
