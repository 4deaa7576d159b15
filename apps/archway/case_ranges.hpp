#pragma once
#include <cstdio>
#include <set>
#include <sstream>
#include <string>
#include <vector>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

/// Lists of cases of a sweep as they are written: "3,7,40:80".
namespace archway::app {

/// "3,7,40:80" as numbers.
inline std::set<int> numbers_in(const std::string& text, int most) {
  std::set<int> all;
  if (text.empty())
    for (int k = 1; k <= most; ++k) all.insert(k);
  std::stringstream list(text);
  for (std::string piece; std::getline(list, piece, ',');) {
    int from = 0, to = 0;
    char rest = 0;
    const int got = std::sscanf(piece.c_str(), "%d:%d%c", &from, &to, &rest);
    if (got == 1 && piece.find(':') == std::string::npos) to = from;
    if (got < 1 || got > 2 || from < 1 || to < from || to > most)
      throw base::InputError("--cases", fmt::format("'{}' is no range of the cases 1 to {}", piece, most),
                             "write numbers and ranges: 3,7,40:80");
    for (int k = from; k <= to; ++k) all.insert(k);
  }
  return all;
}

/// Cases that are missing as "3,7,40:80".
inline std::string ranges_of(const std::vector<int>& numbers) {
  std::string text;
  for (std::size_t k = 0; k < numbers.size(); ++k) {
    std::size_t end = k;
    while (end + 1 < numbers.size() && numbers[end + 1] == numbers[end] + 1) ++end;
    text += (text.empty() ? "" : ",") +
            (end > k ? fmt::format("{}:{}", numbers[k], numbers[end]) : fmt::format("{}", numbers[k]));
    k = end;
  }
  return text;
}

}  // namespace archway::app
