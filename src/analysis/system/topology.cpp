#include "archway/analysis/topology.hpp"

#include <algorithm>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
constexpr int kColours = 64;

using base::at;

void make_unique(std::vector<int>& list) {
  std::sort(list.begin(), list.end());
  list.erase(std::unique(list.begin(), list.end()), list.end());
}
std::vector<int> nodes_of(const std::vector<int>& dofs) {
  std::vector<int> nodes;
  for (const int dof : dofs)
    if (dof >= 0) nodes.push_back(dof / model::kNodeDofs);
  make_unique(nodes);
  return nodes;
}
/// Nodes, or what they follow.
std::vector<int> led_by(const std::vector<int>& nodes, const elements::Ties& ties) {
  if (ties.empty() || std::none_of(nodes.begin(), nodes.end(), [&](int n) { return ties.follows(n); })) return nodes;
  std::vector<int> dofs;
  for (const int n : nodes)
    for (int k = 0; k < 3; ++k) dofs.push_back(static_cast<int>(model::row(n)) + k);
  return nodes_of(ties.localise(dofs).dofs);
}
}  // namespace

Topology::Topology(const model::Model& model, const Geometry& geometry, const base::Executor& executor) {
  for (const auto& set : geometry.sets()) {
    Set own;
    own.nodes_per_element = set.batch->nodes_per_element();
    own.width = set.batch->dofs_per_node();
    for (int e = 0; e < set.batch->size(); ++e)
      own.nodes.insert(own.nodes.end(), set.batch->nodes(e), set.batch->nodes(e) + own.nodes_per_element);
    sets_.push_back(std::move(own));
  }
  for (int t = 0; t < geometry.ties().size(); ++t) tie_columns_.push_back(geometry.ties().columns(t));
  find_tied(geometry);
  number_equations(model, geometry);
  find_rigid(geometry);
  make_pattern(geometry, {});
  make_places(executor);
  make_colours(geometry);
}

Topology::Topology(const Topology& base, const Geometry& geometry, const base::Executor& executor,
                   const std::vector<std::vector<int>>& couplings)
    : sets_(base.sets_),
      tie_columns_(base.tie_columns_),
      held_(base.held_),
      equation_(base.equation_),
      first_equation_(base.first_equation_),
      multipliers_(base.multipliers_),
      runs_(base.runs_) {
  for (auto& set : sets_) set.tied_places.clear();
  make_pattern(geometry, couplings);
  make_places(executor);
}

bool Topology::couples(const std::vector<std::vector<int>>& couplings, const elements::Ties& ties) const {
  for (const auto& coupling : couplings) {
    const auto nodes = led_by(coupling, ties);
    for (std::size_t i = 0; i < nodes.size(); ++i)
      for (std::size_t j = 0; j < i; ++j) {
        const int row = first_equation(nodes[i]), column = first_equation(nodes[j]);
        if (row >= 0 && column >= 0 && !pattern_->holds(row, column)) return false;
      }
  }
  return true;
}

void Topology::scatter_blocks(const std::vector<int>& nodes, const Eigen::MatrixXd& matrix,
                              std::vector<double>& values) const {
  for (std::size_t a = 0; a < nodes.size(); ++a)
    for (std::size_t b = 0; b <= a; ++b) {
      const std::size_t high = nodes[a] >= nodes[b] ? a : b, low = high == a ? b : a;
      const int row = first_equation(nodes[high]), column = first_equation(nodes[low]);
      if (row < 0 || column < 0) continue;
      if (!pattern_->holds(row, column))
        throw base::InputError("contact between parts", "this analysis does not take it in where parts touch already",
                               "run it about the unloaded structure, or without the contact");
      // all columns of a node have the same rows below its own
      const algebra::Entry below = pattern_->position(row, column) - pattern_->first_entry(column) - (row - column);
      for (int k = 0; k < 3; ++k) {
        const int own = equation(static_cast<int>(model::row(nodes[low])) + k);
        if (own < 0) continue;
        const algebra::Entry first = pattern_->first_entry(own) + below;
        for (int i = a == b ? k : 0; i < 3; ++i)
          if (const int other = equation(static_cast<int>(model::row(nodes[high])) + i); other >= 0)
            values[static_cast<std::size_t>(first + (other - own))] +=
                matrix(static_cast<Eigen::Index>(3 * high) + i, static_cast<Eigen::Index>(3 * low) + k);
      }
    }
}

