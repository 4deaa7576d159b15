#include "archway/study/verdicts.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

namespace archway::study {

Verdict verdict_on(const RequirementSpec& required, const model::Model& model, const analysis::BucklingResult& result,
                   const std::vector<analysis::ModeReading>& readings) {
  Verdict v;
  v.required = required.factor;
  v.group = required.parts.empty() ? "everything" : fmt::format("{}", fmt::join(required.parts, ", "));
  const auto in_group = [&](const std::string& part) {
    return required.parts.empty() || std::any_of(required.parts.begin(), required.parts.end(), [&](const auto& name) {
             return part == name || part.rfind(name + ".", 0) == 0;
           });
  };
  for (std::size_t m = 0; m < readings.size() && v.mode < 0; ++m) {
    double share = 0, most = 0;
    std::string lead;
    for (std::size_t p = 0; p < model.parts.size(); ++p) {
      if (!in_group(model.parts[p].name)) continue;
      share += readings[m].energy[p];
      if (readings[m].energy[p] > most) most = readings[m].energy[p], lead = model.parts[p].name;
    }
    if (share < kTakesPart && !required.parts.empty()) continue;
    v.mode = static_cast<int>(m);
    v.part = lead;
    v.load_factor = result.modes[m].load_factor;
  }
  if (readings.empty() && required.parts.empty() && !result.modes.empty()) {  // modes that were not read
    v.mode = 0;
    v.load_factor = result.modes[0].load_factor;
  }
  const double seen = result.modes.empty() ? 0.0 : result.modes.back().load_factor;
  v.met = v.mode >= 0 ? v.load_factor >= required.factor : seen >= required.factor || result.no_compression;
  v.shown = v.mode >= 0 || v.met;
  return v;
}

double amplification(double load_factor) {
  return load_factor > 1 ? 1 / (1 - 1 / load_factor) : HUGE_VAL;
}

std::string mode_in_words(const model::Model& model, const analysis::ModeReading& reading) {
  std::vector<std::size_t> order(reading.energy.size());
  for (std::size_t k = 0; k < order.size(); ++k) order[k] = k;
  std::sort(order.begin(), order.end(), [&](auto a, auto b) { return reading.energy[a] > reading.energy[b]; });
  std::string text;
  double told = 0;
  for (std::size_t k = 0; k < std::min<std::size_t>(3, order.size()) && told < 0.9; ++k) {
    const double share = reading.energy[order[k]];
    if (share < 0.05) break;
    text += fmt::format("{}{} {:.0f} %", k == 0 ? "" : ", ",
                        order[k] < model.parts.size() ? model.parts[order[k]].name : "joints", 100 * share);
    told += share;
  }
  if (model.parts.size() < 2) return text;
  // what the shared nodes do tells a buckle inside the parts from one of the whole
  const char* word = reading.joint_movement < 0.1   ? "local: joints stand still"
                     : reading.joint_movement < 0.5 ? "joints move by less than half"
                                                    : "overall: joints move along";
  return fmt::format("{}; {} ({:.2f})", text, word, reading.joint_movement);
}

}  // namespace archway::study
