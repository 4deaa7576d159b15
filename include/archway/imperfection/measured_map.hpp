#pragma once
#include "archway/imperfection/shapes.hpp"

namespace archway::imperfection {

/// A value, or a displacement, known at a place.
struct Sample {
  Vec3 at = Vec3::Zero();
  Vec3 value = Vec3::Zero();  ///< scalars: first component
};

/// What was done when samples were brought onto places that they do not lie on.
struct Mapping {
  int samples = 0, places = 0, covered = 0, exact = 0;  ///< exact: places that have a sample of their own
  double spacing = 0;                                   ///< typical distance between neighbouring samples
  double farthest = 0;                                  ///< largest distance from a covered place to a sample
  int left_at_zero = 0;                                 ///< places further than `reach` from every sample
  double reach = 0;
  /// What samples and the places' own field differ by at the samples: root mean square, over that of the samples.
  /// Large: the mesh is too coarse to show the map. 0: not looked at
  double lost = 0;
};

/// Values at places from samples near them: moving least squares with up to six terms in the plane of the neighbours
/// ([LancasterSalkauskas1981]), weights that fall with distance; a place that has a sample takes its value as it is.
/// \param reach  places further from every sample stay zero; 0: three times the samples' spacing
std::vector<Vec3> bring_over(const std::vector<Sample>& samples, const std::vector<Vec3>& places, double reach,
                             Mapping& mapping);

/// A table of displacements at places in space, on the nodes of parts.
/// \param scalar  the values lie along the normal of `frame`, which must be given then
ShapeField from_table(const model::Model& model, const std::vector<int>& parts, const PartFrame* frame,
                      const std::vector<Sample>& table, bool scalar, double reach, Mapping& mapping);

/// Deviations of a surface by its own coordinates.
struct Deviation {
  double s = 0, t = 0;  ///< t: of revolved surfaces the angle, radians
  double value = 0;     ///< out of the surface positive
};
struct MapOptions {
  double reach = 0;
  bool take_off_best_fit =
      false;  ///< displacement and tilt of the whole, and of revolved surfaces its radius and taper
  bool drop_outliers = false;
};
/// What was found in a map of deviations before it was used.
struct MapFindings {
  Mapping mapping;
  int outliers = 0;              ///< further from what their neighbours say than 8 times the usual
  std::vector<double> fit;       ///< coefficients taken off, see best_fit()
  double before = 0, after = 0;  ///< root mean square without and with the fit taken off
};
/// Least squares of deviations by what is no imperfection: flat: 1, s, t; revolved: 1, cos, sin, s, s cos, s sin.
std::vector<double> best_fit(const PartFrame& frame, const std::vector<Deviation>& map);
/// A map of deviations over the surface of parts, periodic where they are closed.
ShapeField from_map(const model::Model& model, const std::vector<int>& parts, const std::vector<int>& carried,
                    const PartFrame& frame, std::vector<Deviation> map, const MapOptions& options,
                    MapFindings& findings);
/// Deviations of points of a scanned surface from the perfect parts.
std::vector<Deviation> deviations_of(const PartFrame& frame, const std::vector<Vec3>& points);

/// A random field with a Gaussian correlation exp(-(ds / ls)^2 - (dt / lt)^2), by its spectrum
/// ([ShinozukaDeodatis1991]); periodic around closed shells. Standard deviation 1. Same seed, same field, on any mesh.
struct RandomField {
  double along = 0, around = 0;  ///< correlation lengths
  unsigned long long seed = 1;
};
Height random_height(const PartFrame& frame, const RandomField& field);
/// A measured spectrum: waves with half waves along, whole waves around and an amplitude each, their phases drawn.
struct SpectrumLine {
  int along = 0, around = 0;
  double amplitude = 0;
};
Height random_height(const std::vector<SpectrumLine>& spectrum, unsigned long long seed);

}  // namespace archway::imperfection
