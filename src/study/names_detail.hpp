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

}  // namespace archway::study::detail
