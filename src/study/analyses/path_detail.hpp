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
/// Whether a path stays below a plastic strain up to the load factor that is required.
struct StrainLimitCheck {
  int increment = -1;                     ///< first one at or above the limit; -1: none
  double load_factor = analysis::kUnset;  ///< where it is reached
  double highest = 0, largest = 0;        ///< load factor carried below it; strain on the way there
  bool met = false;
};
StrainLimitCheck check_strain_limit(const AnalysisOutcome& outcome, const StrainLimitSpec& limit);
/// First contact, first slack, jumps, largest reactions that are watched.
void add_path_events(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows);
/// First yield, losses of stability, what every stage came to.
void compare_path(const StudyResult& result, const AnalysisOutcome& outcome, std::vector<ComparisonRow>& rows);

}  // namespace archway::study::detail
