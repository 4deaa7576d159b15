#pragma once
#include "archway/elements/state.hpp"

namespace archway::elements {

/// The model with its nodes moved and its members twisted, free of stress: elements made from it have their lengths,
/// directors and axes from where the nodes are; sections stand as before but for the twist.
/// \param displacement, rotation  one a node, rotation: rotation vectors, of which what is about a member's axis twists
/// it; empty: none
model::Model moved(const model::Model& model, const std::vector<Vec3>& displacement, const std::vector<Vec3>& rotation,
                   double factor = 1);

/// The same by a full shape: displacements and rotations, kNodeFreedoms values a node.
model::Model moved(const model::Model& model, const Eigen::VectorXd& full, double factor = 1);

/// Mean unit normal of the panels that meet at every node; zero where there is none.
std::vector<Vec3> node_normals(const model::Model& model);

}  // namespace archway::elements
