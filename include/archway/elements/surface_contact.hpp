#pragma once
#include <functional>

#include "archway/base/executor.hpp"
#include "archway/elements/batch.hpp"

namespace archway::elements {

/// Faces of parts that may touch each other, without friction: a mortar method ([PusoLaursen2004]).
///
/// The area in which a face lies opposite to others is cut up along their edges (by projection along its normal), and
/// each piece has points of integration. The gap of a point is its distance from the surface opposite, less what both
/// faces lie away from their nodes. At each corner of a following face, a knot, the gap is the mean of the points
/// around it, weighted by area and by the shape function of the corner; its force is N = last force + k (last gap -
/// gap) where that presses, spread over both sides by the same weights and the shape functions of both faces, so that
/// force and moment are in balance to rounding and a uniform pressure passes through meshes that do not match. k only
/// says how contact is sought, as with ObstacleBatch.
///
/// What lies opposite to what (the pairs) is found in one state and kept while the next one is sought; pair() finds it
/// anew there. Distances are exact in the faces that are paired: the closest point moves along them, and the tangent is
/// that of the distances, symmetric.
class SurfaceContact {
 public:
  explicit SurfaceContact(const model::Model& model);

  /// A corner of following faces.
  struct Knot {
    int contact = -1, node = -1, side = 0;
    double stiffness = 0;
    double closed = 0;  ///< of its gap in the unloaded structure so much counts as nothing
    double size = 0;    ///< of the faces around it
  };
  bool empty() const { return knots_.empty(); }
  int size() const { return static_cast<int>(knots_.size()); }
  const Knot& knot(int number) const { return knots_[static_cast<std::size_t>(number)]; }

  /// What knots remember, a block, and what lies opposite to what, another.
  struct Trial {
    const State& state;
    const std::vector<double>& knots;
    const std::vector<double>& pairs;
  };
  void start_memory(std::vector<double>& knots, std::vector<double>& pairs) const;
  /// What lies opposite to what in a state.
  /// \param margin  faces that come nearer than this besides their reach are paired; and at least a face's size
  std::vector<double> pair(const State& state, double margin, const base::Executor* executor = nullptr) const;
  /// Nodes that each knot couples: those of the faces around it, and of what lies opposite.
  std::vector<std::vector<int>> couplings(const std::vector<double>& pairs) const;

  /// What one knot gets.
  struct Touch {
    double gap = 0;     ///< mean; of a knot that nothing lies opposite to: a huge value
    double weight = 0;  ///< area
    double force = 0;   ///< normal; 0: open; below zero on the way to a state only: it is about to let go
    bool touches = false;
  };
  std::vector<Touch> touches(const Trial& trial) const;
  /// See Batch::improve.
  bool improve(const Trial& trial, double least, std::vector<double>& better) const;
  /// What presses in a state that is not balanced yet stays closed until it is: where knots close and open in turn, the
  /// search does not end. \return knots that are new among them
  int keep_closed(const Trial& trial, std::vector<double>& knots) const;
  /// A knot pulls by more than so much: not a state to accept.
  bool pulls(const Trial& trial, double least) const;
  /// What an accepted state remembers.
  void remember(const Trial& trial, std::vector<double>& next) const;

  /// Forces (internal: against what pushes) of nodes, three each, and their stiffness.
  struct Group {
    std::vector<int> nodes;
    Eigen::VectorXd force;
    Eigen::MatrixXd tangent, geometric;
  };
  using Sink = std::function<void(const Group&)>;
  /// \param stiffness  tangent and geometric stiffness are wanted \return recoverable: a closest point is not found
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, bool stiffness, const base::Executor* executor,
                                       const Sink& sink) const;

  /// Resultant of a contact on its followers, and where it acts.
  struct Pressed {
    Vec3 force = Vec3::Zero(), moment = Vec3::Zero();
  };
  std::vector<Pressed> resultants(const Trial& trial) const;
  /// Force on every node, three values each.
  std::vector<double> at_nodes(const Trial& trial) const;

 private:
  struct Face {
    model::ContactFace own;
    int contact = -1;
    std::array<int, 4> knots = {-1, -1, -1, -1};
  };
  struct Point;     // of integration, as the pairs hold it
  struct Distance;  // of a point from the surface opposite, with its derivatives
  struct Gaps;
  struct Search;
  struct Range {
    int first = 0, last = 0;
  };
  static constexpr std::size_t kKnot = 2;  // numbers remembered: force, gap
  static constexpr std::size_t kPoint = 7;

  void add_faces(const std::vector<model::ContactFace>& list, int contact, bool follow);
  Point point(const std::vector<double>& pairs, std::size_t number) const;
  bool distance(const State& state, const Point& point, bool bends, Distance& d) const;
  base::Verdict gaps(const Trial& trial, Gaps& gaps, const base::Executor* executor) const;
  void pair_face(const State& state, const Search& search, int face, std::vector<double>& list) const;
  struct Sheet;  // a face and the plane that pieces of it are cut in
  bool opposite(const State& state, const Sheet& sheet, int leader, const Vec3& place, double margin, double& gap,
                Point& point) const;
  void add_piece(const State& state, const Sheet& sheet, std::size_t piece, double margin,
                 std::vector<double>& list) const;
  bool may_touch(int face, int leader) const;
  double push(const Gaps& gaps, std::size_t number) const;
  Group rank_one(const Gaps& gaps, int knot, const std::vector<std::size_t>& points) const;
  Group pressed(const Gaps& gaps, const Trial& trial, std::size_t first, std::size_t last, bool stiffness) const;

  std::vector<Face> faces_;
  std::vector<Range> followers_, leaders_;  // of each contact, among the faces
  std::vector<Knot> knots_;
  std::vector<Vec3> start_;  // nodes of the unloaded structure
  std::vector<double> first_knots_, first_pairs_;
};

}  // namespace archway::elements
