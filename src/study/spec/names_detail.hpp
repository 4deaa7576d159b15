#pragma once
#include <string>
#include <vector>

namespace archway::study::detail {

template <class List>
std::vector<std::string> names_of(const List& list) {
  std::vector<std::string> names;
  for (const auto& item : list) names.push_back(item.name);
  return names;
}

/// Among the names of a time: it is one of a path.
constexpr const char* kPath = "path";

}  // namespace archway::study::detail
