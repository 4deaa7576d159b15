#pragma once
#include "archway/analysis/linear_static.hpp"
#include "archway/analysis/path_records.hpp"

namespace archway::analysis {

/// What a watch records of a linear solution.
double reading_of(const WatchPoint& watch, const model::Model& model, const LinearStaticResult& result);

/// Where the lowest eigenvector of the tangent stiffness (RecordOptions::stability) would lose its stiffness if it went
/// on as in the last three increments: the next zero of the parabola through them over the load factor. NaN: none
/// ahead, or not asked for.
double foreseen_loss(const std::vector<Increment>& increments);

/// GNA / GNIA: equilibrium path of held + f x growing with large displacements and rotations, from the model as it is
/// given (an imperfect model is one whose nodes were moved; its start is free of stress).
///
/// Load control with Newton's method and automatic cut-back, or arc length with the corrections kept in the plane
/// normal to the predictor ([Riks1979], [Ramm1981]); the sense of travel follows the last increment, not the
/// determinant. A corrected state is accepted only as one of this path: near the predictor (where materials flow or
/// something touches, in a kink that keeps its angle), with every rotation of the load at a limit point that was
/// located, and not one that has been passed: a step back is cut, a closed path ends. States that were asked for are
/// found from the side and change nothing of the path. The tangent is factorised at the first correction of an
/// increment; later corrections and the direction of the path are solved with its own tangent too, by minimal residuals
/// with that factor, and factorised anew where this takes more than a few steps. The negative pivots of an accepted
/// state are those of its own factor, or of the factor at hand when the three lowest eigenvectors keep the sign and a
/// third of their stiffness between the two; when not, the state is factorised, so a change of the count is always
/// counted (Increment::counted).
///
/// A limit point (rotation of the load factor) is found from the cubic through load factors and slopes; every other
/// change of inertia is a bifurcation, narrowed down by the eigenvalue of the tangent nearest to zero until the load
/// factors on both sides of it agree to 2e-6. An increment with several changes has each of them found in turn; one in
/// which they cannot be reported apart is cut back. The same by load control, which sees no rotations. Where a path
/// with kinks (flow, contact) cannot be continued, it is followed once more from its beginning, with steps an eighth as
/// long; of both attempts the one that goes further is returned. \throws base::InputError, base::OutOfMemory,
/// algebra::SolverError
PathResult follow_path(const System& system, const PathOptions& options, const PathWatcher& watcher = {});

}  // namespace archway::analysis
