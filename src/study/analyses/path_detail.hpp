#pragma once
#include "analyses/path_end_thresholds_detail.hpp"
#include "archway/analysis/stages.hpp"
#include "judge/strain_limit_detail.hpp"
#include "run/run_detail.hpp"

/// The parts of the analyses that follow a path: what they read, how they are led, what they say.
namespace archway::study::detail {

/// control, steps, stop, stages, output_at, at_bifurcation.
void read_path(Keys& keys, AnalysisSpec& spec);
/// Watches, stages and loads that a path names exist.
void check_path(const AnalysisSpec& spec, References& references);
/// The stages of a path, at least one; systems are those of the supports of each.
std::vector<analysis::PathStage> stages_of(Run& run, const AnalysisOutcome& outcome, const model::Model& geometry);

/// Resultants of the loads of every stage that was begun, where there are several.
void total_stages(Run& run, AnalysisOutcome& outcome);

void advise_on_path(const AnalysisOutcome& outcome, std::vector<std::string>& list);
/// First contact, first slack, jumps, largest reactions that are watched.
void add_path_events(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows);
/// First yield, losses of stability, what every stage came to.
void compare_path(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows);

}  // namespace archway::study::detail
