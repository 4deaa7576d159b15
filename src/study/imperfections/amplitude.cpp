#include <algorithm>

#include <fmt/format.h>

#include "archway/imperfection/standards.hpp"
#include "imperfections/imperfection_detail.hpp"
#include "spec/names_detail.hpp"

namespace archway::study {

using detail::names_of;

namespace {
/// The numbers beside the modes are amplitudes: lengths, or shares of a thickness or a length.
void read_amplitude_of_each(Keys& keys, Keys& a, ImperfectionSpec& i) {
  i.each_mode = true;
  i.amplitude = 1;
  i.amplitude_kind = static_cast<AmplitudeKind>(1 + a.choice("per_mode", {"length", "thickness", "span"}, ""));
  if (i.amplitude_kind != AmplitudeKind::length) i.part = a.text("part");
  if (!keys.has("modes"))
    keys.complain(keys.place("amplitude"), "'per_mode' needs 'modes' with an amplitude for every mode",
                  "for instance modes = [[1, 0.1], [2, 0.05]]");
}

/// What the rules take, besides `by`, `part` and `times`.
struct Rule {
  const char* word;
  std::vector<const char*> words, numbers;
};
const std::vector<Rule>& rules() {
  static const std::vector<Rule> list = {
      {"member-bow", {"curve", "analysis", "fabrication", "about"}, {"length"}},
      {"frame-sway", {}, {"height", "columns"}},
      {"panel", {}, {"a", "b"}},
      {"stiffener", {}, {"a", "b"}},
      {"flange", {}, {"width"}},
      {"shell-dimple", {"quality", "compression"}, {"radius", "thickness", "length"}},
      {"shell-ovality", {"quality"}, {"radius"}},
  };
  return list;
}

void read_rule(Keys& a, ImperfectionSpec& i) {
  std::vector<std::string> names;
  for (const auto& rule : rules()) names.emplace_back(rule.word);
  const auto& rule = rules()[a.choice("standard", names, "")];
  i.amplitude_kind = AmplitudeKind::standard;
  i.rule = rule.word;
  i.amplitude = a.number("factor", 1.0);
  for (const char* word : rule.words)
    if (a.has(word)) i.words[word] = a.text(word);
  for (const char* number : rule.numbers)
    if (a.has(number)) i.numbers[number] = a.number(number);
  if (a.has("part")) i.part = a.text("part");
}
}  // namespace

void read_amplitude(Keys& keys, ImperfectionSpec& i) {
  const char* const examples =
      "a length, or { thickness_ratio = 0.5, part = \"...\" }, or { length_ratio = 0.004, part = \"...\" }, or { rms = 0.2 "
      "}, "
      "or { standard = \"member-bow\", curve = \"b\" }";
  if (!keys.has("amplitude")) {
    if (!i.kind->has_size()) keys.complain(keys.place(), "this imperfection needs 'amplitude'", examples);
    return;
  }
  i.amplitude_kind = AmplitudeKind::length;
  if (!keys.is_table("amplitude")) {
    i.amplitude = keys.number("amplitude");
  } else {
    keys.table("amplitude", "this amplitude", examples, [&](Keys& a) {
      if (a.has("per_mode")) return read_amplitude_of_each(keys, a, i);
      if (a.has("standard")) return read_rule(a, i);
      if (a.has("rms")) {
        i.amplitude_kind = AmplitudeKind::root_mean_square;
        i.amplitude = a.number("rms");
        return;
      }
      if (a.has("factor")) {
        i.amplitude_kind = AmplitudeKind::as_it_is;
        i.amplitude = a.number("factor");
        return;
      }
      i.amplitude_kind = a.has("length_ratio") ? AmplitudeKind::share_of_length : AmplitudeKind::share_of_thickness;
      i.amplitude = a.has("length_ratio") ? a.number("length_ratio") : a.number("thickness_ratio");
      i.part = a.text("part");
    });
  }
  if (i.amplitude == 0.0)
    keys.complain(keys.place("amplitude"), "the amplitude is zero",
                  "a GNA follows the perfect structure; give a GNIA an amplitude");
}

void check_amplitude(const ImperfectionSpec& i, References& references) {
  const auto& spec = references.spec;
  if (i.amplitude_kind != AmplitudeKind::share_of_thickness && i.amplitude_kind != AmplitudeKind::share_of_length)
    return;
  const bool thick = i.amplitude_kind == AmplitudeKind::share_of_thickness;
  auto parts = thick ? names_of(spec.panels) : names_of(spec.members);
  if (!spec.meshes.empty()) return;  // parts of meshes are known when the structure is
  if (std::find(parts.begin(), parts.end(), i.part) == parts.end())
    references.complain(i.place,
                        fmt::format("the amplitude of '{}' is a share of part '{}', which is not a {}", i.name, i.part,
                                    thick ? "panel" : "member"),
                        base::suggestion(i.part, parts));
}

namespace {
int part_called(const model::Model& model, const std::string& name) {
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].name == name) return static_cast<int>(p);
  return -1;
}

