#include "archway/analysis/other_states.hpp"

#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/tie.hpp"
#include "path/measures_detail.hpp"

namespace archway::analysis {

namespace detail {
using Eigen::VectorXd;

namespace {
constexpr double kNear = 1e-2;     ///< residual from which corrections without deflation end the search
constexpr double kFarthest = 0.1;  ///< of the size, in one correction
constexpr double kMostScale = 10;  ///< of a correction by Newton's method
constexpr double kReach = 0.01;    ///< of the size at all nodes: L is no less
constexpr double kSame = 1e-3;     ///< of L: two states that are one
constexpr double kLost = 3;        ///< of the size: no structure is displaced so far
constexpr int kMostDeflated = 30;

/// Translations of the nodes alone.
double squared_length(const VectorXd& full) {
  double sum = 0;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeDofs) sum += full.segment<3>(n).squaredNorm();
  return sum;
}
double product(const VectorXd& a, const VectorXd& b) {
  double sum = 0;
  for (Eigen::Index n = 0; n < a.size(); n += model::kNodeDofs) sum += a.segment<3>(n).dot(b.segment<3>(n));
  return sum;
}
}  // namespace

double nearest(const std::vector<VectorXd>& known, const VectorXd& displacement) {
  double least = HUGE_VAL;
  for (const auto& other : known) least = std::min(least, std::sqrt(squared_length(displacement - other)));
  return least;
}

AttemptReport Equilibrium::elsewhere(Point& point, const std::vector<VectorXd>& known, double reach, int number) {
  const double size = system_.model().size(), reach2 = reach * reach;
  AttemptReport attempt;
  for (int k = 0; k < kMostDeflated; ++k) {
    Residual residual;
    if (!evaluate(point, residual)) return attempt;
    if (report(number, k, point, residual.balance.residual, 0) == Next::stop_keep_result) {
      attempt.outcome = Attempt::stopped;
      return attempt;
    }
    const VectorXd here = point.state.displacement(system_.model());
    if (residual.balance.residual <= kNear && nearest(known, here) > 0.1 * reach) break;
    if (largest_displacement(here) > kLost * size) return attempt;
    VectorXd way = -residual.free;
    if (!tangent_->factorise() || !tangent_->solve(way, point.state, 1e-6) || !way.allFinite()) return attempt;
    VectorXd full = system_.to_full(way, point.state);
    double by_states = 0;  // m' du / m
    for (const auto& other : known) {
      const VectorXd apart = here - other;
      const double far = std::max(squared_length(apart), 1e-16 * reach2);
      by_states -= 2 * reach2 * product(apart, full) / (far * (far + reach2));
    }
    double scale = std::clamp(1 / (1 - by_states), -kMostScale, kMostScale);
    scale *= std::min(1.0, kFarthest * size / (std::abs(scale) * largest_displacement(full)));
    (void)move(point, scale * full);
  }
  attempt = correct_loads_at_rest(point, move(point, VectorXd::Zero(system_.full_size())),
                                  {0, number, Begin::factorise, true});
  if (attempt.outcome == Attempt::converged &&
      !(nearest(known, point.state.displacement(system_.model())) > kSame * reach))
    attempt.outcome = Attempt::failed;
  return attempt;
}

/// At one load factor after the other.
class StateSearch {
 public:
  StateSearch(const System& system, const PathOptions& options, const PathResult& path, int most,
              const PathWatcher& watcher)
      : system_(system),
        options_(options),
        path_(path),
        most_(most),
        equilibrium_(system, options, watcher),
        measures_(system, options, equilibrium_) {
    prescribed_ = !system.displacements(system.factors(options.variable)).isZero(0.0);
    found_.potentials.assign(path.increments.size(), kUnset);
    start_ = equilibrium_.start();
    (void)equilibrium_.set_scale(start_);
  }

  void at(double factor) {
    known_.clear();
    beside_ = -1;
    reach_ = 0;
    const auto first = found_.states.size();
    std::vector<const Increment*> own;
    for (const auto& i : path_.increments)
      if (i.kept && i.kept->preload == 1 && std::abs(i.load_factor - factor) <= 1e-9 * std::abs(factor)) {
        own.push_back(&i);
        know(i.displacement(system_.model()));
        found_.potentials[base::at(i.number)] = potential(equilibrium_.resume(*i.kept, false));
      }
    if (own.empty()) return;
    beside_ = own.front()->number;
    own_ = known_.size();
    reach_ = std::max(reach_, kReach * system_.model().size() * std::sqrt(system_.node_count()));
    for (const auto* i : own) from_beside(*i);
    if (!prescribed_) from_elsewhere(factor);
    std::stable_sort(found_.states.begin() + static_cast<std::ptrdiff_t>(first), found_.states.end(),
                     [](const auto& a, const auto& b) { return a.potential < b.potential; });
  }

  OtherStates result() {
    found_.factorisations = equilibrium_.factorisations();
    return std::move(found_);
  }

 private:
  void know(const VectorXd& displacement) {
    known_.push_back(displacement);
    reach_ = std::max(reach_, std::sqrt(squared_length(displacement)));
  }
  bool enough() const {
    return stopped_ || static_cast<int>(std::count_if(found_.states.begin(), found_.states.end(),
                                                      [&](const auto& s) { return s.beside == beside_; })) >= most_;
  }

