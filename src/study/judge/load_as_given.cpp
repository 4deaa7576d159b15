#include "archway/study/load_as_given.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "archway/analysis/section_stress.hpp"
#include "archway/study/outcome.hpp"
#include "judge/strain_limit_detail.hpp"

namespace archway::study {

namespace {
/// pi^2 E I / L^2 of a bar between its ends, about the weaker principal axis of its section.
double euler_load(const model::Model& m, const model::BarElement& element) {
  const auto& part = m.parts[static_cast<std::size_t>(element.part)];
  const auto& profile = m.profiles[static_cast<std::size_t>(part.profile)];
  const double length =
      (m.nodes[static_cast<std::size_t>(element.nodes[1])] - m.nodes[static_cast<std::size_t>(element.nodes[0])])
          .norm();
  const auto axes = analysis::principal_bending(profile, {});
  return M_PI * M_PI * m.materials[static_cast<std::size_t>(part.material)].youngs_modulus *
         std::min(axes.second_moment_1, axes.second_moment_2) / (length * length);
}

class Findings {
 public:
  explicit Findings(const StudyResult& result) : result_(result) {}

  std::vector<LoadFinding> all() {
    for (const auto& o : result_.outcomes) {
      if (o.linear && o.linear->usable()) linear(o);
      if (o.buckling && o.base && !o.in_place) buckling(o);
      if (o.path && o.path->usable() && o.stage_totals.size() < 2) path(o);
      if (o.path) strain_limits(o);
    }
    std::stable_sort(list_.begin(), list_.end(), [](const auto& a, const auto& b) { return a.use > b.use; });
    return std::move(list_);
  }

 private:
  void linear(const AnalysisOutcome& o) {
    const auto peaks = analysis::peaks_by_part(*o.model, *o.linear);
    for (std::size_t p = 0; p < peaks.size(); ++p)
      if (peaks[p].utilisation() > 1)
        add(o, o.model->parts[p].name,
            fmt::format("stress {:.4g} {} in '{}' is {:.0f} % of yield", peaks[p].stress, result_.spec.units.stress(),
                        o.model->parts[p].name, 100 * peaks[p].utilisation()),
            peaks[p].utilisation());
    bars(o, *o.linear);
    ropes(o, o.linear->slack);
  }

  void buckling(const AnalysisOutcome& o) {
    const auto& modes = o.buckling->modes;
    double critical = modes.empty() ? HUGE_VAL : modes[0].load_factor;
    if (o.one_sided && o.one_sided->found) critical = std::min(critical, o.one_sided->load_factor);
    if (critical > 0 && critical < 1)
      add(o, "",
          fmt::format("the first critical load factor is {:.4g}: the load is {:.3g} times the critical load", critical,
                      1 / critical),
          1 / critical);
    const auto forces = analysis::sum_of(o.base->constant, 1, o.base->variable);
    bars(o, forces);
    auto lost = o.buckling->slack;
    lost.resize(forces.bar_forces.size(), 0);
    for (std::size_t b = 0; b < lost.size(); ++b)
      if (!(forces.bar_forces[b] > 0)) lost[b] = 1;
    ropes(o, lost);
  }

  void path(const AnalysisOutcome& o) {
    const auto& p = *o.path;
    if (!p.peak_is_limit_point || !(p.peak_load_factor > 0) || p.peak_load_factor >= 1) return;
    add(o, "",
        fmt::format("the peak is at load factor {:.4g}: the load is {:.3g} times the peak load", p.peak_load_factor,
                    1 / p.peak_load_factor),
        1 / p.peak_load_factor);
  }

  void strain_limits(const AnalysisOutcome& o) {
    for (const auto& limit : o.spec.strain_limits) {
      if (!(limit.required_factor > 0)) continue;
      const auto check = detail::check_strain_limit(o, limit);
      if (check.met) continue;
      add(o, limit.parts.empty() ? "" : limit.parts[0],
          fmt::format("a plastic strain of {:.3g} % {} at load factor {:.4g}, below the required {:.4g}",
                      100 * limit.plastic_strain,
                      check.increment >= 0 ? "is reached" : "is not reached, but the path ends", check.highest,
                      limit.required_factor),
          check.highest > 0 ? limit.required_factor / check.highest : HUGE_VAL);
    }
  }

