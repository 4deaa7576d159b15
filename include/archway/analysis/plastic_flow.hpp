#pragma once
#include "archway/analysis/vocabulary.hpp"

namespace archway::analysis {

/// How far a part has yielded.
struct PartFlow {
  double plastic_strain = 0;  ///< largest equivalent plastic strain of any point, faces of walls included
  double share = 0;           ///< of its points (through walls, over cross-sections) that have yielded
  Vec3 place = Vec3::Zero();  ///< of the largest: middle of the element in the unloaded structure
};
/// One a part of the model; all zero where nothing flows.
std::vector<PartFlow> flow_by_part(const System& system, const elements::Memory& memory);

/// Where through a wall plastic strains are taken: the largest anywhere, or at its faces and in its middle; members and
/// solids have no faces and report their largest.
enum class WallPlace { anywhere, top, middle, bottom };

/// Largest equivalent plastic strain of any point of the elements that meet at a node, one a node of the model.
std::vector<double> plastic_strain_at_nodes(const Geometry& geometry, const model::Model& model,
                                            const elements::Memory& memory, WallPlace place = WallPlace::anywhere);

}  // namespace archway::analysis
