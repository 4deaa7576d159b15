#include "archway/analysis/reduced_model.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/algebra/eigen_pairs.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/index.hpp"
#include "archway/base/rotation.hpp"
#include "archway/elements/moved.hpp"
#include "newton/equilibrium_detail.hpp"

namespace archway::analysis {

namespace {
using base::at;
using detail::Equilibrium;
using detail::Point;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kBelow = 0.995;  ///< of the critical load: whose tangent is factorised
constexpr double kLeastReduced = 2e-3,
                 kMostReduced = 2e-2;  ///< share of a mode's stiffness that amplitudes are chosen for
constexpr int kSpare = 6;              ///< modes looked for beyond those wanted
constexpr double kMovesReduced =
    1e-4;                            ///< of a rotation times the size: what moves less is a pattern of rotations alone
constexpr double kBalanced = 1e-10;  ///< work of what is out of balance, of the energy of the amplitudes
constexpr double kMove = 1e-6;       ///< of the structure's size, for differences of its geometry

/// Derivative of the spin by the rotation vector that a state is rotated by (left).
Eigen::Matrix3d spin_by_vector(const Vec3& v) {
  const double t = v.norm();
  if (t < 1e-8) return Eigen::Matrix3d::Identity();
  const Vec3 n = v / t;
  const double s = std::sin(t) / t;
  return s * Eigen::Matrix3d::Identity() + (1 - s) * n * n.transpose() + (1 - std::cos(t)) / t * base::skew(n);
}

double largest_of(const VectorXd& full) {
  const double largest = model::largest_translation(full);
  return largest;
}

/// Forces out of balance beside a state of the perfect path, as derivatives by the displacements from there.
class Surroundings {
 public:
  Surroundings(const System& system, const PathOptions& options, const Point& point)
      : system_(system), state_(point.state), factors_(system.factors(options.constant)) {
    const auto variable = system.factors(options.variable);
    for (std::size_t p = 0; p < factors_.size(); ++p) factors_[p] += point.factor * variable[p];
  }
  /// \param free  displacements of the free degrees of freedom
  std::optional<VectorXd> force(const VectorXd& free) {
    State state = state_;
    const VectorXd step = system_.to_full(free, state);
    system_.advance(state, step);
    auto balance = out_of_balance(system_, state);
    if (!balance) return {};
    VectorXd& r = *balance;
    for (Eigen::Index n = 0; n < r.size(); n += model::kNodeDofs)
      r.segment<3>(n + 3) = spin_by_vector(step.segment<3>(n + 3)).transpose() * r.segment<3>(n + 3).eval();
    return system_.free_part(r);
  }
  /// By the geometry that the structure is made with, the state moved along.
  VectorXd by_geometry(const VectorXd& shape) {
    const double largest = largest_of(shape);
    if (!(largest > 0)) return VectorXd::Zero(system_.free_count());
    const double h = kMove * system_.model().size() / largest;
    return (on_moved(shape, h) - on_moved(shape, -h)) / (2 * h);
  }
  algebra::SymmetricMatrix tangent() const {
    algebra::SymmetricMatrix k(system_.pattern());
    AssemblyRequest request;
    request.tangent = &k;
    (void)system_.assemble(state_, request);  // a state that was accepted
    system_.loading().add_load_stiffness(factors_, state_, -1, k, Warmth::in_state);
    return k;
  }
  /// What of it is linear in the stresses.
  algebra::SymmetricMatrix geometric() const {
    algebra::SymmetricMatrix g(system_.pattern());
    AssemblyRequest request;
    request.geometric = &g;
    (void)system_.assemble(state_, request);
    system_.loading().add_load_stiffness(factors_, state_, -1, g, Warmth::in_state);
    return g;
  }
  const State& state() const { return state_; }
  int evaluations() const { return evaluations_; }

