#pragma once
#include <functional>
#include <map>
#include <memory>

#include <Eigen/SparseCore>

#include "archway/algebra/pattern.hpp"
#include "archway/elements/bar.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/shell.hpp"
#include "archway/elements/solid.hpp"
#include "archway/elements/spring.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

using base::Vec3;
using elements::State;

enum class ElementKind { line, bar, spring, solid, shell };

/// What to assemble; nullptr: not wanted. Full vectors have model::kNodeFreedoms values a
/// node; full displacements hold the movement of followers too, full forces what came from them to their leaders.
struct AssemblyRequest {
  Eigen::VectorXd* internal_force = nullptr;      ///< full
  algebra::SymmetricMatrix* tangent = nullptr;    ///< free freedoms
  algebra::SymmetricMatrix* geometric = nullptr;  ///< free freedoms
  elements::StressSource source;                  ///< where stresses come from
  const Eigen::VectorXd* direction = nullptr;     ///< full; asks for tangent_times
  Eigen::VectorXd* tangent_times = nullptr;       ///< full: tangent (all freedoms) times direction
};

/// A model made ready for solving: element batches, equation numbers, pattern. Elements are assembled in colours that
/// share no node, so both threads write without locks and sums are made in one fixed order. Followers of couplings are
/// eliminated (elements::Ties).
class System {
 public:
  /// \throws base::InputError with everything model::check_mesh finds
  explicit System(const model::Model& model);

  const model::Model& model() const { return model_; }
  const elements::BeamBatch& beams() const { return *beams_; }
  const elements::BarBatch& bars() const { return *bars_; }
  const elements::SolidBatch& solids(int nodes) const { return nodes == 8 ? *solids8_ : *solids20_; }
  const elements::SpringBatch& springs() const { return *springs_; }
  const elements::Ties& ties() const { return ties_; }
  int shell_count() const { return static_cast<int>(shell_places_.size()); }
  /// Stresses of a shell element of the model. \param linear see StressSource::linear
  elements::ShellStress shell_stress(const State& state, int element, const Eigen::VectorXd* linear) const;
  /// Local axes of a shell element of the model.
  elements::Mat3 shell_axes(int element) const;
  /// Stresses of a solid element of the model at its corners.
  std::vector<elements::SolidStress> solid_stress(const State& state, int element, const Eigen::VectorXd* linear) const;

  /// Forces and moments of the ground springs on the structure, full; parts of the reactions.
  /// \param name  of the springs; nullptr: all
  Eigen::VectorXd ground_reactions(const State& state, const Eigen::VectorXd* linear,
                                   const std::string* name = nullptr) const;

  int node_count() const { return model_.node_count(); }
  int full_size() const { return static_cast<int>(model::row(node_count())); }
  int free_count() const { return pattern_->size(); }
  /// Equation of a freedom, or -1 when it is held, follows others or has no element.
  int equation(int freedom) const { return equation_[static_cast<std::size_t>(freedom)]; }
  std::shared_ptr<const algebra::SymmetricPattern> pattern() const { return pattern_; }

  [[nodiscard]] base::Verdict assemble(const State& state, const AssemblyRequest& request) const;

  /// Calls use(kind, element of the model, its part or -1, values) for every element, values = shape^T (stiffness, or
  /// geometric stiffness) shape, one a shape. \param shapes  full, one a column
  using FormUse = std::function<void(ElementKind, int, int, const Eigen::VectorXd&)>;
  void each_form(const State& state, const elements::StressSource& source, bool geometric,
                 const Eigen::MatrixXd& shapes, const FormUse& use) const;
  /// shape^T (stiffness, or geometric stiffness) shape of the elements, summed by part; a row a part and a last one for
  /// springs and fasteners, a column a shape. \param shapes  full, one a column
  Eigen::MatrixXd forms_by_part(const State& state, const elements::StressSource& source, bool geometric,
                                const Eigen::MatrixXd& shapes) const;

