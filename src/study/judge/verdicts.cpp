#include "archway/study/verdicts.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

namespace archway::study {

RequirementVerdict verdict_on(const RequirementSpec& required, const model::Model& model,
                              const analysis::BucklingResult& result,
                              const std::vector<analysis::ModeReading>& readings) {
  RequirementVerdict v;
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
      if (analysis::clearly_more(readings[m].energy[p], most)) most = readings[m].energy[p], lead = model.parts[p].name;
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
  std::vector<double> left = reading.energy;
  std::string text;
  double told = 0;
  for (std::size_t k = 0; k < std::min<std::size_t>(3, left.size()) && told < 0.9; ++k) {
    std::size_t home = 0;
    for (std::size_t p = 1; p < left.size(); ++p)
      if (analysis::clearly_more(left[p], left[home])) home = p;
    const double share = std::exchange(left[home], 0.0);
    if (share < 0.05 && k == 0)
      return fmt::format("spread over {} parts, none with more than {:.1f} %",
                         std::count_if(reading.energy.begin(), reading.energy.end(), [](double e) { return e > 1e-6; }),
                         100 * share);
    if (share < 0.05) break;
    text += fmt::format("{}{} {:.0f} %", k == 0 ? "" : ", ",
                        home < model.parts.size() ? model.parts[home].name : "joints", 100 * share);
    told += share;
  }
  return text;
}

int members_of(const model::Model& model) {
  int count = 0;
  for (const auto& p : model.parts) count += p.kind == model::PartKind::member ? 1 : 0;
  return count;
}

std::string counted(int number, const char* one, const char* more) {
  return fmt::format("{} {}", number, number == 1 ? one : more);
}

std::string lines_in_words(const analysis::PartWaves& waves) {
  std::string text;
  for (std::size_t k = 0; k < waves.lines.size(); ++k) {
    const auto& line = waves.lines[k];
    const bool around_first = waves.lines[0].closed;
    const char* where = waves.lines.size() == 1 ? "" : k == 0 || around_first ? " along" : " across";
    text += k == 0 ? "" : ", ";
    if (line.closed)
      text += counted(line.half_waves / 2, "wave around", "waves around");
    else if (line.tilts)
      text += fmt::format("tilting{}", where);
    else
      text += counted(line.half_waves, "half wave", "half waves") + (waves.twists ? " of twist" : where);
  }
  return text;
}

/// "about z", or nothing where both bendings take part.
std::string axis_of(const analysis::ModeReading& r) {
  const double bending = r.bend_y + r.bend_z;
  if (!(bending > 0)) return "";
  return r.bend_y > 0.9 * bending ? " about y" : r.bend_z > 0.9 * bending ? " about z" : "";
}

ModeKind kind_of_members(const analysis::ModeReading& r) {
  if (r.chord_rotation > kJointsMove && r.joint_coherence > kSway && r.joint_displacement > kJointsMove)
    return ModeKind::sway;
  if (r.torsion > kTorsional) return ModeKind::torsional;
  if (r.torsion < kFlexural) return ModeKind::flexural;
  return r.bent ? ModeKind::lateral_torsional : ModeKind::flexural_torsional;
}

/// Sections, joints and waves in the words for a kind, with the figures they rest on.
std::string kind_in_words(const model::Model& model, const analysis::ModeReading& r) {
  const ModeKind kind = mode_kind(model, r);
  const bool members = r.in_members > 0.5, one_part = r.together < 2;
  const std::string joints = one_part ? "" : fmt::format("; joints move ({:.2f})", r.joint_displacement);
  const auto section = [&](const char* word) {
    return members ? fmt::format("{}{} (torsion {:.0f} %)", word, axis_of(r), 100 * r.torsion)
                   : fmt::format("{}: sections move as a whole ({:.2f}), torsion {:.0f} %", word, r.rigid_share,
                                 100 * r.twist_share);
  };
  switch (kind) {
    case ModeKind::local:
      return fmt::format("local: joints stay fixed ({:.2f})", r.joint_displacement);
    case ModeKind::distortional:
      return fmt::format("distortional: joints move ({:.2f}), sections change shape (rigid {:.2f})",
                         r.joint_displacement, r.rigid_share);
    case ModeKind::flexural:
      return section("flexural") + (members ? joints : "");
    case ModeKind::torsional:
      return section("torsional") + (members ? joints : "");
    case ModeKind::flexural_torsional:
      return section("flexural-torsional");
    case ModeKind::lateral_torsional:
      return section("lateral-torsional");
    case ModeKind::sway:
      return fmt::format("sway: joints move one way ({:.2f} of {:.2f})", r.joint_coherence, r.joint_displacement);
    case ModeKind::overall:
      return r.joint_displacement < kJointsMove
                 ? fmt::format("joints move by less than half ({:.2f})", r.joint_displacement)
                 : fmt::format("overall: joints move along ({:.2f})", r.joint_displacement);
    case ModeKind::plain:
      break;
  }
  return "";
}
}  // namespace

ModeKind mode_kind(const model::Model& model, const analysis::ModeReading& r) {
  const bool one_part = r.together < 2;
  if (r.in_members > 0.5) {
    if (!one_part && r.joint_displacement < kJointsStand && std::isfinite(r.torsion) && members_of(model) > 1)
      return r.torsion > kTorsional ? ModeKind::torsional : ModeKind::local;
    return std::isfinite(r.torsion) ? kind_of_members(r) : ModeKind::plain;
  }
  if (one_part) return ModeKind::plain;  // a single panel: its waves say all
  const bool rigid = std::isfinite(r.rigid_share) && r.rigid_share > kMovesRigidly;
  if (!rigid && r.joint_displacement < kJointsStand) return ModeKind::local;
  if (!std::isfinite(r.rigid_share)) return ModeKind::overall;
  if (!rigid) return ModeKind::distortional;
  if (r.twist_share > kTorsional) return ModeKind::torsional;
  if (r.twist_share < kFlexural) return ModeKind::flexural;
  return r.bent ? ModeKind::lateral_torsional : ModeKind::flexural_torsional;
}

std::string waves_in_words(const model::Model& model, const analysis::ModeReading& reading) {
  const analysis::PartWaves* best = nullptr;
  for (const auto& waves : reading.waves)
    if (best == nullptr || analysis::clearly_more(reading.energy[static_cast<std::size_t>(waves.part)],
                                                  reading.energy[static_cast<std::size_t>(best->part)]))
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
        if (line.half_waves > 0 && !line.tilts) least = std::min(least, line.elements_per_half_wave);
  return least;
}

std::string mode_in_words(const model::Model& model, const analysis::ModeReading& reading) {
  std::string text = homes_of(model, reading);
  for (const auto& more : {waves_in_words(model, reading), kind_in_words(model, reading)})
    if (!more.empty()) text += "; " + more;
  return text;
}

}  // namespace archway::study
