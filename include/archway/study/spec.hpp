#pragma once
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <tuple>
#include <vector>

#include "archway/analysis/stages.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"
#include "archway/study/analysis_kind.hpp"
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
  Place place;
};

struct ProfileSpec {
  std::string name, shape;
  std::map<std::string, double> dimensions;
  theory::ThinWalled walls;      ///< of the shape "polyline"
  bool shear_flexible = true;    ///< false: members of it are rigid in shear, as formulas without shear take them
  bool mirrored = false;         ///< on its z axis: of members that are copied by a mirror
  int fibres = theory::kFibres;  ///< along the longer side, where it yields; see theory::set_fibres
  Place place;
};

/// A layered wall for panels.
struct LaminateSpec {
  std::string name;
  std::vector<theory::Ply> plies;  ///< from the bottom to the top
  Place place;
};

/// One end of a member.
struct MemberEnd {
  enum class Warping { continuous, free, fixed };
  Vec3 offset = Vec3::Zero();  ///< from the point where the member is joined to where it begins, global axes
  std::vector<int> released;   ///< freedoms in the member's own axes (x along it)
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
  bool up_given = true;  ///< false: the default of a study file, told where it decides how the section stands
  double offset_y = 0, offset_z = 0;  ///< of the centroid from the line, own axes
  bool warping = false;
  model::Rigid rigid;
  std::string buckling_curve;  ///< of EN 1993-1-1, 6.3.1.2: a0, a, b, c or d; empty: no resistance is told
  MemberEnd start, end;
  Place place;
};

struct BarSpec {
  std::string name, material, profile;
  model::Line line;
  int elements = 1;
  bool tension_only = false, rigid = false;
  Place place;
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
  bool turned_over = false;  ///< a mirrored copy: nodes the other way round, so that the normal is mirrored too
  Place place;
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
  Place place;
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
  Place place;
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
  Place place;
};

/// More of the same: parts moved, turned or mirrored, once or several times over.
struct CopySpec {
  std::vector<std::string> of;
  Vec3 move = Vec3::Zero();  ///< each copy further by this
  std::optional<std::pair<Vec3, Vec3>> axis;
  double angle_degrees = 0;                     ///< each copy further about the axis
  std::optional<std::pair<Vec3, Vec3>> mirror;  ///< point and normal of the plane
  int count = 1;
  std::optional<double> thickness;  ///< of the copies; none: as the original
  std::string profile, material;    ///< of the copies; empty: as the original
  std::vector<std::string> carry;   ///< fasteners, springs, couplings, bonds, supports, beddings, actions that go along
  bool carry_all = false;           ///< whatever names a copied part does
  Place place;
};

/// Force against movement along one axis of a spring, or moment against turn about it.
struct SpringCurveSpec {
  std::size_t axis = 0;  ///< 0 to 5, as the stiffnesses
  material::Curve curve;
  Place place;
};

/// Springs between two nodes, between nodes in the same places, or to the ground.
struct SpringSpec {
  std::string name;
  Spot from;
  std::optional<Spot> to;  ///< none: the ground
  std::array<double, 6> stiffness{};
  std::vector<SpringCurveSpec> curves;  ///< instead of the stiffness of their axes
  Vec3 along = Vec3::UnitX(), up = Vec3::UnitZ();
  bool axes_turn = false;  ///< between nodes that lie apart: see model::SpringElement::as_if_in_one_place
  Place place;
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
  Place place;
};

/// When a support, a coupling or a bond is there: "held" (while the held part is put on; LA), "growing" (while the load
/// grows, all stages), "buckling" (the buckling step), or names of stages; empty: always.
using During = std::vector<std::string>;

enum class CouplingKind { rigid, spread, alike };
struct CouplingSpec {
  std::string name;
  CouplingKind kind = CouplingKind::rigid;
  Vec3 point = Vec3::Zero();  ///< leads (rigid) or follows (spread): a node of its own there...
  std::string point_at;       ///< ...or the one node of this name, "post.end"
  Spot at;
  double radius = 0;                                  ///< only nodes so near to the point; 0: all
  bool turns = true;                                  ///< rigid: the nodes turn with the point
  std::array<bool, 3> share = {false, false, false};  ///< alike: movements along x, y, z that the nodes share
  bool share_turns = false;                           ///< alike: and their rotation
  std::optional<base::Mat3> axes;                     ///< alike: columns x, y, z of `share`; none: global ones
  bool led = false;                                   ///< alike: by the point; else by the first of the nodes
  double times = 1;                                   ///< alike, led: their movement is this multiple of the point's
  During during;
  Place place;
};

/// Nodes of an edge or a face that follow another part whose mesh does not match.
struct BondSpec {
  std::string name, to;
  Spot follow;
  double tolerance = 0;  ///< largest gap; 0: a hundredth of an element
  bool turns = true;
  bool contact = false;  ///< on paths its two sides are in contact instead
  During during;
  Place place;
};

