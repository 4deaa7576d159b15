#include <cmath>

#include <fmt/format.h>

#include "text/text_detail.hpp"

namespace archway::report {

using detail::number;

std::string post_buckling_text(const analysis::PostBuckling& p, const study::Units& units) {
  if (!p.found) return fmt::format("  no coefficients of the branch: {}\n", p.message);
  std::string text = fmt::format(
      "  just after the bifurcation at {}: load / critical = 1 + a w + b w^2, w the largest displacement of the mode,\n  a "
      "= "
      "{} / {}, b = {} / {}^2 (from states up to w = {} {})\n",
      number(p.load_factor), number(p.a, 4), units.length, number(p.b, 4), units.length, number(p.span, 3),
      units.length);
  const auto share = [&](double w) { return analysis::predicted_share(p.a, p.b, w); };
  if (share(p.span) < 1)
    text += fmt::format(
        "  it predicts {:.3g} and {:.3g} of the critical load with {} and {} {} of imperfection in the mode's "
        "shape,\n  "
        "while higher terms are small\n",
        share(0.1 * p.span), share(p.span), number(0.1 * p.span, 3), number(p.span, 3), units.length);
  return text;
}

std::string reduced_text(const analysis::ReducedModel& r, const study::Units& units) {
  if (!r.found) return fmt::format("  no reduced model of the branches: {}\n", r.message);
  std::string text = fmt::format(
      "  reduced model of {} modes together, from the state at load factor {}:\n    mode  load factor      a [1/{}]   "
      " b [1/{}^2]\n",
      r.modes(), number(r.state_factor), units.length, units.length);
  for (int k = 0; k < r.modes(); ++k) {
    const auto [a, b] = r.coefficients(k);
    text += fmt::format("    {:>4}  {:>11}  {:>12}  {:>12}\n", k + 1,
                        number(r.mode_factors[static_cast<std::size_t>(k)]), number(a, 4), number(b, 4));
  }
  text += fmt::format("  (each mode alone; how they act on each other is in the results; misfit {:.1g})\n", r.misfit);
  if (r.misfit > 1e-3)
    text += "  ! the forces it was made from are not well met by terms up to fourth order: use with care\n";
  return text;
}

std::string slopes_text(const study::PeakSlopes& s, const model::Model& model, const study::Units& units) {
  if (!s.missing.empty()) return fmt::format("  no slopes of the peak: {}\n", s.missing);
  std::string text = fmt::format("  slopes of the peak {} by its null vector:\n", number(s.load_factor));
  const auto tell = [&](const auto& list, const char* what) {
    for (const auto& [name, slope] : list)
      text += fmt::format("    1 {} more of {}{}: {:+.4g} ({:+.3g} %)\n", units.length, name, what, slope,
                          100 * slope / s.load_factor);
  };
  tell(s.shapes, "");
  tell(s.modes, "");
  tell(s.walls, "'s wall");
  for (const auto& [name, slope] : s.sections)
    text += fmt::format("    1 % more of {}'s section (area, second moments and all): {:+.4g} ({:+.3g} %)\n", name,
                        0.01 * slope, slope / s.load_factor);
  std::size_t most = 0;
  for (std::size_t n = 0; n < s.nodes.size(); ++n)
    if (std::abs(s.nodes[n]) > std::abs(s.nodes[most]) * (1 + 1e-9)) most = n;
  if (!s.nodes.empty())
    text += fmt::format("    it matters most at {}: {:.3g} a {} outwards over each {}^2\n",
                        detail::vector(model.nodes[most]), s.nodes[most], units.length, units.length);
  return text;
}

}  // namespace archway::report
