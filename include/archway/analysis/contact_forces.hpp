#pragma once
#include "archway/analysis/vocabulary.hpp"

namespace archway::analysis {

/// What an obstacle gives to the nodes that touch it, or a contact between parts to its followers, in the state as it
/// is.
struct ContactForce {
  int obstacle = -1;           ///< of the model; -1: a contact
  int contact = -1;            ///< of the model
  int touching = 0;            ///< nodes
  Vec3 force = Vec3::Zero();   ///< on the structure
  Vec3 moment = Vec3::Zero();  ///< the same about the origin
  double pressed = 0;          ///< sum of the normal forces: of opposite walls of a hole the force is less
  double largest = 0;          ///< normal force at one node
  int node = -1;               ///< which
  double gap = 0;              ///< least of all nodes; below zero: what the iteration left
  double area = 0;             ///< of a contact: around the nodes that touch
  double pressure = 0;         ///< of a contact: largest mean around a node
  double overlap = 0;          ///< of a contact: largest that came into view as one, and counts as no gap
};

const std::string& name_of(const model::Model& model, const ContactForce& force);

/// One an obstacle of the model, then one a contact. \param memory  see Geometry::trial
std::vector<ContactForce> contact_forces(const System& system, const State& state, const elements::Memory* memory);

/// Force of obstacles and contacts on every node, three values each.
std::vector<double> contact_at_nodes(const Geometry& geometry, const State& state, const elements::Memory* memory);
/// Pressure at the nodes of the followers of contacts between parts, zero elsewhere.
std::vector<double> pressure_at_nodes(const Geometry& geometry, const State& state, const elements::Memory* memory);

}  // namespace archway::analysis
