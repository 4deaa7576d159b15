#pragma once
#include "archway/report/figure.hpp"
#include "archway/report/text.hpp"
#include "archway/theory/section.hpp"

namespace archway::report {

/// Properties of a section as a table with a small drawing beside it. \param unit  length unit, for instance "mm"
std::string section_text(const std::string& title, const theory::SectionProperties& section, const std::string& unit,
                         const TextStyle& style);

/// The section to scale with centroid, shear centre, principal axes and its main properties.
/// \param name  file name; ".svg" gives SVG, anything else PNG
Figure section_figure(const std::string& name, const std::string& title, const theory::SectionProperties& section,
                      const std::string& unit);

}  // namespace archway::report
