#include "archway/analysis/one_sided.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/spring.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using base::at;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kClosed = 1e-9;  ///< of the structure's size: a gap that is none
constexpr double kHeld = 1e-9;    ///< of a row: less is left where supports hold all of it
constexpr double kAlike = 1e-12;  ///< of the larger: stiffnesses of both sides of a spring that differ by rounding
constexpr double kFree =
    1e-13;  ///< of what its degrees of freedom would store one by one: a shape that nothing resists
constexpr double kPressedTouch = 1e-3;  ///< of the largest displacement by the load: more presses or lifts
constexpr double kShift = 0.3;          ///< of the first factor: makes an indefinite quotient one that falls
constexpr double kSettled = 1e-8;       ///< what the quotient would still fall by, as its steps get smaller
constexpr double kHopeless = 1e-3;      ///< above the best so far where it would come to rest: the search ends
constexpr double kMostNumbers = 1e7;    ///< degrees of freedom times constraints: 80 MB a matrix, and minutes beyond
constexpr int kMostSteps = 600, kMostConstraints = 600, kModes = 3, kPushes = 12;

/// By how much a spring is stiffer below zero strain than above; 0 where that is rounding.
double more_below_zero(const elements::SpringBatch::Sides& sides) {
  const double more = sides.below - sides.above;
  return std::abs(more) <= kAlike * std::max(std::abs(sides.below), std::abs(sides.above)) ? 0 : more;
}

/// Rows of C: displacement away from an obstacle, of a node or of a control value of a member's cubic; and strains of
/// springs that are stiffer on one side, positive on the other.
class Constraints {
 public:
  explicit Constraints(const System& system) : system_(system), state_(State::reference(system.model())) {
    const auto& model = system.model();
    for (const auto& obstacle : model.obstacles) trees_.push_back(elements::facet_tree(obstacle));
    const auto& touches = system.geometry().touches();
    const auto memory = system.geometry().virgin_memory();
    const auto trial = system.geometry().trial(state_, &memory, touches);
    for (int t = 0; t < touches.size(); ++t)
      if (std::abs(touches.contact(trial, t).gap) <= kClosed * model.size())
        closed_.insert({touches.touch(t).obstacle, touches.touch(t).node});
    for (const auto& line : model.line_elements) along(line);
    for (const auto& [obstacle, node] : closed_)
      if (inside_.count({obstacle, node}) == 0) add({{node, 1.0}}, normal(obstacle, node));
    for (int e = 0; e < system.springs().size(); ++e) add_spring(e);
  }
  Index count() const { return static_cast<Index>(rows_.size()); }
  /// One column a constraint, by free degrees of freedom.
  MatrixXd columns() const {
    MatrixXd all(system_.free_count(), count());
    for (Index k = 0; k < count(); ++k) all.col(k) = rows_[static_cast<std::size_t>(k)];
    return all;
  }
  /// Displacement against the obstacle a unit of its force: of the springs; rigid obstacles have none.
  VectorXd compliance() const { return Eigen::Map<const VectorXd>(compliance_.data(), count()); }

