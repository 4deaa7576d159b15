#pragma once
#include "archway/analysis/path.hpp"

namespace archway::analysis {

/// How the load factor of a limit point of an elastic path changes with the structure, from its null vector alone: in
/// r(u, f, p) = internal - f x growing - held = 0, phi^T dr/du = 0 leaves d f / d p = phi^T dr/dp / (phi^T growing)
/// ([ReitingerRamm1995]). dr/dp by differences of the residual at the state as it is, so that every
/// parameter costs two sums over elements and no solution.
class PeakSlope {
 public:
  /// \param system  that the path was followed on \param path  with a limit point for a peak, states kept; elastic
  /// \throws base::InputError when the peak is no limit point, or its null vector was not found
  PeakSlope(const System& system, const PathOptions& options, const PathResult& path);

  double load_factor() const { return load_factor_; }
  /// d f for moving the nodes of the unloaded structure along a shape (one vector a node), free of stress, a unit of
  /// it.
  double along(const std::vector<Vec3>& shape, const std::vector<Vec3>& rotation = {}) const;
  /// d f for making walls thicker, one value a shell element, a unit of it.
  double along_walls(const std::vector<double>& thicker) const;
  /// d f for making a part's wall thicker (of laminates all plies alike), by the unit of thickness; kUnset for parts
  /// that are no panels.
  double by_thickness(int part) const;
  /// d f / (d A / A) for a member's or bar's section with its area, second moments and all else in proportion; kUnset
  /// for other parts.
  double by_section(int part) const;
  /// d f for moving single nodes along their panels' normals, a unit of displacement; zero where no panel is. Nodes far
  /// enough from each other are moved together.
  std::vector<double> by_node() const;

 private:
  /// Displacements and rotations of the peak on a changed model.
  State state_of(const model::Model& changed) const;
  /// phi^T (internal - loads) there; and phi^T internal of every element, batch after batch.
  double work_of(const model::Model& changed) const;
  /// d f for the stiffness of a part's wall or section, relative.
  double by_stiffness(int part) const;
  std::vector<double> element_work(const model::Model& changed) const;

  const System& system_;
  std::vector<double> factors_, variable_;
  KeptState kept_;
  Eigen::VectorXd phi_;
  double load_factor_ = 0, below_ = 1, size_ = 0;
};

}  // namespace archway::analysis
