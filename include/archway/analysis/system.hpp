#pragma once
#include <functional>
#include <memory>

#include "archway/analysis/assembly.hpp"
#include "archway/analysis/loading.hpp"
#include "archway/elements/internal_forces.hpp"

namespace archway::analysis {

/// A model made ready for solving: what it is made of (Geometry), what its equations are (Topology), what acts on it
/// (Loading), and the contributions that are assembled. Followers of couplings are eliminated (elements::Ties).
class System {
 public:
  /// Copies the model; threads and topology of its own. \throws base::InputError with everything model::check_mesh
  /// finds
  explicit System(const model::Model& model);
  /// \param executor  that assembly and products run on
  /// \param shared    topology of another system on the same mesh; nullptr: a new one
  /// \throws base::InputError; std::invalid_argument when the shared topology is of another mesh
  /// \param standing  state in which ties hold nodes as they lie; nullptr: the unloaded structure
  System(std::shared_ptr<const model::Model> model, std::shared_ptr<const base::Executor> executor,
         std::shared_ptr<const Topology> shared = nullptr, const State* standing = nullptr);
  /// The same whose ties hold nodes as they lie in a state, see elements::Ties.
  std::shared_ptr<const System> standing_at(const State& state) const;
  /// The same on a pattern that couples what touches in a state, by a memory's pairs, and what may touch soon; nullptr:
  /// this one couples what touches.
  std::shared_ptr<const System> coupled(const State& state, const elements::Memory* memory) const;
  System(const System&) = delete;
  System& operator=(const System&) = delete;

  const model::Model& model() const { return *model_; }
  const Geometry& geometry() const { return *geometry_; }
  const Loading& loading() const { return loading_; }
  const base::Executor& executor() const { return *executor_; }
  const std::shared_ptr<const base::Executor>& shared_executor() const { return executor_; }
  const std::shared_ptr<const Topology>& topology() const { return topology_; }
  /// A factorisation on the pattern of the matrices; its symbolic work is kept for whoever takes it next.
  Topology::Lease factorisation() const { return topology_->factorisation(); }

  const elements::BeamBatch& beams() const { return geometry_->beams(); }
  const elements::BarBatch& bars() const { return geometry_->bars(); }
  const elements::SolidBatch& solids(int nodes) const { return geometry_->solids(nodes); }
  const elements::SpringBatch& springs() const { return geometry_->springs(); }
  const elements::Ties& ties() const { return geometry_->ties(); }
  int shell_count() const { return geometry_->shell_count(); }
  /// Stresses of a shell element of the model. \param linear see StressSource::linear
  elements::ShellStress shell_stress(const State& state, int element, const Eigen::VectorXd* linear) const;
  /// Local axes of a shell element of the model.
  elements::Mat3 shell_axes(int element) const;
  /// Stresses of a solid element of the model at its corners.
  std::vector<elements::SolidStress> solid_stress(const State& state, int element, const Eigen::VectorXd* linear) const;

  /// Forces and moments of the ground springs on the structure, full; parts of the reactions.
  /// \param name  of the springs; nullptr: all \param memory  see Geometry::trial
  Eigen::VectorXd ground_reactions(const State& state, const Eigen::VectorXd* linear, const std::string* name = nullptr,
                                   const elements::Memory* memory = nullptr) const;

  int node_count() const { return model_->node_count(); }
  int full_size() const { return topology_->full_size(); }
  int free_count() const { return topology_->free_count(); }
  /// See Topology::equation.
  int equation(int dof) const { return topology_->equation(dof); }
  std::shared_ptr<const algebra::SymmetricPattern> pattern() const { return topology_->pattern(); }

  /// Something more that gives forces and stiffness, on degrees of freedom that are in the pattern.
  void join(std::shared_ptr<const Contribution> contribution) { contributions_.push_back(std::move(contribution)); }
  /// Internal forces hold those of the state's correction, see State::correction_force.
  [[nodiscard]] base::Verdict assemble(const State& state, const AssemblyRequest& request) const;
  /// Tangent (points that remember `committed`) times the correction of a state.
  [[nodiscard]] base::Verdict force_of_correction(const State& state, const elements::Memory* committed,
                                                  Eigen::VectorXd& force) const;

