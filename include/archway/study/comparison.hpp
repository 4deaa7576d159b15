#pragma once
#include "archway/study/outcome.hpp"

namespace archway::study {

/// Lowest positive factor of the buckling analysis a path belongs to, or of its imperfection's; NaN when there is none.
double critical_factor(const StudyResult& result, const AnalysisSpec& spec);

/// Size of the resultant of the constant part and load factor times the variable part; NaN where the variable loads
/// balance each other, so that their size cannot be read from a resultant.
double total_load(const AnalysisOutcome& outcome, double load_factor);
/// The same in a stage of a path; of a path by one stage the same whatever the stage.
double total_load(const AnalysisOutcome& outcome, double load_factor, int stage);

/// The closing table: critical load factors with requirements and hand formulas, first yield, first loss of stability
/// and peak of every path, in the order of the chain.
std::vector<ComparisonRow> comparison(const StudyResult& result);

/// Plain warnings about an analysis that has been run. \param spec  of the structure it was done on
std::vector<std::string> advice_on(const StudySpec& spec, const AnalysisOutcome& outcome);

}  // namespace archway::study
