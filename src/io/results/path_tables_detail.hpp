#pragma once
#include "archway/io/results_folder.hpp"

namespace archway::io::detail {

/// Reactions, extremes of parts and forces of joints at every increment of a path, as CSV.
void write_path_tables(ResultsFolder& folder, const study::AnalysisOutcome& outcome);

}  // namespace archway::io::detail
