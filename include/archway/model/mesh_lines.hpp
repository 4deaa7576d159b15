#pragma once
#include <set>

#include "archway/model/mesh.hpp"

namespace archway::model {

/// A straight-sided panel with four corners once around, and how many elements it wants along its sides 1-2 and 2-3.
struct FourSided {
  std::array<Vec3, 4> corners;
  std::array<int, 2> divisions{1, 1};
};

/// Mesh lines with which panels that share edges, or whose edges end on or run along a mesh direction inside another
/// panel, have their nodes in the same places. Where two want different numbers the larger one holds; an inner edge
/// becomes a mesh line of the panel it meets. Edges that run askew inside a panel are left alone.
/// \param tolerance  distance at which places are the same
/// \param apart  pairs of panels that are bonded to each other, whose meshes need not match
/// \return one a panel; lists of lines are empty where even spacing by its own divisions does
std::vector<Spacing> matching_lines(const std::vector<FourSided>& panels, double tolerance,
                                    const std::set<std::pair<std::size_t, std::size_t>>& apart = {});

}  // namespace archway::model
