#pragma once
#include <nlohmann/json.hpp>

#include "archway/study/chain.hpp"

namespace archway::io::detail {

/// Imperfections of an analysis: their sum and every one of them.
nlohmann::ordered_json imperfection_json(const study::AnalysisOutcome& outcome);
/// What is known of how much they matter: coefficients of the branch, slopes of the peak.
void add_sensitivity(nlohmann::ordered_json& analysis, const study::AnalysisOutcome& outcome);

}  // namespace archway::io::detail
