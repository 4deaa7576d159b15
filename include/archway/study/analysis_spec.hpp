#pragma once
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "archway/analysis/path_records.hpp"
#include "archway/study/analysis_kind.hpp"
#include "archway/study/keys.hpp"

/// Analyses as a study asks for them: what is recorded, how a path is stepped and ended, designs, sweeps, hand checks.
namespace archway::study {

using base::Vec3;

/// Something to record at every increment of a path; see analysis::WatchPoint.
struct WatchSpec {
  std::string name;
  Spot at;
  Vec3 direction = -Vec3::UnitZ();
  analysis::WatchPoint::Kind kind = analysis::WatchPoint::Kind::displacement;
  std::optional<Spot> from;  ///< displacement: less that of this node; distance: to it
  std::string of;            ///< a support or a part
  SourceLocation place;
};

struct StopSpec {
  std::optional<double> load_factor;
  std::string watch;
  double displacement = 0;
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
  double required_factor = 0;  ///< 0: it is only reported when
};

/// How a path is stepped.
struct ControlSpec {
  analysis::PathControl control = analysis::PathControl::arc_length;
  bool change = false;    ///< to another control where one finds no way on
  std::string lead;       ///< PathControl::displacement: the watch that leads
  double first_step = 0;  ///< 0: a tenth of the critical load factor it starts from, or 0.1
  double largest_step = 0;
};

/// One stage of a path.
struct StageSpec {
  std::string name, load;
  std::optional<double> to;  ///< load factor at which it ends
  ControlSpec control;
  StopSpec stop;
  SourceLocation place;
};

struct AnalysisSpec {
  std::string name;
  const AnalysisKind* kind = analysis_kinds().front();
  std::string like;     ///< the analysis it was copied from
  Variant variant;      ///< the structure it is done on
  std::string load;     ///< action or combination: LA: what acts; else the variable load, multiplied by the load factor
  std::string preload;  ///< action or combination that stays constant; empty: none, or that of `source`
  /// The analysis whose results this one starts from, by `source_key`: "preload_of" an LA, whose load stays constant;
  /// "loads_of" an LBA, whose constant and variable loads a path takes; "state_of" a path, about one of whose states an
  /// LBA is done.
  std::string source, source_key;
  int increment = -1;                             ///< of that path; below zero: the last stable one
  StressSurface surface = StressSurface::larger;  ///< LA: in the picture of stresses
  int modes = 4;
  analysis::Negative negative = analysis::Negative::when_none;
  std::vector<RequirementSpec> required;                              ///< LBA
  double above = 0, below = std::numeric_limits<double>::infinity();  ///< LBA: window of factors
  bool sensitivities = false;  ///< LBA: derivatives by every thickness and section
  double second_mesh = 0;      ///< LBA: repeat with so many times the elements and report the trend; 0: do not
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
  double jump_stiffness_damping = 0;
  int other_states =
      0;  ///< most that are sought at each load of output_at and at the end, see analysis::other_states()
  bool watch_stability = false;
  double tolerance = 1e-6;
  std::vector<StageSpec> stages;       ///< of a path, instead of `grow` and `stop`
  std::vector<double> output_factors;  ///< load factors at each of which an increment ends
  std::vector<std::pair<std::string, double>> output_displacements;  ///< displacements of watches at which one ends
  std::vector<StrainLimitSpec> strain_limits;
  StopSpec stop;
  SourceLocation place;
};

/// A set of parameters under which the whole chain is run.
struct DesignSpec {
  std::string name;
  std::map<std::string, double> parameters;
  SourceLocation place;
};

/// Many runs of a path that differ by their imperfection: how much it matters.
struct SweepSpec {
  std::string name, analysis;              ///< analysis: a path, run once a case
  std::vector<std::string> imperfections;  ///< one at a time
  std::vector<double> amplitudes;          ///< each the largest displacement
  bool times = false;                      ///< or, when true, a multiple of the imperfection's own amplitude
  bool both_signs = false;
  std::vector<std::string> designs;  ///< besides the study's own structure
  int seeds = 0;                     ///< of random imperfections: so many samples; 0: the seed they have
  unsigned long long first_seed = 1;
  std::string worst_of;  ///< instead of given shapes: the worst mix of its first modes, by so many steps
  int worst_modes = 0, worst_steps = 4;
  int screen = 0, screen_paths = 4;  ///< mixes to look through by a reduced model first, and to follow of them
  SourceLocation place;
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
  double at_factor_one = 0;  ///< size of the load at load factor 1 in the formula's unit; 0: the variable force
  std::map<std::string, double> numbers;
  std::map<std::string, std::string> words;
  SourceLocation place;
};

}  // namespace archway::study
