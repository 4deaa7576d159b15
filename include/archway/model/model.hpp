#pragma once
#include <array>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "archway/base/rotation.hpp"
#include "archway/material/law.hpp"
#include "archway/model/contact.hpp"
#include "archway/model/obstacle_shape.hpp"

/// What the user describes: plain data, no solving. The core has no units; give every quantity in one consistent set.
namespace archway::model {

using base::Vec3;

/// Isotropic, linear elastic.
struct Material {
  std::string name;
  double youngs_modulus = 0;  ///< E, force / length^2, > 0
  double poisson_ratio = 0;   ///< -1 < nu < 0.5
  double density = 0;         ///< mass / length^3, >= 0
  double yield_stress = 0;    ///< force / length^2; 0: not given. Used for warnings only
  double expansion = 0;       ///< strain per degree of temperature; 0: not given
  /// Paths follow it; linear analyses take the material as elastic, and walls of plies always do.
  material::Flow flow = {};
  /// The same as true stress over logarithmic strain, which walls and solids follow; does not flow: they follow `flow`.
  material::Flow true_flow = {};
  bool flows() const { return flow.flows(); }
  double shear_modulus() const { return youngs_modulus / (2 * (1 + poisson_ratio)); }
};

/// A piece of a cross-section: area, place from the centroid, sectorial coordinate; see theory::Fibre.
struct Fibre {
  double area = 0, y = 0, z = 0, omega = 0;
};

/// Where the stress of a cross-section may be largest; see theory::StressPoint.
struct StressPoint {
  double y = 0, z = 0, omega = 0;
};

/// Cross-section of a member, properties about its centroid; y across, z along the height. Meaning, units and sources
/// of every value: theory::SectionProperties.
struct Profile {
  std::string name;
  double area = 0, second_moment_y = 0, second_moment_z = 0, torsion_constant = 0, shear_area_y = 0, shear_area_z = 0;
  double fibre_y = 0, fibre_z = 0;
  std::vector<std::vector<std::pair<double, double>>> outline;
  double product_moment = 0, shear_area_yz = 0;
  double shear_centre_y = 0, shear_centre_z = 0;  ///< from the centroid
  double warping_constant = 0, warping_shear = 0;
  double wagner_y = 0, wagner_z = 0, wagner_warp = 0, fourth_moment = 0;
  std::vector<Fibre> fibres;  ///< members of a material that flows need them
  std::vector<StressPoint> stress_points;
  double round = 0;  ///< outer radius of a round section, which has no stress points; 0: not round
};

/// Force (or moment) against displacement (or rotation) of springs, by name.
struct SpringCurve {
  std::string name;
  material::Curve curve;
};

/// Layered wall of panels: (N, M) = [A B; B D] (strain, curvature) in its own axes, 1 along the fibres of angle zero.
/// Meaning and source of every value: theory::LaminateStiffness.
struct Laminate {
  std::string name;
  base::Mat3 membrane = base::Mat3::Zero(), coupling = base::Mat3::Zero(), bending = base::Mat3::Zero();
  Eigen::Matrix2d shear = Eigen::Matrix2d::Zero();
};

enum class PartKind { member, panel, bar, solid };

/// A member or bar (line), a panel (surface) or a solid by its name in the study.
/// Deformations that a part does not have; panels: shear across them only.
struct Rigid {
  bool axial = false, shear = false, bending = false, torsion = false;
  bool any() const { return axial || shear || bending || torsion; }
};

struct Part {
  std::string name;
  PartKind kind = PartKind::member;
  int material = -1;
  int profile = -1;         ///< members and bars
  double thickness = 0;     ///< panels only, > 0
  Vec3 up = Vec3::UnitZ();  ///< members only: direction the local z axis (height of the profile) leans to
  /// Members: where the centroid lies from the line through the nodes, local y and z. Panels: offset_z is where the
  /// middle surface lies from the nodes, along the normal.
  double offset_y = 0, offset_z = 0;
  int laminate = -1;            ///< panels of nine-node elements only: the wall is layered
  Vec3 fibres = Vec3::UnitX();  ///< then: the direction whose projection on the panel is axis 1 of the laminate
  bool warping = false;  ///< members only: the rate of twist is a degree of freedom of its own (restrained warping)
  bool tension_only = false;  ///< bars only: goes slack instead of carrying compression
  Rigid rigid;                ///< bars: axial only; panels: shear only
  int layers = 8;             ///< panels that flow: points through the thickness, a multiple of 4, besides the faces
};

/// Stresses of a member in its unloaded state, before it is in equilibrium: one a fibre of each of its profiles, and
/// one a stress point. Members of a material that flows have them, others have no fibres.
struct MemberStress {
  int part = -1;
  std::map<int, std::vector<double>> by_profile, at_points;
};
/// Stress along a direction (projected on the panel) of a shell element in its unloaded state, through the whole
/// thickness, where its material flows.
struct PanelStress {
  int element = -1;
  Vec3 along = Vec3::UnitX();
  double stress = 0;
};

/// One beam element. nodes[0] and nodes[3] are its ends; nodes[1] and nodes[2] belong to the element alone and lie at
/// thirds of it (on the curve, for a curved member), so that the deflected line is a cubic with its own degrees of
/// freedom.
struct LineElement {
  std::array<int, 4> nodes{};
  int part = -1;
  std::array<int, 3> profiles = {-1, -1, -1};  ///< of a tapered member, at the three Gauss points; -1: that of the part
  std::array<int, 2> end_profiles = {-1, -1};  ///< the same at its two ends, for stresses
  /// What the local z axis leans to in the middle of the element; zero: the part's `up`. Set where nodes were moved, so
  /// that an imperfection does not rotate the section.
  Vec3 lean = Vec3::Zero();
  std::array<double, 4>
      twist{};  ///< at its nodes, radians about the member's axis: of an imperfect member, free of stress
};

/// Places of a line element at which its section is known: its ends and its three Gauss points.
enum class Station { start, first_gauss, middle, last_gauss, end };
/// The Gauss points by number.
constexpr std::array<Station, 3> kGaussStations = {Station::first_gauss, Station::middle, Station::last_gauss};
/// ... with these weights, of a length of 1.
constexpr std::array<double, 3> kGaussWeights = {5. / 18, 8. / 18, 5. / 18};

/// A straight bar between two nodes: axial force only.
struct BarElement {
  std::array<int, 2> nodes{};
  int part = -1;
};

/// One shell element of three, four or nine nodes; corners once around, the normal right-handed about them. Nine: then
/// the middles of the edges 1-2, 2-3, 3-4, 4-1 and the centre.
struct ShellElement {
  std::array<int, 9> nodes{};
  int part = -1;
  int count = 4;       ///< nodes in use
  double thicker = 0;  ///< than its part says, of an imperfect wall (laminates have none)
  ShellElement() = default;
  ShellElement(const std::array<int, 3>& n, int p) : nodes{n[0], n[1], n[2]}, part(p), count(3) {}
  ShellElement(const std::array<int, 4>& n, int p) : nodes{n[0], n[1], n[2], n[3]}, part(p), count(4) {}
  ShellElement(const std::array<int, 9>& n, int p) : nodes(n), part(p), count(9) {}
  int corners() const { return count == 3 ? 3 : 4; }
  const int* begin() const { return nodes.data(); }
  const int* end() const { return nodes.data() + count; }
};

/// One solid element of eight or twenty nodes: the bottom corners once around, the top ones above them, then the
/// middles of the bottom edges, of the top edges and of the upright edges. Only the three translations of a node are
/// used.
struct SolidElement {
  std::array<int, 20> nodes{};
  int part = -1;
  int count = 8;
  const int* begin() const { return nodes.data(); }
  const int* end() const { return nodes.data() + count; }
};
/// Corners of the six faces of a solid, seen from outside once around; then the middles of their edges in order.
extern const std::array<std::array<int, 8>, 6> kSolidFaces;

/// Spring or fastener with six stiffnesses between two nodes, or between a node and the ground (second = -1).
struct SpringElement {
  std::string name;
  int first = -1, second = -1;
  /// Force per displacement along axes 1, 2, 3 and moment per rotation about them; not negative.
  std::array<double, 6> stiffness{};
  base::Mat3 axes = base::Mat3::Identity();  ///< columns 1, 2, 3 in the unloaded state
  /// Curves of the model in place of a stiffness; -1: none. Linear analyses take the slope at the origin.
  std::array<int, 6> curves = {-1, -1, -1, -1, -1, -1};
  /// Between nodes that lie apart: the axes stay as they are and a force across the distance rotations neither node, as
  /// if the two ends lay in one place. false: the axes rotate with the two nodes and a force has its couple (exact for
  /// a real link, which a in compression spring of finite length also stiffens or softens sideways). Between nodes in
  /// one place the axes always rotation.
  bool as_if_in_one_place = false;
};

/// A node that follows others exactly, also under large rotation.
struct Tie {
  enum class Kind {
    /// The follower is carried by its leaders: x = sum w (x_i + R_i d), rotations by the normalised mean of their
    /// rotation
    /// quaternions. One leader: a rigid arm. d is the reference distance from the weighted mean of the leaders.
    carried,
    /// The follower moves with the weighted best-fit rigid motion of its leaders and does not stiffen them: what acts
    /// on
    /// it is spread over them.
    mean,
    /// Its displacements along chosen global axes are those of one leader each, or a multiple of them, and it rotates
    /// as one
    /// of them does if asked; everything else stays its own.
    alike
  };
  std::string name;
  Kind kind = Kind::carried;
  int follower = -1;
  std::vector<int> leaders;
  std::vector<double> weights;          ///< sum 1
  bool moves = true, rotations = true;  ///< which of its degrees of freedom follow; the others stay its own
  bool warps = false;                   ///< the amplitude of warping follows too (one leader)
  bool arms_rotation = true;            ///< the leaders have rotations, so that the distance d rotations with them
  /// Directions (unit, in the unloaded state, right-angled to each other) along or about which a follower of one leader
  /// is free. They rotate with the leader (those of displacements only where its arms rotation); two axes of rotation:
  /// see elements::Ties.
  std::vector<Vec3> free_moves, free_rotations;
  /// Made by a bond: where its follower is also held, moved or led by something else, one of the leaders follows
  /// instead (settle_bonds), so that both hold.
  bool bonded = false;
  std::array<int, 3> alike = {-1, -1, -1};  ///< Kind::alike: whose displacement along x, y, z it has; -1: its own
  std::array<double, 3> times = {1, 1, 1};  ///< Kind::alike: multiplied by this
  int rotations_like = -1;                  ///< Kind::alike: whose rotation it has; -1: its own
  /// One leader: where a unit of the leader's warping amplitude displaces the follower (in the unloaded state; it
  /// rotates with the leader). Of a section that keeps its shape but may warp: minus the sectorial coordinate along the
  /// member.
  Vec3 warp_move = Vec3::Zero();
  /// A degree of freedom of the follower (0 to 6) is given by leaders, as far as directions that are free do not say
  /// otherwise.
  bool gives(int dof) const {
    if (kind == Kind::alike)
      return dof < 3 ? alike[static_cast<std::size_t>(dof)] >= 0 : dof < 6 && rotations_like >= 0;
    return dof < 3 ? moves : dof < 6 ? rotations : warps;
  }
};

/// The degrees of freedom of a node, in this order everywhere. `warp` is the amplitude of warping of a thin-walled
/// member (its rate of twist, radians per length, positive with the twist about the member's axis).
enum Dof { move_x = 0, move_y, move_z, rotation_x, rotation_y, rotation_z, warp };
constexpr int kNodeDofs = 7;
extern const std::array<const char*, 7> kDofNames;  ///< x y z rx ry rz warp
/// Place of the first degree of freedom of a node in a full vector (kNodeFreedoms values a node).
template <class Number>
constexpr std::ptrdiff_t row(Number node) {
  return static_cast<std::ptrdiff_t>(kNodeDofs) * static_cast<std::ptrdiff_t>(node);
}
/// Length of the largest translation, and of the largest rotation, of a node in a full vector.
double largest_translation(const Eigen::VectorXd& full);
double largest_rotation(const Eigen::VectorXd& full);

/// One held degree of freedom of one node, global axes.
struct Support {
  int node = -1;
  int dof = 0;
  std::string name;
};

/// Force and moment with fixed direction. The force acts at the end of `arm`, which rotates with the node.
struct NodeForce {
  int node = -1;
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero(), arm = Vec3::Zero();
};
/// Force per length on a line element, direction kept. projected: per length seen along the force, as snow on a slope.
struct MemberLoad {
  int element = -1;
  Vec3 force_per_length = Vec3::Zero();
  bool projected = false;
  double height_y = 0,
         height_z = 0;  ///< where it acts, from the line through the nodes, local axes: rotations with the member
  Vec3 change = Vec3::Zero();  ///< from the start of the element to its end, about the value in its middle
};
/// Force per length across a member that lies in a plane: positive pushes along plane_normal x member direction.
/// follows: rotations with the member (and carries its load stiffness).
struct MemberPressure {
  int element = -1;
  double force_per_length = 0;
  Vec3 plane_normal = Vec3::UnitY();
  bool follows = true;
};
/// Force per length on the line between two neighbouring corners of a panel (through `middle` when there is one).
struct EdgeLoad {
  int first = -1, second = -1;
  Vec3 force_per_length = Vec3::Zero();
  int middle = -1;
  Vec3 change = Vec3::Zero();  ///< from first to second, about the value in the middle
};
/// Force per area on a shell element, or on a face of a solid (face 0 to 5), direction kept. projected: per area seen
/// along the force.
struct SurfaceLoad {
  int element = -1;
  Vec3 force_per_area = Vec3::Zero();
  bool projected = false;
  int face = -1;
  base::Mat3 gradient = base::Mat3::Zero();  ///< the force at X is force_per_area + gradient (X - about)
  Vec3 about = Vec3::Zero();
};
/// Pressure on a shell element or a face of a solid; positive pushes against the normal (on to the outside of a
/// cylinder strip, into a solid).
struct SurfacePressure {
  int element = -1;
  double pressure = 0;
  bool follows = true;
  int face = -1;
  Vec3 gradient = Vec3::Zero();  ///< the pressure at X (unloaded) is pressure + gradient . (X - about)
  Vec3 about = Vec3::Zero();
};
/// Change of temperature of a whole part since it was free of stress, in degrees of the coefficient of expansion.
struct TemperatureChange {
  int part = -1;
  double change = 0;
  double strain = 0;  ///< free strain besides, whatever the material: pretension
};
/// Springs or fasteners that are made too long (too short: below zero) along their axis 1, or in tension by a force
/// while their ends stay fixed.
struct SpringMisfit {
  std::string springs;          ///< name of all of them
  double longer = 0, pull = 0;  ///< length; force
};
/// Prescribed displacement (length or radians) of a supported degree of freedom.
struct Displacement {
  int node = -1;
  int dof = 0;
  double value = 0;
};

/// Loads that act together; factors come in by combinations.
struct Action {
  std::string name;
  std::vector<NodeForce> node_forces;
  std::vector<MemberLoad> member_loads;
  std::vector<MemberPressure> member_pressures;
  std::vector<EdgeLoad> edge_loads;
  std::vector<SurfaceLoad> surface_loads;
  std::vector<SurfacePressure> surface_pressures;
  std::vector<Vec3> accelerations;  ///< acts on all mass; gravity is (0, 0, -g)
  std::vector<Displacement> displacements;
  std::vector<TemperatureChange> temperatures;
  std::vector<SpringMisfit> misfits;
  std::vector<std::string> notes;  ///< plain sentences about how the load was spread, for the check
};

/// Sum of factor x action.
struct Combination {
  std::string name;
  std::vector<std::pair<int, double>> terms;  ///< action index, factor
};

struct Model {
  std::vector<Vec3> nodes;
  std::vector<Material> materials;
  std::vector<Profile> profiles;
  std::vector<Laminate> laminates;
  std::vector<SpringCurve> spring_curves;
  std::vector<Part> parts;
  std::vector<LineElement> line_elements;
  std::vector<ShellElement> shell_elements;
  std::vector<BarElement> bar_elements;
  std::vector<SolidElement> solid_elements;
  std::vector<SpringElement> springs;
  std::vector<Tie> ties;
  std::vector<Obstacle> obstacles;
  std::vector<Touch> touches;
  std::vector<Contact> contacts;
  std::vector<Support> supports;
  std::vector<MemberStress> member_stresses;
  std::vector<PanelStress> panel_stresses;
  std::vector<Action> actions;
  std::vector<Combination> combinations;
  /// Named sets of nodes: "part", "part.start", "part.end", "part.left", "part.right" and named points.
  std::map<std::string, std::vector<int>> groups;
  /// What was done that nobody wrote down, in plain sentences: for the check.
  std::vector<std::string> remarks;
  /// Nodes that are in for the ground where supports have axes of their own; selections pass them over.
  std::vector<int> anchors;

