#include "archway/analysis/path_records.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

namespace archway::analysis {

const char* to_text(PathEvent event) {
  switch (event) {
    case PathEvent::none:
      return "";
    case PathEvent::preload:
      return "constant part in place";
    case PathEvent::limit_point:
      return "limit point";
    case PathEvent::bifurcation:
      return "bifurcation";
    case PathEvent::stage:
      return "stage begins";
    case PathEvent::contact:
      return "contact opens or closes";
    case PathEvent::jump:
      return "jump";
    case PathEvent::touch:
      return "first contact";
  }
  return "?";
}

std::vector<std::string> PathOptions::complaints() const {
  std::vector<std::string> list;
  if (variable.terms.empty()) list.push_back("nothing grows: name the combination that the load factor multiplies");
  if (!(steps.first > 0)) list.push_back(fmt::format("first_step is {}, it must be above zero", steps.first));
  if (steps.largest < 0 || steps.smallest < 0) list.push_back("steps must not be negative");
  if (stop.increments < 1) list.push_back("at least one increment must be allowed");
  if (stop.drop < 0 || stop.drop >= 1)
    list.push_back(fmt::format("the drop rule is {}, it must lie between 0 and 1", stop.drop));
  if (stop.watch >= static_cast<int>(watch.size()))
    list.push_back("the displacement rule names a watch point that does not exist");
  if (steps.control == PathControl::displacement && (steps.lead < 0 || steps.lead >= static_cast<int>(watch.size())))
    list.push_back("control by a watch needs one that exists");
  if (steps.wanted_iterations < 1 || newton.max_iterations < steps.wanted_iterations)
    list.push_back("iterations: 1 <= wanted <= most");
  return list;
}

std::string way_text(const PathBranch& branch) {
  if (branch.mix.size() == 0)
    return fmt::format("mode {}, {}", branch.mode + 1, branch.sense > 0 ? "one way" : "the other way");
  return fmt::format("{:.3f} of mode 1 and {:.3f} of mode 2", branch.mix[0], branch.mix[1]);
}

std::string place_text(const Increment& increment) {
  const double f = std::abs(increment.load_factor);
  const double digits = increment.uncertainty > 0 && f > 0 ? -std::log10(increment.uncertainty / f) : 6;
  return fmt::format("{:.{}g}", increment.load_factor, std::clamp(static_cast<int>(std::floor(digits + 0.31)), 2, 6));
}

}  // namespace archway::analysis
