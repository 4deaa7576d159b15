#include "archway/analysis/system.hpp"

#include <algorithm>
#include <atomic>
#include <numeric>

#include "archway/base/thread_pool.hpp"
#include "archway/elements/shell_measured.hpp"
#include "archway/model/mesh_check.hpp"

namespace archway::analysis {

namespace {
constexpr int kChunk = 16;
using Eigen::MatrixXd;
using Eigen::VectorXd;

std::size_t at(int i) {
  return static_cast<std::size_t>(i);
}

/// Place of every entry of the lower triangle of an element in the pattern, or -1.
std::vector<int> places_of(const std::vector<int>& freedoms, const std::vector<int>& equation,
                           const algebra::SymmetricPattern& pattern) {
  std::vector<int> places;
  places.reserve(freedoms.size() * (freedoms.size() + 1) / 2);
  const auto number = [&](std::size_t i) { return freedoms[i] < 0 ? -1 : equation[at(freedoms[i])]; };
  for (std::size_t j = 0; j < freedoms.size(); ++j)
    for (std::size_t i = j; i < freedoms.size(); ++i)
      places.push_back(number(j) < 0 || number(i) < 0 ? -1 : pattern.position(number(i), number(j)));
  return places;
}

/// Adds the lower triangle of an element matrix (column-major, full) to the pattern values.
void scatter_matrix(const double* element, int size, const std::vector<int>& places, double scale,
                    std::vector<double>& values) {
  const int* place = places.data();
  for (int j = 0; j < size; ++j)
    for (int i = j; i < size; ++i, ++place)
      if (*place >= 0) values[at(*place)] += scale * element[static_cast<std::ptrdiff_t>(size) * j + i];
}
}  // namespace

/// Outputs of a chunk of elements.
struct System::Buffers {
  std::vector<double> force, tangent, geometric;
};

template <class Kind>
Kind* System::add(std::unique_ptr<Kind> batch, ElementKind kind) {
  Kind* raw = batch.get();
  std::vector<int> numbers(at(raw->size()));
  std::iota(numbers.begin(), numbers.end(), 0);
  sets_.push_back({std::move(batch), kind, std::move(numbers), {}, {}});
  return raw;
}

System::System(const model::Model& model) : model_((model::require_sound(model), model)), ties_(model_) {
  beams_ = add(std::make_unique<elements::BeamBatch>(model_), ElementKind::line);
  bars_ = add(std::make_unique<elements::BarBatch>(model_), ElementKind::bar);
  springs_ = add(std::make_unique<elements::SpringBatch>(model_), ElementKind::spring);
  solids8_ = add(std::make_unique<elements::SolidBatch>(model_, 8), ElementKind::solid);
  solids20_ = add(std::make_unique<elements::SolidBatch>(model_, 20), ElementKind::solid);
  const std::array<const elements::ShellKind*, 3> shells = {
      add(std::make_unique<elements::ShellBatch>(model_), ElementKind::shell),
      add<elements::ShellKind>(elements::three_node_shells(model_), ElementKind::shell),
      add<elements::ShellKind>(elements::nine_node_shells(model_), ElementKind::shell)};
  std::array<int, 3> next{};
  for (const auto& e : model_.shell_elements) {
    const std::size_t kind = e.count == 4 ? 0 : e.count == 3 ? 1 : 2;
    sets_[5 + kind].in_model[at(next[kind])] = static_cast<int>(shell_places_.size());
    shell_places_.emplace_back(shells[kind], next[kind]++);
  }
  std::array<int, 2> next_solid{};
  for (const auto& e : model_.solid_elements) {
    const std::size_t kind = e.count == 8 ? 0 : 1;
    sets_[3 + kind].in_model[at(next_solid[kind])] = static_cast<int>(solid_places_.size());
    solid_places_.emplace_back(kind == 0 ? solids8_ : solids20_, next_solid[kind]++);
  }
  number_equations();
  make_pattern();
  make_colours();
}

elements::ShellStress System::shell_stress(const State& state, int element, const VectorXd* linear) const {
  const auto& [batch, place] = shell_places_[at(element)];
  return batch->stress(state, place, linear);
}
elements::Mat3 System::shell_axes(int element) const {
  const auto& [batch, place] = shell_places_[at(element)];
  return batch->axes(place);
}
std::vector<elements::SolidStress> System::solid_stress(const State& state, int element, const VectorXd* linear) const {
  const auto& [batch, place] = solid_places_[at(element)];
  return batch->stress(state, place, linear);
}

VectorXd System::ground_reactions(const State& state, const VectorXd* linear, const std::string* name) const {
  VectorXd full = VectorXd::Zero(full_size());
  for (std::size_t s = 0; s < model_.springs.size(); ++s) {
    const auto& spring = model_.springs[s];
    if (spring.second >= 0 || (name != nullptr && spring.name != *name)) continue;
    const auto f = springs_->forces(state, static_cast<int>(s), linear);
    full.segment<3>(model::row(spring.first)) -= spring.axes * f.head<3>();
    full.segment<3>(model::row(spring.first) + 3) -= spring.axes * f.tail<3>();
  }
  return full;
}

std::vector<int> System::freedoms_of(const elements::Batch& batch, int element) const {
  std::vector<int> list;
  const int width = batch.freedoms_per_node();
  for (int i = 0; i < batch.freedom_count(); ++i)
    list.push_back(static_cast<int>(model::row(batch.nodes(element)[i / width])) + i % width);
  return list;
}

void System::number_equations() {
  std::vector<char> attached(at(full_size()), 0);
  for (auto& set : sets_)
    for (int e = 0; e < set.batch->size(); ++e) {
      const auto own = freedoms_of(*set.batch, e);
      bool follows = false;
      for (int k = 0; k < set.batch->nodes_per_element(); ++k)
        follows = follows || (!ties_.empty() && ties_.follows(set.batch->nodes(e)[k]));
      for (std::size_t i = 0; i < own.size(); ++i)
        if (set.batch->uses(e, static_cast<int>(i) % set.batch->freedoms_per_node())) attached[at(own[i])] = 1;
      if (follows) set.tied.emplace(e, ties_.localise(own));
    }
  // what something hangs on through a tie is attached as well
  for (const auto& set : sets_)
    for (const auto& [e, local] : set.tied)
      for (const int freedom : local.freedoms)
        if (freedom >= 0 && freedom % model::kNodeFreedoms != model::warp) attached[at(freedom)] = 1;
  for (int t = ties_.size() - 1; t >= 0; --t)
    if (const auto& tie = ties_.tie(t);
        tie.warps && attached[at(static_cast<int>(model::row(tie.follower)) + model::warp)])
      attached[at(static_cast<int>(model::row(tie.leaders[0])) + model::warp)] = 1;
  std::vector<char> held(attached.size(), 0);
  for (const auto& support : model_.supports)
    held[at(static_cast<int>(model::row(support.node)) + support.freedom)] = 1;
  for (const auto& action : model_.actions)
    for (const auto& movement : action.movements)
      held[at(static_cast<int>(model::row(movement.node)) + movement.freedom)] = 1;
  equation_.assign(attached.size(), -1);
  int next = 0;
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (attached[i] && !held[i] && !ties_.eliminated(static_cast<int>(i))) equation_[i] = next++;
}

std::vector<int> System::nodes_touched(const ElementSet& set, int element) const {
  const auto tied = set.tied.find(element);
  if (tied == set.tied.end())
    return {set.batch->nodes(element), set.batch->nodes(element) + set.batch->nodes_per_element()};
  std::vector<int> nodes;
  for (const int freedom : tied->second.freedoms)
    if (freedom >= 0) nodes.push_back(freedom / model::kNodeFreedoms);
  std::sort(nodes.begin(), nodes.end());
  nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
  return nodes;
}

void System::make_pattern() {
  algebra::BlockGraph graph;
  graph.block_start.push_back(0);
  for (std::size_t n = 0; n < model_.nodes.size(); ++n) {
    const auto first = equation_.begin() + model::row(n);
    graph.block_start.push_back(
        graph.block_start.back() +
        static_cast<int>(std::count_if(first, first + model::kNodeFreedoms, [](int e) { return e >= 0; })));
  }
  graph.clique_start.push_back(0);
  const auto add_clique = [&](const std::vector<int>& nodes) {
    graph.clique_blocks.insert(graph.clique_blocks.end(), nodes.begin(), nodes.end());
    graph.clique_start.push_back(static_cast<int>(graph.clique_blocks.size()));
  };
  for (const auto& set : sets_)
    for (int e = 0; e < set.batch->size(); ++e) add_clique(nodes_touched(set, e));
  // forces on a follower couple its leaders through the second-order terms
  for (int t = 0; t < ties_.size(); ++t) {
    std::vector<int> nodes;
    for (const int freedom : ties_.localise(ties_.columns(t)).freedoms)
      if (freedom >= 0) nodes.push_back(freedom / model::kNodeFreedoms);
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
    add_clique(nodes);
  }
  pattern_ = std::make_shared<algebra::SymmetricPattern>(graph);
  for (auto& set : sets_) {
    set.scatter.resize(at(set.batch->size()));
    base::parallel_for(set.batch->size(), [&](int begin, int end, int) {
      for (int e = begin; e < end; ++e) {
        const auto tied = set.tied.find(e);
        set.scatter[at(e)] = places_of(tied == set.tied.end() ? freedoms_of(*set.batch, e) : tied->second.freedoms,
                                       equation_, *pattern_);
      }
    });
  }
}

void System::make_colours() {
  // bit c of a node: an element of colour c touches it already
  std::vector<unsigned long long> taken(model_.nodes.size(), 0);
  for (std::size_t s = 0; s < sets_.size(); ++s) {
    std::fill(taken.begin(), taken.end(), 0);
    std::vector<std::vector<int>> colours;
    for (int e = 0; e < sets_[s].batch->size(); ++e) {
      const auto nodes = nodes_touched(sets_[s], e);
      unsigned long long used = 0;
      for (const int n : nodes) used |= taken[at(n)];
      std::size_t colour = 0;
      while (colour < 63 && (used >> colour & 1ULL))
        ++colour;  // 63: many share one node, that colour runs on one thread
      if (colours.size() <= colour) colours.resize(colour + 1);
      colours[colour].push_back(e);
      for (const int n : nodes) taken[at(n)] |= 1ULL << colour;
    }
    for (std::size_t c = 0; c < colours.size(); ++c)
      if (!colours[c].empty()) runs_.push_back({s, std::move(colours[c]), c == 63});
  }
}

/// Adds what one element gave to where the request wants it.
void System::take(const ElementSet& set, int element, const Buffers& buffers, int place, const State& state,
                  const AssemblyRequest& request) const {
  const int own = set.batch->freedom_count();
  const auto shift = static_cast<std::ptrdiff_t>(own) * place;
  const auto& places = set.scatter[at(element)];
  const double* force = buffers.force.data() + shift;
  const double* tangent = buffers.tangent.empty() ? nullptr : buffers.tangent.data() + shift * own;
  const double* geometric = buffers.geometric.empty() ? nullptr : buffers.geometric.data() + shift * own;
  const auto finish = [&](int size, const auto& freedom, const double* f, const double* k, const double* g) {
    if (request.tangent != nullptr) scatter_matrix(k, size, places, 1, request.tangent->values);
    if (request.geometric != nullptr) scatter_matrix(g, size, places, 1, request.geometric->values);
    for (int i = 0; request.internal_force != nullptr && i < size; ++i)
      if (freedom(i) >= 0) (*request.internal_force)[freedom(i)] += f[i];
    if (request.direction == nullptr) return;
    VectorXd d = VectorXd::Zero(size);
    for (int i = 0; i < size; ++i)
      if (freedom(i) >= 0) d[i] = (*request.direction)[freedom(i)];
    const VectorXd kd = Eigen::Map<const MatrixXd>(k, size, size) * d;
    for (int i = 0; i < size; ++i)
      if (freedom(i) >= 0) (*request.tangent_times)[freedom(i)] += kd[i];
  };
  const auto tied = set.tied.find(element);
  if (tied == set.tied.end()) {
    const int width = set.batch->freedoms_per_node();
    const int* nodes = set.batch->nodes(element);
    return finish(
        own, [&](int i) { return model::kNodeFreedoms * nodes[i / width] + i % width; }, force, tangent, geometric);
  }
  const auto& local = tied->second;
  const auto size = static_cast<Eigen::Index>(local.freedoms.size());
  VectorXd f = VectorXd::Zero(size);
  MatrixXd k, g;
  f.head(own) = Eigen::Map<const VectorXd>(force, own);
  if (tangent != nullptr)
    k = MatrixXd::Zero(size, size), k.topLeftCorner(own, own) = Eigen::Map<const MatrixXd>(tangent, own, own);
  if (geometric != nullptr)
    g = MatrixXd::Zero(size, size), g.topLeftCorner(own, own) = Eigen::Map<const MatrixXd>(geometric, own, own);
  ties_.reduce(state, local, f, tangent == nullptr ? nullptr : &k, geometric == nullptr ? nullptr : &g);
  finish(
      static_cast<int>(size), [&](int i) { return local.freedoms[at(i)]; }, f.data(), k.data(), g.data());
}

base::Verdict System::assemble_run(const Run& run, int begin, int end, const State& state,
                                   const AssemblyRequest& request) const {
  const ElementSet& set = sets_[run.set];
  const auto own = static_cast<std::size_t>(set.batch->freedom_count());
  Buffers buffers;
  buffers.force.resize(own * kChunk);
  if (request.tangent != nullptr || request.direction != nullptr) buffers.tangent.resize(own * own * kChunk);
  if (request.geometric != nullptr) buffers.geometric.resize(own * own * kChunk);
  const bool wants_force = request.internal_force != nullptr || !set.tied.empty();
  const elements::Outputs out{wants_force ? buffers.force.data() : nullptr,
                              buffers.tangent.empty() ? nullptr : buffers.tangent.data(),
                              buffers.geometric.empty() ? nullptr : buffers.geometric.data()};
  base::Verdict verdict = base::Verdict::good;
  for (int first = begin; first < end; first += kChunk) {
    const int count = std::min(kChunk, end - first);
    const auto one = set.batch->evaluate(state, run.elements.data() + first, count, out, request.source);
    if (one != base::Verdict::good) verdict = one;
    for (int k = 0; k < count; ++k) take(set, run.elements[at(first + k)], buffers, k, state, request);
  }
  return verdict;
}

base::Verdict System::assemble(const State& state, const AssemblyRequest& asked) const {
  AssemblyRequest request = asked;
  VectorXd direction;
  if (asked.direction != nullptr && !ties_.empty()) {  // elements see the free directions of followers by their values
    direction = *asked.direction;
    ties_.extract(state, direction);
    request.direction = &direction;
  }
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

VectorXd System::applied_loads(const std::vector<double>& factors, const State& state) const {
  VectorXd nodal = VectorXd::Zero(full_size());
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0) elements::add_loads(model_, model_.actions[p], factors[p], state, nodal);
  return nodal;
}

VectorXd System::nodal_loads(const std::vector<double>& factors, const State& state) const {
  VectorXd nodal = applied_loads(factors, state);
  add_growth_forces(factors, state, nodal);
  return nodal;
}

elements::Resultant System::resultant(const std::vector<double>& factors, const State& state, const Vec3& about) const {
  return elements::resultant(state.position, nodal_loads(factors, state), about);
}

VectorXd System::loads(const std::vector<double>& factors, const State& state) const {
  VectorXd nodal = nodal_loads(factors, state);
  ties_.gather(state, nodal);
  return nodal;
}

/// Adds a block on any freedoms, brought down to leaders; for the few that are not in the scatter of an element.
void System::add_block(const State& state, const std::vector<int>& freedoms, const MatrixXd& block, double scale,
                       algebra::SymmetricMatrix& matrix, const double* force) const {
  const auto local = ties_.localise(freedoms);
  const auto size = static_cast<Eigen::Index>(local.freedoms.size());
  MatrixXd k = MatrixXd::Zero(size, size);
  k.topLeftCorner(block.rows(), block.cols()) = block;
  VectorXd f = VectorXd::Zero(size);
  if (force != nullptr) f.head(block.rows()) = Eigen::Map<const VectorXd>(force, block.rows());
  ties_.reduce(state, local, f, &k, nullptr);
  scatter_matrix(k.data(), static_cast<int>(size), places_of(local.freedoms, equation_, *pattern_), scale,
                 matrix.values);
}

void System::add_tie_stiffness(const std::vector<double>& factors, const State& state, double scale,
                               algebra::SymmetricMatrix& matrix) const {
  if (ties_.empty()) return;
  VectorXd nodal = applied_loads(factors, state);
  ties_.gather(state, nodal, [&](int tie, const Eigen::Matrix<double, 7, 1>& force) {
    add_block(state, ties_.columns(tie), ties_.second_order(state, tie, force), scale, matrix);
  });
}

void System::add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                                algebra::SymmetricMatrix& matrix) const {
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0)
      elements::add_load_stiffness(model_, model_.actions[p], factors[p], state,
                                   [&](const std::vector<int>& nodes, int width, const MatrixXd& k) {
                                     std::vector<int> freedoms;
                                     for (const int n : nodes)
                                       for (int i = 0; i < width; ++i)
                                         freedoms.push_back(static_cast<int>(model::row(n)) + i);
                                     add_block(state, freedoms, k, scale, matrix);
                                   });
  add_growth_stiffness(factors, state, scale, matrix);
  add_tie_stiffness(factors, state, scale, matrix);
}

