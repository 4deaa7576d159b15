#pragma once
#include <memory>

#include "archway/algebra/factorisation.hpp"
#include "archway/analysis/linear_static.hpp"
#include "archway/analysis/mode_reading.hpp"
#include "archway/analysis/one_sided.hpp"
#include "archway/analysis/other_states.hpp"
#include "archway/analysis/path_records.hpp"
#include "archway/analysis/post_buckling.hpp"
#include "archway/analysis/reduced_model.hpp"
#include "archway/analysis/stress_recovery.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "archway/study/check.hpp"
#include "archway/study/imperfection_kind.hpp"

/// What the analyses of a study came to.
namespace archway::study {

/// Something that says that the structure does not carry the load as it is given (load factor 1).
struct LoadFinding {
  std::string analysis;  ///< whose result it is
  std::string part;      ///< that fails; empty: the structure
  std::string text;      ///< with its numbers and units, a statement without full stop
  double use = 0;        ///< load over what is carried, or stress over yield; above 1
};

/// Largest bending moments of a member in compression under the same loads: by linear theory, by linear theory times
/// the amplification 1 / (1 - f / fcr), and of the nonlinear state. Sizes, about the section's axes. Linear theory is
/// that of the path's own geometry, imperfections in it.
struct SecondOrder {
  std::string member;
  std::string buckling;      ///< the analysis that the amplification comes from
  double load_factor = 0;    ///< of all three
  double axial = 0;          ///< by linear theory, at its most compressed place, tension positive
  double amplification = 0;  ///< 1 / (1 - load factor / critical factor)
  double linear_y = 0, linear_z = 0, nonlinear_y = 0, nonlinear_z = 0;
};

/// The ply of a part that is nearest to its first failure by one criterion.
struct PlyFailure {
  std::string part, laminate;
  bool tsai_hill = false;     ///< else: maximum stress
  int ply = 0;                ///< from the bottom, from 1
  double use = 0;             ///< 1: it fails; see theory::PlyUse
  Vec3 place = Vec3::Zero();  ///< middle of the element
  double load_factor = 0;     ///< of a path: at which it first fails, by interpolation; NaN: it does not
};

/// Answer to a requirement on a buckling analysis.
struct RequirementVerdict {
  std::string group, part;  ///< part: the one that holds most of the governing mode's energy
  double required = 0, load_factor = analysis::kUnset;
  int mode = -1;  ///< that governs the group; -1: none of those computed
  bool met = false;
  bool shown = true;  ///< false: too few modes were computed to report
};

/// A mode of one buckling analysis and the mode of another that looks most like it.
struct ModeMatch {
  int mode = -1, other = -1;  ///< from 0; other: -1 when none has a MAC of a quarter
  /// Square of the cosine between the two shapes (displacements of the nodes), 1: the same, 0: nothing in common.
  /// Against a pair of equal modes: against the space of both.
  double likeness = 0;
  double load_factor = analysis::kUnset, other_load_factor = analysis::kUnset;
};

/// A buckling analysis repeated on a finer mesh.
struct SecondMesh {
  double refine = 1;  ///< times the elements along every line
  int dofs = 0;
  std::vector<ModeMatch> modes;      ///< other: of the finer mesh
  std::vector<double> extrapolated;  ///< load factor for elements without end, from the leading order of the error
};

/// One buckling analysis beside an earlier one.
struct ShapeComparison {
  std::string analysis, with;
  std::vector<ModeMatch> modes;  ///< every mode of `analysis`; other: of `with`
  bool same_loads = true;        ///< factors mean the same in both
};

/// A hand formula beside an analysis.
struct HandCheck {
  HandCheckSpec spec;
  std::string title, unit;
  double value = analysis::kUnset;        ///< critical load by the formula
  double load_factor = analysis::kUnset;  ///< the same as a load factor of the analysis
  /// What the formula allows for imperfection (EN 1993-1-6: by the fabrication quality class), where it does.
  double design = analysis::kUnset, design_load_factor = analysis::kUnset;
  std::string design_meaning;
  double deviation = analysis::kUnset;  ///< analysis / formula - 1; NaN: nothing to compare with, `note` says why
  std::string note;
  /// Said of a deviation above a tenth. Above a factor of six either way the check has failed: a wrong unit, a force
  /// per node taken for a total, or inputs of another structure.
  std::string warning;
  bool failed = false;
  bool reversed = false;  ///< compared with the modes of negative factors
  std::vector<std::string> assumes;
};

/// How the load factor of a peak changes, by the null vector there (analysis::PeakSlope).
struct PeakSlopes {
  double load_factor = analysis::kUnset;
  std::string missing;  ///< why there are none; empty: there are
  std::vector<std::pair<std::string, double>>
      shapes;                                         ///< of each imperfection, a unit of its largest displacement more
  std::vector<std::pair<std::string, double>> modes;  ///< of each mode it leans on
  std::vector<std::pair<std::string, double>> walls;  ///< of each panel, a unit of thickness more
  std::vector<std::pair<std::string, double>> sections;  ///< of each member and bar, all of its section in proportion
  std::vector<double> nodes;  ///< one a node, a unit of displacement along the normal over a unit of area
};

/// What one analysis of the chain did.
struct AnalysisOutcome {
  AnalysisSpec spec;
  std::shared_ptr<const model::Model> model;  ///< the perfect structure; the study's own unless it is a variant
  std::vector<analysis::WatchPoint> watch;    ///< in that structure, one a watch of the study
  model::Combination constant, variable;      ///< as resolved from `from`, `grow` and `load`
  elements::Resultant constant_total, variable_total;  ///< about the origin, at factor 1
  /// Of a path by several stages: what is in place in each and the variable load there.
  std::vector<std::pair<elements::Resultant, elements::Resultant>> stage_totals;
  std::shared_ptr<const analysis::LinearStaticResult> linear;
  std::shared_ptr<const analysis::RecoveredStress> stresses;  ///< of the linear result, global axes
  std::shared_ptr<const analysis::BucklingResult> buckling;
  /// Of a buckling analysis beside obstacles; nullptr: there are none, or it is done about a state of a path.
  std::shared_ptr<const analysis::OneSidedResult> one_sided;
  std::shared_ptr<const analysis::OtherStates> other_states;  ///< of a path, where they were asked for
  std::shared_ptr<const analysis::BaseState> base;            ///< of the buckling analysis, when it has modes
  std::shared_ptr<analysis::StateInPlace> in_place;           ///< of a buckling analysis about a state of a path
  std::vector<analysis::ModeReading> readings;                ///< one a mode
  /// Of members in compression: in the first mode that takes each along, and in every mode.
  std::vector<analysis::EffectiveLength> lengths, lengths_by_mode;
  std::vector<analysis::Sensitivity> sensitivities;  ///< when asked for, one a part
  std::vector<RequirementVerdict> verdicts;          ///< one a requirement
  std::shared_ptr<const SecondMesh> second_mesh;     ///< when asked for
  std::shared_ptr<const analysis::PathResult> path;
  std::shared_ptr<const analysis::PostBuckling> post_buckling;  ///< when asked for
  /// When several modes are asked for: imperfections are the modes of the LBA that the path starts from.
  std::shared_ptr<const analysis::ReducedModel> reduced;
  std::shared_ptr<const PeakSlopes> slopes;                        ///< when asked for
  std::vector<PlyFailure> plies;                                   ///< of LA and paths, where laminates have strengths
  std::vector<SeededShape> seeded;                                 ///< one an imperfection that it has
  std::shared_ptr<const imperfection::Imperfection> imperfection;  ///< their sum, when any
  std::shared_ptr<const model::Model> geometry;  ///< the model it was run on (moved nodes with an imperfection)
  /// Of a path, in its last state: what an LA has in `linear`.
  std::shared_ptr<const analysis::ElementForces> end_forces;
  std::vector<SecondOrder> second_order;  ///< of a path that has a linear and a buckling analysis before it
  std::vector<std::string> warnings;
  bool skipped = false;
  std::string skip_reason;
  bool usable() const;
};

/// One row of the closing table.
struct ComparisonRow {
  std::string analysis, kind, meaning;
  double load_factor = analysis::kUnset;
  double force = analysis::kUnset;  ///< size of the resultant force of held + factor x growing
  double constant_force = 0, variable_force = 0;
  double ratio = analysis::kUnset;         ///< load factor / load factor of the linear buckling analysis it belongs to
  double displacement = analysis::kUnset;  ///< largest displacement at that state
  std::string note;
  int stage = -1;  ///< of a path by several stages: the one that the load factor belongs to
};

struct StudyResult {
  StudySpec spec;
  std::shared_ptr<const model::Model> model;
  CheckReport check;
  std::vector<AnalysisOutcome> outcomes;
  std::vector<ComparisonRow> comparison;
  std::vector<LoadFinding> load_findings;  ///< what says that the load as given is not carried
  std::vector<HandCheck> hand_checks;
  std::vector<ShapeComparison> shapes;  ///< buckling analyses after the first, beside the one they are like
  algebra::FactorCost cost;             ///< of the whole chain: check, half meshes and searches with it
  bool stopped = false;                 ///< the caller asked to stop; what was computed is here
  const AnalysisOutcome* find(const std::string& analysis) const;
  /// All analyses ran to an end that can be used.
  bool complete() const;
};

}  // namespace archway::study