  /// Nodal loads, full, brought to the leaders: sum of factor x action in a state. \param factors  one an action
  Eigen::VectorXd loads(const std::vector<double>& factors, const State& state) const;
  /// The same where they act, followers included: what resultants are taken of. A change of temperature acts by the
  /// forces that hold the free growth back, -integral B^T C (free strain), which add up to nothing.
  Eigen::VectorXd nodal_loads(const std::vector<double>& factors, const State& state) const;
  /// Force and moment totals of the actions where they act: the only way resultants of loads are taken.
  elements::Resultant resultant(const std::vector<double>& factors, const State& state,
                                const Vec3& about = Vec3::Zero()) const;
  /// Adds scale x (load stiffness of the actions) to a matrix; the tangent of the equilibrium takes it with scale -1.
  void add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                          algebra::SymmetricMatrix& matrix) const;
  /// The skew part that add_load_stiffness leaves out, full x full; empty when there is none to speak of.
  Eigen::SparseMatrix<double> skew_load_stiffness(const std::vector<double>& factors, const State& state) const;
  /// A full matrix of nodal forces against movements times free freedoms, brought back to free freedoms.
  Eigen::VectorXd times_full(const Eigen::SparseMatrix<double>& full, const Eigen::VectorXd& free,
                             const State& state) const;
  /// Free strain of every part under the actions (temperature times expansion); empty when nothing is warmed.
  std::vector<double> expansion(const std::vector<double>& factors) const;
  /// The reference state under the temperatures of the actions: what stresses of linear theory are recovered in.
  State warmed_reference(const std::vector<double>& factors) const;
  /// Prescribed movements of the actions, full; zero elsewhere.
  Eigen::VectorXd movements(const std::vector<double>& factors) const;
  /// One factor an action from a combination.
  std::vector<double> factors(const model::Combination& combination) const;

  /// Free freedoms of a full force.
  Eigen::VectorXd free_part(const Eigen::VectorXd& full) const;
  /// Free freedoms of a full displacement; values of the free directions of hinges are found from the movements.
  Eigen::VectorXd free_values(const Eigen::VectorXd& full, const State& state) const;
  /// Full displacement from free freedoms and, when given, the prescribed ones; followers move along by the linear map
  /// of the state.
  Eigen::VectorXd to_full(const Eigen::VectorXd& free, const State& state,
                          const Eigen::VectorXd* prescribed = nullptr) const;
  /// Values at freedoms that are neither free nor following, zero elsewhere.
  Eigen::VectorXd held_part(const Eigen::VectorXd& full) const;
  /// Adds a step (full) to a state; followers are placed exactly.
  void advance(State& state, const Eigen::VectorXd& step) const { ties_.advance(state, step); }

 private:
  struct ElementSet {  // a batch and where its elements go
    std::unique_ptr<elements::Batch> batch;
    ElementKind kind;
    std::vector<int> in_model;                    // number of each element in the model
    std::vector<std::vector<int>> scatter;        // lower triangle, place in the pattern or -1
    std::map<int, elements::LocalFreedoms> tied;  // elements with followers
  };
  struct Run {  // elements of one batch and one colour
    std::size_t set;
    std::vector<int> elements;
    bool crowded = false;  // elements of this run may share nodes: one thread
  };
  struct Buffers;
  template <class Kind>
  Kind* add(std::unique_ptr<Kind> batch, ElementKind kind);
  void number_equations();
  void make_pattern();
  void make_colours();
  std::vector<int> freedoms_of(const elements::Batch& batch, int element) const;
  std::vector<int> nodes_touched(const ElementSet& set, int element) const;
  base::Verdict assemble_run(const Run& run, int begin, int end, const State& state,
                             const AssemblyRequest& request) const;
  void take(const ElementSet& set, int element, const Buffers& buffers, int place, const State& state,
            const AssemblyRequest& request) const;
  void add_block(const State& state, const std::vector<int>& freedoms, const Eigen::MatrixXd& block, double scale,
                 algebra::SymmetricMatrix& matrix, const double* force = nullptr) const;
  /// nodal_loads without those of temperature.
  Eigen::VectorXd applied_loads(const std::vector<double>& factors, const State& state) const;
  template <class Use>
  void each_warmed(const std::vector<double>& factors, const State& state, bool stiffness, const Use& use) const;
  void add_growth_forces(const std::vector<double>& factors, const State& state, Eigen::VectorXd& nodal) const;
  void add_growth_stiffness(const std::vector<double>& factors, const State& state, double scale,
                            algebra::SymmetricMatrix& matrix) const;
  void add_tie_stiffness(const std::vector<double>& factors, const State& state, double scale,
                         algebra::SymmetricMatrix& matrix) const;

  const model::Model model_;
  elements::Ties ties_;
  std::vector<ElementSet> sets_;
  elements::BeamBatch* beams_ = nullptr;
  elements::BarBatch* bars_ = nullptr;
  elements::SpringBatch* springs_ = nullptr;
  elements::SolidBatch *solids8_ = nullptr, *solids20_ = nullptr;
  std::vector<std::pair<const elements::ShellKind*, int>> shell_places_;
  std::vector<std::pair<const elements::SolidBatch*, int>> solid_places_;
  std::vector<int> equation_;
  std::shared_ptr<const algebra::SymmetricPattern> pattern_;
  std::vector<Run> runs_;
};

}  // namespace archway::analysis