 private:
  VectorXd on_moved(const VectorXd& shape, double h) {
    const auto model = std::make_shared<const model::Model>(elements::moved(system_.model(), shape, h));
    const System other(model, system_.shared_executor(), system_.topology());
    State state = state_;
    for (std::size_t n = 0; n < state.position.size(); ++n)
      state.position[n] += model->nodes[n] - system_.model().nodes[n];
    const auto r = out_of_balance(other, state);
    if (!r) throw base::InputError("reduced model", "elements fold where their nodes are moved a little", "");
    return other.free_part(*r);
  }
  std::optional<VectorXd> out_of_balance(const System& system, const State& state) {
    ++evaluations_;
    VectorXd internal;
    AssemblyRequest request;
    request.internal_force = &internal;
    if (system.assemble(state, request) != base::Verdict::good) return {};
    return VectorXd(internal - system.loading().loads(factors_, state, Warmth::in_state));
  }
  const System& system_;
  State state_;
  std::vector<double> factors_;
  int evaluations_ = 0;
};

/// Multisets of so many modes in rising order.
std::vector<std::vector<int>> products(int modes, int order) {
  std::vector<std::vector<int>> list;
  std::vector<int> now(at(order), 0);
  for (;;) {
    list.push_back(now);
    int k = order - 1;
    while (k >= 0 && now[at(k)] == modes - 1) --k;
    if (k < 0) return list;
    const int next = now[at(k)] + 1;
    for (; k < order; ++k) now[at(k)] = next;
  }
}

/// Derivative of a product by one amplitude.
double derivative(const std::vector<int>& product, int by, const VectorXd& a) {
  double sum = 0;
  for (std::size_t k = 0; k < product.size(); ++k) {
    if (product[k] != by) continue;
    double rest = 1;
    for (std::size_t l = 0; l < product.size(); ++l)
      if (l != k) rest *= a[product[l]];
    sum += rest;
  }
  return sum;
}

class Maker {
 public:
  Maker(const System& system, const PathOptions& options, const PathResult& perfect, int modes, ReducedModel& result)
      : system_(system),
        options_(detail::tight(options)),
        perfect_(perfect),
        equilibrium_(system_, options_, watcher_),
        wanted_(modes),
        result_(result) {}

  bool make(const std::vector<VectorXd>& imperfections) {
    const double f0 = perfect_.increments.front().load_factor, fc = result_.critical;
    std::vector<Surroundings> states;
    for (const double share : {0.0, 0.5, kBelow}) {
      const double f = f0 + share * (fc - f0);
      const auto point = state_at(f);
      if (!point) return fail(fmt::format("no equilibrium of the perfect path was found at load factor {:.6g}", f));
      states.emplace_back(system_, options_, *point);
      result_.at.push_back(f);
    }
    result_.state_factor = fc;
    if (!find_modes(states.front(), states.back())) return false;
    for (auto& state : states) {
      result_.stiffness.push_back(reduced(state.tangent()));
      MatrixXd forcing(modes_.cols(), static_cast<Eigen::Index>(imperfections.size()));
      for (std::size_t k = 0; k < imperfections.size(); ++k)
        forcing.col(static_cast<Eigen::Index>(k)) = modes_.transpose() * state.by_geometry(imperfections[k]);
      result_.forcing.push_back(forcing);
    }
    // coefficients of the energy are those of the modes alone only where the modes bear nothing: at the bifurcation
    auto& there = states.emplace_back(system_, options_,
                                      equilibrium_.resume(*perfect_.increments[at(perfect_.first_loss)].kept, false));
    linear_ = reduced(there.tangent());
    find_followers(there);
    if (!find_terms(there)) return false;
    for (const auto& state : states) result_.evaluations += state.evaluations();
    result_.factorisations += equilibrium_.factorisations();
    return true;
  }

 private:
  bool fail(const std::string& message) {
    result_.message = message;
    return false;
  }

  std::optional<Point> state_at(double factor) {
    const Increment* from = &perfect_.increments.front();
    for (const auto& increment : perfect_.increments)
      if (increment.number < perfect_.first_loss && increment.load_factor <= factor) from = &increment;
    Point point = equilibrium_.resume(*from->kept, false);
    if (from->load_factor != factor &&
        equilibrium_.at_load(point, factor, 1, factor - from->load_factor, 0, detail::Begin::factorise).outcome !=
            detail::Attempt::converged)
      return {};
    return point;
  }

