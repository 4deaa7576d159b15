#pragma once
#include <array>
#include <vector>

namespace archway::elements {

/// Degrees of freedom of an element once its followers are replaced by what they follow. Places 0..n-1 are the
/// element's own degrees of freedom (-1 where a follower has been replaced), later ones those that came in.
struct LocalDofs {
  struct Replacement {
    int tie = -1;
    std::array<int, 7> rows{};  ///< places of the follower's tied degrees of freedom, -1 when not concerned
    std::vector<int> columns;   ///< places of Ties::columns(tie)
  };
  std::vector<int> dofs;
  std::vector<Replacement> replacements;
};

}  // namespace archway::elements
