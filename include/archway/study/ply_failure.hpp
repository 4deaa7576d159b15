#pragma once
#include "archway/analysis/path.hpp"
#include "archway/study/spec.hpp"

namespace archway::study {

/// The ply of a part that is nearest to its first failure by one criterion.
struct PlyFailure {
  std::string part, laminate;
  bool tsai_hill = false;     ///< else: maximum stress
  int ply = 0;                ///< from the bottom, from 1
  double use = 0;             ///< 1: it fails; see theory::PlyUse
  Vec3 place = Vec3::Zero();  ///< middle of the element
  double load_factor = 0;     ///< of a path: at which it first fails, by interpolation; NaN: it does not
};

/// Two a part whose laminate has strengths, under the forces of an analysis; load_factor = 1 / use.
std::vector<PlyFailure> ply_failures(const StudySpec& spec, const analysis::System& system,
                                     const analysis::ElementForces& forces);
/// The same on a path whose states are kept: the largest use of all increments, and where it first passes 1.
/// \param growing, held  of the path
std::vector<PlyFailure> ply_failures(const StudySpec& spec, const analysis::System& system,
                                     const analysis::PathResult& path);

}  // namespace archway::study
