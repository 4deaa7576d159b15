#include "archway/analysis/system.hpp"

#include <algorithm>
#include <atomic>

#include "archway/base/thread_pool.hpp"
#include "archway/model/mesh_check.hpp"

namespace archway::analysis {

namespace {
constexpr int kFreedoms = 24, kChunk = 16;

std::vector<std::vector<int>> scatter_of(const elements::Batch& batch, const std::vector<int>& equation,
                                         const algebra::SymmetricPattern& pattern) {
  std::vector<std::vector<int>> scatter(static_cast<std::size_t>(batch.size()));
  base::parallel_for(batch.size(), [&](int begin, int end, int) {
    for (int e = begin; e < end; ++e) {
      std::array<int, kFreedoms> number{};
      for (int i = 0; i < kFreedoms; ++i)
        number[static_cast<std::size_t>(i)] = equation[static_cast<std::size_t>(6 * batch.nodes(e)[i / 6] + i % 6)];
      auto& places = scatter[static_cast<std::size_t>(e)];
      places.reserve(kFreedoms * (kFreedoms + 1) / 2);
      for (const int& column : number)
        for (auto row = &column; row != number.data() + kFreedoms; ++row)
          places.push_back(column < 0 || *row < 0 ? -1 : pattern.position(*row, column));
    }
  });
  return scatter;
}

/// Adds the lower triangle of an element matrix (column-major, full) to the pattern values.
void scatter_matrix(const double* element, const std::vector<int>& places, double scale, std::vector<double>& values) {
  const int* place = places.data();
  for (int j = 0; j < kFreedoms; ++j)
    for (int i = j; i < kFreedoms; ++i, ++place)
      if (*place >= 0) values[static_cast<std::size_t>(*place)] += scale * element[kFreedoms * j + i];
}
}  // namespace

System::System(const model::Model& model) : model_((model::require_sound(model), model)) {
  beams_ = std::make_unique<elements::BeamBatch>(model_);
  shells_ = std::make_unique<elements::ShellBatch>(model_);
  number_equations();
  make_pattern();
  make_colours();
}

void System::number_equations() {
  equation_.assign(static_cast<std::size_t>(full_size()), -1);
  std::vector<char> attached(model_.nodes.size(), 0);
  for (const auto* batch : batches())
    for (int e = 0; e < batch->size(); ++e)
      for (int k = 0; k < batch->nodes_per_element(); ++k) attached[static_cast<std::size_t>(batch->nodes(e)[k])] = 1;
  std::vector<char> held(equation_.size(), 0);
  for (const auto& support : model_.supports) held[static_cast<std::size_t>(6 * support.node + support.freedom)] = 1;
  for (const auto& pattern : model_.patterns)
    for (const auto& movement : pattern.movements)
      held[static_cast<std::size_t>(6 * movement.node + movement.freedom)] = 1;
  int next = 0;
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (attached[i / 6] && !held[i]) equation_[i] = next++;
}

void System::make_pattern() {
  algebra::BlockGraph graph;
  graph.block_start.push_back(0);
  for (std::size_t n = 0; n < model_.nodes.size(); ++n) {
    const auto first = equation_.begin() + static_cast<std::ptrdiff_t>(6 * n);
    graph.block_start.push_back(graph.block_start.back() +
                                static_cast<int>(std::count_if(first, first + 6, [](int e) { return e >= 0; })));
  }
  graph.clique_start.push_back(0);
  for (const auto* batch : batches())
    for (int e = 0; e < batch->size(); ++e) {
      graph.clique_blocks.insert(graph.clique_blocks.end(), batch->nodes(e),
                                 batch->nodes(e) + batch->nodes_per_element());
      graph.clique_start.push_back(static_cast<int>(graph.clique_blocks.size()));
    }
  pattern_ = std::make_shared<algebra::SymmetricPattern>(graph);
  beam_scatter_ = scatter_of(*beams_, equation_, *pattern_);
  shell_scatter_ = scatter_of(*shells_, equation_, *pattern_);
}

void System::make_colours() {
  // bit c of a node: an element of colour c touches it already
  std::vector<unsigned long long> taken(model_.nodes.size(), 0);
  for (const auto* batch : batches()) {
    std::fill(taken.begin(), taken.end(), 0);
    std::vector<std::vector<int>> colours;
    for (int e = 0; e < batch->size(); ++e) {
      unsigned long long used = 0;
      for (int k = 0; k < batch->nodes_per_element(); ++k) used |= taken[static_cast<std::size_t>(batch->nodes(e)[k])];
      std::size_t colour = 0;
      while (colour < 63 && (used >> colour & 1ULL))
        ++colour;  // 63: many share one node, that colour runs on one thread
      if (colours.size() <= colour) colours.resize(colour + 1);
      colours[colour].push_back(e);
      for (int k = 0; k < batch->nodes_per_element(); ++k)
        taken[static_cast<std::size_t>(batch->nodes(e)[k])] |= 1ULL << colour;
    }
    for (std::size_t c = 0; c < colours.size(); ++c)
      runs_.push_back(
          {batch, batch == beams_.get() ? &beam_scatter_ : &shell_scatter_, std::move(colours[c]), c == 63});
  }
}

base::Verdict System::assemble_run(const Run& run, int begin, int end, const State& state,
                                   const AssemblyRequest& request) const {
  std::vector<double> force(kFreedoms * kChunk), tangent, geometric;
  const bool wants_tangent = request.tangent != nullptr || request.direction != nullptr;
  if (wants_tangent) tangent.resize(kFreedoms * kFreedoms * kChunk);
  if (request.geometric != nullptr) geometric.resize(kFreedoms * kFreedoms * kChunk);
  const elements::Outputs out{request.internal_force == nullptr ? nullptr : force.data(),
                              wants_tangent ? tangent.data() : nullptr,
                              request.geometric == nullptr ? nullptr : geometric.data()};
  base::Verdict verdict = base::Verdict::good;
  for (int first = begin; first < end; first += kChunk) {
    const int count = std::min(kChunk, end - first);
    const auto one = run.batch->evaluate(state, run.elements.data() + first, count, out, request.source);
    if (one != base::Verdict::good) verdict = one;
    for (int k = 0; k < count; ++k) {
      const int e = run.elements[static_cast<std::size_t>(first + k)];
      const auto& places = (*run.scatter)[static_cast<std::size_t>(e)];
      const double* matrix = tangent.data() + static_cast<std::ptrdiff_t>(kFreedoms * kFreedoms) * k;
      if (request.tangent != nullptr) scatter_matrix(matrix, places, 1, request.tangent->values);
      if (request.geometric != nullptr)
        scatter_matrix(geometric.data() + static_cast<std::ptrdiff_t>(kFreedoms * kFreedoms) * k, places, 1,
                       request.geometric->values);
      const int* nodes = run.batch->nodes(e);
      if (request.internal_force != nullptr)
        for (int i = 0; i < kFreedoms; ++i)
          (*request.internal_force)[6 * nodes[i / 6] + i % 6] += force[static_cast<std::size_t>(kFreedoms * k + i)];
      if (request.direction != nullptr) {
        Eigen::Matrix<double, kFreedoms, 1> d;
        for (int i = 0; i < kFreedoms; ++i) d[i] = (*request.direction)[6 * nodes[i / 6] + i % 6];
        const Eigen::Matrix<double, kFreedoms, 1> kd =
            Eigen::Map<const Eigen::Matrix<double, kFreedoms, kFreedoms>>(matrix) * d;
        for (int i = 0; i < kFreedoms; ++i) (*request.tangent_times)[6 * nodes[i / 6] + i % 6] += kd[i];
      }
    }
  }
  return verdict;
}

base::Verdict System::assemble(const State& state, const AssemblyRequest& request) const {
  if (request.internal_force != nullptr) request.internal_force->setZero(full_size());
  if (request.tangent_times != nullptr) request.tangent_times->setZero(full_size());
  if (request.tangent != nullptr) std::fill(request.tangent->values.begin(), request.tangent->values.end(), 0.0);
  if (request.geometric != nullptr) std::fill(request.geometric->values.begin(), request.geometric->values.end(), 0.0);
  std::atomic<bool> folded{false};
  for (const auto& run : runs_) {
    const auto work = [&](int begin, int end, int) {
      if (assemble_run(run, begin, end, state, request) != base::Verdict::good) folded = true;
    };
    if (run.crowded)
      work(0, static_cast<int>(run.elements.size()), 0);
    else
      base::parallel_for(static_cast<int>(run.elements.size()), work, 4 * kChunk);
  }
  return folded ? base::Verdict::recoverable : base::Verdict::good;
}

Eigen::VectorXd System::loads(const std::vector<double>& factors, const State& state) const {
  Eigen::VectorXd nodal = Eigen::VectorXd::Zero(full_size());
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0) elements::add_loads(model_, model_.patterns[p], factors[p], state, nodal);
  return nodal;
}

