#include <algorithm>

#include <fmt/format.h>

#include "charts/path_series_detail.hpp"

namespace archway::report::detail {

namespace {
/// What a watch records, with its unit.
std::string watch_label(const study::WatchSpec& watch, const study::Units& u) {
  using Kind = analysis::WatchPoint::Kind;
  switch (watch.kind) {
    case Kind::rotation:
      return fmt::format("rotation of '{}' [rad]", watch.name);
    case Kind::distance:
      return fmt::format("'{}': two points closer by [{}]", watch.name, u.length);
    case Kind::reaction:
      return fmt::format("reaction '{}' [{}]", watch.name, u.force);
    case Kind::reaction_moment:
      return fmt::format("reaction '{}' [{}]", watch.name, u.moment());
    case Kind::normal_force:
      return fmt::format("normal force '{}' [{}]", watch.name, u.force);
    case Kind::stress:
      return fmt::format("largest stress '{}' [{}]", watch.name, u.stress());
    case Kind::shear_force:
      return fmt::format("largest shear force '{}' [{}]", watch.name, u.force);
    case Kind::moment_y:
    case Kind::moment_z:
      return fmt::format("largest moment '{}' [{}]", watch.name, u.moment());
    case Kind::torque:
      return fmt::format("largest torque '{}' [{}]", watch.name, u.moment());
    case Kind::volume:
      return fmt::format("displaced volume '{}' [{}^3]", watch.name, u.length);
    case Kind::stored_energy:
    case Kind::dissipated_energy:
    case Kind::external_work:
      return fmt::format("energy '{}' [{}]", watch.name, u.moment());
    case Kind::plastic_strain:
      return fmt::format("plastic strain '{}'", watch.name);
    default:
      return fmt::format("displacement of '{}' [{}]", watch.name, u.length);
  }
}

std::string watch_unit(const study::WatchSpec& watch, const study::Units& u) {
  const auto label = watch_label(watch, u);
  const auto from = label.rfind('[');
  return from == std::string::npos ? "1" : label.substr(from + 1, label.size() - from - 2);
}

/// Some path grows the same load as this buckling analysis.
bool belongs(const study::StudyResult& result, const study::AnalysisOutcome& buckling) {
  return std::any_of(result.outcomes.begin(), result.outcomes.end(), [&](const auto& o) {
    return o.path && o.variable.terms == buckling.variable.terms && o.constant.terms == buckling.constant.terms;
  });
}

/// A force axis beside the factor, where all that is drawn grows one and the same load and nothing is restrained.
void add_force_axis(const std::vector<const study::AnalysisOutcome*>& drawn, const study::Units& units, Chart& c) {
  if (drawn.empty()) return;
  const double force = drawn[0]->variable_total.force.norm();
  for (const auto* o : drawn)
    if (!o->constant.terms.empty() || o->stage_totals.size() > 1 || o->variable.terms != drawn[0]->variable.terms)
      return;
  if (!(force > 0) || force < 1e-9 * drawn[0]->variable_total.moment.norm() / std::max(1e-300, drawn[0]->model->size()))
    return;
  c.right_label = fmt::format("total force [{}]", units.force);
  c.right_per_left = force;
}

bool is_drawn(const study::ChartSpec& spec, const study::AnalysisOutcome& o) {
  return o.path && o.path->increments.size() > 1 &&
         (spec.analyses.empty() ||
          std::find(spec.analyses.begin(), spec.analyses.end(), o.spec.name) != spec.analyses.end());
}

int index_of(const study::StudySpec& spec, const std::string& watch) {
  for (std::size_t w = 0; w < spec.watches.size(); ++w)
    if (spec.watches[w].name == watch) return static_cast<int>(w);
  return -1;
}

/// A chart of the study's own wish.
Chart wished(const study::StudyResult& result, const study::ChartSpec& spec) {
  const auto& all = result.spec;
  const int against = spec.against.empty() ? -1 : index_of(all, spec.against);
  Chart c;
  c.title = all.title;
  c.subtitle =
      fmt::format("'{}'; rings mark first yield, limit points and bifurcations; broken lines: unstable", spec.name);
  std::vector<const study::AnalysisOutcome*> drawn;
  for (const auto& o : result.outcomes) {
    if (!is_drawn(spec, o)) continue;
    drawn.push_back(&o);
    for (const auto& watch : spec.watches) {
      const auto w = static_cast<std::size_t>(index_of(all, watch));
      c.series.push_back(path_series(o, {w, against}));
      if (spec.watches.size() > 1) c.series.back().name += ": " + watch;
    }
  }
  const auto& first = all.watches[static_cast<std::size_t>(index_of(all, spec.watches.front()))];
  c.x_label = watch_label(first, all.units);
  if (spec.watches.size() > 1)
    c.x_label = fmt::format("{} watches [{}]", spec.watches.size(), watch_unit(first, all.units));
  c.y_label = against < 0 ? "load factor" : watch_label(all.watches[static_cast<std::size_t>(against)], all.units);
  if (against < 0) add_force_axis(drawn, all.units, c);
  return c;
}

Chart of_watch(const study::StudyResult& result, std::size_t watch) {
  Chart c;
  c.title = result.spec.title;
  c.x_label = watch_label(result.spec.watches[watch], result.spec.units);
  c.y_label = "load factor";
  c.subtitle =
      "load factor against displacement; rings mark first yield, limit points and bifurcations; broken "
      "lines: unstable";
  std::vector<const study::AnalysisOutcome*> drawn;
  for (const auto& o : result.outcomes) {
    if (o.path && o.path->increments.size() > 1) {
      c.series.push_back(path_series(o, {watch, -1}));
      add_branches(*o.path, o.spec.name, {watch, -1}, c.series);
      drawn.push_back(&o);
    }
    if (o.buckling && !o.buckling->modes.empty() && belongs(result, o))
      c.levels.push_back({fmt::format("'{}': {:.5g}", o.spec.name, o.buckling->modes[0].load_factor),
                          o.buckling->modes[0].load_factor});
  }
  add_force_axis(drawn, result.spec.units, c);
  return c;
}

Chart stability(const study::StudyResult& result) {
  Chart c;
  c.title = result.spec.title;
  c.subtitle = "lowest eigenvalue of the tangent stiffness over that at the beginning: at zero stability is lost";
  c.x_label = "load factor";
  c.y_label = "lowest eigenvector";
  for (const auto& o : result.outcomes) {
    if (!o.path || o.path->increments.size() < 2 || !std::isfinite(o.path->increments[1].softest)) continue;
    Series s;
    s.name = fmt::format("{} {}", o.spec.kind->word(), o.spec.name);
    for (const auto& i : o.path->increments) s.points.emplace_back(i.load_factor, i.softest);
    c.series.push_back(std::move(s));
  }
  return c;
}
}  // namespace

std::vector<std::pair<std::string, Chart>> path_charts(const study::StudyResult& result) {
  std::vector<std::pair<std::string, Chart>> charts;
  const auto add = [&](const std::string& name, Chart chart) {
    if (!chart.series.empty()) charts.emplace_back(name, std::move(chart));
  };
  for (std::size_t w = 0; w < result.spec.watches.size(); ++w)
    add("path-" + result.spec.watches[w].name, of_watch(result, w));
  for (const auto& wish : result.spec.pictures.charts) add("chart-" + wish.name, wished(result, wish));
  add("stability", stability(result));
  return charts;
}

}  // namespace archway::report::detail
