#pragma once
#include <optional>

#include "archway/model/model.hpp"

namespace archway::model {

/// A straight line from `from` to `to`, or the circular arc through `via` when given.
struct Line {
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
  std::optional<Vec3> via;
  /// Point at share s in [0, 1] of the length.
  Vec3 at(double s) const;
  double length() const;
};

/// Adds beam elements of equal length along a line. Groups: name, name.start, name.end.
/// \param part  a member part; appended to model.parts
/// \param elements  number of beam elements, >= 1
void add_member(Model& model, const Part& part, const Line& line, int elements);

/// Adds a flat parallelogram of shell elements; normal = along x across.
/// Groups: name, name.start (along = 0), name.end, name.left (across = 0), name.right.
void add_rectangle(Model& model, const Part& part, const Vec3& corner, const Vec3& along, const Vec3& across,
                   int divisions_along, int divisions_across);

/// Adds a strip of a circular cylinder: `start` turned about the axis through axis_from by `angle` (radians,
/// right-handed about axis_to - axis_from, up to a full turn, which is closed) and moved along it. The normal points
/// away from the axis. Groups: name, name.start (angle 0), name.end, name.left (at axis_from), name.right (at axis_to).
void add_cylinder_strip(Model& model, const Part& part, const Vec3& axis_from, const Vec3& axis_to, const Vec3& start,
                        double angle, int divisions_around, int divisions_along);

/// Merges nodes closer than tolerance and renumbers everything; nodes inside beam elements are left alone.
/// \return number of nodes that went
int merge_coincident_nodes(Model& model, double tolerance);

}  // namespace archway::model
