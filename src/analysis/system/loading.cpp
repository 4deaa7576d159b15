#include "archway/analysis/loading.hpp"

#include <algorithm>

#include "archway/base/index.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;

using base::at;

}  // namespace

namespace {
/// Along axis 1; of a curve at its beginning.
double axial_stiffness(const model::Model& model, const model::SpringElement& spring) {
  return spring.curves[0] < 0 ? spring.stiffness[0]
                              : material::curve_law(model.spring_curves[at(spring.curves[0])].curve)->stiffness()(0, 0);
}
}  // namespace

std::vector<double> Loading::expansion(const std::vector<double>& factors) const {
  std::vector<double> list;
  for (std::size_t p = 0; p < factors.size(); ++p)
    for (const auto& t : model_.actions[p].temperatures) {
      if (factors[p] == 0.0) continue;
      list.resize(model_.parts.size(), 0.0);
      const auto part = static_cast<std::size_t>(t.part);
      list[part] += factors[p] * (t.change * model_.materials[at(model_.parts[part].material)].expansion + t.strain);
    }
  for (std::size_t p = 0; p < factors.size(); ++p)
    for (const auto& misfit : model_.actions[p].misfits) {
      if (factors[p] == 0.0) continue;
      list.resize(model_.parts.size() + model_.springs.size(), 0.0);
      for (std::size_t s = 0; s < model_.springs.size(); ++s)
        if (const auto& spring = model_.springs[s]; spring.name == misfit.springs)
          list[model_.parts.size() + s] += factors[p] * (misfit.longer - misfit.pull / axial_stiffness(model_, spring));
    }
  return list;
}

/// Changes of temperature as loads: the stress is C (strain - free strain), whose second part is taken to the side of
/// the loads. It does not depend on the strain, so the loads stay linear in the load factors.
///
/// Calls use(degrees of freedom, forces, geometric stiffness) for every element of a part with a free strain: what that
/// strain alone gives to it. \param stiffness  false: forces only, the matrix has no meaning
template <class Use>
void Loading::each_warmed(const std::vector<double>& factors, const State& state, bool stiffness,
                          const Use& use) const {
  auto grown = expansion(factors);
  if (grown.empty()) return;
  State warmed = state;
  warmed.expansion = std::move(grown);
  const VectorXd still = Eigen::VectorXd::Zero(topology_.full_size());
  elements::StressSource source;
  source.linear = &still;  // no strain but the free one, in the geometry of the state
  for (const auto& set : geometry_.sets()) {
    const int n = set.batch->dof_count();
    VectorXd force(n);
    MatrixXd geometric(n, n);
    for (int e = 0; e < set.batch->size(); ++e) {
      if (const int own = set.batch->expands(e); own < 0 || warmed.free_strain(own) == 0.0) continue;
      // cannot fold: no strain is taken from the state
      (void)set.batch->evaluate(warmed, &e, 1, {force.data(), nullptr, stiffness ? geometric.data() : nullptr}, source);
      use(Topology::dofs_of(*set.batch, e), force, geometric);
    }
  }
}

void Loading::add_growth_forces(const std::vector<double>& factors, const State& state, VectorXd& nodal) const {
  each_warmed(factors, state, false, [&](const auto& dofs, const VectorXd& force, const MatrixXd&) {
    for (std::size_t i = 0; i < dofs.size(); ++i) nodal[dofs[i]] -= force[static_cast<Eigen::Index>(i)];
  });
}

void Loading::add_growth_stiffness(const std::vector<double>& factors, const State& state, double scale,
                                   algebra::SymmetricMatrix& matrix) const {
  each_warmed(factors, state, true, [&](const auto& dofs, const VectorXd& force, const MatrixXd& geometric) {
    add_block(state, dofs, geometric, -scale, matrix, force.data());
  });
}

VectorXd Loading::acting_loads(const std::vector<double>& factors, const State& state) const {
  VectorXd nodal = VectorXd::Zero(topology_.full_size());
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0) {
      nodal += factors[p] * dead_loads(p);
      elements::add_changing_loads(model_, model_.actions[p], factors[p], state, nodal);
    }
  return nodal;
}

const VectorXd& Loading::dead_loads(std::size_t action) const {
  const std::lock_guard<std::mutex> lock(*dead_mutex_);
  dead_.resize(model_.actions.size());
  auto& own = dead_[action];
  if (own.size() == 0) {
    own = VectorXd::Zero(topology_.full_size());
    elements::add_dead_loads(model_, model_.actions[action], own);
  }
  return own;
}

VectorXd Loading::nodal_loads(const std::vector<double>& factors, const State& state) const {
  VectorXd nodal = acting_loads(factors, state);
  add_growth_forces(factors, state, nodal);
  return nodal;
}

elements::Resultant Loading::resultant(const std::vector<double>& factors, const State& state,
                                       const Vec3& about) const {
  return elements::resultant(state.position, nodal_loads(factors, state), about);
}

VectorXd Loading::loads(const std::vector<double>& factors, const State& state, Warmth warmth) const {
  VectorXd nodal = warmth == Warmth::as_load ? nodal_loads(factors, state) : acting_loads(factors, state);
  geometry_.ties().gather(state, nodal);
  return nodal;
}

