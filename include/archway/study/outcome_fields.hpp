#pragma once
#include "archway/base/fields.hpp"
#include "archway/study/outcome.hpp"

namespace archway::study {

const base::Fields<ComparisonRow>& comparison_fields();
const base::Fields<RequirementVerdict>& verdict_fields();
const base::Fields<ModeMatch>& match_fields();
const base::Fields<SecondOrder>& second_order_fields();

/// All records of results with their fields as a table in Markdown: part of docs/results.md.
std::string fields_in_words();

}  // namespace archway::study
