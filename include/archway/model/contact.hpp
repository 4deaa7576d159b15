#pragma once
#include <array>
#include <string>
#include <vector>

#include "archway/base/rotation.hpp"

namespace archway::model {

/// One side of a wall, or an outer face of a solid, that may touch others: its normal, right-handed about its corners,
/// points to where they may come from. Or, of two nodes, a piece of a line: a third of a member, a bar, a free edge.
struct ContactFace {
  std::array<int, 9> nodes{};  ///< corners, then the others as in ShellElement
  int count = 4;               ///< nodes in use: 2 (a line), 3, 4, 8 or 9
  int part = -1;
  int member = -1, third = 0;  ///< a piece of a member: number among the line elements, and which piece of it
  int side = 0;                ///< of a wall: 0 that of its normal, 1 the other one
  double reach = 0;            ///< from the surface of its nodes to the face, along the normal; of a line: all around
  double depth = 0;            ///< what is so far inside of the face still counts as inside, not as behind it
  double stiffness = 0;        ///< force per displacement with which contact is sought; no matter for what comes out
  int corners() const { return count <= 3 ? count : 4; }
  bool is_line() const { return count == 2; }
};

/// Faces and lines that may touch each other. Gaps are averaged around the corners of the followers, and forces found
/// there; lines follow faces on whichever side they are.
struct Contact {
  std::string name;
  std::vector<ContactFace> followers;
  std::vector<ContactFace> leaders;  ///< empty: the followers touch each other
  double friction = 0;               ///< Coulomb's coefficient
  bool close_gaps = false;           ///< what is between them in the unloaded structure counts as nothing
  bool overlap_is_free = false;      ///< what overlaps there presses only beyond that
  bool within() const { return leaders.empty(); }
};

}  // namespace archway::model