Eigen::SparseMatrix<double> System::skew_load_stiffness(const std::vector<double>& factors, const State& state) const {
  std::vector<Eigen::Triplet<double>> entries;
  double largest = 0;
  // what is held neither moves nor feels it; what follows is not told apart here
  const auto moves = [&](std::ptrdiff_t freedom) { return !ties_.empty() || equation(static_cast<int>(freedom)) >= 0; };
  const auto sink = [&](const std::vector<int>& nodes, int width, const MatrixXd& k) {
    const auto row = [&](Eigen::Index i) { return model::row(nodes[at(static_cast<int>(i) / width)]) + i % width; };
    largest = std::max(largest, k.cwiseAbs().maxCoeff());
    for (Eigen::Index i = 0; i < k.rows(); ++i)
      for (Eigen::Index j = 0; j < k.cols(); ++j)
        if (k(i, j) != 0.0 && moves(row(i)) && moves(row(j))) entries.emplace_back(row(i), row(j), k(i, j));
  };
  for (std::size_t p = 0; p < factors.size(); ++p)
    if (factors[p] != 0.0) elements::add_skew_load_stiffness(model_, model_.actions[p], factors[p], state, sink);
  Eigen::SparseMatrix<double> full;
  if (entries.empty()) return full;
  full.resize(full_size(), full_size());
  full.setFromTriplets(entries.begin(), entries.end());
  full.prune(largest, 1e-10);  // inside a surface under pressure neighbours cancel
  return full.nonZeros() == 0 ? Eigen::SparseMatrix<double>() : full;
}

