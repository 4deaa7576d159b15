#include <algorithm>
#include <cctype>
#include <sstream>

#include <fmt/format.h>

#include "study_file/study_text_detail.hpp"

namespace archway::io::detail {

/// A key of very many parts takes the parser of the format down.
void refuse_deep_keys(Reading& reading, const std::string& text) {
  constexpr int most = 100;
  toml::source_position at{1, 1};
  int dots = 0;
  char quote = 0;
  for (const char c : text) {
    const bool part = std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '-';
    if (c == '"' || c == '\'') quote = quote == 0 ? c : quote == c ? char{0} : quote;
    if (c == '\n') quote = 0;
    if (c == '.' && quote == 0)
      ++dots;
    else if (!part && c != ' ')
      dots = 0;
    if (dots > most) {
      reading.complain(reading.place({at, at, nullptr}), fmt::format("a key has more than {} parts", most),
                       "no key of a study has so many");
      throw base::InputError(std::move(reading.complaints));
    }
    if (c == '\n')
      ++at.line, at.column = 1;
    else
      ++at.column;
  }
}

void refuse_control_characters(Reading& reading, const toml::node& node) {
  const auto odd = [](std::string_view text) {
    return std::any_of(text.begin(), text.end(),
                       [](char c) { return static_cast<unsigned char>(c) < 0x20 || c == 0x7f; });
  };
  const char* const remedy = "leave control characters out of names and texts";
  if (const auto* text = node.as_string(); text != nullptr && odd(**text))
    reading.complain(reading.place(node), "this text has a control character in it", remedy);
  if (const auto* list = node.as_array())
    for (const auto& item : *list) refuse_control_characters(reading, item);
  if (const auto* table = node.as_table())
    for (const auto& [key, value] : *table) {
      if (odd(key.str()))
        reading.complain(reading.place(key.source()), "this key has a control character in it", remedy);
      refuse_control_characters(reading, value);
    }
}

namespace {
/// A table with what means itself in it and in the tables inside.
void spell_out(const toml::table& written, const std::map<const toml::table*, toml::table>& defaults,
               toml::table& full) {
  if (const auto found = defaults.find(&written); found != defaults.end())
    for (const auto& [key, value] : found->second)
      if (!full.contains(key)) full.insert(key, value);
  for (const auto& [key, value] : written) {
    auto* own = full.get(key);
    if (const auto* table = value.as_table()) spell_out(*table, defaults, *own->as_table());
    if (const auto* list = value.as_array())
      for (std::size_t k = 0; k < list->size(); ++k)
        if (const auto* table = list->get(k)->as_table())
          spell_out(*table, defaults, *own->as_array()->get(k)->as_table());
  }
}
}  // namespace

std::string spelled_out(const toml::table& root, const std::map<const toml::table*, toml::table>& defaults,
                        const std::map<std::string, double>& parameters, const std::string& path) {
  toml::table full = root;
  spell_out(root, defaults, full);
  // in the order of the alphabet they could not use each other
  for (const auto& [name, value] : parameters) full["parameters"].as_table()->insert_or_assign(name, value);
  std::ostringstream out;
  out << toml::toml_formatter(full, toml::toml_formatter::default_flags & ~toml::format_flags::allow_literal_strings);
  return fmt::format("# {} with everything that it leaves to the program spelled out\n{}\n", path, out.str());
}

/// Some values can only be omitted: 0 for "never", for instance. \return whether any was
bool leave_out_refused(const std::vector<base::Complaint>& wrong, std::map<const toml::table*, toml::table>& defaults) {
  bool any = false;
  for (auto& [table, values] : defaults) {
    std::vector<std::string> refused;
    for (const auto& [key, value] : values)
      for (const auto& complaint : wrong)
        if (complaint.problem.find(fmt::format("'{}'", key.str())) != std::string::npos)
          refused.emplace_back(key.str());
    for (const auto& key : refused) any = values.erase(key) || any;
  }
  return any;
}

}  // namespace archway::io::detail