 private:
  using Weights = std::vector<std::pair<int, double>>;
  Vec3 normal(int obstacle, int node) const {
    return elements::distance_from(system_.model().obstacles[at(obstacle)], trees_[at(obstacle)].get(),
                                   system_.model().nodes[at(node)])
        .normal;
  }
  /// The two inner control values of the cubic with the deflections and slopes of the ends: where these stay on the
  /// free side, all of it does. Slopes are those of the sections: members that hardly shear.
  void along(const model::LineElement& line) {
    const auto& n = line.nodes;
    const auto& x = system_.model().nodes;
    for (std::size_t o = 0; o < system_.model().obstacles.size(); ++o) {
      const int obstacle = static_cast<int>(o);
      if (!std::all_of(n.begin(), n.end(), [&](int node) { return on(obstacle, node); })) continue;
      inside_.insert({obstacle, n[1]});
      inside_.insert({obstacle, n[2]});
      const Vec3 way = x[at(n[3])] - x[at(n[0])];
      for (const int end : {0, 3}) {
        const Vec3 away = normal(obstacle, n[at(end)]);
        const Vec3 slope = (end == 0 ? 1.0 : -1.0) / 3 * way.cross(away);  // of the rotation there
        add({{n[at(end)], 1.0}}, away, slope);
      }
    }
  }
  /// Touches, or is restrained at the obstacle's face.
  bool on(int obstacle, int node) const {
    if (closed_.count({obstacle, node}) > 0) return true;
    const auto first = closed_.lower_bound({obstacle, 0});
    if (first == closed_.end() || first->first != obstacle) return false;
    // a supported end touches nothing: it lies in the face where it is as far from it as what does touch
    const auto gap = [&](int of) {
      return elements::distance_from(system_.model().obstacles[at(obstacle)], trees_[at(obstacle)].get(),
                                     system_.model().nodes[at(of)])
          .value;
    };
    return std::abs(gap(node) - gap(first->second)) <= kClosed * system_.model().size();
  }
  void add(const Weights& weights, const Vec3& away, const Vec3& rotating = Vec3::Zero()) {
    VectorXd full = VectorXd::Zero(system_.full_size());
    for (const auto& [node, weight] : weights) {
      full.segment<3>(model::row(node)) += weight * away;
      full.segment<3>(model::row(node) + 3) += weight * rotating;
    }
    add(full, 0);
  }
  /// \param stiffness  0: rigid
  void add(VectorXd full, double stiffness) {
    const double whole = full.norm();
    system_.ties().gather(state_, full);
    const VectorXd row = system_.free_part(full);
    const double size = row.norm();
    // what supports hold leaves nothing, or in axes of their own the rounding of nothing
    if (!(size > kHeld * whole)) return;
    rows_.push_back(row / size);
    compliance_.push_back(stiffness > 0 ? 1 / (stiffness * size * size) : 0);
  }
  void add_spring(int element) {
    const auto& nodes = system_.springs().nodes(element);
    for (int axis = 0; axis < 6; ++axis) {
      const double more = more_below_zero(system_.springs().sides_at_rest(element, axis));
      if (more == 0.0) continue;
      const auto gradient = system_.springs().strain_gradient(element, axis, state_);
      VectorXd full = VectorXd::Zero(system_.full_size());
      for (int end = 0; end < 2; ++end) full.segment<6>(model::row(nodes[end])) += gradient.segment<6>(6 * end);
      add(more > 0 ? full : VectorXd(-full), std::abs(more));
    }
  }

  const System& system_;
  State state_;
  std::vector<decltype(elements::facet_tree(std::declval<const model::Obstacle&>()))> trees_;
  std::set<std::pair<int, int>> closed_, inside_;
  std::vector<VectorXd> rows_;
  std::vector<double> compliance_;
};

/// r >= 0, g = start + F r >= 0, r . g = 0 with F positive definite: the least of r'Fr / 2 + start'r over r >= 0, by an
/// active set that grows by the place most passed through and shrinks where a force would pull ([LawsonHanson1974]).
/// \param r  where to begin: the answer to a problem close by. False: no answer within the steps allowed
bool complementary(const MatrixXd& f, const VectorXd& start, VectorXd& r) {
  constexpr double kDigits = 1e-11;
  const Index n = start.size();
  if (n == 0) return true;
  const double small = kDigits * start.cwiseAbs().maxCoeff();
  const int most = 20 * static_cast<int>(n) + 100;
  for (int step = 0, added = -1; step < most; ++step) {
    // forces of the places that push, all of them above zero
    for (int inner = 0; inner <= n; ++inner) {
      std::vector<Index> set;
      for (Index k = 0; k < n; ++k)
        if (r[k] > 0 || k == added) set.push_back(k);
      if (set.empty()) break;
      const VectorXd wanted = MatrixXd(f(set, set)).ldlt().solve(-VectorXd(start(set)));
      double share = 1;
      for (std::size_t k = 0; k < set.size(); ++k)
        if (const double now = wanted[static_cast<Index>(k)]; now <= 0)
          share = std::min(share, r[set[k]] / (r[set[k]] - now));
      bool dropped = false;
      for (std::size_t k = 0; k < set.size(); ++k) {
        const double now = wanted[static_cast<Index>(k)], next = r[set[k]] + share * (now - r[set[k]]);
        const bool out = now <= 0 && next <= 1e-14 * wanted.cwiseAbs().maxCoeff();
        r[set[k]] = out ? 0 : next;
        dropped = dropped || out;
      }
      if (dropped && share == 0.0) added = -1;
      if (!dropped) break;
    }
    const VectorXd g = start + f * r;
    double worst = -small;
    added = -1;
    for (Index k = 0; k < n; ++k)
      if (r[k] == 0.0 && g[k] < worst) worst = g[k], added = static_cast<int>(k);
    if (added < 0) return true;
  }
  return false;
}

