#pragma once
#include "archway/study/chain.hpp"

namespace archway::study {

/// A group counts as buckling in a mode when it holds this share of the mode's strain energy.
constexpr double kTakesPart = 0.25;

/// Whether a group of parts buckles late enough.
Verdict verdict_on(const RequirementSpec& required, const model::Model& model, const analysis::BucklingResult& result,
                   const std::vector<analysis::ModeReading>& readings);

/// 1 / (1 - 1 / factor): how much first-order moments grow in the shape of the first mode; infinite at 1 and below.
double amplification(double load_factor);
/// Below this critical load factor second order matters (EN 1993-1-1 5.2.1 (3), elastic analysis).
constexpr double kSecondOrderMatters = 10;

/// A mode in a few words with the figures that justify them: where it lives, and whether the joints move.
std::string mode_in_words(const model::Model& model, const analysis::ModeReading& reading);

}  // namespace archway::study