VectorXd System::times_full(const Eigen::SparseMatrix<double>& full, const VectorXd& free, const State& state) const {
  VectorXd nodal = full * to_full(free, state);
  ties_.gather(state, nodal);
  return free_part(nodal);
}

VectorXd System::movements(const std::vector<double>& factors) const {
  VectorXd full = VectorXd::Zero(full_size());
  for (std::size_t p = 0; p < factors.size(); ++p)
    for (const auto& movement : model_.actions[p].movements)
      full[model::row(movement.node) + movement.freedom] += factors[p] * movement.value;
  return full;
}

std::vector<double> System::factors(const model::Combination& combination) const {
  std::vector<double> list(model_.actions.size(), 0.0);
  for (const auto& [action, factor] : combination.terms) list[static_cast<std::size_t>(action)] += factor;
  return list;
}

VectorXd System::free_part(const VectorXd& full) const {
  VectorXd free(free_count());
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (equation_[i] >= 0) free[equation_[i]] = full[static_cast<Eigen::Index>(i)];
  return free;
}

VectorXd System::free_values(const VectorXd& full, const State& state) const {
  if (ties_.empty()) return free_part(full);
  VectorXd values = full;
  ties_.extract(state, values);
  return free_part(values);
}

VectorXd System::to_full(const VectorXd& free, const State& state, const VectorXd* prescribed) const {
  VectorXd full = prescribed == nullptr ? VectorXd::Zero(full_size()) : *prescribed;
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (equation_[i] >= 0) full[static_cast<Eigen::Index>(i)] = free[equation_[i]];
  if (!ties_.empty()) ties_.complete(state, full);
  return full;
}

VectorXd System::held_part(const VectorXd& full) const {
  VectorXd held = full;
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if (equation_[i] >= 0 || ties_.eliminated(static_cast<int>(i))) held[static_cast<Eigen::Index>(i)] = 0;
  return held;
}

}  // namespace archway::analysis
