#pragma once
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

/// Every hand formula under one roof: its name, what it takes, what it gives, what it assumes.
namespace archway::theory {

/// Powers of force and length in a unit: {1, -2} is force / length^2.
struct UnitPowers {
  int force = 0, length = 0;
};
/// "N/mm^2" for {1, -2} with force "N" and length "mm"; "" without powers.
std::string unit_text(UnitPowers unit, const std::string& force, const std::string& length);

/// What a formula takes: a number, or one of several words.
struct FormulaInput {
  std::string name, meaning;
  UnitPowers unit;
  std::optional<double> usual;     ///< taken when none is given; none: must be given
  std::vector<std::string> words;  ///< when it is a word; the first is taken when none is given
  bool is_word() const { return !words.empty(); }
};

/// What it gives. Values named "critical" are the critical loads, rising.
struct FormulaValue {
  std::string name, meaning;
  double value = 0;
  UnitPowers unit;
};

/// Values of the inputs, complete.
struct FormulaInputs {
  std::map<std::string, double> numbers;
  std::map<std::string, std::string> words;
  double operator[](const char* name) const { return numbers.at(name); }
  bool is(const char* name, const char* word) const { return words.at(name) == word; }
};

struct Formula {
  std::string name, title, source;
  std::vector<FormulaInput> inputs;
  std::vector<std::string> assumes;
  std::function<std::vector<FormulaValue>(const FormulaInputs&)> values;
};
const std::vector<Formula>& formulas();
/// \throws base::InputError when there is none of this name; the closest is suggested
const Formula& formula_named(const std::string& name);

/// Checks what was given, fills in what was not and evaluates. \throws base::InputError for unknown or missing inputs,
/// words that are not known, numbers that are not finite, and what the formula itself refuses
std::vector<FormulaValue> evaluate(const Formula& formula, const std::map<std::string, double>& numbers,
                                   const std::map<std::string, std::string>& words);

}  // namespace archway::theory
