#pragma once
#include <memory>

#include "archway/elements/batch.hpp"

namespace archway::elements {

/// Distance of a place from an obstacle: positive on the free side.
struct Distance {
  double value = 0;
  Vec3 normal = Vec3::UnitZ();  ///< d value / d place
  Mat3 bend = Mat3::Zero();     ///< its second derivative
};
/// What a triangulated obstacle is searched with.
class FacetTree;
/// Of a body that is no surface: none.
std::unique_ptr<FacetTree, void (*)(FacetTree*)> facet_tree(const model::Obstacle& obstacle);
Distance distance_from(const model::Obstacle& obstacle, const FacetTree* facets, const Vec3& place);

/// Nodes that may touch obstacles: one element of one node each. A node is a ball of radius `reach`, whose gap is its
/// distance from the obstacle less that; the normal force is N = last force + k (last gap - gap) where that presses,
/// else nothing, with the last force and gap remembered. What touched lets go between two rounds of the search only (N
/// may be below zero until then): where many nodes hardly press, as along a strip that lies flat, they would else open
/// and close in turn. k only says how contact is sought: Batch::improve takes N for
/// the last force with no gap, until nothing is left of the gap ([AlartCurnier1991], [SimoLaursen1992]: augmented
/// Lagrangian), and an accepted state remembers both, so that it is in balance as it is.
///
/// Friction (Coulomb): the force along the surface follows the displacement since the last state with k until it
/// reaches the friction times N, and is sought the same way. Its tangent lacks the unsymmetric part (change of the
/// friction with N). Friction acts at the node, not at the face that touches.
///
/// In linear theory (StressSource::linear) nothing touches.
class ObstacleBatch final : public Batch {
 public:
  explicit ObstacleBatch(const model::Model& model);
  ~ObstacleBatch() override;
  int size() const override { return static_cast<int>(touches_.size()); }
  int nodes_per_element() const override { return 1; }
  const int* nodes(int element) const override { return &touches_[static_cast<std::size_t>(element)].node; }
  int dofs_per_node() const override { return 3; }
  /// A node that nothing else holds is not restrained by an obstacle.
  bool uses(int /*element*/, int /*degree of freedom*/) const override { return false; }
  std::size_t memory_size() const override { return kMemory * touches_.size(); }
  void start_memory(double* block) const override;
  material::Energy energy(const Trial& trial, int element) const override;
  bool improve(const Trial& trial, double least) const override;
  /// See SurfaceContact. \param held  what is remembered then \return nodes that are new among them
  int keep_closed(const Trial& trial, std::vector<double>& held) const;
  bool pulls(const Trial& trial, double least) const;
  /// Open until it has closed by `little`. \param block  memory
  void release(int element, double little, std::vector<double>& block) const;
  /// Closed at a gap: it neither opens nor closes by itself.
  void hold(int element, double gap, std::vector<double>& block) const { release(element, -gap, block); }
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;

  const model::Touch& touch(int element) const { return touches_[static_cast<std::size_t>(element)]; }
  /// What one node gets: its gap, the normal force (0: open; below zero on the way to a state only) and the whole force
  /// on it.
  struct Contact {
    double gap = 0, normal_force = 0;
    Vec3 force = Vec3::Zero();
    bool sticks = false;
  };
  Contact contact(const Trial& trial, int element) const;

 private:
  static constexpr std::size_t kMemory = 9;
  struct Answer;
  Answer answer(const Trial& trial, int element) const;

  std::vector<model::Touch> touches_;
  std::vector<model::Obstacle> obstacles_;
  std::vector<std::unique_ptr<FacetTree, void (*)(FacetTree*)>> facets_;
  std::vector<Vec3> start_;  ///< of each touch, in the unloaded structure
};

}  // namespace archway::elements
