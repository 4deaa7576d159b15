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
#include "archway/study/chain.hpp"
#include "archway/study/section_of.hpp"
#include "assignment.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
std::string vector_text(base::Vec3 v) {
  const double size = v.norm();
  for (int k = 0; k < 3; ++k)
    if (std::abs(v[k]) < 1e-9 * size) v[k] = 0;
  return fmt::format("({:.6g}, {:.6g}, {:.6g})", v.x(), v.y(), v.z());
}

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
  std::vector<std::string> names;
  for (const auto& p : spec.profiles) {
    names.push_back(p.name);
    if (p.name != options.profile && !(options.profile.empty() && spec.profiles.size() == 1)) continue;
    Found found{fmt::format("{} ({})", p.name, p.shape), unit, study::section_of(p, p.dimensions)};
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

namespace {
/// A cut through a structure: where, and what it cuts.
struct Cut {
  study::StudySpec spec;
  model::Model model;
  std::string title;
  base::Vec3 point, normal;
  std::optional<study::CutSection> section;  // of panels, when any is cut
};

Cut cut_of(const SectionOptions& options) {
  Cut cut{io::read_study(options.what, {}), {}, "", base::Vec3::Zero(), base::Vec3::Zero(), {}};
  cut.model = study::build_model(cut.spec);
  const auto [axis, value] = *number_assignments({options.cut}, "--cut x=500").begin();
  const auto k = std::string("xyz").find(axis);
  if (axis.size() != 1 || k == std::string::npos)
    throw base::InputError("", fmt::format("'{}' is not an axis", axis), "cut across x, y or z: --cut x=500");
  std::vector<std::string> names;
  for (const auto& part : cut.model.parts) names.push_back(part.name);
  for (const auto& part : options.parts)
    if (std::find(names.begin(), names.end(), part) == names.end())
      throw base::InputError(options.what, fmt::format("there is no part named '{}'", part),
                             base::suggestion(part, names));
  cut.normal = base::Vec3::Unit(static_cast<Eigen::Index>(k));
  cut.point = value * cut.normal;
  cut.title = fmt::format("{}, cut at {} = {:g} {}", cut.spec.title, axis, value, cut.spec.units.length);
  try {
    cut.section = study::cut_section(cut.model, cut.point, cut.normal, options.parts);
  } catch (const base::InputError&) {
    if (options.forces.empty()) throw;  // members and solids have forces, if no walls
  }
  return cut;
}

/// One section that hangs together, as a profile; nothing where the cut is in pieces or a straight strip.
std::optional<theory::SectionProperties> whole_section(const study::CutSection& section) {
  if (study::pieces_of(section).size() > 1) return {};
  const auto p = study::plane_properties(section.walls);
  const double det = p.second_moment_y * p.second_moment_z - p.product_moment * p.product_moment;
  if (section.walls.walls.size() == 1 || det < 1e-4 * std::pow(p.second_moment_y + p.second_moment_z, 2)) return {};
  return theory::thin_walled_properties(section.walls);
}

void tell_pieces(const Cut& cut, Console& console) {
  const auto& unit = cut.spec.units.length;
  console.out << fmt::format("{}\n  axes of the cut: y along {}, z along {}; torsion of open walls\n", cut.title,
                             vector_text(cut.section->y_axis), vector_text(cut.section->z_axis));
  const auto line = [&](const std::string& name, study::PlaneProperties p) {
    for (double* centre : {&p.centroid_y, &p.centroid_z})
      if (std::abs(*centre) < 1e-9 * cut.model.size()) *centre = 0;
    if (std::abs(p.product_moment) < 1e-9 * (p.second_moment_y + p.second_moment_z)) p.product_moment = 0;
    console.out << fmt::format(
        "  {}: {} walls, A {:.6g} {}^2, centroid y {:.6g}, z {:.6g}, Iy {:.6g} {}^4, Iz {:.6g}, Iyz {:.6g}, IT "
        "{:.4g}\n",
        name, p.walls, p.area, unit, p.centroid_y, p.centroid_z, p.second_moment_y, unit, p.second_moment_z,
        p.product_moment, p.open_torsion);
  };
  const auto pieces = study::pieces_of(*cut.section);
  for (std::size_t k = 0; k < pieces.size(); ++k)
    line(pieces.size() > 1 ? fmt::format("piece {}", k + 1) : "strip", study::plane_properties(pieces[k]));
  if (pieces.size() > 1) line("together, if the section stays plane", study::plane_properties(cut.section->walls));
}

/// Forces through the cut in the analysis that is asked for.
void tell_forces(const SectionOptions& options, const Cut& cut, Console& console) {
  study::StudySpec only = cut.spec;
  only.analyses = study::with_sources(cut.spec, {options.forces});
  if (cut.spec.find_analysis(options.forces) == nullptr) {
    std::vector<std::string> names;
    for (const auto& a : cut.spec.analyses) names.push_back(a.name);
    throw base::InputError(options.what, fmt::format("there is no analysis named '{}'", options.forces),
                           base::suggestion(options.forces, names));
  }
  only.hand_checks.clear();
  const auto result = study::run_study(only);
  const auto* o = result.find(options.forces);
  if (o == nullptr || !o->usable())
    throw base::InputError(options.what, fmt::format("'{}' has no state to cut", options.forces),
                           "archway run reports why it did not come to one");
  const auto [forces, state] = study::forces_through(*o, cut.point, cut.normal, options.parts, cut.section);
  const auto& u = cut.spec.units;
  const base::Mat3 axes = study::cut_axes(cut.normal);
  const auto clean = [](const base::Vec3& v, double noise) {
    base::Vec3 c = v;
    for (int k = 0; k < 3; ++k)
      if (std::abs(c[k]) < 1e-9 * noise) c[k] = 0;
    return c;
  };
  const double size = cut.model.size(), most = std::max(forces.force.norm(), forces.moment.norm() / size);
  const base::Vec3 f = clean(axes.transpose() * forces.force, most),
                   m = clean(axes.transpose() * forces.moment, most * size);
  console.out << fmt::format(
      "  forces through the cut in {}, on the side behind it ({} elements behind, {} ahead, {} nodes between):\n"
      "  N {:.6g} {}, V {:.6g} along y, {:.6g} along z\n"
      "  M {:.6g} {} about y, {:.6g} about z, torque {:.6g}; about {} {}\n",
      state, forces.behind, forces.ahead, forces.nodes.size(), f.x(), u.force, f.y(), f.z(), m.y(), u.moment(), m.z(),
      m.x(), vector_text(forces.about), u.length);
}

int command_cut(const SectionOptions& options, bool force, Console& console) {
  const Cut cut = cut_of(options);
  std::optional<theory::SectionProperties> whole;
  if (cut.section) whole = whole_section(*cut.section);
  report::TextStyle style;
  style.bold = console.out_is_terminal;
  style.unicode = console.unicode;
  if (whole)
    console.out << (options.json ? json_of({cut.title, cut.spec.units.length, *whole})
                                 : report::section_text(cut.title, *whole, cut.spec.units.length, style));
  else if (cut.section)
    tell_pieces(cut, console);
  if (!options.forces.empty()) tell_forces(options, cut, console);
  if (options.picture.empty()) return done;
  if (!whole)
    throw base::InputError(options.what, "the cut is in pieces, or a strip: there is no picture of it",
                           "name one part with --part");
  write_file(options.picture, report::section_figure(options.picture, cut.title, *whole, cut.spec.units.length).content,
             "picture", force);
  console.out << fmt::format("  picture in {}\n", options.picture);
  return done;
}
}  // namespace

int command_section(const SectionOptions& options, bool force, Console& console) {
  const bool is_study = options.what.size() > 5 && options.what.substr(options.what.size() - 5) == ".toml";
  if (is_study && !options.cut.empty()) return command_cut(options, force, console);
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
