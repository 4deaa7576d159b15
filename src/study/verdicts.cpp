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
  const double seen = result.empty_window    ? result.proof.cut
                      : result.modes.empty() ? 0.0
                                             : result.modes.back().load_factor;
  v.met = v.mode >= 0 ? v.load_factor >= required.factor : seen >= required.factor || result.no_compression;
  v.shown = v.mode >= 0 || v.met;
  return v;
}

double amplification(double load_factor) {
  return load_factor > 1 ? 1 / (1 - 1 / load_factor) : HUGE_VAL;
}

namespace {
/// Where it lives: the parts with most of the energy.
std::string homes_of(const model::Model& model, const analysis::ModeReading& reading) {
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
  return text;
}

std::string counted(int number, const char* one, const char* more) {
  return fmt::format("{} {}", number, number == 1 ? one : more);
}

std::string lines_in_words(const analysis::PartWaves& waves) {
  std::string text;
  for (std::size_t k = 0; k < waves.lines.size(); ++k) {
    const auto& line = waves.lines[k];
    const bool around_first = waves.lines[0].closed;
    text += k == 0 ? "" : ", ";
    if (line.closed)
      text += counted(line.half_waves / 2, "wave around", "waves around");
    else
      text += counted(line.half_waves, "half wave", "half waves") + (waves.lines.size() == 1
                                                                         ? waves.twists ? " of twist" : ""
                                                                     : k == 0 || around_first ? " along"
                                                                                              : " across");
  }
  return text;
}

/// Whether sections, joints or only the parts between them move.
std::string kind_of(const model::Model& model, const analysis::ModeReading& r) {
  const bool one_part = model.parts.size() < 2;
  double in_members = 0;
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].kind == model::PartKind::member) in_members += r.energy[p];
  // several members are a frame, however long: what lies in a slice of it is not a cross-section
  const bool sections = std::isfinite(r.rigid_share) && (one_part || in_members < 0.5);
  if (one_part && (!sections || model.parts[0].kind != model::PartKind::member)) return "";
  if (!one_part && r.joint_movement < kJointsStand)
    return fmt::format("local: joints stand still ({:.2f})", r.joint_movement);
  if (sections && r.rigid_share > kMovesRigidly) {
    const char* how = r.twist_share < kFlexural    ? "flexural"
                      : r.twist_share > kTorsional ? "torsional"
                                                   : "flexural-torsional";
    return fmt::format("{}{}: sections move as a whole ({:.2f}), turning {:.0f} %", one_part ? "" : "overall, ", how,
                       r.rigid_share, 100 * r.twist_share);
  }
  if (sections)
    return fmt::format("distortional: joints move ({:.2f}), sections change shape (rigid {:.2f})", r.joint_movement,
                       r.rigid_share);
  if (r.joint_movement < kJointsMove) return fmt::format("joints move by less than half ({:.2f})", r.joint_movement);
  if (r.joint_coherence > kSway && in_members > 0.5)
    return fmt::format("sway: joints move one way ({:.2f} of {:.2f})", r.joint_coherence, r.joint_movement);
  return fmt::format("overall: joints move along ({:.2f})", r.joint_movement);
}
}  // namespace

std::string waves_in_words(const model::Model& model, const analysis::ModeReading& reading) {
  const analysis::PartWaves* best = nullptr;
  for (const auto& waves : reading.waves)
    if (best == nullptr ||
        reading.energy[static_cast<std::size_t>(waves.part)] > reading.energy[static_cast<std::size_t>(best->part)])
      best = &waves;
  if (best == nullptr) return "";
  return model.parts.size() < 2
             ? lines_in_words(*best)
             : fmt::format("{} in {}", lines_in_words(*best), model.parts[static_cast<std::size_t>(best->part)].name);
}

double elements_per_half_wave(const analysis::ModeReading& reading) {
  double least = HUGE_VAL;
  for (const auto& waves : reading.waves)
    if (reading.energy[static_cast<std::size_t>(waves.part)] > kTakesPart)
      for (const auto& line : waves.lines)
        if (line.half_waves > 0) least = std::min(least, line.elements_per_half_wave);
  return least;
}

std::string mode_in_words(const model::Model& model, const analysis::ModeReading& reading) {
  std::string text = homes_of(model, reading);
  for (const auto& more : {waves_in_words(model, reading), kind_of(model, reading)})
    if (!more.empty()) text += "; " + more;
  return text;
}

}  // namespace archway::study