/// The search for the least quotient from one shape after the other.
class Search {
 public:
  Search(const System& system, const BucklingOptions& options, const BucklingResult& free,
         const Constraints& constraints)
      : system_(system),
        k_(system.pattern()),
        lease_(system.factorisation()),
        columns_(constraints.columns()),
        compliance_(constraints.compliance()),
        state_(State::reference(system.model())) {
    AssemblyRequest request;
    request.tangent = &k_;
    request.source.slack = &free.slack;
    (void)system.assemble(state_, request);
    g_ = detail::geometric_of(system, system.factors(options.variable), free.variable_displacement, free.slack);
    for (double& value : g_->values) value = -value;
    leave_softer_sides();
    const auto outcome = lease_->factor(k_);
    sound_ = outcome.regular() && outcome.negative_pivots == 0;
    if (!sound_) return;
    answers_ = columns_;
    lease_->solve(answers_);
    flexibility_ = columns_.transpose() * answers_;
    flexibility_ = 0.5 * (flexibility_ + flexibility_.transpose()).eval();
    const double mean = flexibility_.trace() / static_cast<double>(flexibility_.rows());
    flexibility_.diagonal().array() += 1e-12 * mean;  // rows that say the same leave their shares open
    flexibility_.diagonal() += compliance_;
    // without its stiffer sides the structure is a mechanism: what is left of its stiffness is rounding
    const VectorXd parts = k_.diagonal();
    for (Index c = 0; c < compliance_.size() && sound_; ++c) {
      const VectorXd u = answers_.col(c);
      const double whole = u.dot(VectorXd(k_.times(u, &system_.executor()))), sum = u.cwiseAbs2().dot(parts);
      sound_ = !(compliance_[c] > 0 && std::abs(whole) <= kFree * std::abs(sum));
    }
    const double first = free.modes.empty() ? 0 : free.modes[0].load_factor;
    shift_ = first > 0 ? kShift / first : 0;
  }
  bool sound() const { return sound_; }

  void from(VectorXd u) {
    ++result_.starts;
    double last = HUGE_VAL, fell = HUGE_VAL;
    VectorXd pressing = VectorXd::Zero(flexibility_.rows());
    const auto resisted = [&] {  // by all but rigid obstacles
      const VectorXd of_springs = (compliance_.array() > 0).select(pressing, 0.0);
      return VectorXd(k_.times(u, &system_.executor()) - columns_ * of_springs);
    };
    pressing =
        (compliance_.array() > 0).select((-columns_.transpose() * u).cwiseMax(0.0).cwiseQuotient(compliance_), 0.0);
    for (int step = 0; step < kMostSteps; ++step) {
      MatrixXd load = g_->times(u, &system_.executor()) + shift_ * resisted();
      lease_->solve(load);
      if (!complementary(flexibility_, columns_.transpose() * load.col(0), pressing)) {
        return;
      }
      u = load.col(0) + answers_ * pressing;
      const double energy = u.dot(VectorXd(k_.times(u, &system_.executor()))) + pressing.cwiseAbs2().dot(compliance_);
      if (!(energy > 0)) return;
      u /= std::sqrt(energy);
      pressing /= std::sqrt(energy);
      const double work = u.dot(VectorXd(g_->times(u, &system_.executor())));
      if (!(work > 0)) {
        if (step > 20) return;
        continue;
      }
      const double now = 1 / work, falls = last - now, rate = falls / fell,
                   rest = rate < 1 ? now - falls * rate / (1 - rate) : 0;  // by steps in a geometric series
      const bool digits = std::abs(falls) <= 1e-12 * now;
      last = now;
      fell = falls;
      if (digits || (step > 3 && rest > 0 && now - rest <= kSettled * now)) break;
      if (step > 20 && result_.found && rest > result_.load_factor * (1 + kHopeless)) break;
    }
    if (!std::isfinite(last)) return;
    ++result_.ended;
    if (result_.found && last >= result_.load_factor) return;
    result_.found = true;
    result_.load_factor = last;
    result_.touching = static_cast<int>((pressing.array() > 0).count());
    const VectorXd full = system_.to_full(u, state_);
    const double most = model::largest_translation(full);
    result_.shape = full / most;
  }
  void from_pushes() {
    const Index all = answers_.cols(), stride = std::max<Index>(1, all / kPushes);
    for (Index k = stride / 2; k < all; k += stride) from(answers_.col(k));
  }
  OneSidedResult result() { return std::move(result_); }

