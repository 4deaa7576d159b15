#pragma once
#include "archway/analysis/stages.hpp"

namespace archway::analysis {

/// Materially nonlinear analysis with small displacements (MNA), as the limit of the same elements: everything that
/// resists displacement is made `kStiffer` times stiffer, elastically and in hardening, the stresses at which it yields
/// kept. All displacements and strains then are that much smaller at the same load, and with them every effect of the
/// changed geometry, which is left at 1 / kStiffer of its size; results are multiplied back. The copy lies about the
/// origin, so that small displacements keep their digits. Loads and stresses are those of the structure as it is.
constexpr double kStiffer = 1e4;
model::Model stiffened(const model::Model& model);

/// follow_stages for systems of stiffened(model); what a watcher sees and what is returned is multiplied back. Kept
/// states have their displacements and rotation vectors multiplied, for pictures: nothing can go on from them.
PathResult follow_small_displacements(std::vector<PathStage> stages, const model::Model& model,
                                      const PathWatcher& watcher = {});

/// Largest equivalent plastic strain at every node in a kept state of either kind of path, of any layer or fibre of the
/// elements that meet there. \param geometry  of the model the path was followed on, not of the stiff copy
/// \return empty: nothing has flowed, or the state was not kept
std::vector<double> plastic_strain_at_nodes(const Geometry& geometry, const model::Model& model,
                                            const Increment& increment, WallPlace place = WallPlace::anywhere);

}  // namespace archway::analysis
