#include "archway/io/number_table.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/io/mesh_file.hpp"
#include "files/read_file_detail.hpp"
#include "mesh/mesh_reader_detail.hpp"
#include "study_file/toml_reader_detail.hpp"

namespace archway::io {

namespace {
std::vector<std::string> cells_of(const std::string& line, char separator) {
  std::vector<std::string> cells(1);
  bool quoted = false;
  for (const char c : line) {
    if (c == '"')
      quoted = !quoted;
    else if (c == separator && !quoted)
      cells.emplace_back();
    else if (c != '\r')
      cells.back() += c;
  }
  for (auto& cell : cells) {
    const auto first = cell.find_first_not_of(" \t"), last = cell.find_last_not_of(" \t");
    cell = first == std::string::npos ? "" : cell.substr(first, last - first + 1);
  }
  return cells;
}
}  // namespace

study::NumberTable parse_number_table(const std::string& content, const std::string& file) {
  study::NumberTable table;
  table.file = file;
  char separator = ',';
  std::size_t begin = 0, number = 0;
  while (begin < content.size()) {
    const auto end = std::min(content.find('\n', begin), content.size());
    const std::string line = content.substr(begin, end - begin);
    begin = end + 1;
    ++number;
    const auto first = line.find_first_not_of(" \t\r");
    if (first == std::string::npos || line[first] == '#') continue;
    if (table.columns.empty()) {
      if (line.find(';') != std::string::npos) separator = ';';
      table.columns = cells_of(line, separator);
      continue;
    }
    const auto cells = cells_of(line, separator);
    const std::string place = fmt::format("{}:{}", file, number);
    if (cells.size() != table.columns.size())
      throw base::InputError(place, fmt::format("{} cells under {} headings", cells.size(), table.columns.size()),
                             "give every row a cell for every heading, blank where nothing was measured");
    std::vector<double> row;
    for (const auto& cell : cells) {
      if (cell.empty()) {
        row.push_back(NAN);
        continue;
      }
      const auto value = detail::number_in<double>(cell);
      if (!value || !std::isfinite(*value))
        throw base::InputError(place, fmt::format("'{}' is not a number", cell.substr(0, 40)),
                               "write decimal numbers with a point; leave cells blank where nothing was measured");
      row.push_back(*value);
    }
    table.rows.push_back(std::move(row));
  }
  if (table.rows.empty())
    throw base::InputError(file, "it has no rows under a line of headings", "begin with a line such as x,y,z,ux,uy,uz");
  return table;
}

study::NumberTable read_number_table(const std::string& path) {
  constexpr std::size_t most = std::size_t{1} << 30;
  const auto content = detail::read_file(path, "table", most, "check the name");
  return path.size() > 4 && path.substr(path.size() - 4) == ".vtu" ? detail::vtu_table(content, path)
                                                                   : parse_number_table(content, path);
}

}  // namespace archway::io

namespace archway::io::detail {

study::NumberTable TableReader::table_file(const std::string& key) {
  const std::string path = text(key);
  try {
    if (!path.empty()) return read_number_table(reading_.beside(path));
  } catch (const base::InputError& error) {
    for (const auto& c : error.complaints())
      reading_.complain(place(key), (c.place.empty() ? "" : c.place + ": ") + c.problem, c.remedy);
  }
  return {};
}

std::vector<Vec3> TableReader::scan_file(const std::string& key) {
  const std::string path = text(key);
  try {
    if (!path.empty()) return read_mesh(reading_.beside(path)).nodes;
  } catch (const base::InputError& error) {
    for (const auto& c : error.complaints())
      reading_.complain(place(key), (c.place.empty() ? "" : c.place + ": ") + c.problem, c.remedy);
  }
  return {};
}

}  // namespace archway::io::detail
