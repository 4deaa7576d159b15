#pragma once
#include "archway/analysis/buckling.hpp"

/// What an analyst wants to know of buckling modes besides their factors.
namespace archway::analysis {

/// The state the modes belong to, by linear theory.
struct BaseState {
  ElementForces held, growing;        ///< of the held part, and of the growing part at factor 1
  std::vector<PartPeak> at_critical;  ///< one a part, at the first critical load
  FirstYield yield;                   ///< of held + f x growing
};
/// \param options  with which `result` was obtained; it must have a mode
BaseState base_state(const System& system, const BucklingOptions& options, const BucklingResult& result);

/// Why and where a structure buckles in one mode.
struct ModeReading {
  /// Share of every growing pattern, in the order of the growing terms, in the work that drives the mode; their sum is
  /// 1. Exact, since the geometric stiffness is a sum over patterns. With c the factor of a pattern, the load factor f
  /// follows df/dc = -f share / c, so the largest positive share is the pattern that buckles the structure; a negative
  /// one holds against it. With a held part: of the growing part alone.
  std::vector<double> load_shares;
  /// x^T K_geo(held) x / x^T K x: below zero the held part takes stiffness away, above it adds some.
  double held_share = 0;
  /// Share of strain energy (x^T K x) by part, and a last one for springs and fasteners; their sum is 1.
  std::vector<double> energy;
  /// Share of the destabilising work (-x^T K_geo x of the growing part) by part; the last one: joints and load
  /// stiffness.
  std::vector<double> work;
  int leading_part = -1;      ///< most strain energy; -1: springs and fasteners
  double joint_movement = 0;  ///< largest movement of nodes that several parts share, over the largest of all
};
/// One for every mode of `result`.
std::vector<ModeReading> read_modes(const System& system, const BucklingOptions& options, const BucklingResult& result);

/// Effective length of a member from the mode that takes it along first.
struct EffectiveLength {
  int part = -1, mode = -1;  ///< mode: the first with a tenth of its destabilising work in the part; -1: none does
  double axial = 0;          ///< most compressed place at that mode's critical load, positive
  double about_y = 0, about_z = 0;  ///< pi sqrt(E I / axial), for bending about the section's axes
  double slenderness = 0;           ///< relative: sqrt(A yield / axial); 0: no yield stress
};
/// Members only, those that are pressed.
std::vector<EffectiveLength> effective_lengths(const model::Model& model, const BaseState& base,
                                               const BucklingResult& result, const std::vector<ModeReading>& readings);

/// How a load factor answers to a number of the structure.
struct Sensitivity {
  int part = -1;
  /// d f / f over d t / t: of a panel's thickness, or of the area and second moments of a member's or bar's profile
  /// taken together (the stiffness of the section as a whole); one a mode.
  std::vector<double> relative;
};
/// Exact first derivatives without solving the eigenvalue problem again: the change of the preload comes in through the
/// adjoint K v = d(x^T K_geo(u) x)/du, made from second differences of the internal force along the mode; what depends
/// on the parameter alone is differenced. Repeated factors have no such derivative: their entries are those of the mode
/// as it came out. Growing part only: not with a held part.
/// \param parts  to look at
std::vector<Sensitivity> sensitivities(const System& system, const BucklingOptions& options,
                                       const BucklingResult& result, const std::vector<int>& parts);

}  // namespace archway::analysis