std::vector<int> Topology::dofs_of(const elements::Batch& batch, int element) {
  std::vector<int> list;
  const int width = batch.dofs_per_node();
  for (int i = 0; i < batch.dof_count(); ++i)
    list.push_back(static_cast<int>(model::row(batch.nodes(element)[i / width])) + i % width);
  return list;
}

/// Elements whose places cannot be found node by node.
void Topology::find_tied(const Geometry& geometry) {
  const auto& ties = geometry.ties();
  for (std::size_t s = 0; s < sets_.size(); ++s) {
    const auto& batch = *geometry.sets()[s].batch;
    for (int e = 0; e < batch.size(); ++e) {
      const int *first = batch.nodes(e), *last = first + batch.nodes_per_element();
      const bool follows = !ties.empty() && std::any_of(first, last, [&](int n) { return ties.follows(n); });
      std::vector<int> distinct(first, last);
      make_unique(distinct);
      if (follows || static_cast<int>(distinct.size()) < batch.nodes_per_element())
        sets_[s].tied.emplace(e, ties.localise(dofs_of(batch, e)));
    }
  }
}

/// Degrees of freedom that an element gives stiffness to, itself or through a tie.
std::vector<char> Topology::attached_dofs(const Geometry& geometry) const {
  std::vector<char> attached(held_.size(), 0);
  for (std::size_t s = 0; s < sets_.size(); ++s) {
    const auto& batch = *geometry.sets()[s].batch;
    for (int e = 0; e < batch.size(); ++e) {
      const auto own = dofs_of(batch, e);
      for (std::size_t i = 0; i < own.size(); ++i)
        if (batch.uses(e, static_cast<int>(i) % batch.dofs_per_node())) attached[at(own[i])] = 1;
      // what something hangs on through a tie is attached as well
      const auto tied = sets_[s].tied.find(e);
      if (tied == sets_[s].tied.end()) continue;
      const auto& replaced = tied->second.replacements;
      if (std::any_of(replaced.begin(), replaced.end(), [](const auto& r) { return r.tie >= 0; }))
        for (const int f : tied->second.dofs)
          if (f >= 0 && f % model::kNodeDofs != model::warp) attached[at(f)] = 1;
    }
  }
  const auto& ties = geometry.ties();
  for (int t = ties.size() - 1; t >= 0; --t)
    if (const auto& tie = ties.tie(t);
        tie.warps && attached[at(static_cast<int>(model::row(tie.follower)) + model::warp)])
      attached[at(static_cast<int>(model::row(tie.leaders[0])) + model::warp)] = 1;
  for (int t = 0; t < ties.size(); ++t)
    if (const auto& tie = ties.tie(t); !tie.warp_move.isZero(0.0))
      attached[at(static_cast<int>(model::row(tie.leaders[0])) + model::warp)] = 1;
  return attached;
}

std::vector<char> Topology::held_dofs(const model::Model& model) const {
  std::vector<char> held(at(static_cast<int>(model::row(model.nodes.size()))), 0);
  for (const auto& support : model.supports) held[at(static_cast<int>(model::row(support.node)) + support.dof)] = 1;
  for (const auto& action : model.actions)
    for (const auto& displacement : action.displacements)
      held[at(static_cast<int>(model::row(displacement.node)) + displacement.dof)] = 1;
  return held;
}

