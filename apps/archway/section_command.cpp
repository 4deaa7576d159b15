#include "section_command.hpp"

#include <algorithm>
#include <map>
#include <optional>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "archway/io/study_file.hpp"
#include "archway/report/section_curve_sheet.hpp"
#include "archway/report/section_sheet.hpp"
#include "archway/study/build_model.hpp"
#include "archway/study/section_of.hpp"
#include "assignment.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
struct Found {
  std::string title, unit;
  theory::SectionProperties section;
  study::Units units = {};
  std::optional<study::SectionCurve> curve = {};
  double plastic = 0;  // moment without hardening
};

/// Moment against curvature, where a material is named.
void add_curve(const SectionOptions& options, const study::StudySpec& spec, Found& found) {
  if (options.material.empty()) {
    if (!options.curve.empty())
      throw base::InputError("", "a curve needs a material that yields", "add --material NAME, one of the study's");
    return;
  }
  std::vector<std::string> names;
  for (const auto& m : spec.materials) {
    names.push_back(m.material.name);
    if (m.material.name != options.material) continue;
    found.units = spec.units;
    found.curve =
        study::section_curve(found.section, m.material.youngs_modulus, m.flow, options.axial, options.about_z);
    found.plastic =
        m.flow.yield_stress * (options.about_z ? found.section.plastic_modulus_z : found.section.plastic_modulus_y);
    return;
  }
  throw base::InputError(options.what, fmt::format("there is no material named '{}'", options.material),
                         base::suggestion(options.material, names, "its materials"));
}

Found from_shape(const SectionOptions& options) {
  const auto dimensions = number_assignments(options.dimensions, "width=80");
  for (const auto& known : theory::known_shapes()) {
    if (known.name != options.what) continue;
    std::vector<std::string> names = known.dimensions;
    names.insert(names.end(), known.optional.begin(), known.optional.end());
    for (const auto& [name, value] : dimensions)
      if (std::find(names.begin(), names.end(), name) == names.end())
        throw base::InputError("", fmt::format("shape '{}' has no dimension '{}'", options.what, name),
                               base::suggestion(name, names, "its dimensions"));
  }
  return {options.what, options.unit, theory::section_properties(options.what, dimensions)};
}

Found from_study(const SectionOptions& options) {
  const auto spec = io::read_study(options.what, {});
  const std::string& unit = spec.units.length;
  if (!options.cut.empty()) {
    const auto [axis, value] = *number_assignments({options.cut}, "--cut x=500").begin();
    const auto k = std::string("xyz").find(axis);
    if (axis.size() != 1 || k == std::string::npos)
      throw base::InputError("", fmt::format("'{}' is not an axis", axis), "cut across x, y or z: --cut x=500");
    const auto direction = base::Vec3::Unit(static_cast<Eigen::Index>(k));
    const auto cut = study::cut_section(study::build_model(spec), value * direction, direction, options.parts);
    return {fmt::format("{}, cut at {} = {:g} {}", spec.title, axis, value, unit), unit,
            theory::thin_walled_properties(cut.walls)};
  }
  std::vector<std::string> names;
  for (const auto& p : spec.profiles) {
    names.push_back(p.name);
    if (p.name != options.profile && !(options.profile.empty() && spec.profiles.size() == 1)) continue;
    Found found{fmt::format("{} ({})", p.name, p.shape), unit,
                p.shape == "polyline" ? theory::thin_walled_properties(p.walls)
                                      : theory::section_properties(p.shape, p.dimensions)};
    add_curve(options, spec, found);
    return found;
  }
  throw base::InputError(
      options.what,
      options.profile.empty() ? "say which section" : fmt::format("there is no profile named '{}'", options.profile),
      options.profile.empty() ? "--profile NAME for one of its profiles, --cut x=500 for a cut through its panels"
                              : base::suggestion(options.profile, names, "its profiles"));
}

std::string json_of(const Found& found) {
  nlohmann::ordered_json root;
  root["section"] = found.title;
  root["length"] = found.unit;
  for (const auto& q : theory::quantities(found.section)) root["properties"][q.name] = q.value;
  if (found.curve) {
    auto& curve = root["moment_curvature"];
    curve["about"] = found.curve->about_z ? "z" : "y";
    curve["axial"] = found.curve->axial;
    for (const auto& p : found.curve->points)
      curve["points"].push_back({{"curvature", p.curvature},
                                 {"moment", p.moment},
                                 {"strain", p.strain},
                                 {"plastic_strain", p.plastic_strain},
                                 {"yielded_share", p.yielded_share}});
  }
  return root.dump(1) + "\n";
}
}  // namespace

int command_section(const SectionOptions& options, bool force, Console& console) {
  const bool is_study = options.what.size() > 5 && options.what.substr(options.what.size() - 5) == ".toml";
  const Found found = is_study ? from_study(options) : from_shape(options);
  report::TextStyle style;
  style.bold = console.out_is_terminal;
  style.unicode = console.unicode;
  console.out << (options.json ? json_of(found) : report::section_text(found.title, found.section, found.unit, style));
  if (found.curve && !options.json)
    console.out << report::section_curve_text(*found.curve, found.units, found.plastic, style);
  if (!options.curve.empty()) {
    if (!found.curve)
      throw base::InputError("", "a curve is that of a profile of a study", "name the study, --profile and --material");
    const auto figure =
        report::section_curve_figure(options.curve, found.title, found.section, *found.curve, found.units);
    write_file(options.curve, figure.content, "curve", force);
    if (!options.json) console.out << fmt::format("  curve in {}\n", options.curve);
  }
  if (options.picture.empty()) return done;
  write_file(options.picture, report::section_figure(options.picture, found.title, found.section, found.unit).content,
             "picture", force);
  if (!options.json) console.out << fmt::format("  picture in {}\n", options.picture);
  return done;
}

}  // namespace archway::app
