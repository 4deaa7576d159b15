#pragma once
#include <cmath>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "archway/base/fields.hpp"

/// Records of results by their declared fields.
namespace archway::io::detail {

/// What does not exist is null, never NaN.
inline nlohmann::ordered_json number(double value) {
  return std::isfinite(value) ? nlohmann::ordered_json(value) : nlohmann::ordered_json(nullptr);
}

inline nlohmann::ordered_json json_of(const base::FieldValue& value) {
  return std::visit(
      [](const auto& v) -> nlohmann::ordered_json {
        using V = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<V, std::monostate>)
          return nullptr;
        else if constexpr (std::is_same_v<V, double>)
          return number(v);
        else
          return v;
      },
      value);
}

template <class Record>
nlohmann::ordered_json json_of(const base::Fields<Record>& fields, const Record& record) {
  nlohmann::ordered_json object = nlohmann::ordered_json::object();
  for (const auto& f : fields) object[f.name] = json_of(f.value(record));
  return object;
}

/// Text for a cell of CSV: numbers with 17 digits, empty where they do not exist.
std::string quoted(const std::string& text);
inline std::string cell(double value) {
  return std::isfinite(value) ? fmt::format("{:.17g}", value) : "";
}

inline std::string cell(const base::FieldValue& value) {
  return std::visit(
      [](const auto& v) -> std::string {
        using V = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<V, std::monostate>)
          return "";
        else if constexpr (std::is_same_v<V, std::string>)
          return quoted(v);
        else if constexpr (std::is_same_v<V, double>)
          return cell(v);
        else
          return fmt::format("{}", static_cast<int>(v));
      },
      value);
}

/// Names of the fields, comma between them.
template <class Record>
std::string head_of(const base::Fields<Record>& fields) {
  std::string text;
  for (const auto& f : fields) text += (text.empty() ? "" : ",") + std::string(f.name);
  return text;
}
template <class Record>
std::string row_of(const base::Fields<Record>& fields, const Record& record) {
  std::string text;
  bool first = true;
  for (const auto& f : fields) {
    text += (first ? "" : ",") + cell(f.value(record));
    first = false;
  }
  return text;
}

}  // namespace archway::io::detail
