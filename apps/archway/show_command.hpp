#pragma once
#include <map>

#include "cli.hpp"

namespace archway::app {

struct ShowOptions {
  std::string study, what;  ///< what: a name or { rules }; empty: list all names
  std::string picture;      ///< file to draw to; empty: none
};

/// archway show: what a selection catches (count, extent, parts, picture), or all names of a study.
int command_show(const ShowOptions& options, const std::map<std::string, double>& overrides, bool force,
                 Console& console);

}  // namespace archway::app
