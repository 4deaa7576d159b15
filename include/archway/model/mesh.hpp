#pragma once
#include <functional>
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

/// Adds beam elements along several lines, one after the other, as one part: each begins where the last one ended.
void add_member(Model& model, const Part& part, const std::vector<Line>& lines, int elements_per_line);

/// Adds straight bars of equal length along a line (one: a stay or a truss bar). Groups as for a member.
/// \param part  a bar part; appended to model.parts
void add_bar(Model& model, const Part& part, const Line& line, int elements);

/// Shell elements to mesh a surface with: four-node ones; each of those as two triangles with alternating diagonals; or
/// nine-node ones (each division is one element with its middles on the surface).
enum class Faces { four, three, nine };

/// Places of the mesh lines of a panel along its two directions, rising from 0 to 1; an empty list: evenly spread.
struct Spacing {
  std::vector<double> s, t;
};

/// Lines whose distances change in a geometric row: elements at the first (last) end are so many times smaller than the
/// largest, which lie at the other end or, when both are finer, in the middle.
std::vector<double> graded_lines(int divisions, double finer_first, double finer_last);
/// Place along a list of mesh lines, linear between them; share of [0, 1], the list empty: the share itself.
double along_lines(const std::vector<double>& lines, double share);

/// Adds shell elements on surface(s, t), s and t in [0, 1]; normal = d/ds x d/dt.
/// Groups: name, name.start (s = 0), name.end, name.left (t = 0), name.right.
/// \param closed  the surface meets itself at s = 0 and s = 1
/// \param spacing  where a list of lines is given, it takes the place of the number of divisions
void add_surface(Model& model, const Part& part, int divisions_s, int divisions_t, bool closed,
                 const std::function<Vec3(double s, double t)>& surface, Faces faces = Faces::four,
                 const Spacing& spacing = {});

/// Numbers the nodes of an element the other way round, so that its normal points to the other side.
void flip(ShellElement& element);

/// Adds a flat parallelogram of shell elements; normal = along x across; s runs along, t across.
void add_rectangle(Model& model, const Part& part, const Vec3& corner, const Vec3& along, const Vec3& across,
                   int divisions_along, int divisions_across, Faces faces = Faces::four, const Spacing& spacing = {});

/// Adds a panel between three or four corners, once around, in any plane; four need not lie in one plane. Sides: side1
/// from the first corner to the second, and so on; four corners: also left (side1), end, right, start, and divisions
/// along side1 and side2. Three corners: the first number of divisions holds for every side and must be even; three
/// fields meet in the middle.
void add_corners(Model& model, const Part& part, const std::vector<Vec3>& corners, int divisions_first,
                 int divisions_second, Faces faces = Faces::four, const Spacing& spacing = {});

/// A wall of a profile drawn in (y, z), with its thickness.
struct ProfileWall {
  std::pair<double, double> from, to;
  double thickness = 0;
};
/// Adds a profile drawn out along a line: a panel part for every wall, called name.1, name.2 and so on in their order;
/// z leans to `up`, y = z x direction of the line. Groups: name, name.start, name.end over all walls. Walls that meet
/// have nodes in the same places: merge_coincident_nodes joins them.
/// \param part  material and name of all walls; \param across  elements across the widest wall, others in proportion
void add_extrusion(Model& model, const Part& part, const std::vector<ProfileWall>& walls, const Line& line,
                   const Vec3& up, int divisions_along, int across, Faces faces = Faces::four);
/// Axes along a line: columns direction, y, z with z leaning to `up`.
base::Mat3 axes_at(const Line& line, double s, const Vec3& up);

/// Adds a surface of revolution: `line` rotated about the axis through axis_from and axis_to by `angle` (radians,
/// right-handed, up to a full revolution, which is closed). A line parallel to the axis gives a cylinder, an inclined
/// one a cone, an arc a piece of a sphere or torus, one at right angles to the axis a flat ring. s runs around, t along
/// the line; the normal is around x line. Where the line begins or ends on the axis the mesh has squares about the
/// pole, so that domes, cone tips, discs and whole spheres have no pointed elements; angle must then be a quarter, half
/// or full rotation and divisions_around a multiple of 2, 4 or 8, evenly spread.
void add_revolution(Model& model, const Part& part, const Vec3& axis_from, const Vec3& axis_to, const Line& line,
                    double angle, int divisions_around, int divisions_along, Faces faces = Faces::four,
                    const Spacing& spacing = {});

/// Adds solid elements in a body given by body(s, t, u), all in [0, 1].
/// Groups: name, name.start (s = 0), name.end, name.left (t = 0), name.right, name.bottom (u = 0), name.top.
/// \param closed  the body meets itself at s = 0 and s = 1; \param quadratic  twenty nodes an element instead of eight
void add_body(Model& model, const Part& part, const std::array<int, 3>& divisions, bool closed, bool quadratic,
              const std::function<Vec3(double s, double t, double u)>& body);

/// Adds a strip of a circular cylinder: `start` rotated about the axis through axis_from by `angle` (radians,
/// right-handed about axis_to - axis_from, up to a full revolution, which is closed) and moved along it. The normal
/// points away from the axis. Groups: name, name.start (angle 0), name.end, name.left (at axis_from), name.right (at
/// axis_to).
void add_cylinder_strip(Model& model, const Part& part, const Vec3& axis_from, const Vec3& axis_to, const Vec3& start,
                        double angle, int divisions_around, int divisions_along, Faces faces = Faces::four,
                        const Spacing& spacing = {});

/// Two sets of nodes that a bond joins: no node of one merges with a node of the other, also not by way of a third.
struct KeptApart {
  std::vector<int> follow, lead;
};
/// Merges nodes closer than tolerance and renumbers everything; nodes inside beam elements are left alone. A node that
/// could merge with both sides of a bond joins the side that follows.
/// \return number of nodes that went
int merge_coincident_nodes(Model& model, double tolerance, const std::vector<KeptApart>& apart = {});

}  // namespace archway::model
