#pragma once
#include "archway/model/model.hpp"

namespace archway::model {

/// Two parts that meet without being joined there, or lie in one place.
struct Encounter {
  enum class Kind { touch, cross, same_place };
  Kind kind = Kind::touch;
  int first = -1, second = -1;                   ///< parts; touch: nodes of `first` lie on `second`
  std::vector<int> nodes;                        ///< touch: those nodes
  int count = 0;                                 ///< nodes, crossings or elements
  Vec3 low = Vec3::Zero(), high = Vec3::Zero();  ///< box around the places
};

/// Finds them: nodes that lie on an element of another part (within a hundredth of its size) which neither shares a
/// node with them nor is joined to them by a tie or a spring; members and panels that pass through each other between
/// their nodes; elements with the same nodes. Bars that cross each other are left alone, as bracings do. One a pair of
/// parts and kind, in the order of the parts.
std::vector<Encounter> untied_encounters(const Model& model);

/// Bonds panel edges that lie on another panel without sharing its nodes: meshes that differ along a shared edge. The
/// side with more nodes there follows. \return a sentence for each pair that was joined
std::vector<std::string> join_touching_panels(Model& model);

}  // namespace archway::model
