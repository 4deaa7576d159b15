#pragma once
#include "archway/analysis/stages.hpp"
#include "run/run_detail.hpp"

namespace archway::study {

/// Slopes of the peak of a path that has been followed, by its imperfections, the modes they are made of, and its
/// walls.
std::shared_ptr<const PeakSlopes> peak_slopes(const Run& run, const AnalysisOutcome& outcome,
                                              const analysis::PathStage& stage);

}  // namespace archway::study