void Topology::number_equations(const model::Model& model, const Geometry& geometry) {
  held_ = held_dofs(model);
  const auto attached = attached_dofs(geometry);
  equation_.assign(held_.size(), -1);
  first_equation_.assign(model.nodes.size(), -1);
  int next = 0;
  for (std::size_t i = 0; i < equation_.size(); ++i) {
    if (!attached[i] || held_[i] || geometry.ties().eliminated(static_cast<int>(i))) continue;
    if (int& first = first_equation_[i / model::kNodeDofs]; first < 0) first = next;
    equation_[i] = next++;
  }
}

/// Elements of a set in rising order, as the blocks of the pattern are made.
void Topology::find_rigid(const Geometry& geometry) {
  for (std::size_t s = 0; s < sets_.size(); ++s) {
    const auto& batch = *geometry.sets()[s].batch;
    for (int e = 0; e < batch.size(); ++e)
      if (const int count = batch.rigid_count(e); count > 0) {
        sets_[s].rigid[e] = {multipliers_, count, {}};
        multipliers_ += count;
      }
  }
}

void Topology::place_rigid(std::size_t index) {
  Set& set = sets_[index];
  for (auto& [element, rigid] : set.rigid) {
    std::vector<int> dofs;
    if (const auto tied = set.tied.find(element); tied != set.tied.end()) {
      dofs = tied->second.dofs;
    } else {
      const int* nodes = set.nodes.data() + static_cast<std::ptrdiff_t>(element) * set.nodes_per_element;
      for (int i = 0; i < set.nodes_per_element * set.width; ++i)
        dofs.push_back(static_cast<int>(model::row(nodes[i / set.width])) + i % set.width);
    }
    rigid.places.clear();
    for (int r = 0; r < rigid.count; ++r) {
      const int row = pattern_->own() + rigid.first + r;
      rigid.places.push_back(pattern_->position(row, row));
      for (const int f : dofs) {
        const int own = f < 0 ? -1 : equation(f);
        rigid.places.push_back(own < 0 ? -1 : pattern_->position(row, own));
      }
    }
  }
}

void Topology::scatter_rigid(std::size_t set, int element, int row, const Eigen::VectorXd& values, double stiffness,
                             std::vector<double>& matrix) const {
  const auto& rigid = sets_[set].rigid.at(element);
  const algebra::Entry* place = rigid.places.data() + (values.size() + 1) * row;
  matrix[static_cast<std::size_t>(*place++)] -= stiffness / elements::kRigid;
  for (Eigen::Index i = 0; i < values.size(); ++i, ++place)
    if (*place >= 0) matrix[static_cast<std::size_t>(*place)] += values[i];
}

std::vector<int> Topology::nodes_touched(const Set& set, int element) const {
  if (const auto tied = set.tied.find(element); tied != set.tied.end()) return nodes_of(tied->second.dofs);
  const auto first = set.nodes.begin() + static_cast<std::ptrdiff_t>(element) * set.nodes_per_element;
  return {first, first + set.nodes_per_element};
}

void Topology::make_pattern(const Geometry& geometry, const std::vector<std::vector<int>>& couplings) {
  algebra::BlockGraph graph;
  graph.block_start.push_back(0);
  for (std::size_t n = 0; n < first_equation_.size(); ++n) {
    const auto first = equation_.begin() + model::row(n);
    graph.block_start.push_back(
        graph.block_start.back() +
        static_cast<int>(std::count_if(first, first + model::kNodeDofs, [](int e) { return e >= 0; })));
  }
  // multipliers, a block an element, behind all others
  std::vector<int> multiplier_block;
  for (const auto& set : sets_)
    for (const auto& [element, rigid] : set.rigid) {
      multiplier_block.push_back(graph.block_count());
      graph.block_start.push_back(graph.block_start.back() + rigid.count);
    }
  graph.multipliers = multipliers_;
  std::size_t next_block = 0;
  graph.clique_start.push_back(0);
  const auto add_clique = [&](const std::vector<int>& nodes) {
    graph.clique_blocks.insert(graph.clique_blocks.end(), nodes.begin(), nodes.end());
    graph.clique_start.push_back(static_cast<int>(graph.clique_blocks.size()));
  };
  for (std::size_t s = 0; s < sets_.size(); ++s)
    for (int e = 0; e < geometry.sets()[s].batch->size(); ++e) {
      auto blocks = nodes_touched(sets_[s], e);
      if (sets_[s].rigid.count(e) != 0) blocks.push_back(multiplier_block[next_block++]);
      add_clique(blocks);
    }
  // forces on a follower couple its leaders through the second-order terms
  for (const auto& columns : tie_columns_) add_clique(nodes_of(geometry.ties().localise(columns).dofs));
  for (const auto& nodes : couplings) add_clique(led_by(nodes, geometry.ties()));
  pattern_ = std::make_shared<algebra::SymmetricPattern>(graph);
}