/// Axes of a support: straight, or turning about an axis (1 radial, 2 around, 3 axial).
struct AxesSpec {
  bool cylindrical = false;
  Vec3 first = Vec3::UnitX(), second = Vec3::UnitZ();  ///< along and up, or two points of the axis
};

struct SupportSpec {
  std::string name;
  Spot at;
  std::vector<int> freedoms;
  std::optional<AxesSpec> axes;  ///< none: global
  During during;
};

/// Springs to the ground spread over a part or an edge.
struct BeddingSpec {
  std::string name, part;    ///< part: panel (stiffness per area) or member (per length)
  std::optional<Spot> edge;  ///< instead of a part: stiffness per length
  using Field = std::function<double(const Vec3&)>;
  std::array<double, 3> stiffness{};         ///< along the global axes
  std::function<Vec3(const Vec3&)> varying;  ///< instead, by place
  double normal = 0;                         ///< panels and their edges: along the normal, added to these
  Field normal_at;                           ///< instead, by place
  /// Edges: in the plane of the panel across the edge, along it, against turning about it. Members: against turning.
  double sideways = 0, along = 0, turning = 0;
  Place place;
};

/// How a force on several nodes is meant.
enum class Sharing { unset, total, each };
struct LoadSpec {
  const LoadKind* kind = load_kinds().front();
  Spot at;                         ///< nodes: force, edge, movement
  std::vector<std::string> parts;  ///< temperature: none: all parts; line, surface, pressure, member_pressure; of a
                                   ///< solid also the side: "part.top"
  std::string names() const;       ///< of them, as a sentence wants it
  Vec3 value = Vec3::Zero(), moment = Vec3::Zero();
  Vec3 arm = Vec3::Zero();                       ///< force: from the node to where it acts, turns with the node
  double height_y = 0, height_z = 0;             ///< line: where it acts, from the line of the member, own axes
  double amount = 0;                             ///< pressure, movement, temperature
  std::function<Vec3(const Vec3&)> value_at;     ///< instead of value, where it varies from place to place
  std::function<double(const Vec3&)> amount_at;  ///< instead of amount
  int freedom = 0;                               ///< movement
  Sharing sharing = Sharing::unset;
  bool projected = false, follows = true;
  Vec3 plane_normal = Vec3::UnitY();
  std::optional<model::Selection> where;  ///< line, surface, pressure: only elements whose middle lies in this box
  Place place;
};

struct ActionSpec {
  std::string name;
  std::vector<LoadSpec> loads;
  Place place;
};

struct CombinationSpec {
  std::string name;
  std::vector<std::pair<std::string, double>> terms;
  Place place;
};

/// Something to record at every increment of a path; see analysis::WatchPoint.
struct WatchSpec {
  std::string name;
  Spot at;
  Vec3 direction = -Vec3::UnitZ();
  analysis::WatchPoint::Kind kind = analysis::WatchPoint::Kind::movement;
  std::optional<Spot> from;  ///< movement: less that of this node; distance: to it
  std::string of;            ///< a support or a part
  Place place;
};

struct StopSpec {
  std::optional<double> load_factor;
  std::string watch;
  double movement = 0;
  double plastic_strain = 0;  ///< largest of any point; 0: no such rule
  double drop = 0;
  int increments = 100;
  int factorisations = 0;  ///< 0: no such rule
  double seconds = 0;      ///< 0: no such rule
  bool at_loss = false;    ///< at the first loss of stability
  bool given = false;      ///< the study says when to stop; else a path ends after a clear peak
};

/// Least critical load factor of a group of parts.
struct RequirementSpec {
  std::vector<std::string> parts;  ///< empty: everything
  double factor = 0;
};

/// Of which surface of panels stresses are drawn.
enum class StressSurface { larger, top, middle, bottom };

/// A structure that differs from the study's own by a few numbers.
struct Variant {
  std::map<std::string, double> parameters;
  double refine = 1;  ///< times every number of elements
  bool is_base() const { return parameters.empty() && refine == 1; }
  bool operator<(const Variant& other) const {
    return std::tie(parameters, refine) < std::tie(other.parameters, other.refine);
  }
};

/// "wall = 4, 2 times the elements"; empty for the study's own structure.
std::string to_text(const Variant& variant);

/// Plastic strain that a group of parts may reach, with the load factor by which it may.
struct StrainLimitSpec {
  std::vector<std::string> parts;  ///< empty: everything
  double plastic_strain = 0.05;
  double required_factor = 0;  ///< 0: it is only told when
};

/// How a path is stepped.
struct ControlSpec {
  analysis::PathControl control = analysis::PathControl::arc_length;
  bool change = false;    ///< to another control where one finds no way on
  std::string lead;       ///< PathControl::movement: the watch that leads
  double first_step = 0;  ///< 0: a tenth of the critical load factor it starts from, or 0.1
  double largest_step = 0;
};