double thickness_of(const ShapeSite& site, const std::string& name) {
  for (const auto& panel : site.study.panels)
    if (panel.name == name && panel.thickness > 0) return panel.thickness;
  const int part = part_called(site.model, name);
  if (part < 0 || !(site.model.parts[static_cast<std::size_t>(part)].thickness > 0))
    throw base::InputError("", fmt::format("'{}' has no thickness to take a share of", name), "name a panel");
  return site.model.parts[static_cast<std::size_t>(part)].thickness;
}

double length_of(const ShapeSite& site, const std::string& name) {
  if (const auto* member = member_named(site.study, name)) return member->line.length();
  const int part = part_called(site.model, name);
  if (part < 0)
    throw base::InputError("", fmt::format("'{}' has no length to take a share of", name), "name a member or panel");
  return imperfection::PartFrame(site.model, {part}).length();
}

/// Numbers of a rule: given, or what the parts say.
class Inputs {
 public:
  explicit Inputs(const ShapeSite& site) : site_(site) {}
  template <class Otherwise>
  double number(const char* name, const Otherwise& otherwise) const {
    const auto found = site_.spec.numbers.find(name);
    return found != site_.spec.numbers.end() ? found->second : otherwise();
  }
  double needed(const char* name) const {
    return number(name, [&]() -> double {
      throw base::InputError("", fmt::format("the rule '{}' needs '{}'", site_.spec.rule, name),
                             fmt::format("add {} = ... to the amplitude", name));
    });
  }
  std::string word(const char* name, const std::string& otherwise) const {
    const auto found = site_.spec.words.find(name);
    return found != site_.spec.words.end() ? found->second : otherwise;
  }
  std::string part() const {
    if (!site_.spec.part.empty()) return site_.spec.part;
    if (!site_.spec.on.empty()) return site_.spec.on.front();
    throw base::InputError("", fmt::format("the rule '{}' does not know for which part", site_.spec.rule),
                           "add part = \"...\" to the amplitude");
  }
  /// The parts that the shape is on, or the one named.
  imperfection::PartFrame frame() const {
    if (site_.spec.part.empty()) return site_.frame();
    const int part = part_called(site_.model, site_.spec.part);
    if (part < 0) throw base::InputError("", fmt::format("there is no part '{}'", site_.spec.part), "");
    return imperfection::PartFrame(site_.model, {part}, {site_.spec.axis, Vec3::Zero(), site_.spec.along});
  }

 private:
  const ShapeSite& site_;
};

