#include "archway/study/hand_checks.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/build_model.hpp"
#include "archway/study/verdicts.hpp"

namespace archway::study {

namespace {
using base::InputError;

const std::string& name_of(const MaterialSpec& m) {
  return m.material.name;
}
const std::string& name_of(const ProfileSpec& p) {
  return p.name;
}

template <typename List>
const auto& named(const List& list, const std::string& name, const char* what) {
  std::vector<std::string> names;
  for (const auto& item : list) {
    names.push_back(name_of(item));
    if (names.back() == name) return item;
  }
  throw InputError("", fmt::format("there is no {} named '{}'", what, name), base::suggestion(name, names));
}
double of_section(const theory::SectionProperties& s, const std::string& name, const std::string& about) {
  if (name == "second_moment")
    return about == "y" ? s.second_moment_y : about == "z" ? s.second_moment_z : s.principal_minor;
  if (name == "monosymmetry") return s.monosymmetry_y();
  using Section = theory::SectionProperties;
  static const std::map<std::string, double Section::*> values = {{"area", &Section::area},
                                                                  {"second_moment_y", &Section::second_moment_y},
                                                                  {"second_moment_z", &Section::second_moment_z},
                                                                  {"product_moment", &Section::product_moment},
                                                                  {"torsion_constant", &Section::torsion_constant},
                                                                  {"warping_constant", &Section::warping_constant},
                                                                  {"shear_centre_y", &Section::shear_centre_y},
                                                                  {"shear_centre_z", &Section::shear_centre_z}};
  const auto found = values.find(name);
  return found == values.end() ? std::nan("") : s.*found->second;
}

/// A formula of members that takes ends, about a member, and nobody said how they are restrained.
bool ends_are_open(const HandCheckSpec& check) {
  if (check.member.empty() || check.words.count("ends") != 0) return false;
  for (const auto& input : theory::formula_named(check.formula).inputs)
    if (input.name == "ends" && std::find(input.words.begin(), input.words.end(), "pinned-pinned") != input.words.end())
      return check.numbers.count("start_rotational_stiffness") + check.numbers.count("end_rotational_stiffness") +
                 check.numbers.count("end_sideways") ==
             0;
  return false;
}

theory::FormulaValue critical_of(const std::vector<theory::FormulaValue>& values, const HandCheckSpec& check) {
  int left = check.value;
  for (const auto& v : values)
    if (v.name == "critical" && --left == 0) return v;
  throw InputError("", fmt::format("formula '{}' gives no critical load number {}", check.formula, check.value),
                   "ask for more with modes = ..., or choose another formula");
}

/// \param model  nullptr: not made yet, ends of members are taken as the formula takes them by itself
std::vector<theory::FormulaValue> values_of(const StudySpec& spec, const HandCheckSpec& given,
                                            const model::Model* model) {
  HandCheckSpec check = given;
  if (model != nullptr && !check.member.empty() && check.about.empty())
    check.about = bending_axis_of_member(*model, check.member);
  if (model != nullptr && ends_are_open(check)) {
    check.words["ends"] = ends_of_member(*model, check.member, check.about);
    if (check.words["ends"].empty())
      throw InputError(
          "", fmt::format("how the ends of '{}' are restrained cannot be read from the supports alone", check.member),
          "say it with inputs = { ends = \"...\" } in the words of 'archway theory column', or with springs");
  }
  const auto& formula = theory::formula_named(check.formula);
  auto numbers = inputs_from_study(spec, formula, check);
  for (const auto& [name, value] : check.numbers) numbers[name] = value;
  for (const auto& input : formula.inputs)
    if (input.name == "modes" && check.numbers.count("modes") == 0) numbers["modes"] = check.value;
  return theory::evaluate(formula, numbers, check.words);
}
}  // namespace

namespace {
double length_of(const MemberSpec& m) {
  double length = 0;
  base::Vec3 at = m.line.from;
  for (const auto& corner : m.through) length += (corner - at).norm(), at = corner;
  return length + (m.line.to - at).norm();
}

/// A check that names a member takes its material and profile.
HandCheckSpec with_member(const StudySpec& spec, const HandCheckSpec& given, double& length, bool& shear) {
  HandCheckSpec check = given;
  if (check.member.empty()) return check;
  std::vector<std::string> names;
  for (const auto& m : spec.members) {
    names.push_back(m.name);
    if (m.name != check.member) continue;
    if (check.material.empty()) check.material = m.material;
    if (check.profile.empty()) check.profile = m.profile;
    length = length_of(m);
    shear = !m.rigid.shear;
    return check;
  }
  throw InputError("", fmt::format("there is no member named '{}'", check.member),
                   base::suggestion(check.member, names));
}
}  // namespace

std::map<std::string, double> inputs_from_study(const StudySpec& spec, const theory::Formula& formula,
                                                const HandCheckSpec& given) {
  std::map<std::string, double> numbers;
  double length = 0;
  bool shear = true;
  const HandCheckSpec check = with_member(spec, given, length, shear);
  const auto takes = [&](const std::string& name) {
    return std::any_of(formula.inputs.begin(), formula.inputs.end(), [&](const auto& i) { return i.name == name; });
  };
  if (length > 0 && takes("length")) numbers["length"] = length;
  if (!check.material.empty()) {
    const auto& m = named(spec.materials, check.material, "material").material;
    if (takes("youngs_modulus")) numbers["youngs_modulus"] = m.youngs_modulus;
    if (takes("poisson_ratio")) numbers["poisson_ratio"] = m.poisson_ratio;
  }
  if (check.profile.empty()) return numbers;
  const auto shear_area = [&](const theory::SectionProperties& s) {
    if (check.about == "y" || (check.about.empty() && s.second_moment_y <= s.second_moment_z)) return s.shear_area_z;
    return s.shear_area_y;
  };
  const auto& p = named(spec.profiles, check.profile, "profile");
  const auto section = section_of(p, p.dimensions);
  for (const auto& input : formula.inputs)
    if (const double value = of_section(section, input.name, check.about); std::isfinite(value))
      numbers[input.name] = value;
  // the analysis has the shear of the section, and so has the formula, where it takes any
  if (takes("shear_rigidity") && !check.material.empty() && shear && p.shear_flexible &&
      check.numbers.count("support_at") == 0)
    numbers["shear_rigidity"] =
        named(spec.materials, check.material, "material").material.shear_modulus() * shear_area(section);
  return numbers;
}

std::vector<base::Complaint> hand_check_complaints(const StudySpec& spec) {
  std::vector<base::Complaint> list;
  for (const auto& check : spec.hand_checks) {
    try {
      const AnalysisSpec* of = spec.find_analysis(check.of);
      if (of == nullptr || of->kind->gives() != AnalysisKind::Gives::modes)
        throw InputError("", fmt::format("a hand check goes with '{}', which is not a buckling analysis", check.of),
                         "name an LBA with of = \"...\"");
      const auto unit = critical_of(values_of(spec, check, nullptr), check).unit;
      const bool is_force = unit.force == 1 && unit.length == 0, is_factor = unit.force == 0 && unit.length == 0;
      if (check.at_factor_one == 0 && !is_force && !is_factor)
        throw InputError("",
                         fmt::format("formula '{}' gives {}, and nothing says how large that is at load factor 1",
                                     check.formula, theory::unit_text(unit, spec.units.force, spec.units.length)),
                         "add load_at_factor_one = ...");
    } catch (const InputError& error) {
      for (const auto& c : error.complaints()) list.push_back(check.place.complaint(c.problem, c.remedy));
    }
  }
  return list;
}

namespace {
/// Whether a mode can be what a formula is about, by its kind; what is not known counts as possible.
bool suits(const std::string& formula, const AnalysisOutcome& outcome, std::size_t mode) {
  if (mode >= outcome.readings.size()) return true;
  const ModeKind kind = mode_kind(*outcome.model, outcome.readings[mode]);
  if (kind == ModeKind::plain || kind == ModeKind::overall) return true;
  const auto is = [&](std::initializer_list<ModeKind> kinds) {
    return std::find(kinds.begin(), kinds.end(), kind) != kinds.end();
  };
  if (formula.find("column") != std::string::npos && formula != "torsional-column")
    return is({ModeKind::flexural, ModeKind::sway, ModeKind::local});
  if (formula == "portal") return is({ModeKind::flexural, ModeKind::sway, ModeKind::local});
  if (formula == "torsional-column")
    return is({ModeKind::torsional, ModeKind::flexural_torsional, ModeKind::lateral_torsional, ModeKind::flexural});
  if (formula == "lateral-beam") return is({ModeKind::lateral_torsional, ModeKind::flexural_torsional});
  if (formula.find("plate") != std::string::npos) return is({ModeKind::local, ModeKind::distortional});
  return true;
}

/// The first mode of the kind a formula is about, from 1; the one that was asked for where the study says so.
int mode_for(const HandCheckSpec& check, const AnalysisOutcome& outcome) {
  if (check.mode_given) return check.mode;
  for (std::size_t m = 0; m < outcome.buckling->modes.size(); ++m)
    if (suits(check.formula, outcome, m)) return static_cast<int>(m) + 1;
  return check.mode;
}
}  // namespace

namespace {
/// The formula's value beside the factor of a mode.
void compare(HandCheck& h, const AnalysisOutcome& outcome, const theory::FormulaValue& value, double load_factor) {
  constexpr double close = 0.1, far = 6;
  const bool is_factor = value.unit.force == 0 && value.unit.length == 0;
  const double one = h.spec.at_factor_one != 0 ? h.spec.at_factor_one
                     : is_factor               ? 1.0
                                               : outcome.variable_total.force.norm();
  h.load_factor = value.value / one;
  h.design_load_factor = h.design / one;
  h.deviation = load_factor / h.load_factor - 1;
  const double ratio = 1 + h.deviation;
  const auto mode = static_cast<std::size_t>(h.spec.mode - 1);
  if (!h.reversed && !suits(h.spec.formula, outcome, mode))
    h.note = fmt::format("mode {} is of another kind: {}", h.spec.mode,
                         mode_in_words(*outcome.model, outcome.readings[mode]));
  else if (one == 0)
    h.note = "the variable loads balance each other: give load_at_factor_one: what the formula's load is at factor 1";
  else if (!(ratio <= far && ratio >= 1 / far))
    h.failed = true, h.warning = fmt::format(
                         "FAILED: the analysis gives {:.4g} times the formula. Check units, whether a load is a total "
                         "or a load per node or length, and whether the formula's inputs are those of the model",
                         ratio);
  else if (std::abs(h.deviation) > close)
    h.warning =
        fmt::format("the analysis is {:+.1f} % off the formula: check its ends, length and load", 100 * h.deviation);
}

HandCheck hand_check(const StudySpec& spec, const HandCheckSpec& check, const AnalysisOutcome& outcome) {
  HandCheck h;
  h.spec = check;
  h.reversed = check.at_factor_one < 0;
  h.spec.mode = h.reversed ? check.mode : mode_for(check, outcome);
  const auto& formula = theory::formula_named(check.formula);
  h.title = formula.title;
  h.assumes = formula.assumes;
  const auto& modes = h.reversed ? outcome.buckling->negative_modes : outcome.buckling->modes;
  try {
    const auto values = values_of(spec, check, outcome.model.get());
    const auto value = critical_of(values, check);
    h.value = value.value;
    for (const auto& v : values)
      if (v.name == "design") h.design = v.value, h.design_meaning = v.meaning;
    h.unit = theory::unit_text(value.unit, spec.units.force, spec.units.length);
    if (static_cast<int>(modes.size()) < h.spec.mode)
      h.note =
          fmt::format("the analysis has {} {}", modes.size(),
                      h.reversed ? "modes of negative factors, and the formula is about the reversed load: ask for "
                                   "reversed_load = \"show\""
                                 : "modes: ask for more");
    else
      compare(h, outcome, value, modes[static_cast<std::size_t>(h.spec.mode - 1)].load_factor);
  } catch (const InputError& error) {
    h.note = fmt::format("{}: {}", error.complaints().front().problem, error.complaints().front().remedy);
  }
  if (!h.note.empty()) h.deviation = analysis::kUnset;
  return h;
}
}  // namespace

std::vector<HandCheck> hand_checks(const StudyResult& result) {
  std::vector<HandCheck> list;
  for (const auto& check : result.spec.hand_checks)
    if (const auto* outcome = result.find(check.of); outcome != nullptr && outcome->buckling)
      list.push_back(hand_check(result.spec, check, *outcome));
  return list;
}

}  // namespace archway::study
