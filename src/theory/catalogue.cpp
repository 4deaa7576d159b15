#include "archway/theory/catalogue.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "catalogue_detail.hpp"

namespace archway::theory {

namespace {
std::string power(const std::string& unit, int exponent) {
  return exponent == 1 ? unit : fmt::format("{}^{}", unit, exponent);
}

void check_names(const Formula& formula, const std::map<std::string, double>& numbers,
                 const std::map<std::string, std::string>& words) {
  std::vector<std::string> names;
  for (const auto& input : formula.inputs) names.push_back(input.name);
  const auto check = [&](const std::string& name) {
    if (std::find(names.begin(), names.end(), name) == names.end())
      throw base::InputError("", fmt::format("formula '{}' takes no '{}'", formula.name, name),
                             base::suggestion(name, names, "it takes"));
  };
  for (const auto& [name, value] : numbers) check(name);
  for (const auto& [name, value] : words) check(name);
}
}  // namespace

std::string unit_text(UnitPowers unit, const std::string& force, const std::string& length) {
  std::string above, below;
  const auto add = [](std::string& to, const std::string& what) { to += (to.empty() ? "" : " ") + what; };
  if (unit.force > 0) add(above, power(force, unit.force));
  if (unit.length > 0) add(above, power(length, unit.length));
  if (unit.force < 0) add(below, power(force, -unit.force));
  if (unit.length < 0) add(below, power(length, -unit.length));
  return below.empty() ? above : (above.empty() ? "1" : above) + "/" + below;
}

const std::vector<Formula>& formulas() {
  static const std::vector<Formula> all = [] {
    std::vector<Formula> list;
    detail::add_members(list);
    detail::add_frames(list);
    detail::add_plates(list);
    detail::add_shells(list);
    detail::add_standards(list);
    return list;
  }();
  return all;
}

const Formula& formula_named(const std::string& name) {
  std::vector<std::string> names;
  for (const auto& formula : formulas()) {
    if (formula.name == name) return formula;
    names.push_back(formula.name);
  }
  throw base::InputError("", fmt::format("there is no formula named '{}'", name),
                         base::suggestion(name, names, "formulas are"));
}

std::vector<FormulaValue> evaluate(const Formula& formula, const std::map<std::string, double>& numbers,
                                   const std::map<std::string, std::string>& words) {
  check_names(formula, numbers, words);
  FormulaInputs in;
  for (const auto& input : formula.inputs) {
    const auto n = numbers.find(input.name);
    const auto w = words.find(input.name);
    if (input.is_word()) {
      if (n != numbers.end() ||
          (w != words.end() && std::find(input.words.begin(), input.words.end(), w->second) == input.words.end()))
        throw base::InputError("", fmt::format("'{}' of formula '{}' cannot be that", input.name, formula.name),
                               fmt::format("choose {}", fmt::join(input.words, ", ")));
      in.words[input.name] = w == words.end() ? input.words.front() : w->second;
      continue;
    }
    if (w != words.end() || (n == numbers.end() && !input.usual))
      throw base::InputError("", fmt::format("formula '{}' needs a number for '{}'", formula.name, input.name),
                             fmt::format("{}: {}", input.name, input.meaning));
    in.numbers[input.name] = n == numbers.end() ? *input.usual : n->second;
    if (!std::isfinite(in.numbers[input.name]))
      throw base::InputError("", fmt::format("'{}' is not a finite number", input.name), "check it");
  }
  auto values = formula.values(in);
  for (const auto& value : values)
    if (!std::isfinite(value.value))
      throw base::InputError("", fmt::format("formula '{}' has no finite answer for these inputs", formula.name),
                             "check that sizes and stiffnesses are larger than zero");
  return values;
}

}  // namespace archway::theory
