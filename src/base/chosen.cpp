#include "archway/base/chosen.hpp"

#include <cstdlib>
#include <cstring>

namespace archway::base {

double chosen(const char* name, double value) {
  const char* scan = std::getenv("ARCHWAY_SCAN");
  const std::size_t length = std::strlen(name);
  if (scan == nullptr || std::strncmp(scan, name, length) != 0 || scan[length] != ':') return value;
  const double factor = std::strtod(scan + length + 1, nullptr);
  return factor > 0 ? factor * value : value;
}

double chosen_below_one(const char* name, double value) {
  return 1 - chosen(name, 1 - value);
}

}  // namespace archway::base
