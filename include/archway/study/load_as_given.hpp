#pragma once
#include <string>
#include <vector>

#include "archway/study/outcome.hpp"

namespace archway::study {

/// All findings, the largest use first; empty: no analysis contradicts the load. What is looked at:
///  - LA: stress above yield; bars whose compression is above their own Euler load pi^2 E I / L^2 (I: the smaller
///    principal second moment, L: between their ends), since a bar element cannot buckle by itself;
///  - LBA about the unloaded structure: the first critical factor below 1; such bars at a factor below 1;
///  - paths of one stage: a limit point below load factor 1;
///  - paths: plastic strain limits that are reached below their required load factor.
std::vector<LoadFinding> load_findings(const StudyResult& result);

/// A warning when bars of a buckling analysis exceed their own Euler load below its first critical factor: bar elements
/// cannot buckle by themselves, so the structure fails at a lower load than the analysis shows. Empty: no such bar.
std::string bars_before_mode(const Units& units, const AnalysisOutcome& outcome);
/// A warning when the variable load takes the tension of tension-only bars away below the first critical factor: the
/// analysis goes on with them in compression. Empty: no such bar.
std::string ropes_before_mode(const AnalysisOutcome& outcome);

}  // namespace archway::study
