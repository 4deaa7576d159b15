#include "assignment.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::app {

namespace {
Assignments parse(const std::vector<std::string>& texts, const char* form, const char* example) {
  Assignments out;
  for (const auto& text : texts) {
    const auto equals = text.find('=');
    if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
      throw base::InputError("", fmt::format("'{}' is not {}", text, form), fmt::format("for instance {}", example));
    const std::string name = text.substr(0, equals), value = text.substr(equals + 1);
    std::size_t used = 0;
    double number = 0;
    try {
      number = std::stod(value, &used);
    } catch (const std::exception&) {
      used = 0;
    }
    if (used == value.size() && !std::isfinite(number))
      throw base::InputError("", fmt::format("'{}' is no finite number", text),
                             fmt::format("for instance {}", example));
    if (used == value.size())
      out.numbers[name] = number;
    else
      out.words[name] = value;
  }
  return out;
}

}  // namespace

Assignments assignments(const std::vector<std::string>& texts, const char* example) {
  return parse(texts, "NAME=VALUE", example);
}

std::map<std::string, double> number_assignments(const std::vector<std::string>& texts, const char* example) {
  auto found = parse(texts, "NAME=NUMBER", example);
  if (!found.words.empty())
    throw base::InputError(
        "", fmt::format("'{}={}' is not NAME=NUMBER", found.words.begin()->first, found.words.begin()->second),
        fmt::format("for instance {}", example));
  return std::move(found.numbers);
}

}  // namespace archway::app