void System::add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                                algebra::SymmetricMatrix& matrix) const {
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0)
      elements::add_load_stiffness(
          model_, model_.patterns[p], factors[p], state, [&](bool is_shell, int element, const auto& k) {
            scatter_matrix(k.data(), (is_shell ? shell_scatter_ : beam_scatter_)[static_cast<std::size_t>(element)],
                           scale, matrix.values);
          });
}

Eigen::VectorXd System::movements(const std::vector<double>& factors) const {
  Eigen::VectorXd full = Eigen::VectorXd::Zero(full_size());
  for (std::size_t p = 0; p < factors.size(); ++p)
    for (const auto& movement : model_.patterns[p].movements)
      full[6 * movement.node + movement.freedom] += factors[p] * movement.value;
  return full;
}

std::vector<double> System::factors(const model::Combination& combination) const {
  std::vector<double> list(model_.patterns.size(), 0.0);
  for (const auto& [pattern, factor] : combination.terms) list[static_cast<std::size_t>(pattern)] += factor;
  return list;
}

Eigen::VectorXd System::free_part(const Eigen::VectorXd& full) const {
  Eigen::VectorXd free(free_count());
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (equation_[i] >= 0) free[equation_[i]] = full[static_cast<Eigen::Index>(i)];
  return free;
}

Eigen::VectorXd System::to_full(const Eigen::VectorXd& free) const {
  Eigen::VectorXd full = Eigen::VectorXd::Zero(full_size());
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (equation_[i] >= 0) full[static_cast<Eigen::Index>(i)] = free[equation_[i]];
  return full;
}

Eigen::VectorXd System::held_part(const Eigen::VectorXd& full) const {
  Eigen::VectorXd held = full;
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (equation_[i] >= 0) held[static_cast<Eigen::Index>(i)] = 0;
  return held;
}

}  // namespace archway::analysis
