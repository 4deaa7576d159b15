#pragma once
#include <cstddef>

namespace archway::base {

/// A number of a node, element or part as an index of a standard container; numbers are signed since -1 means none.
constexpr std::size_t at(int number) {
  return static_cast<std::size_t>(number);
}

}  // namespace archway::base
