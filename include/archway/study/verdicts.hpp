#pragma once
#include "archway/base/chosen.hpp"
#include "archway/study/outcome.hpp"

namespace archway::study {

/// A group counts as buckling in a mode when it holds this share of the mode's strain energy.
inline const double kTakesPart = base::chosen("takes-part", 0.25);

/// Whether a group of parts buckles late enough.
RequirementVerdict verdict_on(const RequirementSpec& required, const model::Model& model,
                              const analysis::BucklingResult& result,
                              const std::vector<analysis::ModeReading>& readings);

/// 1 / (1 - 1 / factor): how much first-order moments grow in the shape of the first mode; infinite at 1 and below.
double amplification(double load_factor);
/// Below this critical load factor second order matters (EN 1993-1-1 5.2.1 (3), elastic analysis).
constexpr double kSecondOrderMatters = 10;

/// Limits of the words for a mode. Displacement of joints over the largest displacement: below the first they stay
/// fixed, above the second they move along.
inline const double kJointsStand = base::chosen("joints-stand", 0.1),
                    kJointsMove = base::chosen_below_one("joints-move", 0.5);
/// Share of the section's displacement that is rigid: above it sections keep their shape, below the mode is
/// distortional.
inline const double kMovesRigidly = base::chosen_below_one("moves-rigidly", 0.85);
/// Share of a rigid displacement (of panels), or of the strain energy (of members), that is a rotation: flexural below
/// the first, torsional above the second.
inline const double kFlexural = base::chosen("flexural", 0.02), kTorsional = base::chosen_below_one("torsional", 0.9);
/// Coherence of the joints' displacement above which a frame sways.
inline const double kSway = base::chosen_below_one("sway", 0.7);

/// What a mode is, in the words of the trade.
enum class ModeKind {
  plain,  ///< of a single panel: waves say all
  local,
  distortional,
  flexural,
  torsional,
  flexural_torsional,
  lateral_torsional,  ///< flexural-torsional of something that the load bends
  sway,
  overall
};
ModeKind mode_kind(const model::Model& model, const analysis::ModeReading& reading);

/// A mode in a few words with the figures that justify them: where it lives, its waves, and whether joints and sections
/// move (see ModeKind).
std::string mode_in_words(const model::Model& model, const analysis::ModeReading& reading);
/// "8 waves around, 1 half wave along in skin", of the part with most energy; empty when they could not be counted.
std::string waves_in_words(const model::Model& model, const analysis::ModeReading& reading);
/// Fewer elements per half wave than these do not show a mode of a panel well.
constexpr double kFewElements = 6;
/// Fewest elements per half wave over the parts that take part; infinite when no wave could be counted.
double elements_per_half_wave(const analysis::ModeReading& reading);

}  // namespace archway::study