/// Curve of the member's own profile.
std::string curve_of(const ShapeSite& site, const Inputs& in) {
  const auto* member = member_named(site.study, in.part());
  if (member == nullptr)
    throw base::InputError("", fmt::format("'{}' is no member, so its buckling curve is not known", in.part()),
                           "add curve = \"b\", for instance, and length");
  imperfection::SectionKind section;
  section.made = in.word("fabrication", "");
  for (const auto& profile : site.study.profiles) {
    if (profile.name != member->profile) continue;
    const auto dimension = [&](const char* name) {
      const auto found = profile.dimensions.find(name);
      return found == profile.dimensions.end() ? 0.0 : found->second * site.study.units.metres * 1000;
    };
    section.height = dimension("height"), section.width = dimension("width"), section.flange = dimension("flange");
    const std::map<std::string, std::string> kinds = {{"i", "i"},
                                                      {"circular-hollow", "hollow"},
                                                      {"rectangular-hollow", "hollow"},
                                                      {"angle", "angle"},
                                                      {"channel", "solid"},
                                                      {"tee", "solid"},
                                                      {"rectangle", "solid"},
                                                      {"circle", "solid"}};
    const auto kind = kinds.find(profile.shape);
    if (kind != kinds.end()) section.shape = kind->second;
    if (section.shape == "hollow" && section.made == "welded") section.shape = "box";
  }
  if (section.shape.empty())
    throw base::InputError("", fmt::format("no buckling curve is known for the profile of '{}'", member->name),
                           "add curve = \"b\", for instance");
  return imperfection::buckling_curve(section, in.word("about", "z") == "z");
}

imperfection::StandardAmplitude standard_of(const ShapeSite& site) {
  const Inputs in(site);
  const auto& rule = site.spec.rule;
  const double metre = 1 / site.study.units.metres;
  if (rule == "member-bow") {
    const auto curve = in.word("curve", "");
    const double length = in.number("length", [&] { return length_of(site, in.part()); });
    return imperfection::member_bow(length, curve.empty() ? curve_of(site, in) : curve,
                                    in.word("analysis", "plastic") == "plastic");
  }
  if (rule == "frame-sway")
    return imperfection::frame_sway(in.needed("height"), metre,
                                    static_cast<int>(in.number("columns", [] { return 1.0; })));
  if (rule == "flange") return imperfection::flange_rotation(in.number("width", [&] { return in.frame().width(); }));
  if (rule == "panel" || rule == "stiffener") {
    const double a = in.number("a", [&] { return in.frame().length(); }),
                 b = in.number("b", [&] { return in.frame().width(); });
    return rule == "panel" ? imperfection::panel_bow(a, b) : imperfection::stiffener_bow(a, b);
  }
  imperfection::ShellWall wall;
  wall.radius = in.number("radius", [&] { return in.frame().mean_radius(); });
  wall.quality = in.word("quality", "B");
  wall.metre = metre;
  if (rule == "shell-ovality") return imperfection::shell_ovality(wall);
  wall.thickness = in.number("thickness", [&] { return in.frame().thickness(); });
  wall.length = in.number("length", [&] { return in.frame().length(); });
  wall.compression = in.word("compression", "axial");
  return imperfection::shell_dimple(wall);
}
}  // namespace

double amplitude_of(const ShapeSite& site, std::string& note) {
  const auto& i = site.spec;
  switch (i.amplitude_kind) {
    case AmplitudeKind::share_of_thickness:
      return i.amplitude * thickness_of(site, i.part);
    case AmplitudeKind::share_of_length:
      return i.amplitude * length_of(site, i.part);
    case AmplitudeKind::standard: {
      const auto found = standard_of(site);
      note = fmt::format("{}: {}{}", found.clause, found.formula,
                         i.amplitude == 1 ? "" : fmt::format(", times {:g}", i.amplitude));
      return i.amplitude * found.value;
    }
    default:
      return i.amplitude;
  }
}

Size size_of(const ShapeSite& site, const imperfection::ShapeField& field, double largest) {
  const auto& i = site.spec;
  Size size;
  const double wanted = amplitude_of(site, size.note);
  if (i.amplitude_kind == AmplitudeKind::as_it_is || i.each_mode) {
    size.factor = wanted;
  } else if (i.amplitude_kind == AmplitudeKind::root_mean_square) {
    // of a random process its standard deviation, so that samples differ in size as they should
    size.factor = wanted / (field.rms > 0 ? field.rms : imperfection::sized(site.model, field, 1).root_mean_square);
  } else {
    size.factor = wanted / largest;
  }
  return size;
}

}  // namespace archway::study
