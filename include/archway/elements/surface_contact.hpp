#pragma once
#include <functional>
#include <map>
#include <set>

#include "archway/base/executor.hpp"
#include "archway/elements/batch.hpp"
#include "archway/elements/contact_trial.hpp"

namespace archway::elements {

/// Faces of parts that may touch each other: a mortar method ([PusoLaursen2004]).
///
/// The area in which a face lies opposite to others is cut up along their edges (by projection along its normal), and
/// each piece has points of integration. The gap of a point is its distance from the surface opposite, less what both
/// faces lie away from their nodes. At each corner of a following face, a knot, the gap is the mean of the points
/// around it, weighted by area and by the shape function of the corner; its force is N = last force + k (last gap -
/// gap) where that presses, spread over both sides by the same weights and the shape functions of both faces, so that
/// force and moment are in balance to rounding and a uniform pressure passes through meshes that do not match. k only
/// says how contact is sought, as with ObstacleBatch.
///
/// Pieces of lines (members, bars, free edges) follow faces in the same way, with points of integration along them, and
/// each other: where two run side by side with points along them, where they cross with the two places that are
/// nearest to each other (or the tip of one of them), and with a mixture of both in between. Of a member the section's
/// outline counts, in the direction of what it touches as it is rotated there; the force acts on the line through
/// its nodes. A node of a line has a knot for every part that it may touch.
///
/// Friction (Coulomb): at each knot the means of both sides are followed from where they were paired; the force along
/// the surface goes with what they slid on each other, as in ObstacleBatch. It acts where the nodes are, not at the
/// faces of walls: its couple over their thickness is omitted.
///
/// What lies opposite to what (the pairs) is found in one state and kept while the next one is sought; pair() finds it
/// anew there. Distances are exact in the faces that are paired: the closest point moves along them, and the tangent is
/// that of the distances, symmetric.
class SurfaceContact {
 public:
  explicit SurfaceContact(const model::Model& model);

  /// A corner of following faces, or a node of a line.
  struct Knot {
    int contact = -1, node = -1, side = 0;
    double stiffness = 0;
    double closed = 0;  ///< of its gap in the unloaded structure so much counts as nothing
    double size = 0;    ///< of the faces around it
    double area = 0;    ///< of its shares of them
    bool on_line = false;
  };
  bool empty() const { return knots_.empty(); }
  bool rubs() const { return rubs_; }  ///< somewhere there is friction
  int size() const { return static_cast<int>(knots_.size()); }
  const Knot& knot(int number) const { return knots_[static_cast<std::size_t>(number)]; }

  /// What knots remember, a block, and what lies opposite to what, another.
  using Trial = ContactTrial;
  void start_memory(std::vector<double>& knots, std::vector<double>& pairs) const;
  /// What lies opposite to what in a state.
  /// \param margin  faces that come nearer than this besides their reach are paired; and at least a face's size
  std::vector<double> pair(const State& state, double margin, const base::Executor* executor = nullptr) const;
  /// Nodes that each knot that touches couples: those of the faces around it, and of what lies opposite.
  /// \param ahead  what is nearer than so much of its faces' size, as if it touched
  std::vector<std::vector<int>> couplings(const Trial& trial, double ahead) const;

  /// What one knot gets.
  struct Touch {
    double gap = 0;     ///< mean; of a knot that nothing lies opposite to: a huge value
    double weight = 0;  ///< area, of a line its length
    double force = 0;   ///< normal; 0: open; below zero on the way to a state only: it is about to let go
    bool touches = false;
    double overlap = 0;         ///< inside of something when it came into view: counts as no gap
    Vec3 along = Vec3::Zero();  ///< friction on the follower
    bool sticks = false;
  };
  std::vector<Touch> touches(const Trial& trial) const;
  /// See Batch::improve.
  bool improve(const Trial& trial, double least, std::vector<double>& better) const;
  /// What presses in a state that is not balanced yet stays closed until it is: where knots close and open in turn, the
  /// search does not end. \return knots that are new among them
  int keep_closed(const Trial& trial, std::vector<double>& knots) const;
  /// See ObstacleBatch.
  void release(int knot, double little, std::vector<double>& knots) const;
  void hold(int knot, double gap, std::vector<double>& knots) const { release(knot, -gap, knots); }
  /// A knot pulls by more than so much: not a state to accept.
  bool pulls(const Trial& trial, double least) const;
  /// What lies opposite to what has been found anew: what has slid before counts on, and what comes into view inside of
  /// something (from the side, or in a fold tighter than its walls are thick) touches there, without force.
  /// \param found  with the new pairs
  void carry_over(const Trial& before, const Trial& found, std::vector<double>& knots) const;
  /// How far what touches slides along on its way to another state: the largest way of a knot, in its faces' sizes.
  double slides_by(const Trial& from, const State& to) const;
  /// What friction has taken.
  double dissipated(const std::vector<double>& knots) const;
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

