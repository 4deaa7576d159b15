#pragma once
#include <string>

namespace archway::report {

/// A finished figure file.
struct Figure {
  std::string name;     ///< file name without folder, for instance "snow-buckling-mode-1.png"
  std::string content;  ///< PNG or SVG bytes
};

}  // namespace archway::report
