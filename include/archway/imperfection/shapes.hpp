#pragma once
#include <functional>

#include "archway/imperfection/mode_shape.hpp"
#include "archway/imperfection/part_frame.hpp"

namespace archway::imperfection {

/// Height of a shape over the perfect structure at a place, along its normal or a fixed direction. Trade shapes have
/// largest height 1 on parts that hold them whole; out of the surface is positive.
using Height = std::function<double(const SurfacePosition&)>;

/// Half waves along and across a flat panel, sin(m pi s / L) sin(n pi t / B).
Height panel_waves(int along, int across);
/// Half waves along and whole waves around a surface of revolution: sin(m pi s / L + start) cos(n (angle - phase)).
/// \param start, phase  radians \param along  0: the same all along
Height ring_waves(int along, int around, double start, double phase);
/// A dent whose section is one wave of a cosine: 1/4 (1 + cos) (1 + cos) within the widths, 0 outside; into the
/// surface. \param middle  its deepest place
Height dimple(const PartFrame& frame, const Vec3& middle, double along, double around);
/// Shape of the depression at a circumferential weld of a shell of revolution ([RotterTeng1989]): with
/// lambda = pi sqrt(r t) / (3 (1 - nu^2))^(1/4) and x the distance from the weld, type A: e^(-pi x / lambda)
/// (cos(pi x / lambda) + sin(pi x / lambda)); type B: e^(-pi x / lambda) cos(pi x / lambda). Into the surface.
enum class WeldType { a, b };
Height weld_depression(double at, double lambda, WeldType type);
double weld_length(double radius, double thickness, double poisson_ratio);
/// A ridge along a meridian or line, as of a longitudinal weld whose sides do not meet smoothly: (1 - |d| / w)^2 within
/// the half width. \param at  angle (revolved, radians) or t (flat)
Height weld_roof(const PartFrame& frame, double at, double half_width);
/// cos 2 (angle - phase): wider along the phase, narrower across. For an out-of-roundness U = (d_max - d_min) / d the
/// height is U r / 2.
Height ovality(double phase);
/// Rotation of an outstanding flange about the edge that holds it, in half waves along: (distance from the edge) /
/// width times |sin| with alternating sign. \param from_high  restrained at the edge where t is largest
Height flange_tilt(int along, bool from_high);

/// A raw shape: displacements and rotations of all nodes, before it has a size.
struct ShapeField {
  std::vector<Vec3> displacement, rotation;
  std::vector<int> parts;                    ///< that it is on; empty: everything
  std::vector<std::string> notes, warnings;  ///< how it was made, and what one should look at
  std::vector<double> terms;                 ///< of a mix, the size of each term by itself
  double rms = 0;               ///< of a random process, whose single sample has another one; 0: no such thing
  std::vector<double> height;   ///< one a node, NaN outside of the parts; empty: the shape is not given by heights
  std::vector<double> thicker;  ///< one a shell element; empty: walls are as they are
  explicit ShapeField(const model::Model& model)
      : displacement(model.nodes.size(), Vec3::Zero()), rotation(model.nodes.size(), Vec3::Zero()) {}
  Eigen::VectorXd full() const;
};

/// Puts a height on the nodes of parts, along the normal at each place or a fixed direction. Nodes of `carried` parts
/// move like the place they lie over. \param direction  zero: along the normal
ShapeField put_on(const model::Model& model, const PartFrame& frame, const std::vector<int>& parts,
                  const std::vector<int>& carried, const Height& height, const Vec3& direction = Vec3::Zero());

/// The same heights as what the walls of those parts are thicker, instead of as displacements: mean over each element,
/// both faces alike. \throws base::InputError when the shape has no heights, or a part is no panel or a laminate
ShapeField on_walls(const model::Model& model, const ShapeField& field);
/// Largest displacement of the outline; of walls alone, largest change.
double largest_of(const model::Model& model, const ShapeField& field);

/// A member's bow: half a sine (or several) between two places of its axis, across it. \param direction  made
/// perpendicular to the line between the places
struct Bow {
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
  Vec3 direction = Vec3::Zero();
  int half_waves = 1;
};
ShapeField bow(const model::Model& model, const std::vector<int>& parts, const Bow& bow);
/// Twist about the line between two places: half a sine, or growing from the first to the second. Largest rotation 1.
ShapeField twist(const model::Model& model, const std::vector<int>& parts, const Bow& axis, bool grows);
/// Sway: nothing below `from`, growing with height up to `to`, as far as there above; heights along `up`.
struct Sway {
  Vec3 direction = Vec3::UnitX(), up = Vec3::UnitZ();
  double from = 0, to = 0;
};
ShapeField sway(const model::Model& model, const std::vector<int>& parts, const Sway& sway);

/// How large an imperfection is.
struct Measured {
  double largest = 0;              ///< displacement of the outline; of walls alone: change
  double root_mean_square = 0;     ///< of the same, by the area, length or volume that belongs to it
  double outward = 0, inward = 0;  ///< largest along and against the normal of panels, both >= 0; not of walls
  Vec3 largest_at = Vec3::Zero();  ///< places in the perfect structure
  Vec3 outward_at = Vec3::Zero(), inward_at = Vec3::Zero();
  double thickness = 0;                    ///< of the panel where the largest is; 0: no panel there
  std::vector<double> along_normal;        ///< one a node, NaN where no panel is; in and out
  bool walls = false, walls_only = false;  ///< it changes walls; and moves nothing
  double thinnest = 0, thickest = 0;       ///< then: walls with it, of the parts it is on
  Vec3 thinnest_at = Vec3::Zero(), thickest_at = Vec3::Zero();
};
Measured measure(const model::Model& model, const Imperfection& imperfection, const std::vector<int>& parts = {});

/// Shapes with a size: a raw field times a factor.
Imperfection sized(const model::Model& model, const ShapeField& field, double factor);
/// Sum with factors. \throws base::InputError when it moves nothing
Imperfection sum_of(const model::Model& model, const std::vector<std::pair<const Imperfection*, double>>& terms);

}  // namespace archway::imperfection
