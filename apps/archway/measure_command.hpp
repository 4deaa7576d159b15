#pragma once
#include <map>

#include "cli.hpp"

namespace archway::app {

struct MeasureOptions {
  std::string study;
  std::vector<std::string> what;  ///< parts, names or { rules }, two at most; empty: all parts
};

/// archway measure: lengths, areas, volumes and masses, distances. Works on studies that are not finished.
int command_measure(const MeasureOptions& options, const std::map<std::string, double>& overrides, Console& console);

}  // namespace archway::app
