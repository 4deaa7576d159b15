#include "archway/study/quantity.hpp"

#include <cmath>
#include <cstdlib>
#include <map>
#include <vector>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::study {

namespace {
/// A unit as 10^`tens` times `factor` times SI base units.
struct Unit {
  Dimension dimension;
  int tens = 0;
  double factor = 1;
};

const std::map<std::string, Unit>& known_units() {
  static const std::map<std::string, Unit> list = [] {
    const Dimension force{1, 0, 0, 0, 0}, length{0, 1, 0, 0, 0}, time{0, 0, 1, 0, 0}, stress{1, -2, 0, 0, 0},
        mass{1, -1, 2, 0, 0}, temperature{0, 0, 0, 1, 0}, angle{0, 0, 0, 0, 1};
    return std::map<std::string, Unit>{{"N", {force, 0}},
                                       {"kN", {force, 3}},
                                       {"MN", {force, 6}},
                                       {"mm", {length, -3}},
                                       {"cm", {length, -2}},
                                       {"m", {length, 0}},
                                       {"km", {length, 3}},
                                       {"g", {mass, -3}},
                                       {"kg", {mass, 0}},
                                       {"t", {mass, 3}},
                                       {"Pa", {stress, 0}},
                                       {"kPa", {stress, 3}},
                                       {"MPa", {stress, 6}},
                                       {"GPa", {stress, 9}},
                                       {"ms", {time, -3}},
                                       {"s", {time, 0}},
                                       {"K", {temperature, 0}},
                                       {std::string("\xc2\xb0") + "C", {temperature, 0}},
                                       {"deg", {angle, 0}},
                                       {"\xc2\xb0", {angle, 0}},
                                       {"rad", {angle, 0, 180 / M_PI}},
                                       {"%", {{}, -2}},
                                       {"Nm", {{1, 1, 0, 0, 0}, 0}},
                                       {"kNm", {{1, 1, 0, 0, 0}, 3}},
                                       {"MNm", {{1, 1, 0, 0, 0}, 6}},
                                       {"Nmm", {{1, 1, 0, 0, 0}, -3}},
                                       {"kNmm", {{1, 1, 0, 0, 0}, 0}},
                                       {"kNcm", {{1, 1, 0, 0, 0}, 1}}};
  }();
  return list;
}

bool is_letter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '%' || (static_cast<unsigned char>(c) & 0x80u) != 0;
}

/// Number at the beginning of a text, and where it ends; 0 when there is none.
std::size_t number_end(const std::string& text, double& value) {
  const char* begin = text.c_str();
  while (*begin == ' ') ++begin;
  const bool digit = (*begin >= '0' && *begin <= '9') || *begin == '.' ||
                     ((*begin == '-' || *begin == '+') && ((begin[1] >= '0' && begin[1] <= '9') || begin[1] == '.'));
  if (!digit) return 0;
  char* end = nullptr;
  value = std::strtod(begin, &end);
  return static_cast<std::size_t>(end - text.c_str());
}

/// Splits "kN/mm2" into units with exponents and gathers them.
Unit parsed(const std::string& text, const std::string& whole) {
  Unit all;
  int sign = 1;
  for (std::size_t k = 0; k < text.size();) {
    const char c = text[k];
    if (c == ' ' || c == '.' || c == '*') {
      ++k;
    } else if (c == '/') {
      sign = -1;
      ++k;
    } else if (c == '1' && k + 1 < text.size() && text[k + 1] == '/') {
      ++k;
    } else if (is_letter(c)) {
      std::size_t end = k;
      while (end < text.size() && is_letter(text[end])) ++end;
      const std::string name = text.substr(k, end - k);
      const auto found = known_units().find(name);
      if (found == known_units().end()) {
        std::vector<std::string> names;
        for (const auto& [known, unit] : known_units()) names.push_back(known);
        throw base::InputError("", fmt::format("'{}' has an unknown unit '{}'", whole, name),
                               base::suggestion(name, names, "known units"));
      }
      k = end;
      if (k < text.size() && text[k] == '^') ++k;
      int power = 1;
      if (k < text.size() && text[k] >= '2' && text[k] <= '9') power = text[k++] - '0';
      const auto& unit = found->second;
      const int n = sign * power;
      all.dimension.force += n * unit.dimension.force;
      all.dimension.length += n * unit.dimension.length;
      all.dimension.time += n * unit.dimension.time;
      all.dimension.temperature += n * unit.dimension.temperature;
      all.dimension.angle += n * unit.dimension.angle;
      all.tens += n * unit.tens;
      all.factor *= std::pow(unit.factor, n);
    } else {
      throw base::InputError("", fmt::format("'{}' is no number with a unit", whole),
                             "for instance \"75 kN\", \"235 N/mm2\" or \"0.4 kN/m\"");
    }
  }
  return all;
}

/// Power of ten of a unit of the study.
int tens_of(double size) {
  return static_cast<int>(std::lround(std::log10(size)));
}
}  // namespace

bool has_unit(const std::string& text) {
  double value = 0;
  const auto end = number_end(text, value);
  if (end == 0) return false;
  const auto rest = text.find_first_not_of(' ', end);
  if (rest == std::string::npos) return false;
  return is_letter(text[rest]) || (text[rest] == '/' && rest + 1 < text.size() && is_letter(text[rest + 1])) ||
         (text.compare(rest, 2, "1/") == 0 && rest > end);
}

Quantity quantity(const std::string& text, const Units& units) {
  Quantity q;
  const auto end = number_end(text, q.value);
  const Unit unit = parsed(text.substr(end), text);
  q.dimension = unit.dimension;
  const int tens =
      unit.tens - unit.dimension.force * tens_of(units.newtons) - unit.dimension.length * tens_of(units.metres);
  const double ten = std::pow(10.0, std::abs(tens));
  q.value = (tens < 0 ? q.value / ten : q.value * ten) * unit.factor;
  return q;
}

std::optional<Dimension> dimension_of(const std::string& declared) {
  static const std::map<std::string, Dimension> list = {
      {"", {}},
      {"load factor", {}},
      {"force", {1, 0, 0, 0, 0}},
      {"force length", {1, 1, 0, 0, 0}},
      {"force/length", {1, -1, 0, 0, 0}},
      {"force/length^2", {1, -2, 0, 0, 0}},
      {"length", {0, 1, 0, 0, 0}},
      {"length^2", {0, 2, 0, 0, 0}},
      {"length^4", {0, 4, 0, 0, 0}},
      {"length^6", {0, 6, 0, 0, 0}},
      {"length/s^2", {0, 1, -2, 0, 0}},
      {"mass/length^3", {1, -4, 2, 0, 0}},
      {"1/K", {0, 0, 0, -1, 0}},
      {"K", {0, 0, 0, 1, 0}},
      {"s", {0, 0, 1, 0, 0}},
      {"degrees", {0, 0, 0, 0, 1}},
  };
  const auto found = list.find(declared);
  return found == list.end() ? std::nullopt : std::optional(found->second);
}

std::string unit_text(const std::string& declared, const Units& units) {
  std::string text = declared;
  const auto put = [&](const std::string& word, const std::string& unit) {
    for (std::size_t at = 0; (at = text.find(word, at)) != std::string::npos; at += unit.size())
      text.replace(at, word.size(), unit);
  };
  put("force length", units.moment());
  put("force", units.force);
  put("length", units.length);
  put("mass", units.mass());
  return text;
}

}  // namespace archway::study
