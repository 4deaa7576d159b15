#pragma once
#include <string>

#include "archway/analysis/path_records.hpp"

/// The rules by which a path is walked, each for itself.
namespace archway::analysis {

/// Of its value: so closely the state is found at which a watch of more than single nodes reads what was asked for.
constexpr double kLocated = 1e-6;

/// How far the next increment goes: more where corrections came easily, less where they did not.
struct StepRule {
  double first = 0.1, smallest = 0, largest = 0;
  int wanted_iterations = 4;
  double without_corrections = 3;  ///< growth after a step that needed none; where materials flow, 1.5

  explicit StepRule(const PathOptions& options);
  /// Step after one that took so many iterations: by sqrt(wanted / taken), between a half and one and a half of
  /// it; after none by `without_corrections`: the predictor alone met the path to the tolerance.
  double after(double taken, int iterations) const;
  double cut(double step) const { return 0.5 * step; }
  bool too_small(double step) const { return step < smallest; }
  /// The last one before it is too small.
  bool is_smallest(double step) const { return cut(step) < smallest; }
};

/// When a state counts as balanced. Residual: the norm of the unbalanced forces over the largest of |external| and
/// |internal|, and the same for moments (bimoments over the structure's size with them); a scale that is noise, since
/// the structure is under moments alone or forces alone, has the other for a floor (moments / size, forces x size /
/// 1000). Energy: what the correction that is left would do, |r . du|, over the work of the increment: a small share of
/// all forces can be all that a soft part has.
///
/// Rounding of strains leaves forces in stiff parts that no iteration removes. They count in full. The correction that
/// answers them is kept beside the state where displacements have no digits for it, and the forces of the state are
/// those after it (elements::State::correction, docs/design/003-criteria.md).
struct ConvergenceTest {
  double residual_tolerance = 1e-6, energy_tolerance = 1e-10;
  double least_force = 0;  ///< least scale of forces: a millionth of the largest that the path has seen

  struct Balance {
    double residual = 0;
    double force_scale = 0, moment_scale = 0;  ///< what forces and moments were measured by
    double load_scale = 0;                     ///< of the external forces alone
  };
  /// \param gap  unbalanced forces, full, zero where held \param size  of the structure
  Balance balance(const Eigen::VectorXd& gap, const Eigen::VectorXd& internal, const Eigen::VectorXd& external,
                  double size) const;
  bool passes(const Balance& balance) const { return balance.residual <= residual_tolerance; }
  /// \param left  |r . du| \param work  of the increment so far
  bool energy_passes(double left, double work) const { return !(left > energy_tolerance * work); }

  /// Largest translation of a node and largest rotation.
  struct Extent {
    double translation = 0, rotation = 0;
    static Extent of(const Eigen::VectorXd& full);
    /// No more than a share of another; its translations over the size count as rotations.
    bool within(double share, const Extent& other, double size) const;
  };
};

/// While the largest displacement grew by half, something flowed and the load factor changed by less than this share.
bool stands_still(const PathResult& so_far, double share);
/// Why a path ends after what is known of it, in words; empty: it goes on.
std::string reason_to_stop(const PathOptions& options, const PathResult& so_far, double highest);

/// A place on a stretch of path with its load factor and the slope of the load factor there.
struct PathPlace {
  double way = 0, factor = 0, slope = 0;
};
/// Way at which the cubic through two places has its rotation, between them; needs slopes of opposite sign.
double rotation_between(const PathPlace& low, const PathPlace& high);

}  // namespace archway::analysis
