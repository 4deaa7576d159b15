#include "archway/analysis/assembly.hpp"

#include <algorithm>
#include <atomic>

#include "archway/base/index.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
constexpr int kChunk = 16;
using Eigen::MatrixXd;
using Eigen::VectorXd;

using base::at;

/// Adds force and stiffness x direction to the full vectors. \param degree of freedom  full number of each degree of
/// freedom, or -1
template <class Dof>
void add_vectors(int size, const Dof& dof, const double* force, const double* tangent, const AssemblyRequest& request) {
  for (int i = 0; request.internal_force != nullptr && i < size; ++i)
    if (dof(i) >= 0) (*request.internal_force)[dof(i)] += force[i];
  if (request.direction == nullptr) return;
  VectorXd d = VectorXd::Zero(size);
  for (int i = 0; i < size; ++i)
    if (dof(i) >= 0) d[i] = (*request.direction)[dof(i)];
  const VectorXd kd = Eigen::Map<const MatrixXd>(tangent, size, size) * d;
  for (int i = 0; i < size; ++i)
    if (dof(i) >= 0) (*request.tangent_times)[dof(i)] += kd[i];
}
}  // namespace

/// Outputs of a chunk of elements.
struct ElementContribution::Buffers {
  std::vector<double> force, tangent, geometric, rigid;
  std::ptrdiff_t rigid_stride = 0;  // numbers an element
};

base::Verdict ElementContribution::add(const State& state, const AssemblyRequest& request) const {
  std::atomic<bool> folded{false};
  for (const auto& run : topology_.runs()) {
    const auto work = [&](int begin, int end) {
      if (add_run(run, begin, end, state, request) != base::Verdict::good) folded = true;
    };
    if (run.crowded)
      work(0, static_cast<int>(run.elements.size()));
    else
      executor_.for_range(static_cast<int>(run.elements.size()), work, 4 * kChunk);
  }
  return folded ? base::Verdict::recoverable : base::Verdict::good;
}

base::Verdict ElementContribution::add_run(const Topology::Run& run, int begin, int end, const State& state,
                                           const AssemblyRequest& request) const {
  const auto& batch = *geometry_.sets()[run.set].batch;
  const auto own = at(batch.dof_count());
  Buffers buffers;
  buffers.force.resize(own * kChunk);
  if (request.tangent != nullptr || request.direction != nullptr) buffers.tangent.resize(own * own * kChunk);
  if (request.geometric != nullptr) buffers.geometric.resize(own * own * kChunk);
  const bool own_rows = !buffers.tangent.empty() && !topology_.set(run.set).rigid.empty();
  if (own_rows) {
    buffers.rigid_stride = static_cast<std::ptrdiff_t>(batch.rigid_rows()) * (batch.dof_count() + 1);
    buffers.rigid.resize(static_cast<std::size_t>(buffers.rigid_stride) * kChunk);
  }
  const bool wants_force = request.internal_force != nullptr || !topology_.set(run.set).tied.empty();
  const elements::Outputs out{
      wants_force ? buffers.force.data() : nullptr, buffers.tangent.empty() ? nullptr : buffers.tangent.data(),
      buffers.geometric.empty() ? nullptr : buffers.geometric.data(), own_rows ? buffers.rigid.data() : nullptr};
  const bool remembers = batch.memory_size() > 0;
  const elements::Trial trial(
      state, remembers && request.committed != nullptr ? (*request.committed)[run.set].data() : nullptr,
      remembers && request.next != nullptr ? (*request.next)[run.set].data() : nullptr);
  base::Verdict verdict = base::Verdict::good;
  for (int first = begin; first < end; first += kChunk) {
    const int count = std::min(kChunk, end - first);
    const auto one = batch.evaluate(trial, run.elements.data() + first, count, out, request.source);
    if (one != base::Verdict::good) verdict = one;
    for (int k = 0; k < count; ++k) take(run.set, run.elements[at(first + k)], buffers, k, state, request);
  }
  return verdict;
}

