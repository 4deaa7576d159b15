#pragma once
#include "cli.hpp"

namespace archway::app {

struct TheoryOptions {
  std::string formula;              ///< empty: list them all
  std::vector<std::string> inputs;  ///< NAME=VALUE; none: report what it takes
  std::string force = "N", length = "mm";
  std::string study, material, profile, about;  ///< where inputs may come from
  bool json = false;
};

/// archway theory: hand formulas, what they take, and their values.
int command_theory(const TheoryOptions& options, Console& console);

}  // namespace archway::app
