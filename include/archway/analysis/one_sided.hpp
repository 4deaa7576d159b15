#pragma once
#include "archway/analysis/buckling.hpp"

namespace archway::analysis {

/// Buckling beside obstacles that hold a structure on one side only.
struct OneSidedResult {
  bool found = false;
  std::string message;          ///< why there is none; empty where found
  double load_factor = kUnset;  ///< the lowest that was found
  Eigen::VectorXd shape;        ///< full; largest displacement 1. Its sign counts
  int starts = 0, ended = 0;    ///< shapes that the search began from, and those that led to a factor
  int constraints = 0;          ///< places that may not pass the obstacles ...
  int touching = 0;             ///< ... and those that stay there
};

/// LBA with the obstacles that nodes touch without a gap in the unloaded structure as supports that only push:
/// the lowest load factor f > 0 with
///     K u + f G u = C^T r,   C u >= 0,   r >= 0,   r . C u = 0
/// (C: displacements away from the obstacles, r: their forces). Every solution has f = u'Ku / -u'Gu, and the lowest is
/// the least of this quotient over all admissible shapes. It is searched for by inverse iteration with one
/// complementarity problem a step, which never raises the quotient, from both signs of the modes without obstacles and
/// from the shapes that a unit push at places along the obstacles gives: the lowest found of so many starts, no proof
/// that none is lower. The complementarity problems are solved by an active set
/// ([LawsonHanson1974]).
///
/// Members touch with their deflected line as a whole, by the control values of its cubic; walls and solids with their
/// nodes. Rigid obstacles without friction. None is found where the load itself presses the structure against an
/// obstacle or lifts it off (there is no bifurcation), where loads are held, or where more than 600 places may touch.
/// \param options  as of linear_buckling() \param free  its result: the modes without obstacles
OneSidedResult one_sided_buckling(const System& system, const BucklingOptions& options, const BucklingResult& free);

}  // namespace archway::analysis
