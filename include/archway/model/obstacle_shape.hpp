#pragma once
#include <array>
#include <string>
#include <vector>

#include "archway/base/rotation.hpp"

namespace archway::model {

using base::Vec3;

/// A rigid body that stays constant, which nodes touch and cannot enter.
struct Obstacle {
  enum class Kind {
    plane,     ///< half a space
    cylinder,  ///< without ends
    sphere,
    surface  ///< of triangles, normals to the free side by the order of their corners
  };
  std::string name;
  Kind kind = Kind::plane;
  Vec3 place = Vec3::Zero();                ///< a point of the plane or of the axis, or the middle
  Vec3 axis = Vec3::UnitZ();                ///< unit: normal of the plane, to the free side; along the cylinder
  double radius = 0;                        ///< cylinder, sphere
  bool inside = false;                      ///< the free side is the inside of the cylinder or sphere
  double friction = 0;                      ///< Coulomb
  std::vector<std::array<Vec3, 3>> facets;  ///< surface
  int degenerate = 0;                       ///< faces without area that were omitted of them
};

/// A node that may touch an obstacle.
struct Touch {
  int node = -1, obstacle = -1;
  double reach = 0;      ///< from the node to the face that touches: half a wall's thickness, the depth of a member
  double stiffness = 0;  ///< force per displacement with which contact is sought; no matter for what comes out
  double closed = 0;  ///< of its gap in the unloaded structure so much counts as nothing (initial overlap: below zero)
};

}  // namespace archway::model
