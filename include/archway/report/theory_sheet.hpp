#pragma once
#include "archway/report/text.hpp"
#include "archway/theory/catalogue.hpp"

namespace archway::report {

/// All hand formulas, a line each.
std::string formulas_text(const TextStyle& style);
/// What one takes and assumes. \param force, length  units to name
std::string formula_text(const theory::Formula& formula, const std::string& force, const std::string& length,
                         const TextStyle& style);
/// Its values, with what it assumes.
std::string formula_values_text(const theory::Formula& formula, const std::vector<theory::FormulaValue>& values,
                                const std::string& force, const std::string& length, const TextStyle& style);

}  // namespace archway::report
