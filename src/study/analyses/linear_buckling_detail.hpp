#pragma once
#include "archway/study/chain.hpp"

namespace archway::study {

/// What a buckling analysis that can be used is warned of. \param spec  of the structure it was done on
void advise_on_modes(const StudySpec& spec, const AnalysisOutcome& outcome, std::vector<std::string>& list);

}  // namespace archway::study
