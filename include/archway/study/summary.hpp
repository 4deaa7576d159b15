#pragma once
#include <string>
#include <vector>

#include "archway/study/outcome.hpp"

namespace archway::study {

/// Whether the load as given (load factor 1) is carried, as far as one result says.
/// `not_contradicted` is no proof: an LBA is an upper estimate, and so is a path without imperfection or yielding.
enum class Carried { no, not_answered, not_contradicted };

/// One line of the summary: what an analysis, a requirement or a hand check says.
struct SummaryLine {
  Carried carried = Carried::not_answered;
  std::string analysis, kind;
  std::string text;  ///< with its numbers and units, a statement without full stop
};

/// The answer of a study in a few lines, the worst first: what fails (load_findings(), requirements and hand checks
/// that are not met), what is not answered (analyses without a usable end), and one line an analysis: the lowest
/// critical load factor with its mode, or the peak of a path with first yield and first loss of stability.
std::vector<SummaryLine> summary(const StudyResult& result);

/// The worst of all lines; not_answered also where no analysis looks at stability.
Carried carried(const StudyResult& result);

/// "no", "not answered", "not contradicted"
const char* to_text(Carried carried);

}  // namespace archway::study
