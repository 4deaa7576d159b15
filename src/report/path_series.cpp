#include <algorithm>

#include <fmt/format.h>

#include "path_series_detail.hpp"

namespace archway::report::detail {

namespace {
void add_point(Series& s, const analysis::Increment& i, std::size_t watch) {
  s.points.emplace_back(i.watched[watch], i.load_factor);
  s.unstable.push_back(i.negative_pivots > 0 && i.event == analysis::PathEvent::none ? 1 : 0);
}
}  // namespace

Series path_series(const study::AnalysisOutcome& o, std::size_t watch) {
  Series s;
  s.name = fmt::format("{} {}", o.spec.kind->word(), o.spec.name);
  const auto& yield = o.path->first_yield;
  for (const auto& i : o.path->increments) {
    if (yield.part >= 0 && i.number == yield.increment && !s.points.empty() &&
        s.points.back().second != i.load_factor) {
      // between two increments, where it was found
      const auto [before, factor] = s.points.back();
      const double share = std::clamp((yield.load_factor - factor) / (i.load_factor - factor), 0.0, 1.0);
      s.points.emplace_back(before + share * (i.watched[watch] - before), factor + share * (i.load_factor - factor));
      s.unstable.push_back(s.unstable.back());
      s.marks.emplace_back(s.points.size() - 1, fmt::format("first yield {:.5g}", yield.load_factor));
    }
    add_point(s, i, watch);
    if (i.event == analysis::PathEvent::limit_point || i.event == analysis::PathEvent::bifurcation)
      s.marks.emplace_back(s.points.size() - 1, fmt::format("{} {:.5g}", analysis::to_text(i.event), i.load_factor));
  }
  return s;
}

void add_branches(const analysis::PathResult& path, const std::string& name, std::size_t watch,
                  std::vector<Series>& all) {
  for (const auto& branch : path.branches) {
    if (branch.path->increments.size() < 2) continue;
    Series s;
    const std::string way = branch.mode > 0 ? fmt::format("mode {}", branch.mode + 1) : "branch";
    s.name = branch.mix.size() > 0 ? fmt::format("{} {}", name, analysis::way_text(branch))
                                   : fmt::format("{} {}{}", name, branch.sense > 0 ? '+' : '-', way);
    for (const auto& i : branch.path->increments) add_point(s, i, watch);
    all.push_back(std::move(s));
    add_branches(*branch.path, name, watch, all);
  }
}

}  // namespace archway::report::detail