/// Adds what one element gave to where the request wants it.
void ElementContribution::take(std::size_t set, int element, const Buffers& buffers, int place, const State& state,
                               const AssemblyRequest& request) const {
  const auto& batch = *geometry_.sets()[set].batch;
  const int own = batch.dof_count();
  const auto shift = static_cast<std::ptrdiff_t>(own) * place;
  const double* force = buffers.force.data() + shift;
  const double* tangent = buffers.tangent.empty() ? nullptr : buffers.tangent.data() + shift * own;
  const double* geometric = buffers.geometric.empty() ? nullptr : buffers.geometric.data() + shift * own;
  if (!buffers.rigid.empty())
    take_rigid(set, element, buffers.rigid.data() + buffers.rigid_stride * place, state, request);
  if (topology_.set(set).tied.count(element) != 0)
    return take_tied(set, element, force, tangent, geometric, state, request);
  if (request.tangent != nullptr) topology_.scatter(set, element, tangent, request.tangent->values);
  if (request.geometric != nullptr) topology_.scatter(set, element, geometric, request.geometric->values);
  const int width = batch.dofs_per_node();
  const int* nodes = batch.nodes(element);
  const auto dof = [&](int i) { return model::kNodeDofs * nodes[i / width] + i % width; };
  add_vectors(own, dof, force, tangent, request);
}

void ElementContribution::take_rigid(std::size_t set, int element, const double* rows, const State& state,
                                     const AssemblyRequest& request) const {
  const auto found = topology_.set(set).rigid.find(element);
  if (found == topology_.set(set).rigid.end()) return;
  const Eigen::Index own = geometry_.sets()[set].batch->dof_count();
  const auto tied = topology_.set(set).tied.find(element);
  const bool follows = tied != topology_.set(set).tied.end();
  const auto dofs = follows ? tied->second.dofs : Topology::dofs_of(*geometry_.sets()[set].batch, element);
  for (int r = 0; r < found->second.count; ++r, rows += own + 1) {
    VectorXd row = Eigen::Map<const VectorXd>(rows, own);
    if (follows) {  // a row goes to the leaders as a force does
      row.conservativeResizeLike(VectorXd::Zero(static_cast<Eigen::Index>(tied->second.dofs.size())));
      geometry_.ties().reduce(state, tied->second, row, nullptr, nullptr);
    }
    if (request.tangent != nullptr) topology_.scatter_rigid(set, element, r, row, rows[own], request.tangent->values);
    if (request.direction == nullptr) continue;
    double strain = 0;
    for (std::size_t i = 0; i < dofs.size(); ++i)
      if (dofs[i] >= 0) strain += row[static_cast<Eigen::Index>(i)] * (*request.direction)[dofs[i]];
    for (std::size_t i = 0; i < dofs.size(); ++i)
      if (dofs[i] >= 0)
        (*request.tangent_times)[dofs[i]] += elements::kRigid / rows[own] * strain * row[static_cast<Eigen::Index>(i)];
  }
}

void ElementContribution::take_tied(std::size_t set, int element, const double* force, const double* tangent,
                                    const double* geometric, const State& state, const AssemblyRequest& request) const {
  const auto& local = topology_.set(set).tied.at(element);
  const auto& places = topology_.set(set).tied_places.at(element);
  const Eigen::Index own = geometry_.sets()[set].batch->dof_count();
  const auto size = static_cast<Eigen::Index>(local.dofs.size());
  VectorXd f = VectorXd::Zero(size);
  f.head(own) = Eigen::Map<const VectorXd>(force, own);
  const auto widened = [&](const double* matrix) {
    MatrixXd wide;
    if (matrix == nullptr) return wide;
    wide = MatrixXd::Zero(size, size);
    wide.topLeftCorner(own, own) = Eigen::Map<const MatrixXd>(matrix, own, own);
    return wide;
  };
  MatrixXd k = widened(tangent), g = widened(geometric);
  geometry_.ties().reduce(state, local, f, tangent == nullptr ? nullptr : &k, geometric == nullptr ? nullptr : &g);
  const int n = static_cast<int>(size);
  if (request.tangent != nullptr) Topology::scatter(places, k.data(), n, 1, request.tangent->values);
  if (request.geometric != nullptr) Topology::scatter(places, g.data(), n, 1, request.geometric->values);
  add_vectors(
      n, [&](int i) { return local.dofs[at(i)]; }, f.data(), k.data(), request);
}

}  // namespace archway::analysis
