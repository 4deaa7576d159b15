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

}  // namespace archway::analysis
