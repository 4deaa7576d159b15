#pragma once
#include "run_detail.hpp"

/// The parts of the analyses that follow a path: what they read, how they are led, what they say.
namespace archway::study::detail {

/// An MNA without stop rules ends where the load changes by so little while the structure moves on by half.
constexpr double kStandsStill = 1e-4;
/// ... or where hardening would carry it on for ever: the strain limit of EN 1993-1-5 C.8.
constexpr double kLimitStrain = 0.05;

/// control, steps, stop, stages, output_at, at_bifurcation.
void read_path(Keys& keys, AnalysisSpec& spec);
/// Watches, stages and loads that a path names exist.
void check_path(const AnalysisSpec& spec, References& references);
/// The stages of a path, at least one; systems are those of the supports of each.
std::vector<analysis::PathStage> stages_of(Run& run, const AnalysisOutcome& outcome, const model::Model& geometry);

/// Resultants of the loads of every stage that was begun, where there are several.
void total_stages(Run& run, AnalysisOutcome& outcome);

void advise_on_path(const AnalysisOutcome& outcome, std::vector<std::string>& list);
/// First yield, losses of stability, what every stage came to.
void compare_path(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows);

}  // namespace archway::study::detail
