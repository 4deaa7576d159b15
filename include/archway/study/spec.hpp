#pragma once
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <tuple>
#include <vector>

#include "archway/analysis/path_records.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"
#include "archway/study/analysis_kind.hpp"
#include "archway/study/analysis_spec.hpp"
#include "archway/study/contact_spec.hpp"
#include "archway/study/imperfection_spec.hpp"
#include "archway/study/load_kind.hpp"
#include "archway/study/obstacle_spec.hpp"
#include "archway/study/pictures.hpp"
#include "archway/study/units.hpp"
#include "archway/theory/laminate.hpp"
#include "archway/theory/section.hpp"

/// A study as it is written down: what io reads from a study file, and what a program may fill in by hand.
namespace archway::study {

using base::Vec3;

struct MaterialSpec {
  model::Material material;    ///< elastic, as most analyses take it
  material::Flow flow;         ///< what MNA, GMNA and GMNIA follow besides: engineering stress
  material::Flow true_flow;    ///< the same as true stress, for walls and solids
  bool given_as_true = false;  ///< the study gives true stress; MNA takes the curve as it is given
  SourceLocation place;
};

struct ProfileSpec {
  std::string name, shape;
  std::map<std::string, double> dimensions;
  theory::ThinWalled walls;      ///< of the shape "polyline"
  bool shear_flexible = true;    ///< false: members of it are rigid in shear, as formulas without shear take them
  bool mirrored = false;         ///< on its z axis: of members that are copied by a mirror
  int fibres = theory::kFibres;  ///< along the longer side, where it yields; see theory::set_fibres
  SourceLocation place;
};

/// A layered wall for panels.
struct LaminateSpec {
  std::string name;
  std::vector<theory::Ply> plies;  ///< from the bottom to the top
  SourceLocation place;
};

/// One end of a member.
struct MemberEnd {
  enum class Warping { continuous, free, fixed };
  Vec3 offset = Vec3::Zero();  ///< from the point where the member is joined to where it begins, global axes
  std::vector<int> released;   ///< degrees of freedom in the member's own axes (x along it)
  Warping warping = Warping::continuous;
};

struct MemberSpec {
  std::string name, material, profile, profile_end;  ///< profile_end: the member tapers to it; empty: it does not
  std::string piece_of;                              ///< name of the member it is a piece of; empty: found
  model::Line line;                                  ///< between the joints; with corners: only its ends count
  std::vector<Vec3> through;                         ///< corners between the ends: a polyline, straight pieces
  int elements = 8;                                  ///< of every piece
  int plates = 0;  ///< a model of plates instead of a line, so many elements across the widest wall; 0: a line
  Vec3 up = Vec3::UnitZ();
  bool up_given = true;  ///< false: the default of a study file, reported where it decides how the section is
  double offset_y = 0, offset_z = 0;  ///< of the centroid from the line, own axes
  bool warping = false;
  model::Rigid rigid;
  std::string buckling_curve;  ///< of EN 1993-1-1, 6.3.1.2: a0, a, b, c or d; empty: no resistance is reported
  MemberEnd start, end;
  SourceLocation place;
};

struct BarSpec {
  std::string name, material, profile;
  model::Line line;
  int elements = 1;
  bool tension_only = false, rigid = false;
  SourceLocation place;
};

/// Elements smaller towards an edge of a panel or a face of a solid ("start", "right", "top" ...), so many times.
struct Finer {
  std::string towards;
  double times = 1;
};

enum class Surface { rectangle, cylinder, revolution, corners, extrusion };
struct PanelSpec {
  std::string name, material;
  std::string laminate;  ///< instead of material and thickness; `fibres`: projected on the panel, its angle zero
  Vec3 fibres = Vec3::UnitX();
  Surface surface = Surface::rectangle;
  model::Faces faces = model::Faces::four;
  bool shear_flexible = true;                       ///< false: a thin plate, for comparison with formulas
  int layers = 8;                                   ///< points through the thickness where it flows
  std::function<double(const Vec3&)> thickness_at;  ///< instead of thickness: in the middle of an element
  double thickness = 0, offset = 0;                 ///< offset: of the middle surface from the nodes along the normal
  Vec3 corner = Vec3::Zero(), along = Vec3::Zero(), across = Vec3::Zero();      // rectangle
  Vec3 axis_from = Vec3::Zero(), axis_to = Vec3::Zero(), start = Vec3::Zero();  // cylinder, revolution
  model::Line line;                                                             // revolution
  double angle_degrees = 0;
  std::vector<Vec3> corners;  // corners
  std::string profile;        // extrusion, along `line`
  Vec3 up = Vec3::UnitZ();    // extrusion
  int divisions[2] = {8, 8};  ///< along / around, across / along the axis
  std::vector<Finer> finer;
  bool flipped = false;  ///< a mirrored copy: nodes the other way round, so that the normal is mirrored too
  SourceLocation place;
};

/// Stresses of the unloaded structure, from rolling, cutting and welding.
struct ResidualStressSpec {
  enum class Pattern { given, rolled_i, welded_i, welded_box };
  std::vector<std::string> parts;
  Pattern pattern = Pattern::given;
  double share = 0;                              ///< of the yield stress; 0: that of the pattern
  double stress = 0;                             ///< given, where it is the same everywhere
  std::function<double(const Vec3&)> stress_at;  ///< members: of (0, y, z) from the centroid; panels: of the place
  Vec3 along = Vec3::Zero();                     ///< panels
  std::optional<Spot> beside;                    ///< bands beside these nodes, the rest of the parts in balance
  double width = 0;                              ///< of a band, to either side
  SourceLocation place;
};

enum class Body { block, tube };
struct SolidSpec {
  std::string name, material;
  Body body = Body::block;
  Vec3 corner = Vec3::Zero(), along = Vec3::Zero(), across = Vec3::Zero(), up = Vec3::Zero();  // block
  Vec3 axis_from = Vec3::Zero(), axis_to = Vec3::Zero(), start = Vec3::Zero();  // tube: start on the inside
  double wall = 0, angle_degrees = 0;
  std::array<int, 3> divisions = {4, 4, 4};  ///< along / around, across / along the axis, up / through the wall
  bool quadratic = false;
  std::vector<Finer> finer;
  SourceLocation place;
};

/// Panels, solids and bars from a mesh file.
struct MeshSpec {
  std::string file;
  std::shared_ptr<const model::Model> mesh;  ///< as read
  double scale = 1;                          ///< times its coordinates
  double merge = 0;                          ///< nodes closer than this become one; 0: only in the same place
  std::string material, profile;             ///< of its parts; profile: of its lines
  double thickness = 0;
  std::map<std::string, double> thicknesses;  ///< of single parts
  std::map<std::string, std::string> materials;
  SourceLocation place;
};

/// More of the same: parts moved, rotated or mirrored, once or several times over.
struct CopySpec {
  std::vector<std::string> of;
  Vec3 move = Vec3::Zero();  ///< each copy further by this
  std::optional<std::pair<Vec3, Vec3>> axis;
  double angle_degrees = 0;                     ///< each copy further about the axis
  std::optional<std::pair<Vec3, Vec3>> mirror;  ///< point and normal of the plane
  int count = 1;
  std::optional<double> thickness;  ///< of the copies; none: as the original
  std::string profile, material;    ///< of the copies; empty: as the original
  std::vector<std::string>
      carry;               ///< fasteners, springs, couplings, bonds, supports, foundations, actions that go along
  bool carry_all = false;  ///< whatever names a copied part does
  SourceLocation place;
};

/// Force against displacement along one axis of a spring, or moment against rotation about it.
struct SpringCurveSpec {
  std::size_t axis = 0;  ///< 0 to 5, as the stiffnesses
  material::Curve curve;
  SourceLocation place;
};

/// Springs between two nodes, between nodes in the same places, or to the ground.
struct SpringSpec {
  std::string name;
  Spot from;
  std::optional<Spot> to;  ///< none: the ground
  std::array<double, 6> stiffness{};
  std::vector<SpringCurveSpec> curves;  ///< instead of the stiffness of their axes
  Vec3 along = Vec3::UnitX(), up = Vec3::UnitZ();
  bool axes_rotation = false;  ///< between nodes that lie apart: see model::SpringElement::as_if_in_one_place
  SourceLocation place;
};

/// Springs between two parts at points that need not be nodes.
struct FastenerSpec {
  std::string name, first, second;  ///< parts
  std::vector<Vec3> points;
  std::optional<Spot> edge;  ///< a row along this edge of a panel, besides the points
  double pitch = 0;          ///< of that row, at most; its ends have fasteners
  std::array<double, 6> stiffness{};
  std::vector<SpringCurveSpec> curves;
  Vec3 along = Vec3::UnitX(), up = Vec3::UnitZ();
  SourceLocation place;
};

/// When a support, a coupling or a bond is there: "constant" (while the constant part is put on; LA), "variable" (while
/// the load grows, all stages), "buckling" (the buckling step), or names of stages; empty: always.
using During = std::vector<std::string>;

enum class CouplingKind { rigid, spread, alike };
struct CouplingSpec {
  std::string name;
  CouplingKind kind = CouplingKind::rigid;
  Vec3 point = Vec3::Zero();  ///< leads (rigid) or follows (spread): a node of its own there...
  std::string point_at;       ///< ...or the one node of this name, "post.end"
  Spot at;
  double radius = 0;                                  ///< only nodes so near to the point; 0: all
  bool rotations = true;                              ///< rigid: the nodes rotate with the point
  std::array<bool, 3> share = {false, false, false};  ///< alike: displacements along x, y, z that the nodes share
  bool share_rotations = false;                       ///< alike: and their rotation
  std::optional<base::Mat3> axes;                     ///< alike: columns x, y, z of `share`; none: global ones
  bool led = false;                                   ///< alike: by the point; else by the first of the nodes
  double times = 1;  ///< alike, led: their displacement is this multiple of the point's
  During during;
  SourceLocation place;
};

/// Nodes of an edge or a face that follow another part whose mesh does not match.
struct BondSpec {
  std::string name, to;
  Spot follow;
  double tolerance = 0;  ///< largest gap; 0: a hundredth of an element
  bool rotations = true;
  bool contact = false;  ///< on paths its two sides are in contact instead
  During during;
  SourceLocation place;
};

/// Axes of a support: straight, or rotation about an axis (1 radial, 2 around, 3 axial).
struct AxesSpec {
  bool cylindrical = false;
  Vec3 first = Vec3::UnitX(), second = Vec3::UnitZ();  ///< along and up, or two points of the axis
};

struct SupportSpec {
  std::string name;
  Spot at;
  std::vector<int> dofs;
  std::optional<AxesSpec> axes;  ///< none: global
  During during;
};

/// Springs to the ground spread over a part or an edge.
struct FoundationSpec {
  std::string name, part;    ///< part: panel (stiffness per area) or member (per length)
  std::optional<Spot> edge;  ///< instead of a part: stiffness per length
  using Field = std::function<double(const Vec3&)>;
  std::array<double, 3> stiffness{};         ///< along the global axes
  std::function<Vec3(const Vec3&)> varying;  ///< instead, by place
  double normal = 0;                         ///< panels and their edges: along the normal, added to these
  Field normal_at;                           ///< instead, by place
  /// Edges: in the plane of the panel across the edge, along it, against rotation about it. Members: against rotation.
  double sideways = 0, along = 0, rotating = 0;
  SourceLocation place;
};

/// How a force on several nodes is meant.
enum class Sharing { unset, total, each };
struct LoadSpec {
  const LoadKind* kind = load_kinds().front();
  Spot at;                         ///< nodes: force, edge, displacement
  std::vector<std::string> parts;  ///< temperature: none: all parts; line, surface, pressure, member_pressure; of a
                                   ///< solid also the side: "part.top"
  std::string names() const;       ///< of them, as a sentence wants it
  Vec3 value = Vec3::Zero(), moment = Vec3::Zero();
  Vec3 arm = Vec3::Zero();                       ///< force: from the node to where it acts, rotations with the node
  double height_y = 0, height_z = 0;             ///< line: where it acts, from the line of the member, own axes
  double amount = 0;                             ///< pressure, displacement, temperature
  std::function<Vec3(const Vec3&)> value_at;     ///< instead of value, where it varies from place to place
  std::function<double(const Vec3&)> amount_at;  ///< instead of amount
  int dof = 0;                                   ///< displacement
  Sharing sharing = Sharing::unset;
  bool projected = false, follows = true;
  Vec3 plane_normal = Vec3::UnitY();
  std::optional<model::Selection> where;  ///< line, surface, pressure: only elements whose middle lies in this box
  SourceLocation place;
};

struct ActionSpec {
  std::string name;
  std::vector<LoadSpec> loads;
  SourceLocation place;
};

struct CombinationSpec {
  std::string name;
  std::vector<std::pair<std::string, double>> terms;
  SourceLocation place;
};

struct StudySpec {
  std::string title, file;
  Units units;
  double refine = 1;      ///< multiplies every number of elements and divisions
  int plane_normal = -1;  ///< frames in a plane: the axis (0 to 2) across it; -1: in space
  SourceLocation plane_place;
  bool join_edges = true;  ///< panel edges that lie on other panels are bonded where their meshes differ
  std::map<std::string, double> parameters;
  std::map<std::string, double> overrides;  ///< parameters given on the command line
  std::map<std::string, Vec3> points;
  std::vector<MaterialSpec> materials;
  std::vector<ProfileSpec> profiles;
  std::vector<LaminateSpec> laminates;
  std::vector<MemberSpec> members;
  std::vector<BarSpec> bars;
  std::vector<PanelSpec> panels;
  std::vector<SolidSpec> solids;
  std::vector<ResidualStressSpec> residual_stresses;
  std::vector<CopySpec> copies;
  std::vector<MeshSpec> meshes;
  std::vector<SpringSpec> springs;
  std::vector<FastenerSpec> fasteners;
  std::vector<CouplingSpec> couplings;
  std::vector<BondSpec> bonds;
  std::vector<FoundationSpec> foundations;
  std::vector<ObstacleSpec> obstacles;
  std::vector<ContactSpec> contacts;
  std::vector<SupportSpec> supports;
  std::vector<ActionSpec> actions;
  std::vector<CombinationSpec> combinations;
  std::vector<WatchSpec> watches;
  std::vector<ImperfectionSpec> imperfections;
  std::vector<AnalysisSpec> analyses;
  std::vector<HandCheckSpec> hand_checks;
  std::vector<DesignSpec> designs;
  std::vector<SweepSpec> sweeps;
  PictureSpec pictures;
  std::string text;  ///< the study file as read, for its hash
  /// The same study with other numbers; reading a file sets it, a program that wants variants must.
  std::function<StudySpec(const Variant&)> vary;

  const AnalysisSpec* find_analysis(const std::string& name) const;
  const ImperfectionSpec* find_imperfection(const std::string& name) const;
};

/// Adds the parts that copies ask for (NAME-2, NAME-3) and refines. Reading a study file does this last.
/// \throws base::InputError for parts that do not exist
void carry_out_copies(StudySpec& spec);

/// Adds the analyses of designs (NAME@DESIGN), and before every analysis on another structure those that it leans on
/// (NAME@wall=4), unless they are done on it already. Reading a study file does this after carry_out_copies.
void bring_along(StudySpec& spec);

/// What is wrong with references inside a study: unknown names, what starts from something later; empty: nothing.
std::vector<base::Complaint> complaints(const StudySpec& spec);

}  // namespace archway::study
