#pragma once
#include "archway/study/chain.hpp"
#include "chart_detail.hpp"

namespace archway::report::detail {

/// A path as a curve over what a watch records, with its events.
Series path_series(const study::AnalysisOutcome& outcome, std::size_t watch);
/// The branches of a path and theirs, each a curve.
void add_branches(const analysis::PathResult& path, const std::string& name, std::size_t watch,
                  std::vector<Series>& all);

}  // namespace archway::report::detail
