#pragma once
#include "cli.hpp"

namespace archway::app {

struct SectionOptions {
  std::string what;                     ///< a shape, or a study file
  std::vector<std::string> dimensions;  ///< NAME=NUMBER, for a shape
  std::string unit = "mm";
  std::string profile, cut;        ///< of a study
  std::vector<std::string> parts;  ///< to cut; empty: all
  std::string forces;              ///< analysis whose forces through the cut are reported; empty: none
  std::string picture;             ///< file to draw to; empty: none
  std::string material, curve;     ///< moment against curvature with this material, drawn to this file
  double axial = 0;                ///< normal force of the curve, tension positive
  bool about_z = false;
  bool json = false;
};

/// archway section: properties of a shape, of a profile of a study, or of a cut through its panels.
int command_section(const SectionOptions& options, bool force, Console& console);

}  // namespace archway::app
