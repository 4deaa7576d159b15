#pragma once
#include "archway/study/keys.hpp"

namespace archway::study {

/// Parts that may touch each other: what the study says of them.
struct ContactSpec {
  std::string name;
  std::vector<std::string> between;  ///< two parts
  std::vector<std::string> within;   ///< or parts that may touch themselves and each other
  std::string leads;                 ///< of two, the one whose faces lead; empty: that with the larger faces
  double friction = 0;               ///< Coulomb's coefficient
  bool edges = false;                ///< free edges of panels touch as well as their faces
  bool close_gaps = false;           ///< what is between them in the unloaded structure counts as nothing
  bool overlap_is_free = false;      ///< what overlaps there presses only beyond that
  SourceLocation place;
};

}  // namespace archway::study
