#pragma once
#include <functional>

#include "archway/analysis/path.hpp"
#include "archway/study/outcome.hpp"

namespace archway::study {

/// Called as the chain goes on; every member may be empty.
struct ChainWatcher {
  std::function<void(const CheckReport&)> checked;
  std::function<void(const AnalysisSpec&, const AnalysisOutcome&)> started;
  std::function<void(const AnalysisOutcome&)> finished;
  analysis::BucklingWatcher buckling;
  std::function<analysis::Next(const AnalysisOutcome&, const analysis::PathOptions&, const analysis::PathProgress&)>
      path;
  std::function<bool()> wants_stop;  ///< asked between analyses
};

}  // namespace archway::study
