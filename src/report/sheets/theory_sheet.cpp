#include "archway/report/theory_sheet.hpp"

#include <fmt/format.h>

#include "text/text_detail.hpp"

namespace archway::report {

namespace {
std::string title_of(const theory::Formula& formula, const TextStyle& style) {
  const std::string title = fmt::format("{}: {}", formula.name, formula.title);
  return (style.bold ? fmt::format("\033[1m{}\033[0m", title) : title) + "\n\n";
}
std::string closing(const theory::Formula& formula) {
  std::string out = "\n";
  for (const auto& line : formula.assumes) out += fmt::format("  assumes  {}\n", line);
  return out + fmt::format("  source   {} (docs/bibliography.md)\n", formula.source);
}
}  // namespace

std::string formulas_text(const TextStyle& style) {
  std::string out = style.bold ? "\033[1mhand formulas\033[0m\n\n" : "hand formulas\n\n";
  for (const auto& f : theory::formulas()) out += fmt::format("  {:<18} {}\n", f.name, f.title);
  return out +
         "\n  archway theory NAME                  what a formula takes and assumes\n"
         "  archway theory NAME input=value ...  its values\n"
         "  [[hand_checks]] in a study           its values beside those of an analysis\n";
}

std::string formula_text(const theory::Formula& formula, const std::string& force, const std::string& length,
                         const TextStyle& style) {
  std::string out = title_of(formula, style);
  std::string example = fmt::format("  archway theory {}", formula.name);
  for (const auto& input : formula.inputs) {
    const std::string unit = theory::unit_text(input.unit, force, length);
    const std::string usual = input.is_word() ? input.words.front()
                              : input.usual   ? fmt::format("{:g}", *input.usual)
                                              : "";
    out += fmt::format("  {:<20} {:<8} {:<16} {}\n", input.name, unit,
                       usual.empty() ? "must be given" : "if not: " + usual, input.meaning);
    if (input.is_word())
      out += detail::paragraph("                     one of", fmt::format("{}", fmt::join(input.words, ", ")), style);
    if (usual.empty()) example += fmt::format(" {}=...", input.name);
  }
  return out + closing(formula) + "\n" + example + "\n";
}

std::string formula_values_text(const theory::Formula& formula, const std::vector<theory::FormulaValue>& values,
                                const std::string& force, const std::string& length, const TextStyle& style) {
  std::string out = title_of(formula, style);
  for (const auto& v : values)
    out += fmt::format("  {:<18} {:>14.8g} {:<8} {}\n", v.name, v.value, theory::unit_text(v.unit, force, length),
                       v.meaning);
  return out + closing(formula);
}

}  // namespace archway::report
