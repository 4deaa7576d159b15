#pragma once
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "archway/base/rotation.hpp"
#include "archway/study/keys.hpp"

namespace archway::study {

/// A chart of paths besides the one that every watch has: watches against the load, or against a watch.
struct ChartSpec {
  std::string name;
  std::vector<std::string> watches;   ///< along the horizontal axis, all in the same unit
  std::string against;                ///< a watch along the vertical axis; empty: the load factor
  std::vector<std::string> analyses;  ///< paths that are drawn; empty: all
  SourceLocation place;
};

/// What pictures of the structure show; nothing set: all of it, from where most of what matters is seen.
struct PictureSpec {
  std::vector<std::string> hide;   ///< parts that are omitted
  std::optional<base::Vec3> from;  ///< direction from the structure to the eye
  /// Everything on the side that the normal points to is omitted: a look inside.
  std::optional<std::pair<base::Vec3, base::Vec3>> open;  // place, normal
  std::vector<ChartSpec> charts;
  SourceLocation place;
};

}  // namespace archway::study
