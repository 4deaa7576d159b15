#include "archway/model/mesh_lines.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

namespace archway::model {

double along_lines(const std::vector<double>& lines, double share) {
  if (lines.empty()) return share;
  const double place = share * static_cast<double>(lines.size() - 1);
  const auto k = std::min(static_cast<std::size_t>(place + 1e-9), lines.size() - 2);
  return lines[k] + (place - static_cast<double>(k)) * (lines[k + 1] - lines[k]);
}

std::vector<double> graded_lines(int divisions, double finer_first, double finer_last) {
  const auto n = static_cast<std::size_t>(divisions);
  std::vector<double> lines(n + 1, 0.0);
  const double peak = finer_first == 1 ? 0 : finer_last == 1 ? 1 : 0.5;
  for (std::size_t k = 0; k < n; ++k) {
    const double x = n > 1 ? static_cast<double>(k) / static_cast<double>(n - 1) : 0;
    const double away = x < peak ? (peak - x) / peak : x > peak ? (x - peak) / (1 - peak) : 0;
    lines[k + 1] = lines[k] + std::pow(x < peak ? finer_first : finer_last, -away);
  }
  for (double& x : lines) x /= lines.back() == 0.0 ? 1.0 : lines[n];
  lines[n] = 1;
  return lines;
}

namespace {
constexpr double kSame = 1e-6;  // shares of an edge that are one

/// Shares (s, t) of a place on a panel; nothing when it lies off it.
std::optional<Eigen::Vector2d> shares_of(const FourSided& p, const Vec3& place, double tolerance) {
  const auto& c = p.corners;
  Eigen::Vector2d q(0.5, 0.5);
  for (int round = 0; round < 20; ++round) {
    const Vec3 gap =
        place - ((1 - q[0]) * ((1 - q[1]) * c[0] + q[1] * c[3]) + q[0] * ((1 - q[1]) * c[1] + q[1] * c[2]));
    Eigen::Matrix<double, 3, 2> slope;
    slope << (1 - q[1]) * (c[1] - c[0]) + q[1] * (c[2] - c[3]), (1 - q[0]) * (c[3] - c[0]) + q[0] * (c[2] - c[1]);
    const Eigen::Vector2d step = (slope.transpose() * slope).ldlt().solve(slope.transpose() * gap);
    if (!step.allFinite()) return {};
    q += step;
    if (step.norm() > 1e-12) continue;
    if (gap.norm() > tolerance || q.minCoeff() < -kSame || q.maxCoeff() > 1 + kSame) return {};
    return q;
  }
  return {};
}

/// The whole of direction `inner` is the piece [from, to] of direction `outer`; from > to: it runs the other way.
struct Meeting {
  std::size_t outer, inner;
  double from, to;
};

/// Directions are numbered 2 panel + 0 (sides 1 and 3, s) or 1 (sides 2 and 4, t).
class Matcher {
 public:
  Matcher(const std::vector<FourSided>& panels, double tolerance,
          const std::set<std::pair<std::size_t, std::size_t>>& apart)
      : panels_(panels), tolerance_(tolerance), apart_(apart), breaks_(2 * panels.size(), {0, 1}) {
    for (const auto& p : panels) {
      Vec3 low = p.corners[0], high = p.corners[0];
      for (const auto& c : p.corners) low = low.cwiseMin(c), high = high.cwiseMax(c);
      boxes_.emplace_back(low, high);
    }
  }

  std::vector<Spacing> match() {
    for (std::size_t p = 0; p < panels_.size(); ++p)
      for (std::size_t q = 0; q < panels_.size(); ++q)
        if (p != q && apart_.count(std::minmax(p, q)) == 0 && touch(p, q))
          for (std::size_t side = 0; side < 4; ++side) meet(p, q, side);
    while (pass_breaks_on()) {
    }
    return spacings();
  }

 private:
  bool touch(std::size_t p, std::size_t q) const {
    return ((boxes_[p].first - boxes_[q].second).array() < tolerance_).all() &&
           ((boxes_[q].first - boxes_[p].second).array() < tolerance_).all();
  }