/// One stage of a path.
struct StageSpec {
  std::string name, grow;
  std::optional<double> to;  ///< load factor at which it ends
  ControlSpec control;
  StopSpec stop;
  Place place;
};

struct AnalysisSpec {
  std::string name;
  const AnalysisKind* kind = analysis_kinds().front();
  std::string like;  ///< the analysis it was copied from
  Variant variant;   ///< the structure it is done on
  std::string load;  ///< LA: what acts
  /// LBA, GNA, GNIA: an LA whose load is held. GNA, GNIA: or an LBA whose held and growing parts are taken. LBA: or a
  /// path, about whose state at an increment it is done.
  std::string from;
  int increment = -1;                             ///< of that path; below zero: the last stable one
  std::string grow;                               ///< LBA, GNA, GNIA: what the load factor multiplies
  StressSurface surface = StressSurface::larger;  ///< LA: in the picture of stresses
  int modes = 4;
  bool show_negative = true;
  std::vector<RequirementSpec> required;                              ///< LBA
  double above = 0, below = std::numeric_limits<double>::infinity();  ///< LBA: window of factors
  bool sensitivities = false;  ///< LBA: derivatives by every thickness and section
  double second_mesh = 0;      ///< LBA: repeat with so many times the elements and tell the trend; 0: do not
  std::vector<std::pair<std::string, double>> imperfections;  ///< GNIA: with the factor each is taken with
  bool post_buckling = false;  ///< GNA: coefficients of the branch at the first bifurcation
  int branch_modes = 0;        ///< and a reduced model of so many modes there; 0: none
  bool peak_slopes = false;    ///< GNIA: how the peak changes with its imperfections and walls
  std::string suffix;          ///< "@wide": of a design or variant, and of what it leans on; empty: the study's own
  std::string design;          ///< whose structure it is done on; empty: the study's own
  ControlSpec control;
  analysis::Branching at_bifurcation = analysis::Branching::primary;  ///< GNA, GNIA
  int branch_increments = 0, branch_depth = 1, jumps = 0;             ///< see PathOptions
  double jump_damping = 0;  ///< above 0: jumps are motions in time, see analysis::PathOptions
  bool watch_stability = false;
  double tolerance = 1e-6;
  std::vector<StageSpec> stages;                                 ///< of a path, instead of `grow` and `stop`
  std::vector<double> output_factors;                            ///< load factors at each of which an increment ends
  std::vector<std::pair<std::string, double>> output_movements;  ///< movements of watches at which one ends
  std::vector<StrainLimitSpec> strain_limits;
  StopSpec stop;
  Place place;
};

/// A set of parameters under which the whole chain is run.
struct DesignSpec {
  std::string name;
  std::map<std::string, double> parameters;
  Place place;
};

/// Many runs of a path that differ by their imperfection: how much it matters.
struct SweepSpec {
  std::string name, analysis;              ///< analysis: a path, run once a case
  std::vector<std::string> imperfections;  ///< one at a time
  std::vector<double> amplitudes;          ///< each the largest movement
  bool times = false;                      ///< or, when true, a multiple of the imperfection's own amplitude
  bool both_signs = false;
  std::vector<std::string> designs;  ///< besides the study's own structure
  int seeds = 0;                     ///< of random imperfections: so many samples; 0: the seed they have
  unsigned long long first_seed = 1;
  std::string worst_of;  ///< instead of given shapes: the worst mix of its first modes, by so many steps
  int worst_modes = 0, worst_steps = 4;
  int screen = 0, screen_paths = 4;  ///< mixes to look through by a reduced model first, and to follow of them
  Place place;
};

/// "bow - 0.5 weld".
std::string imperfections_text(const AnalysisSpec& analysis);

/// A hand formula beside a mode of a buckling analysis.
struct HandCheckSpec {
  std::string of, formula, member;       ///< member: of the study, whose length, profile and material are taken
  int mode = 1;                          ///< of the analysis, from 1
  bool mode_given = true;                ///< false: the first mode of the kind that the formula is about
  int value = 1;                         ///< which critical load of the formula, from 1
  std::string material, profile, about;  ///< of the study, where inputs come from; about: y, z or empty (the weaker)
  double at_factor_one = 0;  ///< size of the load at load factor 1 in the formula's unit; 0: the growing force
  std::map<std::string, double> numbers;
  std::map<std::string, std::string> words;
  Place place;
};

struct StudySpec {
  std::string title, file;
  Units units;
  double refine = 1;      ///< multiplies every number of elements and divisions
  int plane_normal = -1;  ///< frames in a plane: the axis (0 to 2) across it; -1: in space
  Place plane_place;
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
  std::vector<BeddingSpec> beddings;
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
