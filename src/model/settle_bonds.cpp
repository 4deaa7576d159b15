#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/model/joints.hpp"

namespace archway::model {

namespace {
constexpr double kMetAlready = 0.5;  ///< share of a condition from which on it says nothing new
constexpr double kWeakest = 0.02;    ///< least weight, over the largest, of a leader that yields

/// sum of weights x displacements = 0, over nodes; the weights add up to nothing.
struct Condition {
  std::map<int, double> weights;
  const Tie* tie;  ///< the bond it came from
};

class Settler {
 public:
  explicit Settler(Model& model) : model_(model) {}

  void run() {
    collect_held();
    settle_hinges();
    drop_needless_supports();
    collect_followers();
    std::vector<Tie> kept;
    for (const Tie& tie : model_.ties) {
      if (!tie.bonded || !taken(tie)) {
        kept.push_back(tie);
        continue;
      }
      if (!met_already(tie)) add(tie);
    }
    for (const auto& [node, condition] : given_way_) kept.push_back(tie_of(node, condition));
    if (!complaints_.empty()) throw base::InputError(std::move(complaints_));
    model_.ties = std::move(kept);
  }

 private:
  static bool tied(const Tie& tie, int dof) { return tie.gives(dof); }
  bool held(int node, int dof) const { return held_.count({node, dof}) > 0; }

  void collect_held() {
    for (const auto& s : model_.supports) held_.insert({s.node, s.dof});
    for (const auto& action : model_.actions)
      for (const auto& m : action.displacements) held_.insert({m.node, m.dof}), moved_.insert({m.node, m.dof});
  }

  double size_of(const Tie& tie) const {
    double sum = 0;
    for (const double w : tie.weights) sum += std::abs(w);
    return sum;
  }

  /// A support chosen by its place catches both sides of a hinge. What the follower shares with its leader is
  /// restrained there; a free direction that is restrained on both sides is free no more.
  void settle_hinges() {
    std::set<std::pair<int, int>> moved_on;
    for (Tie& tie : model_.ties) {
      if (tie.bonded || tie.leaders.size() != 1 || tie.kind != Tie::Kind::carried) continue;
      const auto place = [&](int n) { return model_.nodes[static_cast<std::size_t>(n)]; };
      if ((place(tie.leaders[0]) - place(tie.follower)).norm() > 1e-6 * model_.size()) continue;
      for (int f = 0; f < 6; ++f)
        if (tied(tie, f) && held(tie.follower, f) && moved_.count({tie.follower, f}) == 0 && hold_at_leader(tie, f))
          moved_on.insert({tie.follower, f});
    }
    drop(moved_on);
  }

  bool hold_at_leader(Tie& tie, int f) {
    const int leader = tie.leaders[0];
    auto& free = f < 3 ? tie.free_moves : tie.free_rotations;
    const auto along =
        std::find_if(free.begin(), free.end(), [&](const Vec3& e) { return std::abs(e[f % 3]) > 1 - 1e-9; });
    const bool across = std::all_of(free.begin(), free.end(), [&](const Vec3& e) { return std::abs(e[f % 3]) < 1e-9; });
    if (!across && (along == free.end() || !held(leader, f))) return false;  // reported by the check
    if (along != free.end()) free.erase(along);
    if (held_.insert({leader, f}).second)
      for (const auto& s : std::vector<Support>(model_.supports))
        if (s.node == tie.follower && s.dof == f) {
          model_.supports.push_back({leader, f, s.name});
          break;
        }
    return true;
  }

  void drop(const std::set<std::pair<int, int>>& supports) {
    auto& list = model_.supports;
    list.erase(std::remove_if(list.begin(), list.end(),
                              [&](const Support& s) {
                                return supports.count({s.node, s.dof}) > 0;
                              }),
               list.end());
    for (const auto& one : supports) held_.erase(one);
  }

  void drop_needless_supports() {
    std::set<std::pair<int, int>> needless;
    for (const Tie& tie : model_.ties) {
      if (!tie.bonded) continue;
      for (int f = 0; f < 6; ++f) {
        if (!tied(tie, f) || !held(tie.follower, f) || moved_.count({tie.follower, f}) > 0) continue;
        double met = 0;
        for (std::size_t i = 0; i < tie.leaders.size(); ++i)
          if (held(tie.leaders[i], f) && moved_.count({tie.leaders[i], f}) == 0) met += std::abs(tie.weights[i]);
        if (met >= kMetAlready * size_of(tie)) needless.insert({tie.follower, f});
      }
    }
    drop(needless);
  }

  void collect_followers() {
    for (const bool bonded : {false, true})
      for (const Tie& tie : model_.ties)
        if (tie.bonded == bonded && !(bonded && is_held(tie))) of_.emplace(tie.follower, &tie);
  }
  bool is_held(const Tie& tie) const {
    for (int f = 0; f < kNodeDofs; ++f)
      if (tied(tie, f) && held(tie.follower, f)) return true;
    return false;
  }
  /// The follower is restrained, or follows something else that came before.
  bool taken(const Tie& tie) const {
    const auto first = of_.find(tie.follower);
    return is_held(tie) || first == of_.end() || first->second != &tie;
  }
  /// Follower and leaders are carried by the same point, so that the condition says nothing new.
  bool met_already(const Tie& tie) const {
    const auto own = of_.find(tie.follower);
    if (own == of_.end() || own->second->bonded || own->second->leaders.size() != 1) return false;
    double met = 0;
    for (std::size_t i = 0; i < tie.leaders.size(); ++i) {
      const auto other = of_.find(tie.leaders[i]);
      if (tie.leaders[i] == own->second->leaders[0] || (other != of_.end() && alike(*other->second, *own->second)))
        met += std::abs(tie.weights[i]);
    }
    return met >= kMetAlready * size_of(tie);
  }