  static constexpr std::size_t kKnot = 13;  ///< numbers that a knot remembers, the first its normal force, then its gap

 private:
  struct Face {
    model::ContactFace own;
    int contact = -1;
    std::array<int, 4> knots = {-1, -1, -1, -1};  ///< of a line: the first, the other parts' come behind it
    int place = 0;                                ///< of its part among those of the contact
    int girth = -1;                               ///< of a piece of a member
  };
  struct Point;     // of integration, as the pairs hold it
  struct Distance;  // of a point from the surface opposite, with its derivatives
  struct Gaps;
  struct Search;
  struct Range {
    int first = 0, last = 0;
  };
  struct Slide;       // of a knot's two sides on each other
  struct Remembered;  // of a knot
  static constexpr std::size_t kPoint = 8;
  /// The outline of a member's section at both ends of a piece.
  struct Girth {
    std::array<base::Mat3, 2> axes;  ///< in the unloaded state
    std::size_t outline = 0;
  };

  using Parts = std::map<int, int>;                  // places by number
  using Knots = std::map<std::pair<int, int>, int>;  // by node and side
  Range add_faces(const model::Model& model, const std::vector<model::ContactFace>& list, int contact,
                  const Parts& parts, Knots& own, bool follow);
  void soften(const Knots& own, const Range& leaders);
  void add_knots(Face& face, Knots& own, int partners);
  void add_girth(const model::Model& model, Face& face);
  void find_bodies();
  int knot_of(const Point& point, std::size_t corner) const;
  double reach(const State& state, int face, double r, const Vec3& way) const;
  Point point(const std::vector<double>& pairs, std::size_t number) const;
  bool distance(const State& state, const Point& point, bool bends, Distance& d) const;
  bool distance_of_lines(const State& state, const Point& point, bool bends, Distance& d) const;
  base::Verdict gaps(const Trial& trial, Gaps& gaps, const base::Executor* executor) const;
  void pair_face(const State& state, const Search& search, int face, std::vector<double>& list) const;
  struct Line;  // a piece of a line and what lies along it
  void pair_line(const State& state, const Search& search, int face, std::vector<double>& list) const;
  void lay_on_face(const State& state, const Search& search, int leader, Line& line) const;
  void lay_on_line(const State& state, int leader, Line& line) const;
  void lay_at(const State& state, int leader, Point point, double weight, Line& line) const;
  struct Sheet;  // a face and the plane that pieces of it are cut in
  bool opposite(const State& state, const Sheet& sheet, int leader, const Vec3& place, double margin, double& gap,
                Point& point) const;
  void add_piece(const State& state, const Sheet& sheet, std::size_t piece, double margin,
                 std::vector<double>& list) const;
  bool may_touch(int face, int leader) const;
  double push(const Gaps& gaps, std::size_t number) const;
  Vec3 drag(const Gaps& gaps, std::size_t number) const;
  void add_sticking(const Gaps& gaps, int knot, const std::vector<std::size_t>& points, Group& group) const;
  void slide(const Trial& trial, Gaps& gaps, bool smooth_as_well = false) const;
  void rub(const Trial& trial, Gaps& gaps) const;
  std::vector<Vec3> mean_slips(const Gaps& gaps, const std::vector<double>& knots) const;
  bool from_side(std::size_t knot, double gap) const { return gap > 0.5 * knots_[knot].size; }
  double unloaded_area(const model::ContactFace& face) const;
  double out_of_view(std::size_t knot, double weight) const;
  bool comes_inside(const Gaps& old, const Gaps& now, std::size_t knot) const;
  Group rank_one(const Gaps& gaps, int knot, const std::vector<std::size_t>& points) const;
  Group pressed(const Gaps& gaps, const Trial& trial, std::size_t first, std::size_t last, bool stiffness) const;

  std::vector<Face> faces_;
  std::vector<Range> followers_, leaders_;  // of each contact, among the faces
  std::vector<Knot> knots_;
  std::vector<Girth> girths_;
  std::vector<std::vector<std::pair<double, double>>> outlines_;  // y, z from the line through the nodes
  std::vector<double> friction_;                                  // of each contact
  bool rubs_ = false;
  std::set<int> tips_;       // nodes where lines end
  std::vector<int> bodies_;  // of each part: parts that hang together have one number
  std::vector<Vec3> start_;  // nodes of the unloaded structure
  std::vector<double> first_knots_, first_pairs_;
};

}  // namespace archway::elements