 private:
  /// Linear analyses give a spring the mean of its two sides: what is left of it on its softer side stays in the
  /// stiffness, what the stiffer side has more is a constraint with a compliance.
  void leave_softer_sides() {
    for (Index c = 0; c < columns_.cols(); ++c) {
      if (!(compliance_[c] > 0)) continue;
      std::vector<int> used;
      for (int i = 0; i < system_.free_count(); ++i)
        if (columns_(i, c) != 0.0) used.push_back(i);
      for (const int i : used)
        for (const int j : used)
          if (j <= i)
            k_.values[static_cast<std::size_t>(k_.pattern->position(i, j))] -=
                0.5 / compliance_[c] * columns_(i, c) * columns_(j, c);
    }
  }

  const System& system_;
  algebra::SymmetricMatrix k_;
  std::optional<algebra::SymmetricMatrix> g_;
  Topology::Lease lease_;
  MatrixXd columns_, answers_, flexibility_;
  VectorXd compliance_;
  State state_;
  double shift_ = 0;
  bool sound_ = false;
  OneSidedResult result_;
};

/// The load does not press on the obstacles: there is a state from which the structure can leave them.
bool leaves_obstacles_alone(const System& system, const MatrixXd& columns, const BucklingResult& free) {
  const VectorXd moved = system.free_values(free.variable_displacement, State::reference(system.model()));
  const double most = model::largest_translation(free.variable_displacement);
  return (columns.transpose() * moved).cwiseAbs().maxCoeff() <= kPressedTouch * most;
}
}  // namespace

std::vector<OneSidedSpring> one_sided_springs(const System& system) {
  std::vector<OneSidedSpring> list;
  for (int e = 0; e < system.springs().size(); ++e)
    for (int axis = 0; axis < 6; ++axis)
      if (const auto sides = system.springs().sides_at_rest(e, axis); more_below_zero(sides) != 0.0)
        list.push_back({e, axis, sides.below, sides.above});
  return list;
}

OneSidedResult one_sided_buckling(const System& system, const BucklingOptions& options, const BucklingResult& free) {
  OneSidedResult none;
  if ((system.model().touches.empty() && one_sided_springs(system).empty()) || !free.usable() ||
      free.variable_displacement.size() == 0)
    return none;
  const auto refused = [&](const std::string& why) {
    none.message = why;
    return none;
  };
  if (!options.constant.terms.empty())
    return refused("not with loads held: what presses on an obstacle is no bifurcation, follow a path");
  if (system.pattern()->multipliers() > 0) return refused("not with rigid members: follow a path");
  const Constraints constraints(system);
  if (constraints.count() == 0)
    return refused(
        "no node touches an obstacle in the unloaded structure, and no spring is stiffer on one side: "
        "follow a path");
  if (constraints.count() > kMostConstraints)
    return refused(fmt::format("{} places may touch, {} at most are offered: follow a path", constraints.count(),
                               kMostConstraints));
  if (static_cast<double>(constraints.count()) * system.free_count() > kMostNumbers)
    return refused(
        fmt::format("{} places of a structure with {} degrees of freedom may touch, which takes too long: follow a "
                    "path",
                    constraints.count(), system.free_count()));
  const MatrixXd columns = constraints.columns();
  if (!leaves_obstacles_alone(system, columns, free))
    return refused("the load itself presses the structure on an obstacle or lifts it off: follow a path");
  Search search(system, options, free, constraints);
  if (!search.sound())
    return refused("without what holds it on one side only the structure is free to move: follow a path");
  const State reference = State::reference(system.model());
  for (std::size_t m = 0; m < std::min<std::size_t>(kModes, free.modes.size()); ++m)
    for (const double sign : {1.0, -1.0}) search.from(sign * system.free_values(free.modes[m].shape, reference));
  search.from_pushes();
  OneSidedResult result = search.result();
  result.constraints = static_cast<int>(constraints.count());
  if (!result.found) result.message = "no shape that the obstacles allow gives the load any work";
  return result;
}

}  // namespace archway::analysis
