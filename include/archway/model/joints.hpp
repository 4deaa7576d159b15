#pragma once
#include <optional>
#include <set>

#include "archway/model/surface.hpp"

namespace archway::model {

/// The node at a position, or a new one there. \param tolerance  length
int node_at(Model& model, const Vec3& position, double tolerance);

/// How one end of a line element hangs on its joint.
struct EndJoint {
  Vec3 offset = Vec3::Zero();                    ///< from the joint to the end of the member, global axes, rigid
  std::vector<Vec3> free_moves, free_rotations;  ///< released directions (unit vectors, global, in the unloaded state)
  bool own_warping = false;                      ///< the amplitude of warping is not passed on to the joint
};
/// Gives an end of a member a node of its own that follows the joint. With an offset the joint is the node at the end's
/// position less the offset (made when there is none), without one the node that was there.
/// \param element  in Model::line_elements; \param place  0: its start, 3: its end
/// \return the node of the joint
int join_end(Model& model, std::size_t element, std::size_t place, const EndJoint& joint, const std::string& name);

/// Holds a node in axes of its own: a new node that is restrained in everything is in for the ground, and the node
/// follows it but for the directions that are free. Exact under large displacements; the axes stay as they are.
/// \param axes  columns: directions 1, 2, 3; \param degrees of freedom  held, 0 to 2 moves along and 3 to 5 rotations
/// about them \return the node that is in for the ground, whose reactions are those of the support
int hold_in_axes(Model& model, int node, const base::Mat3& axes, const std::set<int>& dofs, const std::string& name);

/// A tie that makes nodes follow a point like a rigid body (rotations: and rotation with it).
std::vector<Tie> rigid_coupling(const Model& model, int point, const std::vector<int>& nodes, bool rotations,
                                const std::string& name);
/// A tie that spreads what acts on a point over nodes, by the area that belongs to each, without stiffening them.
Tie spread_coupling(const Model& model, int point, const std::vector<int>& nodes, const std::string& name);

/// What nodes share with a leader.
struct Shared {
  std::array<bool, 3> axes = {false, false, false};  ///< displacement along x, y, z
  bool rotations = false;                            ///< all of its rotation
  double times = 1;                                  ///< of the displacements: a multiple of the leader's
  std::optional<base::Mat3> own;                     ///< columns: axes in place of x, y, z; then times is 1
};
/// Ties that give nodes the displacement of a leader along global axes; they are added to those that the nodes have of
/// this kind already. \throws base::InputError when a node follows another one in the same already
void move_alike(Model& model, int leader, const std::vector<int>& nodes, const Shared& shared, const std::string& name);

/// Springs between two parts at a point that need not be a node: two new nodes follow the surfaces, a spring joins
/// them. \throws base::InputError when a surface is further from the point than `reach`, reporting the distance
void add_fastener(Model& model, const std::string& first, const std::string& second, const Vec3& point, double reach,
                  const SpringElement& spring);

/// Ties that bond an edge or a surface to a part whose mesh does not match: dual mortar ([Wohlmuth2000]), integrated
/// over the pieces that both meshes cut out of each other, so that a constant stress passes from one to the other
/// exactly. Followers are the nodes on the bonded edge or face; they take the displacement of the surface below them
/// and, on shells with `rotations`, its rotation. Followers on solids are moved on to the surface when they lie off it
/// within tolerance. \throws base::InputError when they do not meet: how far apart, and where; or when the following
/// face is of twenty-node
///         solids, whose middle nodes cannot follow: bond the other way round
std::vector<Tie> bond(Model& model, const std::vector<int>& follow, const std::string& part, double tolerance,
                      bool rotations, const std::string& name);

/// Makes bonds hold beside whatever else acts on their nodes. A node of a bond that is also held, has a prescribed
/// displacement, or follows a coupling or another bond cannot follow the bond: the condition of the bond is kept by
/// letting the leader with the largest weight follow instead (Gauss elimination over all such nodes). Where at least
/// half of a condition is met already, because the leaders are restrained in the same degree of freedom or follow the
/// same coupling, the support (or, for couplings, the condition) is dropped as saying nothing new. Supports on the
/// follower of a hinge in the same place go to its leader; a direction free in the hinge that a support holds on both
/// sides is free no more. Call it when all ties, supports and actions stand. \throws base::InputError, one complaint a
/// cause, where no leader is free to give way
void settle_bonds(Model& model);

}  // namespace archway::model