  /// Finds out whether a side of panel q lies on a mesh direction of panel p.
  void meet(std::size_t p, std::size_t q, std::size_t side) {
    // sides 1 and 3 both in the sense of s, 2 and 4 in that of t
    static constexpr std::array<std::array<std::size_t, 2>, 4> kEnds = {{{0, 1}, {1, 2}, {3, 2}, {0, 3}}};
    const auto& c = panels_[q].corners;
    const auto first = shares_of(panels_[p], c[kEnds[side][0]], tolerance_),
               last = shares_of(panels_[p], c[kEnds[side][1]], tolerance_);
    if (!first || !last) return;
    for (Eigen::Index along = 0; along < 2; ++along) {
      const Eigen::Index other = 1 - along;
      if (std::abs((*first)[other] - (*last)[other]) > kSame || std::abs((*first)[along] - (*last)[along]) < kSame)
        continue;
      add_break(2 * p + static_cast<std::size_t>(other), (*first)[other]);
      meetings_.push_back({2 * p + static_cast<std::size_t>(along), 2 * q + side % 2, (*first)[along], (*last)[along]});
    }
  }

  /// \return whether it is a new one
  bool add_break(std::size_t direction, double share) {
    auto& list = breaks_[direction];
    for (const double b : list)
      if (std::abs(b - share) < kSame) return false;
    list.insert(std::upper_bound(list.begin(), list.end(), share), share);
    return true;
  }

  bool pass_breaks_on() {
    bool changed = false;
    for (const auto& m : meetings_) {
      for (const double x : std::vector<double>(breaks_[m.inner]))
        changed = add_break(m.outer, m.from + x * (m.to - m.from)) || changed;
      for (const double y : std::vector<double>(breaks_[m.outer])) {
        const double x = (y - m.from) / (m.to - m.from);
        if (x > kSame && x < 1 - kSame) changed = add_break(m.inner, x) || changed;
      }
    }
    return changed;
  }

  std::size_t interval(std::size_t direction, double share) const {
    const auto& list = breaks_[direction];
    const auto found = std::upper_bound(list.begin(), list.end(), share) - list.begin();
    return starts_[direction] + static_cast<std::size_t>(found) - 1;
  }

  std::vector<Spacing> spacings() {
    starts_.assign(breaks_.size() + 1, 0);
    for (std::size_t d = 0; d < breaks_.size(); ++d) starts_[d + 1] = starts_[d] + breaks_[d].size() - 1;
    // intervals that are the same piece of edge take the largest number that one of them wants; halves go up, wherever
    // the panel lies: rounding of its corners does not decide
    constexpr double kRounding = 1e-6;
    std::vector<int> counts(starts_.back());
    for (std::size_t d = 0; d < breaks_.size(); ++d)
      for (std::size_t k = 0; k + 1 < breaks_[d].size(); ++k)
        counts[starts_[d] + k] = std::max(
            1, static_cast<int>(
                   std::lround(panels_[d / 2].divisions[d % 2] * (breaks_[d][k + 1] - breaks_[d][k]) + kRounding)));
    for (bool changed = true; changed;) {
      changed = false;
      for (const auto& m : meetings_)
        for (std::size_t k = 0; k + 1 < breaks_[m.inner].size(); ++k) {
          const double middle = 0.5 * (breaks_[m.inner][k] + breaks_[m.inner][k + 1]);
          int &a = counts[starts_[m.inner] + k], &b = counts[interval(m.outer, m.from + middle * (m.to - m.from))];
          changed = changed || a != b;
          a = b = std::max(a, b);
        }
    }
    std::vector<Spacing> result(panels_.size());
    for (std::size_t d = 0; d < breaks_.size(); ++d) {
      if (breaks_[d].size() == 2 && counts[starts_[d]] == panels_[d / 2].divisions[d % 2]) continue;
      auto& lines = d % 2 == 0 ? result[d / 2].s : result[d / 2].t;
      for (std::size_t k = 0; k + 1 < breaks_[d].size(); ++k)
        for (int i = 0, n = counts[starts_[d] + k]; i < n; ++i)
          lines.push_back(breaks_[d][k] + (breaks_[d][k + 1] - breaks_[d][k]) * i / n);
      lines.push_back(1);
    }
    return result;
  }

  const std::vector<FourSided>& panels_;
  double tolerance_;
  const std::set<std::pair<std::size_t, std::size_t>>& apart_;
  std::vector<std::pair<Vec3, Vec3>> boxes_;
  std::vector<std::vector<double>> breaks_;
  std::vector<Meeting> meetings_;
  std::vector<std::size_t> starts_;
};
}  // namespace

std::vector<Spacing> matching_lines(const std::vector<FourSided>& panels, double tolerance,
                                    const std::set<std::pair<std::size_t, std::size_t>>& apart) {
  return Matcher(panels, tolerance, apart).match();
}

}  // namespace archway::model