  /// Along the lowest eigenvectors, both ways, and reversed.
  void from_beside(const Increment& increment) {
    const Point origin = equilibrium_.resume(*increment.kept, false);
    Point settled = origin;
    if (!equilibrium_.stand_at(settled) || !equilibrium_.settle(settled, {}, Count::by_factor)) return;
    const auto softest = equilibrium_.softest();
    std::vector<VectorXd> shapes;
    for (Eigen::Index k = 0; k < std::min<Eigen::Index>(2, softest.shapes.cols()); ++k)
      shapes.push_back(equilibrium_.shape_of(softest.shapes.col(k), origin));
    for (const double share : {0.02, 0.1})  // of the size, where the shape moves most
      for (const auto& shape : shapes)
        for (const double sense : {1.0, -1.0}) seek(moved(origin, sense * share * system_.model().size() * shape));
    if (!prescribed_) seek(moved(reversed(origin), VectorXd::Zero(system_.full_size())));
  }
  /// From increments at other loads, spread over the path.
  void from_elsewhere(double factor) {
    constexpr std::size_t kFrom = 4;
    std::vector<const Increment*> list;
    for (const auto& i : path_.increments)
      if (i.kept && i.kept->preload == 1 && std::abs(i.load_factor - factor) > 1e-9 * std::abs(factor))
        list.push_back(&i);
    const std::size_t stride = std::max<std::size_t>(1, list.size() / kFrom);
    for (std::size_t k = stride - 1; k < list.size(); k += stride) {
      Point point = equilibrium_.resume(*list[k]->kept, false);
      point.factor = factor;
      seek(point);
    }
  }

  Point moved(Point point, const VectorXd& shape) const {
    const VectorXd step = system_.to_full(system_.free_values(shape, point.state), point.state);
    point.state.correction.resize(0);
    system_.advance(point.state, step);
    return point;
  }
  /// The displacements of a state, in the other sense.
  Point reversed(const Point& of) const {
    Point point = start_;
    point.factor = of.factor;
    return moved(std::move(point), -of.state.displacement(system_.model()));
  }

  /// The stable state that the structure falls to from there, however slender it is; then all that corrections lead to,
  /// each found once the ones before are known.
  void seek(const Point& from) {
    if (enough()) return;
    Point rest = from;
    ++found_.starts;
    const auto fall = equilibrium_.jump(rest, from.factor, 0);
    if (fall.outcome == Attempt::stopped) stopped_ = true;
    if (fall.outcome == Attempt::converged &&
        nearest(known_, rest.state.displacement(system_.model())) > kSame * reach_)
      take(rest);
    while (!enough()) {
      Point point = from;
      ++found_.starts;
      const auto report = equilibrium_.elsewhere(point, known_, reach_, 0);
      if (report.outcome == Attempt::stopped) stopped_ = true;
      if (report.outcome != Attempt::converged || !equilibrium_.settle(point, {}, Count::by_factor)) return;
      take(point);
    }
  }

  void take(Point& point) {
    OtherState other;
    const VectorXd displacement = point.state.displacement(system_.model());
    other.beside = beside_;
    other.distance = HUGE_VAL;
    for (std::size_t k = 0; k < own_; ++k)
      other.distance = std::min(other.distance, largest_displacement(displacement - known_[k]));
    know(displacement);
    Increment& i = other.state;
    i.load_factor = point.factor;
    i.residual = point.balance.residual;
    i.negative_pivots = point.negative_pivots;
    i.counted = point.counted;
    i.number = static_cast<int>(found_.states.size());
    measures_.measure(point, i);
    i.external_work = i.energy_gap = kUnset;
    i.kept = std::make_shared<const KeptState>(KeptState{point.state,
                                                         point.factor,
                                                         point.preload,
                                                         kept_displacements(point),
                                                         point.memory,
                                                         equilibrium_.largest_force(),
                                                         {}});
    other.potential = potential(point);
    found_.states.push_back(std::move(other));
  }

  double potential(const Point& point) const {
    constexpr double kDead = 1e-9;
    std::vector<double> factors = system_.factors(options_.constant);
    const auto variable = system_.factors(options_.variable);
    for (std::size_t a = 0; a < factors.size(); ++a) factors[a] += point.factor * variable[a];
    const State unloaded = State::reference(system_.model());
    const VectorXd loads = system_.nodal_loads(factors, point.state), before = system_.nodal_loads(factors, unloaded);
    const double moments = model::largest_rotation(loads);
    if ((loads - before).norm() > kDead * before.norm() || moments > kDead * system_.model().size() * loads.norm())
      return kUnset;
    return system_.energy(point.state, point.memory.get()).stored -
           product(loads, point.state.displacement(system_.model()));
  }

  const System& system_;
  const PathOptions& options_;
  const PathResult& path_;
  int most_;
  mutable Equilibrium equilibrium_;
  Measures measures_;
  Point start_;
  OtherStates found_;
  std::vector<VectorXd> known_;  // those of the path first
  std::size_t own_ = 0;          // of them
  int beside_ = -1;
  double reach_ = 0;
  bool prescribed_ = false, stopped_ = false;
};
}  // namespace detail

OtherStates other_states(const System& system, const PathOptions& options, const PathResult& path,
                         const std::vector<double>& factors, int most, const PathWatcher& watcher) {
  OtherStates none;
  const auto& geometry = system.geometry();
  if (geometry.flows())
    none.message = "materials or springs remember what has happened: their states are no functions of the load";
  else if (geometry.touches().size() > 0 || !geometry.surfaces().empty())
    none.message = "not beside contact";
  else if (path.increments.empty() || path.stages.size() > 1)
    none.message = path.increments.empty() ? "the path has no state" : "not for paths of several stages";
  if (!none.message.empty()) return none;
  const PathWatcher quiet = [&](const PathProgress& progress) { return watcher ? watcher(progress) : Next::go_on; };
  detail::StateSearch search(system, options, path, most, quiet);
  for (const double factor : factors) search.at(factor);
  return search.result();
}

}  // namespace archway::analysis
