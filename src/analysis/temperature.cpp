#include "archway/analysis/system.hpp"

/// Changes of temperature as loads: the stress is C (strain - free strain), whose second part is taken to the side of
/// the loads. It does not depend on the strain, so the loads stay linear in the load factors.
namespace archway::analysis {

std::vector<double> System::expansion(const std::vector<double>& factors) const {
  std::vector<double> list;
  for (std::size_t p = 0; p < factors.size(); ++p)
    for (const auto& t : model_.actions[p].temperatures) {
      if (factors[p] == 0.0) continue;
      list.resize(model_.parts.size(), 0.0);
      const auto part = static_cast<std::size_t>(t.part);
      list[part] +=
          factors[p] * t.change * model_.materials[static_cast<std::size_t>(model_.parts[part].material)].expansion;
    }
  return list;
}

State System::warmed_reference(const std::vector<double>& factors) const {
  State state = State::reference(model_);
  state.expansion = expansion(factors);
  return state;
}

/// Calls use(freedoms, forces, geometric stiffness) for every element of a part with a free strain: what that strain
/// alone gives to it. \param stiffness  false: forces only, the matrix has no meaning
template <class Use>
void System::each_warmed(const std::vector<double>& factors, const State& state, bool stiffness, const Use& use) const {
  State warmed = state;
  warmed.expansion = expansion(factors);
  if (warmed.expansion.empty()) return;
  const Eigen::VectorXd still = Eigen::VectorXd::Zero(full_size());
  elements::StressSource source;
  source.linear = &still;  // no strain but the free one, in the geometry of the state
  for (const auto& set : sets_) {
    const int n = set.batch->freedom_count();
    Eigen::VectorXd force(n);
    Eigen::MatrixXd geometric(n, n);
    for (int e = 0; e < set.batch->size(); ++e) {
      if (const int part = set.batch->part(e); part < 0 || warmed.free_strain(part) == 0.0) continue;
      // cannot fold: no strain is taken from the state
      (void)set.batch->evaluate(warmed, &e, 1, {force.data(), nullptr, stiffness ? geometric.data() : nullptr}, source);
      use(freedoms_of(*set.batch, e), force, geometric);
    }
  }
}

void System::add_growth_forces(const std::vector<double>& factors, const State& state, Eigen::VectorXd& nodal) const {
  each_warmed(factors, state, false, [&](const auto& freedoms, const Eigen::VectorXd& force, const Eigen::MatrixXd&) {
    for (std::size_t i = 0; i < freedoms.size(); ++i) nodal[freedoms[i]] -= force[static_cast<Eigen::Index>(i)];
  });
}

void System::add_growth_stiffness(const std::vector<double>& factors, const State& state, double scale,
                                  algebra::SymmetricMatrix& matrix) const {
  each_warmed(factors, state, true,
              [&](const auto& freedoms, const Eigen::VectorXd& force, const Eigen::MatrixXd& geometric) {
                add_block(state, freedoms, geometric, -scale, matrix, force.data());
              });
}

}  // namespace archway::analysis