  /// Modes of the tangent just below the bifurcation against what the load has changed it by.
  bool find_modes(const Surroundings& first, const Surroundings& last) {
    const double way = result_.at.back() - result_.at.front();
    const auto k = last.tangent();
    const auto change = k.plus(-1, first.tangent());
    auto rate = change;
    for (double& v : rate.values) v /= way;
    lease_.emplace(system_.factorisation());
    auto& factorisation = **lease_;
    const auto outcome = factorisation.factor(k);
    if (!outcome.regular() || outcome.negative_pivots > 0) return fail("the state below the bifurcation is not stable");
    auto found = modes_of(k, rate, last.state());
    if (static_cast<Eigen::Index>(found.pairs.size()) < wanted_) {
      // of shells the tangent also changes by patterns of rotations that crowd the modes out; what stresses change has
      // none
      rate = last.geometric().plus(-1, first.geometric());
      for (double& v : rate.values) v /= way;
      found = modes_of(k, rate, last.state());
    }
    if (found.pairs.empty()) return fail("no mode was found at the bifurcation");
    const auto count = std::min<Eigen::Index>(wanted_, static_cast<Eigen::Index>(found.pairs.size()));
    modes_.resize(system_.free_count(), count);
    planes_.resize(system_.free_count(), count);
    result_.shapes.resize(system_.full_size(), count);
    for (Eigen::Index i = 0; i < count; ++i) {
      const auto& pair = found.pairs[at(static_cast<int>(i))];
      const VectorXd full = system_.to_full(pair.shape, last.state());
      const double largest = largest_of(full);
      modes_.col(i) = pair.shape / largest;
      result_.shapes.col(i) = full / largest;
      result_.mode_factors.push_back(result_.at.back() + pair.factor);
      planes_.col(i) = change.times(modes_.col(i), &system_.executor());
    }
    // for displacements at right angles to the modes, as the change of the tangent measures angles
    bordered_ = planes_;
    factorisation.solve(bordered_);
    corner_ = base::inverse_of(planes_.transpose() * bordered_);
    return true;
  }
  algebra::PencilResult modes_of(const algebra::SymmetricMatrix& k, const algebra::SymmetricMatrix& rate,
                                 const State& state) {
    algebra::PencilOptions pencil;
    pencil.count = static_cast<int>(wanted_) + kSpare;
    pencil.k_is_factored = true;
    pencil.executor = &system_.executor();
    auto found = algebra::smallest_positive(k, rate, **lease_, pencil);
    found.pairs.erase(
        std::remove_if(found.pairs.begin(), found.pairs.end(),
                       [&](const auto& pair) { return only_rotations(system_.to_full(pair.shape, state)); }),
        found.pairs.end());
    if (!(**lease_).factor(k).regular()) found.pairs.clear();  // the search may have left another factor behind
    return found;
  }
  /// Patterns of rotations that cost next to nothing (about the normals of shells) and move nothing are no modes.
  bool only_rotations(const VectorXd& full) const {
    const double rotation = model::largest_rotation(full);
    return largest_of(full) < kMovesReduced * system_.model().size() * rotation;
  }
  MatrixXd reduced(const algebra::SymmetricMatrix& k) const {
    MatrixXd times(modes_.rows(), modes_.cols());
    for (Eigen::Index i = 0; i < modes_.cols(); ++i) times.col(i) = k.times(modes_.col(i), &system_.executor());
    const MatrixXd m = modes_.transpose() * times;
    return 0.5 * (m + m.transpose());
  }
  double stiffness_of(Eigen::Index i) const { return std::abs(result_.stiffness.front()(i, i)); }

  /// Amplitude at which an even or odd part of the forces has grown to a set share of the mode's own stiffness.
  template <class Share>
  double fitting(const Share& share_at, double most) const {
    double h = std::min(1e-4 * system_.model().size(), 0.5 * most);
    for (int i = 0; i < 40; ++i) {
      const double share = share_at(h);
      if (share > kMostReduced)
        h *= share > 1e3 * kMostReduced ? 0.1 : 0.5;
      else if (share < kLeastReduced && 2 * h <= most)
        h *= 2;
      else
        break;
    }
    return h;
  }