/// Adds a block on any degrees of freedom, brought down to leaders; for the few that are not in the scatter of an
/// element.
void Loading::add_block(const State& state, const std::vector<int>& dofs, const MatrixXd& block, double scale,
                        algebra::SymmetricMatrix& matrix, const double* force) const {
  const auto local = geometry_.ties().localise(dofs);
  const auto size = static_cast<Eigen::Index>(local.dofs.size());
  MatrixXd k = MatrixXd::Zero(size, size);
  k.topLeftCorner(block.rows(), block.cols()) = block;
  VectorXd f = VectorXd::Zero(size);
  if (force != nullptr) f.head(block.rows()) = Eigen::Map<const VectorXd>(force, block.rows());
  geometry_.ties().reduce(state, local, f, &k, nullptr);
  Topology::scatter(topology_.places_of(local.dofs), k.data(), static_cast<int>(size), scale, matrix.values);
}

/// A block on the translations of a shell element goes where the element itself adds to: no place has to be searched.
/// \return false: the nodes are no shell element, or one of them follows others
bool Loading::add_to_shell(const elements::LoadedNodes& nodes, const elements::LoadBlock& block, double scale,
                           algebra::SymmetricMatrix& matrix) const {
  if (nodes.shell < 0) return false;
  const auto& [batch, element] = geometry_.shell(nodes.shell);
  std::size_t index = 0;
  while (geometry_.sets()[index].batch.get() != batch) ++index;
  const auto& set = topology_.set(index);
  if (set.tied.count(element) != 0) return false;
  Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, 54, 54> own;
  own.setZero(nodes.count * set.width, nodes.count * set.width);
  const int* list = set.nodes.data() + static_cast<std::ptrdiff_t>(nodes.count) * element;
  std::array<int, 9> place{};
  for (int i = 0; i < nodes.count; ++i)
    place[at(i)] = static_cast<int>(std::find(list, list + nodes.count, nodes.begin()[i]) - list);
  for (int j = 0; j < nodes.count; ++j)
    for (int i = 0; i < nodes.count; ++i)
      own.block<3, 3>(set.width * place[at(i)], set.width * place[at(j)]) = scale * block.block<3, 3>(3 * i, 3 * j);
  topology_.scatter(index, element, own.data(), matrix.values);
  return true;
}

void Loading::add_tie_stiffness(const std::vector<double>& factors, const State& state, double scale,
                                algebra::SymmetricMatrix& matrix) const {
  if (geometry_.ties().empty()) return;
  VectorXd nodal = acting_loads(factors, state);
  geometry_.ties().gather(state, nodal, [&](int tie, const Eigen::Matrix<double, 7, 1>& force) {
    add_block(state, geometry_.ties().columns(tie), geometry_.ties().second_order(state, tie, force), scale, matrix);
  });
}

void Loading::add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                                 algebra::SymmetricMatrix& matrix, Warmth warmth) const {
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0)
      elements::add_load_stiffness(model_, model_.actions[p], factors[p], state,
                                   [&](const elements::LoadedNodes& nodes, int width, const elements::LoadBlock& k) {
                                     if (add_to_shell(nodes, k, scale, matrix)) return;
                                     std::vector<int> dofs;
                                     for (const int n : nodes)
                                       for (int i = 0; i < width; ++i)
                                         dofs.push_back(static_cast<int>(model::row(n)) + i);
                                     add_block(state, dofs, k, scale, matrix);
                                   });
  if (warmth == Warmth::as_load) add_growth_stiffness(factors, state, scale, matrix);
  add_tie_stiffness(factors, state, scale, matrix);
}

Eigen::SparseMatrix<double> Loading::skew_load_stiffness(const std::vector<double>& factors, const State& state) const {
  std::vector<Eigen::Triplet<double>> entries;
  double largest = 0;
  // the constant load neither moves nor feels it; what follows is not reported apart here
  const auto moves = [&](std::ptrdiff_t dof) {
    return !geometry_.ties().empty() || topology_.equation(static_cast<int>(dof)) >= 0;
  };
  const auto sink = [&](const elements::LoadedNodes& nodes, int width, const elements::LoadBlock& k) {
    const auto row = [&](Eigen::Index i) { return model::row(nodes.begin()[static_cast<int>(i) / width]) + i % width; };
    largest = std::max(largest, k.cwiseAbs().maxCoeff());
    for (Eigen::Index i = 0; i < k.rows(); ++i)
      for (Eigen::Index j = 0; j < k.cols(); ++j)
        if (k(i, j) != 0.0 && moves(row(i)) && moves(row(j))) entries.emplace_back(row(i), row(j), k(i, j));
  };
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0) elements::add_skew_load_stiffness(model_, model_.actions[p], factors[p], state, sink);
  Eigen::SparseMatrix<double> full;
  if (entries.empty()) return full;
  full.resize(topology_.full_size(), topology_.full_size());
  full.setFromTriplets(entries.begin(), entries.end());
  full.prune(largest, 1e-10);  // inside a surface under pressure neighbours cancel
  return full.nonZeros() == 0 ? Eigen::SparseMatrix<double>() : full;
}

VectorXd Loading::displacements(const std::vector<double>& factors) const {
  VectorXd full = VectorXd::Zero(topology_.full_size());
  for (std::size_t p = 0; p < factors.size(); ++p)
    for (const auto& displacement : model_.actions[p].displacements)
      full[model::row(displacement.node) + displacement.dof] += factors[p] * displacement.value;
  return full;
}

std::vector<double> Loading::factors(const model::Combination& combination) const {
  std::vector<double> list(model_.actions.size(), 0.0);
  for (const auto& [action, factor] : combination.terms) list[static_cast<std::size_t>(action)] += factor;
  return list;
}

}  // namespace archway::analysis
