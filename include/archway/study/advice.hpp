#pragma once
#include "archway/study/spec.hpp"

namespace archway::study {

/// Suspicious numbers of a model: stiffness, density and sizes that look like another unit set, slender or thick
/// shells, unheld actions.
std::vector<std::string> advice_on_model(const StudySpec& spec, const model::Model& model);

}  // namespace archway::study