  /// Carried by one point, or restrained by the ground in the same axes.
  bool alike(const Tie& a, const Tie& b) const {
    if (a.leaders == b.leaders) return true;
    const auto anchored = [&](const Tie& t) {
      return t.leaders.size() == 1 &&
             std::find(model_.anchors.begin(), model_.anchors.end(), t.leaders[0]) != model_.anchors.end();
    };
    const auto same = [](const std::vector<Vec3>& x, const std::vector<Vec3>& y) {
      bool equal = x.size() == y.size();
      for (std::size_t k = 0; equal && k < x.size(); ++k) equal = (x[k] - y[k]).norm() < 0.1;
      return equal;
    };
    return anchored(a) && anchored(b) && a.moves == b.moves && a.rotations == b.rotations &&
           same(a.free_moves, b.free_moves) && same(a.free_rotations, b.free_rotations);
  }

  static void substitute(Condition& c, int node, const Condition& by) {
    const auto found = c.weights.find(node);
    if (found == c.weights.end()) return;
    const double factor = found->second / by.weights.at(node);
    for (const auto& [n, w] : by.weights) c.weights[n] -= factor * w;
    c.weights.erase(node);
  }

  void add(const Tie& tie) {
    Condition c{{}, &tie};
    for (std::size_t i = 0; i < tie.leaders.size(); ++i) c.weights[tie.leaders[i]] += tie.weights[i];
    c.weights[tie.follower] -= 1;
    // a node that follows another bond already is what that one makes of it
    if (const auto own = of_.find(tie.follower); own != of_.end() && own->second != &tie && own->second->bonded) {
      Condition other{{{tie.follower, -1.0}}, own->second};
      for (std::size_t i = 0; i < own->second->leaders.size(); ++i)
        other.weights[own->second->leaders[i]] += own->second->weights[i];
      substitute(c, tie.follower, other);
    }
    for (const auto& [node, other] : given_way_) substitute(c, node, other);
    double largest = 0;
    for (const auto& [n, w] : c.weights) largest = std::max(largest, std::abs(w));
    if (largest < 1e-9) return;  // said already
    int best = -1;
    double most = kWeakest * largest;
    for (const auto& [n, w] : c.weights)
      if (n != tie.follower && can_give_way(n, tie) && std::abs(w) > most * (1 + 1e-9)) best = n, most = std::abs(w);
    if (best < 0) return refuse(tie);
    for (auto& [node, other] : given_way_) substitute(other, best, c);
    given_way_.emplace(best, std::move(c));
  }

  bool can_give_way(int node, const Tie& tie) const {
    if (of_.count(node) > 0 || given_way_.count(node) > 0) return false;
    for (int f = 0; f < kNodeDofs; ++f)
      if (tied(tie, f) && held(node, f)) return false;
    return true;
  }

  void refuse(const Tie& tie) {
    if (!told_.insert(tie.name).second) return;
    const auto own = of_.find(tie.follower);
    const Vec3& x = model_.nodes[static_cast<std::size_t>(tie.follower)];
    complaints_.push_back(
        {fmt::format("bond '{}'", tie.name),
         fmt::format(
             "at ({:.6g}, {:.6g}, {:.6g}) both sides are {} already, and not alike: the bond cannot hold there", x.x(),
             x.y(), x.z(),
             own != of_.end() && own->second != &tie ? fmt::format("led by '{}' or held", own->second->name) : "held"),
         "hold or couple one side only there, or both in the same directions", ""});
  }

  Tie tie_of(int node, const Condition& c) const {
    Tie tie;
    tie.name = c.tie->name;
    tie.bonded = true;
    tie.follower = node;
    tie.moves = c.tie->moves;
    tie.rotations = c.tie->rotations;
    tie.arms_rotation = c.tie->arms_rotation;
    const double own = c.weights.at(node);
    for (const auto& [n, w] : c.weights)
      if (n != node && std::abs(w) > 1e-12 * std::abs(own)) tie.leaders.push_back(n), tie.weights.push_back(-w / own);
    double sum = 0;
    for (const double w : tie.weights) sum += w;
    for (double& w : tie.weights) w /= sum;
    return tie;
  }

  Model& model_;
  std::set<std::pair<int, int>> held_, moved_;
  std::map<int, const Tie*> of_;
  std::map<int, Condition> given_way_;  // by the leader that follows now
  std::vector<base::Complaint> complaints_;
  std::set<std::string> told_;
};
}  // namespace

void settle_bonds(Model& model) {
  if (model.ties.empty()) return;
  Settler(model).run();
}

}  // namespace archway::model