void Topology::make_places(const base::Executor& executor) {
  for (auto& set : sets_) {
    const int count = static_cast<int>(set.nodes.size()) / std::max(1, set.nodes_per_element);
    const int pairs = set.nodes_per_element * (set.nodes_per_element + 1) / 2;
    set.places.assign(at(count) * at(pairs) * at(set.width), -1);
    executor.for_range(
        count,
        [&](int begin, int end) {
          for (int e = begin; e < end; ++e)
            if (set.tied.count(e) == 0) place_element(set, e);
        },
        256);
    for (const auto& [element, local] : set.tied) set.tied_places.emplace(element, places_of(local.dofs));
  }
  for (std::size_t s = 0; s < sets_.size(); ++s) place_rigid(s);
}

void Topology::place_element(Set& set, int element) const {
  const int count = set.nodes_per_element, pairs = count * (count + 1) / 2;
  const int* nodes = set.nodes.data() + static_cast<std::ptrdiff_t>(count) * element;
  auto place = set.places.begin() + static_cast<std::ptrdiff_t>(element) * pairs * set.width;
  for (int a = 0; a < count; ++a)
    for (int b = a; b < count; ++b) {
      const int low = std::min(nodes[a], nodes[b]), high = std::max(nodes[a], nodes[b]);
      for (int k = 0; k < set.width; ++k, ++place) {
        const int column = equation(static_cast<int>(model::row(low)) + k),
                  row = a == b ? column : first_equation(high);
        if (column >= 0 && row >= 0) *place = pattern_->position(row, column);
      }
    }
}

void Topology::scatter(std::size_t index, int element, const double* matrix, std::vector<double>& values) const {
  const Set& set = sets_[index];
  const int count = set.nodes_per_element, width = set.width, pairs = count * (count + 1) / 2;
  const std::ptrdiff_t size = static_cast<std::ptrdiff_t>(count) * width;
  const int* nodes = set.nodes.data() + static_cast<std::ptrdiff_t>(count) * element;
  const algebra::Entry* place = set.places.data() + static_cast<std::ptrdiff_t>(element) * pairs * width;
  for (int a = 0; a < count; ++a)
    for (int b = a; b < count; ++b) {
      const int low = nodes[a] <= nodes[b] ? a : b, high = low == a ? b : a;
      const int* rows = equation_.data() + model::row(nodes[high]);
      for (int k = 0; k < width; ++k, ++place) {
        if (*place < 0) continue;
        const double* column =
            matrix + size * (static_cast<std::ptrdiff_t>(low) * width + k) + static_cast<std::ptrdiff_t>(high) * width;
        const int from = a == b ? k : 0, base = a == b ? rows[k] : first_equation(nodes[high]);
        const algebra::Entry first = *place - base;
        for (int i = from; i < width; ++i)
          if (rows[i] >= 0) values[static_cast<std::size_t>(first + rows[i])] += column[i];
      }
    }
}

std::vector<algebra::Entry> Topology::places_of(const std::vector<int>& dofs) const {
  std::vector<algebra::Entry> places;
  places.reserve(dofs.size() * (dofs.size() + 1) / 2);
  const auto number = [&](std::size_t i) { return dofs[i] < 0 ? -1 : equation(dofs[i]); };
  for (std::size_t j = 0; j < dofs.size(); ++j)
    for (std::size_t i = j; i < dofs.size(); ++i)
      places.push_back(number(j) < 0 || number(i) < 0 ? -1 : pattern_->position(number(i), number(j)));
  return places;
}

