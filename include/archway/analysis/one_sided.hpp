#pragma once
#include "archway/analysis/buckling.hpp"

namespace archway::analysis {

/// Buckling with supports that hold a structure on one side only, or more stiffly on one side.
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
/// Springs whose curve has two slopes at the origin join in: their smaller stiffness is part of K, what the other side
/// has more pushes with r = s (-C u) where C u < 0, so that C u + r / s takes the place of C u above. (Linear analyses
/// give such a spring the mean of both.)
///
/// Members touch with their deflected line as a whole, by the control values of its cubic; walls and solids with their
/// nodes. Rigid obstacles without friction. None is found where the load itself presses the structure against an
/// obstacle or lifts it off (there is no bifurcation), where loads are restrained, or where more than 600 places may
/// touch. \param options  as of linear_buckling() \param free  its result: the modes without obstacles \return  nothing
/// is found, and no message given, where nothing holds on one side
OneSidedResult one_sided_buckling(const System& system, const BucklingOptions& options, const BucklingResult& free);

/// A spring whose curve has two slopes at the origin.
struct OneSidedSpring {
  int spring = -1, axis = 0;    ///< of the model; axis 0 to 5
  double below = 0, above = 0;  ///< stiffness where its strain is below zero, and above
};
/// In the order of the model. Linear analyses give each of them the mean of both sides.
std::vector<OneSidedSpring> one_sided_springs(const System& system);

}  // namespace archway::analysis