  /// What follows the modes to second order: K v + 1/2 g''(modes) = 0 at right angles to the modes.
  void find_followers(Surroundings& state) {
    const auto m = modes_.cols();
    VectorXd h(m);
    const double most = 0.05 * system_.model().size();
    std::vector<VectorXd> alone(at(static_cast<int>(m)));
    const auto even = [&](const VectorXd& way) {
      const auto plus = state.force(way), minus = state.force(-way);
      return plus && minus ? VectorXd(0.5 * (*plus + *minus))
                           : VectorXd(VectorXd::Zero(way.size()));  // a beginning only
    };
    for (Eigen::Index i = 0; i < m; ++i) {
      // what the mode's own odd forces are without followers reports how far to go
      h[i] = fitting(
          [&](double w) {
            const VectorXd way = w * modes_.col(i);
            const auto plus = state.force(way), minus = state.force(-way);
            if (!plus || !minus) return HUGE_VAL;
            return std::abs(0.5 * modes_.col(i).dot(*plus - *minus) / w - linear_(i, i)) / stiffness_of(i);
          },
          most);
      alone[at(static_cast<int>(i))] = even(h[i] * modes_.col(i)) / (h[i] * h[i]);
    }
    std::vector<VectorXd> right;
    for (Eigen::Index i = 0; i < m; ++i)
      for (Eigen::Index j = i; j < m; ++j) {
        pairs_.emplace_back(i, j);
        if (i == j) {
          right.push_back(-alone[at(static_cast<int>(i))]);
          continue;
        }
        const VectorXd a = h[i] * modes_.col(i), b = h[j] * modes_.col(j);
        right.push_back(-(even(a + b) - even(a - b)) / (2 * h[i] * h[j]));  // twice, of v_ij and v_ji
      }
    followers_.resize(modes_.rows(), static_cast<Eigen::Index>(right.size()));
    for (std::size_t k = 0; k < right.size(); ++k) followers_.col(static_cast<Eigen::Index>(k)) = right[k];
    (*lease_)->solve(followers_);
    followers_ -= bordered_ * (corner_ * (planes_.transpose() * followers_)).eval();
  }

  /// Derivatives of the energy by the amplitudes: what the modes bear when all else has found its balance, begun from
  /// the followers; none: it was not found, they are too large.
  std::optional<VectorXd> forces(Surroundings& state, const VectorXd& a) {
    VectorXd way = modes_ * a;
    double size = 0;  // energy of the amplitudes
    for (Eigen::Index i = 0; i < a.size(); ++i) size += stiffness_of(i) * a[i] * a[i];
    for (std::size_t k = 0; k < pairs_.size(); ++k)
      way += a[pairs_[k].first] * a[pairs_[k].second] * followers_.col(static_cast<Eigen::Index>(k));
    double last = HUGE_VAL;
    for (int i = 0; i < 12; ++i) {
      const auto force = state.force(way);
      if (!force) return {};
      MatrixXd change = -*force;
      (*lease_)->solve(change);
      change -= bordered_ * (corner_ * (planes_.transpose() * change)).eval();
      const double work = std::abs(force->dot(change.col(0)));
      if (work <= kBalanced * size) return VectorXd(modes_.transpose() * *force);
      if (!(work < last)) return {};
      last = work;
      way += change.col(0);
    }
    return {};
  }

  bool find_terms(Surroundings& state) {
    const auto m = modes_.cols();
    result_.reach.resize(m);
    const double most = 0.05 * system_.model().size();
    for (Eigen::Index i = 0; i < m; ++i)
      result_.reach[i] = fitting(
          [&](double w) {
            const auto plus = forces(state, w * VectorXd::Unit(m, i)), minus = forces(state, -w * VectorXd::Unit(m, i));
            if (!plus || !minus) return HUGE_VAL;
            const VectorXd odd = 0.5 * (*plus - *minus) - w * linear_.col(i);
            return std::max((0.5 * (*plus + *minus)).cwiseAbs().maxCoeff(), odd.cwiseAbs().maxCoeff()) /
                   (w * stiffness_of(i));
          },
          most);
    for (int tries = 0; tries < 8; ++tries) {
      if (seen_at_reach(state)) return true;
      result_.reach *= 0.5;  // mixes bend more than single modes
    }
    return fail("what follows the modes was not found where several are mixed");
  }

