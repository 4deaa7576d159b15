#pragma once
#include "archway/study/chain.hpp"
#include "charts/chart_detail.hpp"

namespace archway::report::detail {

/// What a curve of a path is drawn over and of: a watch against the load factor (against < 0) or another watch.
struct Plotted {
  std::size_t watch = 0;
  int against = -1;
};

/// A path as a curve, with its events.
Series path_series(const study::AnalysisOutcome& outcome, const Plotted& plotted);
/// The branches of a path and theirs, each a curve.
void add_branches(const analysis::PathResult& path, const std::string& name, const Plotted& plotted,
                  std::vector<Series>& all);

/// All charts of the paths of a study, by file name: one a watch, those that the study asks for, and the lowest
/// directions where paths were asked for them.
std::vector<std::pair<std::string, Chart>> path_charts(const study::StudyResult& result);

}  // namespace archway::report::detail
