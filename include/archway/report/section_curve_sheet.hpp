#pragma once
#include "archway/report/figure.hpp"
#include "archway/report/text.hpp"
#include "archway/study/section_curve.hpp"
#include "archway/study/units.hpp"

namespace archway::report {

/// Moment against curvature as a table. \param plastic  moment of a section that flows all over without hardening,
/// normal force omitted; 0: not known
std::string section_curve_text(const study::SectionCurve& curve, const study::Units& units, double plastic,
                               const TextStyle& style);

/// The curve beside the section with its fibres as they have yielded at the end.
/// \param name  file name; ".svg" gives SVG, anything else PNG
Figure section_curve_figure(const std::string& name, const std::string& title, const theory::SectionProperties& section,
                            const study::SectionCurve& curve, const study::Units& units);

}  // namespace archway::report
