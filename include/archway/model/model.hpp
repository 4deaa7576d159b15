#pragma once
#include <array>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "archway/base/rotation.hpp"

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
  double shear_modulus() const { return youngs_modulus / (2 * (1 + poisson_ratio)); }
};

/// Cross-section of a member, properties about its centroid; y across, z along the height. See
/// theory::SectionProperties.
struct Profile {
  std::string name;
  double area = 0, second_moment_y = 0, second_moment_z = 0, torsion_constant = 0, shear_area_y = 0, shear_area_z = 0;
  double fibre_y = 0, fibre_z = 0;
  std::vector<std::vector<std::pair<double, double>>> outline;
};

enum class PartKind { member, panel };

/// A member (line) or a panel (surface) by its name in the study.
struct Part {
  std::string name;
  PartKind kind = PartKind::member;
  int material = -1;
  int profile = -1;         ///< members only
  double thickness = 0;     ///< panels only, > 0
  Vec3 up = Vec3::UnitZ();  ///< members only: direction the local z axis (height of the profile) leans to
};

/// One beam element. nodes[0] and nodes[3] are its ends; nodes[1] and nodes[2] belong to the element alone and lie at
/// thirds of it (on the curve, for a curved member), so that the deflected line is a cubic with its own freedoms.
struct LineElement {
  std::array<int, 4> nodes{};
  int part = -1;
};

/// One four-node shell element; the normal is (1->2) x (1->4), right-handed around the corners.
struct ShellElement {
  std::array<int, 4> nodes{};
  int part = -1;
};

/// The six freedoms of a node, in this order everywhere.
enum Freedom { move_x = 0, move_y, move_z, turn_x, turn_y, turn_z };
extern const std::array<const char*, 6> kFreedomNames;  ///< x y z rx ry rz

/// One held freedom of one node, global axes.
struct Support {
  int node = -1;
  int freedom = 0;
  std::string name;
};

struct NodeForce {
  int node = -1;
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero();
};
/// Force per length on a line element, direction kept. projected: per length seen along the force, as snow on a slope.
struct MemberLoad {
  int element = -1;
  Vec3 force_per_length = Vec3::Zero();
  bool projected = false;
};
/// Force per length across a member that lies in a plane: positive pushes along plane_normal x member direction.
/// follows: turns with the member (and carries its load stiffness).
struct MemberPressure {
  int element = -1;
  double force_per_length = 0;
  Vec3 plane_normal = Vec3::UnitY();
  bool follows = true;
};
/// Force per length on the straight line between two neighbouring nodes of a panel.
struct EdgeLoad {
  int first = -1, second = -1;
  Vec3 force_per_length = Vec3::Zero();
};
/// Force per area on a shell element, direction kept. projected: per area seen along the force.
struct SurfaceLoad {
  int element = -1;
  Vec3 force_per_area = Vec3::Zero();
  bool projected = false;
};
/// Pressure on a shell element; positive pushes against its normal (on to the outside of a cylinder strip).
struct SurfacePressure {
  int element = -1;
  double pressure = 0;
  bool follows = true;
};
/// Prescribed movement (length or radians) of a supported freedom.
struct Movement {
  int node = -1;
  int freedom = 0;
  double value = 0;
};

/// Loads that act together; factors come in by combinations.
struct LoadPattern {
  std::string name;
  std::vector<NodeForce> node_forces;
  std::vector<MemberLoad> member_loads;
  std::vector<MemberPressure> member_pressures;
  std::vector<EdgeLoad> edge_loads;
  std::vector<SurfaceLoad> surface_loads;
  std::vector<SurfacePressure> surface_pressures;
  std::vector<Vec3> accelerations;  ///< acts on all mass; gravity is (0, 0, -g)
  std::vector<Movement> movements;
  std::vector<std::string> notes;  ///< plain sentences about how the load was spread, for the check
};

/// Sum of factor x pattern.
struct Combination {
  std::string name;
  std::vector<std::pair<int, double>> terms;  ///< pattern index, factor
};

struct Model {
  std::vector<Vec3> nodes;
  std::vector<Material> materials;
  std::vector<Profile> profiles;
  std::vector<Part> parts;
  std::vector<LineElement> line_elements;
  std::vector<ShellElement> shell_elements;
  std::vector<Support> supports;
  std::vector<LoadPattern> patterns;
  std::vector<Combination> combinations;
  /// Named sets of nodes: "part", "part.start", "part.end", "part.left", "part.right" and named points.
  std::map<std::string, std::vector<int>> groups;

  int node_count() const { return static_cast<int>(nodes.size()); }
  int pattern_index(const std::string& name) const;      ///< -1 when there is none
  int combination_index(const std::string& name) const;  ///< -1 when there is none
  /// A combination by name, or a pattern of that name with factor 1. \throws base::InputError when neither exists.
  Combination load_named(const std::string& name) const;
  /// Largest edge of the box around all nodes.
  double size() const;
};

}  // namespace archway::model
