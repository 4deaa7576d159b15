#pragma once
#include <map>
#include <string>
#include <vector>

#include "archway/model/model.hpp"

namespace archway::model {

/// A member as an engineer reads it: one part of lines, or several that follow each other straight on.
struct JoinedMember {
  std::string name;        ///< of the part, or "FIRST .. LAST" of several, or the name that was given
  std::vector<int> parts;  ///< in their order along it
  double length = 0;       ///< of the lines
};

/// Members of a model. Two parts are one member when an end of each lies at the same place, held together without a
/// released rotation, the lines go straight on there to within a degree, and profile, material and stand of the section
/// are the same; where more than two could be joined the straighter pair is (ties: none is). Tapered and curved parts
/// stand alone. \param named  part -> name of a member it is a piece of; those are joined whatever they look like
std::vector<JoinedMember> joined_members(const Model& model, const std::map<int, std::string>& named = {});

}  // namespace archway::model
