#pragma once
#include "archway/analysis/buckling.hpp"
#include "archway/model/joined.hpp"

/// What an analyst wants to know of buckling modes besides their factors.
namespace archway::analysis {

/// The state the modes belong to, by linear theory.
struct BaseState {
  ElementForces constant, variable;   ///< of the constant part, and of the variable part at factor 1
  std::vector<PartPeak> at_critical;  ///< one a part, at the first critical load
  FirstYield yield;                   ///< of constant + f x variable
};
/// \param options  with which `result` was obtained; it must have a mode
BaseState base_state(const System& system, const BucklingOptions& options, const BucklingResult& result);

/// The same about a state of a path: what is in place there, and the variable loads' answer in its geometry.
BaseState base_state_about(const System& system, const StateInPlace& base, const BucklingResult& result);

/// How often a mode changes sign along a line of a part's mesh through its largest displacement.
struct WaveCount {
  /// Stretches between changes of sign whose peak is a fifth of the largest or more; around a closed line twice the
  /// full waves.
  int half_waves = 0;
  bool closed = false;
  double length = 0;                  ///< of the line
  double elements_per_half_wave = 0;  ///< in the shortest of these stretches; infinite where the line only tilts
  bool tilts = false;                 ///< the values lie on a straight line: a flange that rotates about its fold
};
/// Waves of a mode in one part: of a panel first along its longer mesh line (or around, where one closes), then across;
/// of a member along it, its end-to-end displacement taken off.
struct PartWaves {
  int part = -1;
  std::vector<WaveCount> lines;
  bool twists = false;  ///< a member whose waves are counted in its twist, since that moves it more than it bends
};

/// Why and where a structure buckles in one mode.
struct ModeReading {
  /// Empty for modes about a state of a path. Share of every growing action, in the order of the variable terms, in the
  /// work that drives the mode; their sum is
  /// 1. Exact, since the geometric stiffness is a sum over actions. With c the factor of an action, the load factor f
  /// follows df/dc = -f share / c, so the largest positive share is the action that buckles the structure; a negative
  /// one holds against it. With a constant part: of the variable part alone.
  std::vector<double> load_shares;
  /// x^T K_geo(held) x / x^T K x: below zero the constant part takes stiffness away, above it adds some.
  double held_share = 0;
  /// Share of strain energy (x^T K x) by part, and a last one for springs and fasteners; their sum is 1.
  std::vector<double> energy;
  /// Share of the destabilising work (-x^T K_geo x of the variable part) by part; the last one: joints and load
  /// stiffness.
  std::vector<double> work;
  int leading_part = -1;          ///< most strain energy; -1: springs and fasteners
  double joint_displacement = 0;  ///< largest displacement of nodes that several parts share, over the largest of all
  /// Length of the sum of the displacements of those nodes over the sum of their lengths: 1 when all move one way
  /// (sway).
  double joint_coherence = 0;
  std::vector<PartWaves> waves;  ///< of parts that move at least a fifth of the most
  /// Of the parts that hang together with the leading one, where these are more than twice as long as wide and made of
  /// panels: share of the displacement of the cross-section, where it is largest, that a rigid displacement of the
  /// section explains, and share of that which is a rotation. NaN: not so.
  double rigid_share = kUnset, twist_share = kUnset;
  /// Of the strain energy of all members: bending about y, about z, and torsion with warping; their sum is 1. NaN: no
  /// member has any.
  double bend_y = kUnset, bend_z = kUnset, torsion = kUnset;
  std::vector<std::array<double, 3>>
      bending;            ///< by part: energy of bending about y and z and of torsion, to one scale
  double in_members = 0;  ///< share of the strain energy of all parts (not of springs) that members have
  int together = 0;       ///< parts that hang together with the leading one, itself included
  /// Rotation of the chords of straight members, as sideways displacement of one end against the other over the largest
  /// displacement of all, weighted by their share of the destabilising work: 1 when a frame sways, 0 when joints stay.
  double chord_rotation = 0;
  bool bent =
      false;  ///< the variable load bends the leading part (or what hangs together with it) more than it presses it
  /// Estimated size of the relative error of the load factor that the mesh brings, from how the stresses of the mode
  /// vary inside elements and jump between them; see mesh_errors.
  double mesh_error = kUnset;
};
/// Whether a share of energy is the larger one for certain: shapes have only some digits, so of parts closer to each
/// other than a thousandth the one defined first goes first.
inline bool clearly_more(double share, double than) {
  return share > than * (1 + 1e-3);
}

/// Counts of waves of one mode. \param shape  full
std::vector<PartWaves> wave_counts(const model::Model& model, const Eigen::VectorXd& shape);

/// Relative error of each load factor, estimated from the solution: the share of strain energy of the mode that a
/// better stress field (averaged at nodes) and the one of the elements differ by ([ZienkiewiczZhu1987]); where elements
/// hold stresses of higher degree, by how much less they leave of the same variation. The error of the factor is of the
/// size of that share, of either sign. The mesh of the preload and of curved surfaces is not judged.
std::vector<double> mesh_errors(const System& system, const BucklingResult& result);
/// Leading power of the element size in that error for the elements of a part.
int error_order(const model::Model& model, int part);

/// One for every mode of `result`.
std::vector<ModeReading> read_modes(const System& system, const BucklingOptions& options, const BucklingResult& result);

/// The same for modes about a state of a path, without what needs a linear preload (shares of loads and work, mesh
/// error): strain energy is that of the tangent's material and stress part at the state.
std::vector<ModeReading> read_modes_about(const System& system, const StateInPlace& base, const BucklingResult& result);

/// A member in compression at the critical load of a mode.
struct EffectiveLength {
  std::string member;      ///< see model::JoinedMember
  std::vector<int> parts;  ///< one, or the pieces it is cut into
  double length = 0;       ///< of the member
  int mode = -1;           ///< -1: none takes the member along, the axial force is that of the first
  double share = 0;        ///< of the mode's destabilising work (about a state: of its strain energy) in the member
  /// Share of the member's own bending energy in the mode, about the axes of about_y and about_z; an effective length
  /// about an axis that the mode does not bend it about says nothing.
  double bend_y = 0, bend_z = 0;
  double axial = 0;  ///< most compressed place at that mode's critical load, positive
  /// pi sqrt(E I / axial) with the second moments of the section with the largest compressive stress, for bending about
  /// its axes y and z; about its major and minor principal axes where its product moment is not zero (`principal`).
  double about_y = 0, about_z = 0;
  bool principal = false;
  double area = 0;  ///< of that section
  double slenderness =
      0;  ///< relative: sqrt(yield / largest compressive stress) (EN 1993-1-1, 6.3.4); 0: no yield stress
  double at_factor_one = 0;              ///< most compressed place with the variable loads once, positive
  double reduction = 0, resistance = 0;  ///< chi and chi A yield, of what chooses a curve; 0: none is chosen
};
/// Members that are in compression, every mode: mode by mode in the order of the members.
std::vector<EffectiveLength> effective_lengths(const model::Model& model,
                                               const std::vector<model::JoinedMember>& members, const BaseState& base,
                                               const BucklingResult& result, const std::vector<ModeReading>& readings);
/// The first mode with a tenth of its work (energy) in each member, or none (mode -1).
std::vector<EffectiveLength> first_taken_along(const std::vector<EffectiveLength>& by_mode);

/// How a load factor answers to a number of the structure.
struct Sensitivity {
  int part = -1;
  std::string springs;  ///< name of springs, fasteners or foundations, when it is their stiffness
  /// d f / f over d t / t: of a panel's thickness, of the area and second moments of a member's or bar's profile taken
  /// together (the stiffness of the section as a whole), or of all stiffnesses of springs; one a mode.
  std::vector<double> relative;
};
/// Exact first derivatives without solving the eigenvalue problem again: the change of the preload comes in through the
/// adjoint K v = d(x^T K_geo(u) x)/du, made from second differences of the internal force along the mode; what depends
/// on the parameter alone is differenced. Repeated factors have no such derivative: their entries are those of the mode
/// as it came out. The constant part keeps its size.
/// \param parts  to look at  \param springs  names of springs to look at
std::vector<Sensitivity> sensitivities(const System& system, const BucklingOptions& options,
                                       const BucklingResult& result, const std::vector<int>& parts,
                                       const std::vector<std::string>& springs = {});

}  // namespace archway::analysis