  /// Calls use(nodes begin, nodes end, part or -1) for every element.
  template <class Use>
  void each_element(const Use& use) const {
    for (const auto& e : line_elements) use(e.nodes.data(), e.nodes.data() + 4, e.part);
    for (const auto& e : shell_elements) use(e.begin(), e.end(), e.part);
    for (const auto& e : bar_elements) use(e.nodes.data(), e.nodes.data() + 2, e.part);
    for (const auto& e : solid_elements) use(e.begin(), e.end(), e.part);
    for (const auto& e : springs) {
      const std::array<int, 2> ends = {e.first, e.second};
      use(ends.data(), ends.data() + (e.second < 0 ? 1 : 2), -1);
    }
  }
  /// Calls change(node) on every node number of the model but those of groups.
  template <class Change>
  void each_node_number(const Change& change) {
    for (auto& e : line_elements)
      for (int& n : e.nodes) change(n);
    for (auto& e : shell_elements)
      for (int k = 0; k < e.count; ++k) change(e.nodes[static_cast<std::size_t>(k)]);
    for (auto& e : bar_elements)
      for (int& n : e.nodes) change(n);
    for (auto& e : solid_elements)
      for (int k = 0; k < e.count; ++k) change(e.nodes[static_cast<std::size_t>(k)]);
    for (auto& e : springs) {
      change(e.first);
      if (e.second >= 0) change(e.second);
    }
    for (auto& t : ties) {
      change(t.follower);
      for (int& n : t.leaders) change(n);
    }
    for (auto& t : touches) change(t.node);
    for (auto& c : contacts)
      for (auto* faces : {&c.followers, &c.leaders})
        for (auto& face : *faces)
          for (int k = 0; k < face.count; ++k) change(face.nodes[static_cast<std::size_t>(k)]);
    for (auto& s : supports) change(s.node);
  }

  int node_count() const { return static_cast<int>(nodes.size()); }
  int action_index(const std::string& name) const;       ///< -1 when there is none
  int combination_index(const std::string& name) const;  ///< -1 when there is none
  /// A combination by name, or an action of that name with factor 1. \throws base::InputError when neither exists.
  Combination load_named(const std::string& name) const;
  /// Largest edge of the box around all nodes.
  double size() const;
  Vec3 middle(const ShellElement& element) const;  ///< mean of its corners
  /// Of an element's wall, with what it is thicker than its part.
  double thickness(const ShellElement& element) const {
    return parts[static_cast<std::size_t>(element.part)].thickness + element.thicker;
  }
  /// Number of the profile of a line element at a place; the one rule for tapered members.
  int profile_at(const LineElement& element, Station station) const;
  const Profile& section_at(const LineElement& element, Station station) const {
    return profiles[static_cast<std::size_t>(profile_at(element, station))];
  }
};

}  // namespace archway::model