  /// Single modes, pairs and threes of them at their reach.
  std::vector<VectorXd> ways_at_reach() const {
    const auto m = modes_.cols();
    std::vector<VectorXd> ways;
    const auto unit = [&](Eigen::Index i) { return VectorXd(result_.reach[i] * VectorXd::Unit(m, i)); };
    for (Eigen::Index i = 0; i < m; ++i) {
      ways.push_back(unit(i));
      for (Eigen::Index j = i + 1; j < m; ++j) {
        ways.push_back(unit(i) + unit(j));
        ways.push_back(unit(i) - unit(j));
        for (Eigen::Index k = j + 1; k < m; ++k) ways.push_back(unit(i) + unit(j) + unit(k));
      }
    }
    return ways;
  }

  bool seen_at_reach(Surroundings& state) {
    const auto ways = ways_at_reach();
    std::vector<VectorXd> evens, odds;
    for (const auto& way : ways) {
      const auto plus = forces(state, way), minus = forces(state, -way);
      if (!plus || !minus) return false;
      evens.push_back(0.5 * (*plus + *minus));
      odds.push_back(0.5 * (*plus - *minus) - linear_ * way);
    }
    const double third = fit(3, ways, evens), fourth = fit(4, ways, odds);
    result_.misfit = std::hypot(third, fourth);
    return true;
  }

  /// Coefficients of products of one order from the forces they cause, by least squares in amplitudes of one.
  /// \return what is left over, beside the mode's own forces
  double fit(int order, const std::vector<VectorXd>& ways, const std::vector<VectorXd>& seen) {
    const auto m = modes_.cols();
    const auto list = products(static_cast<int>(m), order);
    MatrixXd left(m * static_cast<Eigen::Index>(ways.size()), static_cast<Eigen::Index>(list.size()));
    VectorXd right(left.rows());
    for (std::size_t w = 0; w < ways.size(); ++w) {
      const VectorXd a = ways[w].cwiseQuotient(result_.reach);
      // what single modes report is not spoilt by what is left over of mixes
      const double weight = std::pow(1e-3, (a.array() != 0.0).count() - 1);
      for (Eigen::Index i = 0; i < m; ++i) {
        const auto row = static_cast<Eigen::Index>(w) * m + i;
        for (std::size_t p = 0; p < list.size(); ++p)
          left(row, static_cast<Eigen::Index>(p)) = weight * derivative(list[p], static_cast<int>(i), a);
        right[row] = weight * seen[w][i] * result_.reach[i];
      }
    }
    const VectorXd found = base::least_squares(left, right);
    double work = 0;  // of a mode at its reach, so that what is left over has something to be small beside
    for (Eigen::Index i = 0; i < m; ++i) work = std::max(work, stiffness_of(i) * result_.reach[i] * result_.reach[i]);
    for (std::size_t p = 0; p < list.size(); ++p) {
      double coefficient = found[static_cast<Eigen::Index>(p)];
      for (const int mode : list[p]) coefficient /= result_.reach[mode];
      result_.terms.push_back({list[p], coefficient});
    }
    return (left * found - right).cwiseAbs().maxCoeff() / work;
  }

  const System& system_;
  PathOptions options_;
  const PathResult& perfect_;
  PathWatcher watcher_;
  Equilibrium equilibrium_;
  Eigen::Index wanted_;
  ReducedModel& result_;
  std::optional<Topology::Lease> lease_;
  MatrixXd modes_, planes_, bordered_, corner_;  // free; a column a mode
  std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs_;
  MatrixXd linear_;  // stiffness of the modes at the bifurcation

  MatrixXd followers_;  // a column a pair; of unequal modes the sum of both orders
};
}  // namespace

ReducedModel reduced_model(const System& system, const PathOptions& options, const PathResult& perfect, int modes,
                           const std::vector<VectorXd>& imperfections) {
  ReducedModel result;
  if (perfect.stages.size() > 1) {
    result.message = "the path has several stages";
    return result;
  }
  if (perfect.first_loss <= 0 || perfect.increments[at(perfect.first_loss)].event != PathEvent::bifurcation) {
    result.message = "the perfect path has no bifurcation before its peak";
    return result;
  }
  if (perfect.increments[at(perfect.first_loss)].kept->memory) {
    result.message = "something remembers where it has been (flow, slip): the model is one of elastic structures";
    return result;
  }
  result.critical = perfect.increments[at(perfect.first_loss)].load_factor;
  result.found = Maker(system, options, perfect, modes, result).make(imperfections);
  if (result.found) result.message.clear();
  return result;
}

}  // namespace archway::analysis
