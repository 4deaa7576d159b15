#include <algorithm>

#include <fmt/format.h>

#include "charts/path_series_detail.hpp"

namespace archway::report::detail {

namespace {
std::pair<double, double> point_of(const analysis::Increment& i, const Plotted& p) {
  return {i.watched[p.watch], p.against < 0 ? i.load_factor : i.watched[static_cast<std::size_t>(p.against)]};
}
bool is_critical(const analysis::Increment& i) {
  return i.event == analysis::PathEvent::limit_point || i.event == analysis::PathEvent::bifurcation;
}

/// Unstable directions behind each increment. At a critical point itself the count is that of one side or the other.
std::vector<int> unstable_behind(const std::vector<analysis::Increment>& increments) {
  std::vector<int> list;
  int count = 0;
  for (std::size_t k = 0; k < increments.size(); ++k) {
    const auto& i = increments[k];
    if (is_critical(i) && i.negative_pivots == count) {
      std::size_t next = k + 1;
      while (next < increments.size() && is_critical(increments[next])) ++next;
      const int wanted = next < increments.size() ? increments[next].negative_pivots : count + 1;
      count += wanted < count ? -1 : 1;
    } else {
      count = i.negative_pivots;
    }
    list.push_back(count);
  }
  return list;
}

/// \param behind_last  unstable directions behind the increment before
void add_point(Series& s, const analysis::Increment& i, const Plotted& p, bool after_critical, int behind_last) {
  const auto own = point_of(i, p);
  if (is_critical(i) && after_critical && behind_last > 0) {  // nothing is between two critical points to say so
    const auto& last = s.points.back();
    s.points.emplace_back(0.5 * (last.first + own.first), 0.5 * (last.second + own.second));
    s.unstable.push_back(1);
  }
  s.points.push_back(own);
  s.unstable.push_back(i.negative_pivots > 0 && i.event == analysis::PathEvent::none ? 1 : 0);
}
}  // namespace

Series path_series(const study::AnalysisOutcome& o, const Plotted& plotted) {
  Series s;
  s.name = fmt::format("{} {}", o.spec.kind->word(), o.spec.name);
  const auto& yield = o.path->first_yield;
  double factor = 0;  // of the last point
  const auto& all = o.path->increments;
  const auto behind = unstable_behind(all);
  for (std::size_t k = 0; k < all.size(); ++k) {
    const auto& i = all[k];
    if (yield.part >= 0 && i.number == yield.increment && !s.points.empty() && factor != i.load_factor) {
      // between two increments, where it was found
      const auto before = s.points.back(), after = point_of(i, plotted);
      const double share = std::clamp((yield.load_factor - factor) / (i.load_factor - factor), 0.0, 1.0);
      s.points.emplace_back(before.first + share * (after.first - before.first),
                            before.second + share * (after.second - before.second));
      s.unstable.push_back(s.unstable.back());
      s.marks.emplace_back(s.points.size() - 1, fmt::format("first yield {:.5g}", yield.load_factor));
    }
    add_point(s, i, plotted, k > 0 && is_critical(all[k - 1]), k > 0 ? behind[k - 1] : 0);
    factor = i.load_factor;
    if (is_critical(i))
      s.marks.emplace_back(s.points.size() - 1, fmt::format("{} {:.5g}", analysis::to_text(i.event), i.load_factor));
  }
  return s;
}

void add_branches(const analysis::PathResult& path, const std::string& name, const Plotted& plotted,
                  std::vector<Series>& all) {
  for (const auto& branch : path.branches) {
    if (branch.path->increments.size() < 2) continue;
    Series s;
    const std::string way = branch.mode > 0 ? fmt::format("mode {}", branch.mode + 1) : "branch";
    s.name = branch.mix.size() > 0 ? fmt::format("{} {}", name, analysis::way_text(branch))
                                   : fmt::format("{} {}{}", name, branch.sense > 0 ? '+' : '-', way);
    const auto& own = branch.path->increments;
    const auto behind = unstable_behind(own);
    for (std::size_t k = 0; k < own.size(); ++k)
      add_point(s, own[k], plotted, k > 0 && is_critical(own[k - 1]), k > 0 ? behind[k - 1] : 0);
    all.push_back(std::move(s));
    add_branches(*branch.path, name, plotted, all);
  }
}

}  // namespace archway::report::detail
