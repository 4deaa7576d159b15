#include "archway/study/keys.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace archway::study {

std::size_t NumberTable::place(const std::string& column) const {
  return static_cast<std::size_t>(std::find(columns.begin(), columns.end(), column) - columns.begin());
}

double NumberTable::cell(const std::vector<double>& row, const std::string& column) const {
  const auto k = place(column);
  if (k >= row.size())
    throw base::InputError(file, fmt::format("it has no column '{}'", column),
                           fmt::format("its columns are: {}", fmt::join(columns, ", ")));
  return row[k];
}

double NumberTable::heading(std::size_t column) const {
  try {
    std::size_t end = 0;
    const double value = std::stod(columns[column], &end);
    if (end == columns[column].size()) return value;
  } catch (const std::logic_error&) {  // reported below
  }
  throw base::InputError(file, fmt::format("the heading '{}' is no angle", columns[column]),
                         "a grid has heights in its first column and an angle over each of the others; a list has the "
                         "columns angle, height, deviation");
}

}  // namespace archway::study
