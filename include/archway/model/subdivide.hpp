#pragma once
#include "archway/model/model.hpp"

namespace archway::model {

/// A mesh of parts, nodes and groups with every shell and solid element halved along each direction: 4 and 8 elements
/// for one. Bars stay whole, since one element is exact and a node in the middle would have nothing across. Nodes of
/// the mesh keep their numbers; new ones lie where the shape functions of the element put them, so that flat facets
/// stay flat facets and curved nine- and twenty-node elements keep their curve. Elements that shared an edge or a face
/// share its new nodes; elements that only touched stay apart. A new node belongs to a group when all corners that it
/// lies between do.
Model subdivided(const Model& mesh);

}  // namespace archway::model
