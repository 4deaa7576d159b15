#include "keys_command.hpp"

#include <algorithm>
#include <cctype>
#include <sstream>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::app {

namespace {
std::string lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
  return text;
}

/// "| `key` | meaning |" as "key  meaning".
std::string row_text(const std::string& row, std::size_t width) {
  std::vector<std::string> cells;
  std::istringstream in(row);
  for (std::string cell; std::getline(in, cell, '|');) {
    const auto first = cell.find_first_not_of(' '), last = cell.find_last_not_of(' ');
    if (first != std::string::npos) cells.push_back(cell.substr(first, last - first + 1));
  }
  if (cells.size() < 2) return "";
  cells[0].erase(std::remove(cells[0].begin(), cells[0].end(), '`'), cells[0].end());
  std::string line = fmt::format("  {:<22}", cells[0]), out;
  std::istringstream words(cells[1]);
  std::size_t columns = line.size();
  for (std::string word; words >> word;) {
    if (columns + word.size() + 1 > width && columns > 24) {
      out += line + "\n";
      line = std::string(24, ' '), columns = 24;
    }
    line += (line.back() == ' ' ? "" : " ") + word;
    columns = line.size();
  }
  return out + line + "\n";
}
}  // namespace

int command_keys(const std::string& word, Console& console) {
  const std::string wanted = lower(word);
  std::istringstream lines(keys_reference());
  std::string table, told;
  bool any = false;
  for (std::string line; std::getline(lines, line);) {
    if (line.rfind("## ", 0) == 0) table = line.substr(3);
    if (line.rfind("| `", 0) != 0) continue;
    if (lower(line).find(wanted) == std::string::npos && lower(table).find(wanted) == std::string::npos) continue;
    if (table != told) console.out << (any ? "\n" : "") << table << "\n";
    told = table;
    any = true;
    console.out << row_text(line, static_cast<std::size_t>(std::max(console.width, 60)));
  }
  if (!any)
    throw base::InputError("", fmt::format("no key of the study file has to do with '{}'", word),
                           "archway keys lists all of them");
  return done;
}

}  // namespace archway::app
