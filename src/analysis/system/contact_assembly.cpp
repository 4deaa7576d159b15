#include "archway/analysis/contact_assembly.hpp"

#include <algorithm>

#include "archway/base/index.hpp"
#include "archway/elements/contact_trial.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using base::at;
using Eigen::MatrixXd;
using Eigen::VectorXd;

std::vector<int> dofs_of(const std::vector<int>& nodes) {
  std::vector<int> list;
  for (const int n : nodes)
    for (int k = 0; k < 3; ++k) list.push_back(static_cast<int>(model::row(n)) + k);
  return list;
}

/// Adds force and stiffness x direction to the full vectors.
void add_vectors(const std::vector<int>& dofs, const VectorXd& force, const MatrixXd& tangent,
                 const AssemblyRequest& request) {
  for (std::size_t i = 0; request.internal_force != nullptr && i < dofs.size(); ++i)
    if (dofs[i] >= 0) (*request.internal_force)[dofs[i]] += force[static_cast<Eigen::Index>(i)];
  if (request.direction == nullptr) return;
  VectorXd d = VectorXd::Zero(force.size());
  for (std::size_t i = 0; i < dofs.size(); ++i)
    if (dofs[i] >= 0) d[static_cast<Eigen::Index>(i)] = (*request.direction)[dofs[i]];
  const VectorXd kd = tangent * d;
  for (std::size_t i = 0; i < dofs.size(); ++i)
    if (dofs[i] >= 0) (*request.tangent_times)[dofs[i]] += kd[static_cast<Eigen::Index>(i)];
}
}  // namespace

base::Verdict SurfacePairs::add(const State& state, const AssemblyRequest& request) const {
  const auto& surfaces = geometry_.surfaces();
  if (surfaces.empty() || request.committed == nullptr || request.source.linear != nullptr) return base::Verdict::good;
  const auto trial = geometry_.surface_trial(state, *request.committed);
  if (request.next != nullptr) {
    surfaces.remember(trial, geometry_.surface_knots(*request.next));
    geometry_.surface_pairs(*request.next) = trial.pairs;
  }
  const bool stiffness = request.tangent != nullptr || request.geometric != nullptr || request.direction != nullptr;
  return surfaces.evaluate(trial, stiffness, &executor_,
                           [&](const elements::SurfaceContact::Group& group) { take(group, state, request); });
}

void SurfacePairs::take(const elements::SurfaceContact::Group& group, const State& state,
                        const AssemblyRequest& request) const {
  const auto& ties = geometry_.ties();
  const bool follows =
      !ties.empty() && std::any_of(group.nodes.begin(), group.nodes.end(), [&](int n) { return ties.follows(n); });
  if (follows)
    take_tied(group, state, request);
  else
    take_free(group, request);
}

void SurfacePairs::take_free(const elements::SurfaceContact::Group& group, const AssemblyRequest& request) const {
  const auto dofs = dofs_of(group.nodes);
  add_vectors(dofs, group.force, group.tangent, request);
  if (request.tangent != nullptr) topology_.scatter_blocks(group.nodes, group.tangent, request.tangent->values);
  if (request.geometric != nullptr) topology_.scatter_blocks(group.nodes, group.geometric, request.geometric->values);
}

void SurfacePairs::take_tied(const elements::SurfaceContact::Group& group, const State& state,
                             const AssemblyRequest& request) const {
  const auto local = geometry_.ties().localise(dofs_of(group.nodes));
  const auto size = static_cast<Eigen::Index>(local.dofs.size()), own = group.force.size();
  VectorXd f = VectorXd::Zero(size);
  f.head(own) = group.force;
  const auto widened = [&](const MatrixXd& matrix) {
    MatrixXd wide = MatrixXd::Zero(size, size);
    if (matrix.size() > 0) wide.topLeftCorner(own, own) = matrix;
    return wide;
  };
  MatrixXd k = widened(group.tangent), g = widened(group.geometric);
  geometry_.ties().reduce(state, local, f, &k, &g);
  add_vectors(local.dofs, f, k, request);
  if (request.tangent == nullptr && request.geometric == nullptr) return;
  const auto places = topology_.places_of(local.dofs);
  const int n = static_cast<int>(size);
  if (request.tangent != nullptr) Topology::scatter(places, k.data(), n, 1, request.tangent->values);
  if (request.geometric != nullptr) Topology::scatter(places, g.data(), n, 1, request.geometric->values);
}

}  // namespace archway::analysis