void Topology::scatter(const std::vector<algebra::Entry>& places, const double* matrix, int size, double scale,
                       std::vector<double>& values) {
  const algebra::Entry* place = places.data();
  for (int j = 0; j < size; ++j)
    for (int i = j; i < size; ++i, ++place)
      if (*place >= 0)
        values[static_cast<std::size_t>(*place)] += scale * matrix[static_cast<std::ptrdiff_t>(size) * j + i];
}

void Topology::make_colours(const Geometry& geometry) {
  // bit c of a node: an element of colour c touches it already
  std::vector<unsigned long long> taken(first_equation_.size(), 0);
  for (std::size_t s = 0; s < sets_.size(); ++s) {
    std::fill(taken.begin(), taken.end(), 0);
    std::vector<std::vector<int>> colours;
    for (int e = 0; e < geometry.sets()[s].batch->size(); ++e) {
      const auto nodes = nodes_touched(sets_[s], e);
      unsigned long long used = 0;
      for (const int n : nodes) used |= taken[at(n)];
      std::size_t colour = 0;
      while (colour + 1 < kColours && (used >> colour & 1ULL)) ++colour;  // the last: many share one node
      if (colours.size() <= colour) colours.resize(colour + 1);
      colours[colour].push_back(e);
      for (const int n : nodes) taken[at(n)] |= 1ULL << colour;
    }
    for (std::size_t c = 0; c < colours.size(); ++c)
      if (!colours[c].empty()) runs_.push_back({s, std::move(colours[c]), c + 1 == kColours});
  }
}

bool Topology::fits(const model::Model& model, const Geometry& geometry) const {
  if (geometry.sets().size() != sets_.size() || geometry.ties().size() != static_cast<int>(tie_columns_.size()) ||
      model::row(model.nodes.size()) != full_size())
    return false;
  for (std::size_t s = 0; s < sets_.size(); ++s) {
    const auto& batch = *geometry.sets()[s].batch;
    const auto count = static_cast<std::size_t>(batch.size()) * at(batch.nodes_per_element());
    if (batch.dofs_per_node() != sets_[s].width || count != sets_[s].nodes.size()) return false;
    for (int e = 0; e < batch.size(); ++e)
      if (!std::equal(batch.nodes(e), batch.nodes(e) + batch.nodes_per_element(),
                      sets_[s].nodes.begin() + static_cast<std::ptrdiff_t>(e) * batch.nodes_per_element()))
        return false;
      else if (const auto own = sets_[s].rigid.find(e);
               batch.rigid_count(e) != (own == sets_[s].rigid.end() ? 0 : own->second.count))
        return false;
  }
  for (int t = 0; t < geometry.ties().size(); ++t)
    if (geometry.ties().columns(t) != tie_columns_[at(t)]) return false;
  if (held_dofs(model) != held_) return false;
  const auto attached = attached_dofs(geometry);
  for (std::size_t i = 0; i < equation_.size(); ++i)
    if ((attached[i] && !held_[i] && !geometry.ties().eliminated(static_cast<int>(i))) != (equation_[i] >= 0))
      return false;
  return true;
}

Topology::Lease Topology::factorisation() const {
  const std::lock_guard<std::mutex> lock(idle_mutex_);
  if (idle_.empty()) return {*this, std::make_unique<algebra::Factorisation>(pattern_)};
  auto own = std::move(idle_.back());
  idle_.pop_back();
  own->reset_cost();
  return {*this, std::move(own)};
}

Topology::Lease::~Lease() {
  if (own_ == nullptr) return;
  const std::lock_guard<std::mutex> lock(owner_->idle_mutex_);
  owner_->idle_.push_back(std::move(own_));
}

}  // namespace archway::analysis