  /// What all elements hold and have lost, see Batch::energy. \param memory  see Geometry::trial
  material::Energy energy(const State& state, const elements::Memory* memory) const;

  /// Calls use(kind, element of the model, its part or -1, values) for every element, values = shape^T (stiffness, or
  /// geometric stiffness) shape, one a shape. \param shapes  full, one a column
  using FormUse = std::function<void(ElementKind, int, int, const Eigen::VectorXd&)>;
  void each_form(const State& state, const elements::StressSource& source, bool geometric,
                 const Eigen::MatrixXd& shapes, const FormUse& use) const;
  /// shape^T (stiffness, or geometric stiffness) shape of the elements, summed by part; a row a part and a last one for
  /// springs and fasteners, a column a shape. \param shapes  full, one a column
  Eigen::MatrixXd forms_by_part(const State& state, const elements::StressSource& source, bool geometric,
                                const Eigen::MatrixXd& shapes) const;

  // what acts: see Loading
  Eigen::VectorXd loads(const std::vector<double>& factors, const State& state) const {
    return loading_.loads(factors, state);
  }
  Eigen::VectorXd nodal_loads(const std::vector<double>& factors, const State& state) const {
    return loading_.nodal_loads(factors, state);
  }
  elements::Resultant resultant(const std::vector<double>& factors, const State& state,
                                const Vec3& about = Vec3::Zero()) const {
    return loading_.resultant(factors, state, about);
  }
  void add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                          algebra::SymmetricMatrix& matrix) const {
    loading_.add_load_stiffness(factors, state, scale, matrix);
  }
  Eigen::SparseMatrix<double> skew_load_stiffness(const std::vector<double>& factors, const State& state) const {
    return loading_.skew_load_stiffness(factors, state);
  }
  std::vector<double> expansion(const std::vector<double>& factors) const { return loading_.expansion(factors); }
  Eigen::VectorXd displacements(const std::vector<double>& factors) const { return loading_.displacements(factors); }
  std::vector<double> factors(const model::Combination& combination) const { return loading_.factors(combination); }
  /// The reference state under the temperatures of the actions: what stresses of linear theory are recovered in.
  State warmed_reference(const std::vector<double>& factors) const;

  /// A full matrix of nodal forces against displacements times free degrees of freedom, brought back to free degrees of
  /// freedom.
  Eigen::VectorXd times_full(const Eigen::SparseMatrix<double>& full, const Eigen::VectorXd& free,
                             const State& state) const;
  /// Free degrees of freedom of a full force.
  Eigen::VectorXd free_part(const Eigen::VectorXd& full) const;
  /// Free degrees of freedom of a full displacement; values of the free directions of hinges are found from the
  /// displacements.
  Eigen::VectorXd free_values(const Eigen::VectorXd& full, const State& state) const;
  /// Full displacement from free degrees of freedom and, when given, the prescribed ones; followers move along by the
  /// linear map of the state.
  Eigen::VectorXd to_full(const Eigen::VectorXd& free, const State& state,
                          const Eigen::VectorXd* prescribed = nullptr) const;
  /// Values at degrees of freedom that are neither free nor following, zero elsewhere.
  Eigen::VectorXd constant_part(const Eigen::VectorXd& full) const;
  /// Adds a step (full) to a state; followers are placed exactly.
  void advance(State& state, const Eigen::VectorXd& step) const;

 private:
  System(const System& base, std::shared_ptr<const Topology> topology);
  void add_contributions();
  [[nodiscard]] base::Verdict assemble_as_it_is(const State& state, const AssemblyRequest& request) const;

  std::shared_ptr<const model::Model> model_;
  std::shared_ptr<const base::Executor> executor_;
  std::shared_ptr<const Geometry> geometry_;
  std::shared_ptr<const Topology> topology_;
  Loading loading_;
  std::vector<std::shared_ptr<const Contribution>> contributions_;  // own ones, then those that joined
  std::size_t own_ = 0;
};

}  // namespace archway::analysis
