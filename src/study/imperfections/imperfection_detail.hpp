#pragma once
#include "analyses/run_detail.hpp"

namespace archway::study {

/// What is wrong with the imperfection that an analysis names.
void check_imperfection_of(const AnalysisSpec& analysis, References& references);
/// What is wrong with an imperfection by itself.
void check_imperfection(const ImperfectionSpec& imperfection, References& references);
/// Makes the imperfection of an analysis and its geometry. \return false: it cannot be made, `skip_reason` says why
bool seed(Run& run, AnalysisOutcome& outcome);

}  // namespace archway::study
