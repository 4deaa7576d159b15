#pragma once
#include "archway/study/chain.hpp"

namespace archway::study {

/// Suspicious numbers of a model: stiffness, density and sizes that look like another unit set, slender or thick
/// shells, unheld actions.
std::vector<std::string> advice_on_model(const StudySpec& spec, const model::Model& model);
/// Plain warnings about an analysis that has been run. \param spec  of the structure it was done on
std::vector<std::string> advice_on(const StudySpec& spec, const AnalysisOutcome& outcome);

}  // namespace archway::study
