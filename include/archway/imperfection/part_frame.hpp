#pragma once
#include <optional>

#include "archway/model/model.hpp"

namespace archway::imperfection {

using base::Vec3;

/// A place as the formula of a shape sees it, in the unloaded perfect structure.
struct SurfacePosition {
  Vec3 x = Vec3::Zero();
  Vec3 normal = Vec3::UnitZ();  ///< unit; out of the surface (revolved: away from the axis), member: its local z
  double s = 0;                 ///< along: length from the start
  double t = 0;                 ///< across, or around the axis at the mean radius: length
  double angle = 0;             ///< about the axis from its zero, radians, 0 to 2 pi
  double radius = 0;            ///< from the axis
  double share = 0;             ///< s over the length
  double across = 0;            ///< t over the width
};

/// What a study, or a formed mesh, says about how parts lie; everything else is found from their nodes.
struct FrameHint {
  std::optional<std::pair<Vec3, Vec3>> axis;  ///< of a surface of revolution
  Vec3 zero = Vec3::Zero();   ///< place at angle zero; zero vector: towards global x (y where that is along)
  Vec3 along = Vec3::Zero();  ///< direction of s on flat parts; zero: found
};

/// The own coordinates of parts that lie together on a plane, a surface of revolution or a line.
///  - line: s along the member from its start;
///  - flat: s along `along`, t across it (normal x along), both from the corner where they are least;
///  - revolved: angle about the axis, s along the meridian from the end that the axis begins at, t = angle x mean
///    radius.
class PartFrame {
 public:
  enum class Kind { line, flat, revolved };
  /// \param parts  numbers; of one kind (members and bars, or panels and solids)
  /// \throws base::InputError when they lie on none of the three, or their direction cannot be reported
  PartFrame(const model::Model& model, const std::vector<int>& parts, const FrameHint& hint = {});

  Kind kind() const { return kind_; }
  double length() const { return length_; }  ///< along s
  double width() const { return width_; }    ///< along t; closed: the whole circumference at the mean radius
  bool closed() const { return closed_; }    ///< goes all the way around its axis
  double mean_radius() const { return radius_; }
  double thickness() const { return thickness_; }           ///< of the panels, the least; 0: there are none
  const std::vector<int>& nodes() const { return nodes_; }  ///< of the parts, ascending
  /// Axis of a surface of revolution: a point and its direction.
  const std::pair<Vec3, Vec3>& axis() const { return axis_; }
  /// Place of a node of these or other parts, found by its position alone.
  SurfacePosition place_of(const Vec3& x) const;
  /// How far a place lies off the surface or line, along the normal of a surface.
  double off(const Vec3& x) const;
  /// Smallest difference of two angles on a closed surface, else their difference.
  double between(double angle, double other) const;

 private:
  void find_line(const model::Model& model, const std::vector<int>& parts);
  bool find_flat(const model::Model& model, const FrameHint& hint);
  void find_revolved(const model::Model& model, const std::vector<int>& parts, const FrameHint& hint);
  void find_meridian(const model::Model& model);
  void find_around(const model::Model& model, const std::vector<int>& parts);
  double angle_of(const Vec3& x) const;
  /// Place along the meridian and how it runs there (radial, axial).
  std::pair<double, Eigen::Vector2d> along_meridian(double height, double radius) const;

  Kind kind_ = Kind::flat;
  double length_ = 0, width_ = 0, radius_ = 0, thickness_ = 0, size_ = 0;
  bool closed_ = false;
  std::vector<int> nodes_;
  std::pair<Vec3, Vec3> axis_{Vec3::Zero(), Vec3::UnitZ()};
  Vec3 first_ = Vec3::UnitX(), second_ = Vec3::UnitY(), normal_ = Vec3::UnitZ();  // flat; revolved: angle 0 and 90
  Vec3 origin_ = Vec3::Zero();
  std::vector<Vec3> line_;                 // line: its nodes in order
  std::vector<double> stations_;           // line, meridian: length from the start
  std::vector<Eigen::Vector2d> meridian_;  // radius and height
  bool by_height_ = true;                  // the meridian is reported by height, else by radius
};

/// Nodes of the elements of parts, rising; of all elements where none are named.
std::vector<int> nodes_of(const model::Model& model, const std::vector<int>& parts);

/// Area (panels), length (members, bars) or volume (solids) that belongs to every node of parts; zero elsewhere. Where
/// parts are of several kinds, that of the first of panels, members, solids there is.
std::vector<double> tributary(const model::Model& model, const std::vector<int>& parts);

}  // namespace archway::imperfection