  void bars(const AnalysisOutcome& o, const analysis::ElementForces& forces) {
    const auto& m = *o.model;
    std::vector<LoadFinding> worst(m.parts.size());  // one a part
    for (std::size_t b = 0; b < forces.bar_forces.size(); ++b) {
      const auto& element = m.bar_elements[b];
      const auto& part = m.parts[static_cast<std::size_t>(element.part)];
      if (part.tension_only) continue;
      const double euler = euler_load(m, element);
      const double use = -forces.bar_forces[b] / euler;
      auto& own = worst[static_cast<std::size_t>(element.part)];
      if (!(use > 1) || use <= own.use) continue;
      own = {
          o.spec.name, part.name,
          fmt::format("compression {:.4g} {} in bar '{}' is {:.3g} times its own Euler load {:.4g} {}; a bar element "
                      "cannot buckle by itself: model it as a member",
                      -forces.bar_forces[b], result_.spec.units.force, part.name, use, euler, result_.spec.units.force),
          use};
    }
    for (auto& w : worst)
      if (w.use > 1 && !known(w.part)) list_.push_back(std::move(w));
  }
  /// Tension-only bars that are pretensioned by these loads and have lost all of it. Others are made to go slack, as
  /// one diagonal of a crossed pair does.
  void ropes(const AnalysisOutcome& o, const std::vector<char>& lost) {
    const auto& m = *o.model;
    std::set<int> tightened;
    for (const auto* combination : {&o.constant, &o.variable})
      for (const auto& [action, factor] : combination->terms)
        for (const auto& t : m.actions[static_cast<std::size_t>(action)].temperatures)
          if (factor * t.strain < 0) tightened.insert(t.part);
    for (std::size_t b = 0; b < lost.size() && b < m.bar_elements.size(); ++b) {
      const int own = m.bar_elements[b].part;
      const auto& part = m.parts[static_cast<std::size_t>(own)];
      if (!lost[b] || !part.tension_only || tightened.count(own) == 0 || known(part.name)) continue;
      add(o, part.name,
          fmt::format("the pretensioned rope '{}' is slack: the load takes all of its tension", part.name), 1);
    }
  }
  /// A bar is named once, by the first analysis that shows it.
  bool known(const std::string& part) const {
    return std::any_of(list_.begin(), list_.end(), [&](const auto& f) {
      return f.part == part && (f.text.find("Euler") != std::string::npos || f.text.find("rope") != std::string::npos);
    });
  }
  void add(const AnalysisOutcome& o, const std::string& part, std::string text, double use) {
    list_.push_back({o.spec.name, part, std::move(text), use});
  }

  const StudyResult& result_;
  std::vector<LoadFinding> list_;
};
}  // namespace

std::vector<LoadFinding> load_findings(const StudyResult& result) {
  return Findings(result).all();
}

std::string bars_before_mode(const Units& units, const AnalysisOutcome& o) {
  if (!o.buckling || !o.base || o.buckling->modes.empty()) return "";
  const double critical = o.buckling->modes[0].load_factor;
  const auto &held = o.base->constant.bar_forces, &variable = o.base->variable.bar_forces;
  double first = critical, euler = 0;
  int part = -1, count = 0;
  for (std::size_t b = 0; b < held.size() && b < variable.size(); ++b) {
    const auto& element = o.model->bar_elements[b];
    if (o.model->parts[static_cast<std::size_t>(element.part)].tension_only || !(variable[b] < 0)) continue;
    const double own = euler_load(*o.model, element), factor = (-own - held[b]) / variable[b];
    if (!(factor < critical)) continue;
    ++count;
    if (factor < first) first = factor, euler = own, part = element.part;
  }
  if (part < 0) return "";
  return fmt::format(
      "{} below the first critical load factor {:.4g}: first '{}' ({:.4g} {}) at load factor {:.4g}. A bar element "
      "cannot "
      "buckle by itself, so this analysis does not show it: model bars in compression as members",
      count == 1 ? "a bar exceeds its own Euler load" : fmt::format("{} bars exceed their own Euler loads", count),
      critical, o.model->parts[static_cast<std::size_t>(part)].name, euler, units.force, first);
}

std::string ropes_before_mode(const AnalysisOutcome& o) {
  if (!o.buckling || !o.base || o.buckling->modes.empty()) return "";
  const double critical = o.buckling->modes[0].load_factor;
  const auto &held = o.base->constant.bar_forces, &variable = o.base->variable.bar_forces;
  double first = critical;
  int part = -1, count = 0;
  for (std::size_t b = 0; b < held.size() && b < variable.size(); ++b) {
    const int own = o.model->bar_elements[b].part;
    if (!o.model->parts[static_cast<std::size_t>(own)].tension_only || !(held[b] > 0) || !(variable[b] < 0)) continue;
    const double slack_at = -held[b] / variable[b];
    if (!(slack_at < critical)) continue;
    ++count;
    if (slack_at < first) first = slack_at, part = own;
  }
  if (part < 0) return "";
  return fmt::format(
      "{} below the first critical load factor {:.4g}: first '{}' at load factor {:.4g}. From there on this analysis "
      "counts them with compression. Follow a path, in which they go slack",
      count == 1 ? "a tension-only bar loses its tension"
                 : fmt::format("{} tension-only bars lose their tension", count),
      critical, o.model->parts[static_cast<std::size_t>(part)].name, first);
}

}  // namespace archway::study
