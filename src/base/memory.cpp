#include "archway/base/memory.hpp"

#include <limits>
#ifdef __GLIBC__
#include <malloc.h>
#endif

#include <cstdlib>
#include <unistd.h>

namespace archway::base {

double memory_limit_megabytes() {
  if (const char* asked = std::getenv("ARCHWAY_MEMORY_MB"))
    if (const double value = std::strtod(asked, nullptr); value > 0) return value;
  const double pages = static_cast<double>(::sysconf(_SC_PHYS_PAGES)),
               size = static_cast<double>(::sysconf(_SC_PAGESIZE));
  return 0.9 * pages * size / (1 << 20);
}

void keep_memory() {
#ifdef __GLIBC__
  mallopt(M_MMAP_MAX, 0);
  mallopt(M_TRIM_THRESHOLD, std::numeric_limits<int>::max());
  mallopt(M_TOP_PAD, 64 << 20);
#endif
}

}  // namespace archway::base
