#include <algorithm>

#include <fmt/format.h>

#include "path_series_detail.hpp"

namespace archway::report::detail {

namespace {
std::pair<double, double> point_of(const analysis::Increment& i, const Plotted& p) {
  return {i.watched[p.watch], p.against < 0 ? i.load_factor : i.watched[static_cast<std::size_t>(p.against)]};
}
void add_point(Series& s, const analysis::Increment& i, const Plotted& p) {
  s.points.push_back(point_of(i, p));
  s.unstable.push_back(i.negative_pivots > 0 && i.event == analysis::PathEvent::none ? 1 : 0);
}
}  // namespace

Series path_series(const study::AnalysisOutcome& o, const Plotted& plotted) {
  Series s;
  s.name = fmt::format("{} {}", o.spec.kind->word(), o.spec.name);
  const auto& yield = o.path->first_yield;
  double factor = 0;  // of the last point
  for (const auto& i : o.path->increments) {
    if (yield.part >= 0 && i.number == yield.increment && !s.points.empty() && factor != i.load_factor) {
      // between two increments, where it was found
      const auto before = s.points.back(), after = point_of(i, plotted);
      const double share = std::clamp((yield.load_factor - factor) / (i.load_factor - factor), 0.0, 1.0);
      s.points.emplace_back(before.first + share * (after.first - before.first),
                            before.second + share * (after.second - before.second));
      s.unstable.push_back(s.unstable.back());
      s.marks.emplace_back(s.points.size() - 1, fmt::format("first yield {:.5g}", yield.load_factor));
    }
    add_point(s, i, plotted);
    factor = i.load_factor;
    if (i.event == analysis::PathEvent::limit_point || i.event == analysis::PathEvent::bifurcation)
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
    for (const auto& i : branch.path->increments) add_point(s, i, plotted);
    all.push_back(std::move(s));
    add_branches(*branch.path, name, plotted, all);
  }
}

}  // namespace archway::report::detail
