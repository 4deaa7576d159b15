#pragma once
#include <string>
#include <utility>
#include <vector>

namespace archway::io::detail {

/// One key of a table that has another name in the next format.
struct Renamed {
  const char* table;  ///< path of the table without names: "analyses.stop"; "selection": wherever nodes are chosen
  const char* key;
  const char* renamed;
  std::vector<std::pair<const char*, const char*>> values;  ///< as they are written, with their quotes
};

/// What format 1 renamed.
const std::vector<Renamed>& words_before_format_1();

}  // namespace archway::io::detail
