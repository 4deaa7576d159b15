#pragma once
#include <string>

#include "archway/study/sweep.hpp"

/// Faces of a result: text, figures. Nothing here computes anything.
namespace archway::report {

/// How text may look.
struct TextStyle {
  int width = 100;
  bool bold = false;     ///< terminal emphasis for headings
  bool unicode = true;   ///< lines and blocks; plain ASCII otherwise
  bool verbose = false;  ///< all columns, all rows, more digits
};

/// What was described: parts, mass, resultants of every action, warnings.
std::string check_text(const study::StudySpec& spec, const study::CheckReport& report, const TextStyle& style);
/// Head line of an analysis about to run: the constant load, the variable load.
std::string start_text(const study::StudySpec& spec, const study::AnalysisOutcome& outcome, const TextStyle& style);
/// One imperfection: how large, where, by which rule.
std::string imperfection_text(const study::SeededShape& shape, const study::StudySpec& spec);
/// What an analysis found, warnings last.
std::string outcome_text(const study::StudySpec& spec, const model::Model& model, const study::AnalysisOutcome& outcome,
                         const TextStyle& style);
/// The closing table.
std::string comparison_text(const study::StudyResult& result, const TextStyle& style);

/// Table of the path as it goes: head, then one line an increment.
/// \param flows  with a column of plastic strains
std::string path_head(const study::StudySpec& spec, const TextStyle& style, bool flows = false);
std::string path_line(const analysis::Increment& increment, const analysis::Increment* before, const TextStyle& style);

/// Cases of a sweep as a table, and which is the worst.
std::string sweep_text(const std::vector<study::CaseResult>& results, const study::Units& units);

/// Coefficients of the branch just after a bifurcation, and what they predict.
std::string post_buckling_text(const analysis::PostBuckling& branch, const study::Units& units);
std::string reduced_text(const analysis::ReducedModel& reduced, const study::Units& units);
/// How a peak changes with its imperfections and walls.
std::string slopes_text(const study::PeakSlopes& slopes, const model::Model& model, const study::Units& units);

}  // namespace archway::report
