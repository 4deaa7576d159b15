#pragma once
#include <string>
#include <vector>

#include "archway/report/figure.hpp"
#include "archway/study/chain.hpp"

namespace archway::report {

/// All figures of a study, each as PNG (1280 x 800) and SVG: displacements, stresses and bending moments of every LA,
/// the first mode shapes of every LBA as contour over the undeformed outline, the seeded imperfection, the shape at the
/// peak and at the end of every path, and one load-displacement chart for each watch point with all paths and the
/// linear critical load. \param most_modes mode shapes drawn for each LBA
std::vector<Figure> figures(const study::StudyResult& result, int most_modes = 4);

/// Mode shapes of all buckling analyses as one HTML page that needs nothing else (plain WebGL 2): modes move, two stand
/// side by side under one camera, factors and words beside them. Empty when there are no modes, and for models of more
/// than 200 000 nodes. \param most_modes  of each analysis
std::string moving_modes_page(const study::StudyResult& result, int most_modes = 12);

/// What a selection caught, marked on the structure. \param name  file name; .svg or .png
Figure selection_figure(const std::string& name, const study::StudySpec& spec, const model::Model& model,
                        const std::string& what, const std::vector<int>& nodes);

/// One imperfection at true size and magnified, displacements along the panels' normals by colour.
/// \param name  file name; .svg or .png
Figure imperfection_figure(const std::string& name, const std::string& title, const model::Model& model,
                           const study::SeededShape& shape, const study::Units& units);

/// Drawings for the look before solving, as PNG: "structure" (thickness by colour, free edges thick, supports), "axes"
/// (own axes of the parts), "load-NAME" for every action (forces at nodes as arrows, temperatures by colour) and,
/// when the structure can move freely, "free-displacement".
std::vector<Figure> structure_figures(const study::StudySpec& spec, const model::Model& model,
                                      const study::CheckReport& report);

}  // namespace archway::report
