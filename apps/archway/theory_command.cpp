#include "theory_command.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "archway/io/study_file.hpp"
#include "archway/report/theory_sheet.hpp"
#include "archway/study/hand_checks.hpp"
#include "assignment.hpp"

namespace archway::app {

namespace {
struct Given {
  std::map<std::string, double> numbers;
  std::map<std::string, std::string> words;
  std::string force, length;
};

Given inputs_of(const theory::Formula& formula, const TheoryOptions& options) {
  Given given;
  given.force = options.force;
  given.length = options.length;
  auto typed = assignments(options.inputs, "length=3000");
  if (!options.study.empty()) {
    const auto spec = io::read_study(options.study, {});
    given.force = spec.units.force;
    given.length = spec.units.length;
    study::HandCheckSpec from;
    from.material = options.material;
    from.profile = options.profile;
    from.about = options.about;
    given.numbers = study::inputs_from_study(spec, formula, from);
  }
  for (const auto& [name, value] : typed.numbers) given.numbers[name] = value;
  given.words = std::move(typed.words);
  return given;
}

std::string json_of(const theory::Formula& formula, const Given& given,
                    const std::vector<theory::FormulaValue>& values) {
  nlohmann::ordered_json root;
  root["formula"] = formula.name;
  root["title"] = formula.title;
  root["source"] = formula.source;
  root["assumes"] = formula.assumes;
  root["inputs"] = given.numbers;
  for (const auto& [name, value] : given.words) root["inputs"][name] = value;
  root["values"] = nlohmann::ordered_json::array();
  for (const auto& v : values)
    root["values"].push_back({{"name", v.name},
                              {"value", v.value},
                              {"unit", theory::unit_text(v.unit, given.force, given.length)},
                              {"meaning", v.meaning}});
  return root.dump(1) + "\n";
}
}  // namespace

int command_theory(const TheoryOptions& options, Console& console) {
  report::TextStyle style;
  style.bold = console.out_is_terminal;
  style.unicode = console.unicode;
  style.width = std::min(console.width, 130);
  if (options.formula.empty()) {
    console.out << report::formulas_text(style);
    return done;
  }
  const auto& formula = theory::formula_named(options.formula);
  if (options.inputs.empty() && options.study.empty()) {
    console.out << report::formula_text(formula, options.force, options.length, style);
    return done;
  }
  const auto given = inputs_of(formula, options);
  const auto values = theory::evaluate(formula, given.numbers, given.words);
  console.out << (options.json ? json_of(formula, given, values)
                               : report::formula_values_text(formula, values, given.force, given.length, style));
  return done;
}

}  // namespace archway::app
