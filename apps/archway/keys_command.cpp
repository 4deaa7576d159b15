#include "keys_command.hpp"

#include <algorithm>
#include <cctype>
#include <sstream>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/io/study_schema.hpp"
#include "archway/study/format.hpp"

namespace archway::app {

namespace {
using study::KeyDeclaration;
using study::TableDeclaration;

constexpr std::size_t kIndent = 26;  ///< columns before the meaning of a key

std::string lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
  return text;
}

/// "number, length (8): meaning", or the same in the order of a table's columns.
std::string facts(const KeyDeclaration& key) {
  std::string text = study::type_text(key);
  if (*key.unit != '\0') text += fmt::format(", {}", key.unit);
  if (*key.missing != '\0') text += key.required() ? ", required" : fmt::format(", default {}", key.missing);
  return *key.meaning == '\0' ? text : fmt::format("{} [{}]", key.meaning, text);
}

std::string wrapped(const std::string& key, const std::string& text, std::size_t width) {
  std::string out, line = fmt::format("  {:<{}}", key, kIndent - 2);
  std::istringstream words(text);
  for (std::string word; words >> word;) {
    if (line.size() + word.size() + 1 > width && line.size() > kIndent) {
      out += line + "\n";
      line = std::string(kIndent, ' ');
    }
    line += (line.back() == ' ' ? "" : " ") + word;
  }
  return out + line + "\n";
}

std::string cell(std::string text) {
  for (std::size_t at = 0; (at = text.find('|', at)) != std::string::npos; at += 2) text.insert(at, "\\");
  return text;
}

/// The reference of the study file as a page of documentation.
std::string markdown() {
  std::string page =
      "# Every key of the study file\n\n"
      "Made by `archway keys --markdown` from the declarations that the reader and the JSON Schema "
      "(`archway schema`) are tested against. How the tables work together: [study-file.md](study-file.md).\n"
      "A number may be an expression in quotes wherever it is asked for. Angles are in degrees in keys that end in "
      "`_deg`, and in radians in expressions.\n";
  for (const auto& table : study::study_format()) {
    page += fmt::format("\n## {}\n{}\n", *table.path == '\0' ? "Tables of a study" : fmt::format("`{}`", table.heading),
                        table.meaning);
    if (table.keys.empty()) continue;
    page += "\n| key | type | unit | default | meaning |\n|---|---|---|---|---|\n";
    for (const auto& key : table.keys) {
      const std::string missing = *key.missing == '\0' ? "" : key.required() ? "**required**" : key.missing;
      page += fmt::format("| `{}` | {} | {} | {} | {} |\n", key.key, cell(study::type_text(key)), key.unit,
                          cell(missing), cell(key.meaning));
    }
  }
  return page;
}
}  // namespace

int command_keys(const KeysOptions& options, Console& console) {
  if (options.markdown) {
    console.out << markdown();
    return done;
  }
  const std::string wanted = lower(options.word);
  const auto has = [&](const std::string& text) { return lower(text).find(wanted) != std::string::npos; };
  bool any = false;
  for (const auto& table : study::study_format()) {
    const bool all = has(table.heading) || has(table.path) || has(table.meaning);
    std::string rows;
    for (const auto& key : table.keys)
      if (all || has(key.key) || has(facts(key)))
        rows += wrapped(key.key, facts(key), static_cast<std::size_t>(std::max(console.width, 60)));
    if (!all && rows.empty()) continue;
    console.out << fmt::format("{}{}\n  {}\n{}", any ? "\n" : "", table.heading, table.meaning, rows);
    any = true;
  }
  if (!any)
    throw base::InputError("", fmt::format("no key of the study file has to do with '{}'", options.word),
                           "archway keys lists all of them");
  return done;
}

int command_schema(Console& console) {
  console.out << io::study_schema();
  return done;
}

}  // namespace archway::app
