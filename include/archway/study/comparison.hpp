#pragma once
#include "archway/study/chain.hpp"

namespace archway::study {

/// Lowest positive factor of the buckling analysis a path belongs to, or of its imperfection's; NaN when there is none.
double critical_factor(const StudyResult& result, const AnalysisSpec& spec);

/// The closing table: critical load factors with requirements and hand formulas, first yield, first loss of stability
/// and peak of every path, in the order of the chain.
std::vector<ComparisonRow> comparison(const StudyResult& result);

}  // namespace archway::study
