#pragma once
#include <array>
#include <vector>

namespace archway::elements {

/// Freedoms of an element once its followers are replaced by what they follow. Places 0..n-1 are the element's own
/// freedoms (-1 where a follower has been replaced), later ones those that came in.
struct LocalFreedoms {
  struct Replacement {
    int tie = -1;
    std::array<int, 7> rows{};  ///< places of the follower's tied freedoms, -1 when not concerned
    std::vector<int> columns;   ///< places of Ties::columns(tie)
  };
  std::vector<int> freedoms;
  std::vector<Replacement> replacements;
};

}  // namespace archway::elements
