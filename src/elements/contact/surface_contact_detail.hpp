#pragma once
#include <algorithm>
#include <array>
#include <unsupported/Eigen/BVH>
#include <vector>

#include <Eigen/Geometry>

#include "archway/base/shape_functions.hpp"
#include "archway/elements/surface_contact.hpp"

namespace archway::elements {

/// A point of integration on a following face or line, and the face or line that lies opposite to it.
struct SurfaceContact::Point {
  int face = -1, leader = -1;
  /// On the face; on a line the share of its length. s of lines says which of the two places move along: 0 that on the
  /// leader; 2 that on the follower, against the tip of a leader; 3 none, tip against tip; +1 or -1 both (they cross),
  /// the sense in which the normal is the one line times the other.
  double r = 0, s = 0;
  double weight = 0;          ///< area, or length
  double at_r = 0, at_s = 0;  ///< on the leader, where the closest point was
  double reach = 0;           ///< of both
  static Point read(const double* m) {
    return {static_cast<int>(m[0]), static_cast<int>(m[1]), m[2], m[3], m[4], m[5], m[6], m[7]};
  }
  void write(std::vector<double>& list) const {
    list.insert(list.end(), {static_cast<double>(face), static_cast<double>(leader), r, s, weight, at_r, at_s, reach});
  }
};

/// With its derivatives by the positions of the nodes of both faces: the face's first, then the leader's.
struct SurfaceContact::Distance {
  double value = 0;
  Vec3 normal = Vec3::Zero();      ///< of the leader
  Vec3 place = Vec3::Zero();       ///< of the point on the follower
  std::array<double, 18> share{};  ///< d value / d node = share * normal
  std::array<double, 4> corner{};  ///< shape functions of the knots
  Eigen::MatrixXd bend;            ///< second derivatives
};

/// Boxes and normals of all faces in a state, and trees of those that lead and that follow, one each a contact.
struct SurfaceContact::Search {
  using Tree = Eigen::KdBVH<double, 3, int>;
  double margin;
  std::vector<Eigen::AlignedBox3d> boxes;
  std::vector<Vec3> normals;
  std::vector<Tree> leading, following;
  std::vector<double> deepest;  ///< reach and depth of the leaders of each contact

  /// Faces whose boxes meet a box.
  struct Near {
    const std::vector<Eigen::AlignedBox3d>& boxes;
    Eigen::AlignedBox3d box;
    std::vector<int> found;
    bool intersectVolume(const Eigen::AlignedBox3d& b) const { return b.intersects(box); }
    bool intersectObject(int face) {
      if (boxes[static_cast<std::size_t>(face)].intersects(box)) found.push_back(face);
      return false;
    }
  };
  std::vector<int> near(const Tree& tree, const Eigen::AlignedBox3d& box) const {
    Near search{boxes, box, {}};
    Eigen::BVIntersect(tree, search);
    std::sort(search.found.begin(), search.found.end());
    return std::move(search.found);
  }
};

/// What a knot remembers.
struct SurfaceContact::Remembered {
  double force, gap;          // open: force 0, gap as it was; touching: both as they were
  Vec3 along, counted;        // friction; how far the sides had slid from their pairing when it was that
  double lost;                // to friction
  double overlap;             // that was there already when it came into view, and counts as no gap
  double cap;                 // force that bounds its friction in this round
  double cap_step, cap_left;  // how far that went in the last round, and from how far below the force
  static Remembered read(const double* m) {
    return {m[0], m[1], {m[2], m[3], m[4]}, {m[5], m[6], m[7]}, m[8], m[9], m[10], m[11], m[12]};
  }
  /// \return whether the cap was further from the force than the least that matters
  bool follow(double pressing, double least);
  void write(double* m) const {
    m[0] = force, m[1] = gap, m[8] = lost, m[9] = overlap, m[10] = cap, m[11] = cap_step, m[12] = cap_left;
    for (int k = 0; k < 3; ++k) m[2 + k] = along[k], m[5 + k] = counted[k];
  }
};

/// Mean of the ways between the places that lay opposite when they were paired, along the surface.
struct SurfaceContact::Slide {
  Vec3 normal = Vec3::Zero(), way = Vec3::Zero();
  base::Mat3 stiffness = Mat3::Zero();  // force along the surface by it
  double lost = 0;
};

/// A state's distances and what they come to at the knots.
struct SurfaceContact::Gaps {
  std::vector<Point> points;
  std::vector<Distance> distances;
  std::vector<Touch> knots;
  std::vector<Slide> slides;  // none: nothing rubs
};

namespace detail {
constexpr double kAlong =
    0.1;  ///< stiffness along the surface beside that across: softer, so that what slips does not overshoot
/// Closest point of a surface of 3, 4, 8 or 9 nodes, also beyond its edges, and the distance from it along its normal.
struct ClosestPoint {
  double r = 0, s = 0;
  double distance = 0;
  Vec3 normal = Vec3::UnitZ();
  Eigen::Matrix<double, 3, 2> tangents;
  Eigen::Matrix2d curvature;  ///< second derivatives of the surface along the normal
  std::array<double, 9> n{}, dr{}, ds{};
};
/// \param nodes  positions \param r, s of `found`: where to begin \return false: not found
bool closest_point(const std::array<Vec3, 9>& nodes, int count, const Vec3& place, ClosestPoint& found);

/// Shape functions on a face, or on a line with its share r of the length.
base::SurfaceShape shape_on(int count, double r, double s);
/// Positions of the nodes of a face in a state.
std::array<Vec3, 9> positions(const State& state, const model::ContactFace& face);
/// From 1 to 0 between two values.
double fading(double value, double whole, double none);
/// Gaps in sizes of the face: up to the first a place counts wholly, beyond the second next to nothing.
inline constexpr double kNear = 0.25, kFar = 1, kNextToNothing = 1e-6;

/// The common part of two convex polygons, both once around in the same sense ([SutherlandHodgman1974]).
std::vector<Eigen::Vector2d> clipped(std::vector<Eigen::Vector2d> polygon, const std::vector<Eigen::Vector2d>& by);
}  // namespace detail

}  // namespace archway::elements
