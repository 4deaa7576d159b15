#include "archway/study/hand_checks.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

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
  for (const auto& q : theory::quantities(s))
    if (q.name == name) return q.value;
  return NAN;
}

theory::FormulaValue critical_of(const std::vector<theory::FormulaValue>& values, const HandCheckSpec& check) {
  int left = check.value;
  for (const auto& v : values)
    if (v.name == "critical" && --left == 0) return v;
  throw InputError("", fmt::format("formula '{}' gives no critical load number {}", check.formula, check.value),
                   "ask for more with modes = ..., or choose another formula");
}

theory::FormulaValue value_of(const StudySpec& spec, const HandCheckSpec& check) {
  const auto& formula = theory::formula_named(check.formula);
  auto numbers = inputs_from_study(spec, formula, check);
  for (const auto& [name, value] : check.numbers) numbers[name] = value;
  for (const auto& input : formula.inputs)
    if (input.name == "modes" && check.numbers.count("modes") == 0) numbers["modes"] = check.value;
  return critical_of(theory::evaluate(formula, numbers, check.words), check);
}
}  // namespace

std::map<std::string, double> inputs_from_study(const StudySpec& spec, const theory::Formula& formula,
                                                const HandCheckSpec& check) {
  std::map<std::string, double> numbers;
  const auto takes = [&](const std::string& name) {
    return std::any_of(formula.inputs.begin(), formula.inputs.end(), [&](const auto& i) { return i.name == name; });
  };
  if (!check.material.empty()) {
    const auto& m = named(spec.materials, check.material, "material").material;
    if (takes("youngs_modulus")) numbers["youngs_modulus"] = m.youngs_modulus;
    if (takes("poisson_ratio")) numbers["poisson_ratio"] = m.poisson_ratio;
  }
  if (check.profile.empty()) return numbers;
  const auto& p = named(spec.profiles, check.profile, "profile");
  const auto section = p.shape == "polyline" ? theory::thin_walled_properties(p.walls)
                                             : theory::section_properties(p.shape, p.dimensions);
  for (const auto& input : formula.inputs)
    if (const double value = of_section(section, input.name, check.about); std::isfinite(value))
      numbers[input.name] = value;
  return numbers;
}

std::vector<base::Complaint> hand_check_complaints(const StudySpec& spec) {
  std::vector<base::Complaint> list;
  for (const auto& check : spec.hand_checks) {
    try {
      const AnalysisSpec* of = spec.find_analysis(check.of);
      if (of == nullptr || of->kind != AnalysisKind::lba)
        throw InputError("", fmt::format("a hand check goes with '{}', which is not a buckling analysis", check.of),
                         "name an LBA with of = \"...\"");
      const auto unit = value_of(spec, check).unit;
      const bool is_force = unit.force == 1 && unit.length == 0, is_factor = unit.force == 0 && unit.length == 0;
      if (!(check.at_factor_one > 0) && !is_force && !is_factor)
        throw InputError("",
                         fmt::format("formula '{}' gives {}, and nothing says how large that is at load factor 1",
                                     check.formula, theory::unit_text(unit, spec.units.force, spec.units.length)),
                         "add at_factor_one = ...");
    } catch (const InputError& error) {
      for (const auto& c : error.complaints()) list.push_back(check.place.complaint(c.problem, c.remedy));
    }
  }
  return list;
}

std::vector<HandCheck> hand_checks(const StudyResult& result) {
  std::vector<HandCheck> list;
  for (const auto& check : result.spec.hand_checks) {
    const auto* outcome = result.find(check.of);
    if (outcome == nullptr || !outcome->buckling || static_cast<int>(outcome->buckling->modes.size()) < check.mode)
      continue;
    HandCheck h;
    h.spec = check;
    const auto& formula = theory::formula_named(check.formula);
    h.title = formula.title;
    h.assumes = formula.assumes;
    const auto value = value_of(result.spec, check);
    h.value = value.value;
    h.unit = theory::unit_text(value.unit, result.spec.units.force, result.spec.units.length);
    const bool is_factor = value.unit.force == 0 && value.unit.length == 0;
    const double one = check.at_factor_one > 0 ? check.at_factor_one
                       : is_factor             ? 1.0
                                               : outcome->growing_total.force.norm();
    h.load_factor = value.value / one;
    h.deviation = outcome->buckling->modes[static_cast<std::size_t>(check.mode - 1)].load_factor / h.load_factor - 1;
    list.push_back(std::move(h));
  }
  return list;
}

}  // namespace archway::study
