#pragma once
#include <Eigen/SparseCore>

#include "archway/analysis/topology.hpp"
#include "archway/elements/internal_forces.hpp"
#include "archway/elements/loads.hpp"

namespace archway::analysis {

/// Where changes of temperature are: among the loads, as linear analyses take them (the stress is C (strain - free
/// strain), whose second part goes to the side of the loads), or in the state (State::expansion), where the laws see
/// them.
enum class Warmth { as_load, in_state };

/// The actions on a structure: nodal loads, their stiffness, changes of temperature, prescribed displacements. Factors:
/// one an action of the model.
class Loading {
 public:
  Loading(const model::Model& model, const Topology& topology, const Geometry& geometry)
      : model_(model), topology_(topology), geometry_(geometry) {}

  /// One factor an action from a combination.
  std::vector<double> factors(const model::Combination& combination) const;
  /// Nodal loads, full, brought to the leaders: sum of factor x action in a state.
  Eigen::VectorXd loads(const std::vector<double>& factors, const State& state, Warmth warmth = Warmth::as_load) const;
  /// The same where they act, followers included: what resultants are taken of. A change of temperature acts by the
  /// forces that hold the free growth back, -integral B^T C (free strain), which add up to nothing.
  Eigen::VectorXd nodal_loads(const std::vector<double>& factors, const State& state) const;
  /// nodal_loads without those of temperature: what acts on a state that is warm itself.
  Eigen::VectorXd acting_loads(const std::vector<double>& factors, const State& state) const;
  /// Force and moment totals of the actions where they act: the only way resultants of loads are taken.
  elements::Resultant resultant(const std::vector<double>& factors, const State& state,
                                const Vec3& about = Vec3::Zero()) const;
  /// Adds scale x (load stiffness of the actions) to a matrix; the tangent of the equilibrium takes it with scale -1.
  void add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                          algebra::SymmetricMatrix& matrix, Warmth warmth = Warmth::as_load) const;
  /// The skew part that add_load_stiffness omits, full x full; empty when there is none to speak of.
  Eigen::SparseMatrix<double> skew_load_stiffness(const std::vector<double>& factors, const State& state) const;
  /// Free strain of every part under the actions (temperature times expansion); empty when nothing is warmed.
  std::vector<double> expansion(const std::vector<double>& factors) const;
  /// Prescribed displacements of the actions, full; zero elsewhere.
  Eigen::VectorXd displacements(const std::vector<double>& factors) const;

 private:
  void add_block(const State& state, const std::vector<int>& dofs, const Eigen::MatrixXd& block, double scale,
                 algebra::SymmetricMatrix& matrix, const double* force = nullptr) const;
  template <class Use>
  void each_warmed(const std::vector<double>& factors, const State& state, bool stiffness, const Use& use) const;
  void add_growth_forces(const std::vector<double>& factors, const State& state, Eigen::VectorXd& nodal) const;
  void add_growth_stiffness(const std::vector<double>& factors, const State& state, double scale,
                            algebra::SymmetricMatrix& matrix) const;
  bool add_to_shell(const elements::LoadedNodes& nodes, const elements::LoadBlock& block, double scale,
                    algebra::SymmetricMatrix& matrix) const;
  void add_tie_stiffness(const std::vector<double>& factors, const State& state, double scale,
                         algebra::SymmetricMatrix& matrix) const;

  /// Of an action with factor 1, kept from the first time it is asked for.
  const Eigen::VectorXd& dead_loads(std::size_t action) const;

  const model::Model& model_;
  const Topology& topology_;
  const Geometry& geometry_;
  std::unique_ptr<std::mutex> dead_mutex_ = std::make_unique<std::mutex>();
  mutable std::vector<Eigen::VectorXd> dead_;
};

}  // namespace archway::analysis
