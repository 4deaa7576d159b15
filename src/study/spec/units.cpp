#include "archway/study/units.hpp"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::study {

namespace {
const std::map<std::string, double> kForces = {{"N", 1}, {"kN", 1e3}, {"MN", 1e6}};
const std::map<std::string, double> kLengths = {{"mm", 1e-3}, {"cm", 1e-2}, {"m", 1}};

double value_of(const std::map<std::string, double>& table, const std::string& name,
                const std::vector<std::string>& names, const char* what) {
  const auto entry = table.find(name);
  if (entry == table.end())
    throw base::InputError("", fmt::format("unknown {} unit '{}'", what, name),
                           fmt::format("use one of: {}", fmt::join(names, ", ")));
  return entry->second;
}
}  // namespace

const std::vector<std::string>& force_names() {
  static const std::vector<std::string> names = {"N", "kN", "MN"};
  return names;
}
const std::vector<std::string>& length_names() {
  static const std::vector<std::string> names = {"mm", "cm", "m"};
  return names;
}

std::string Units::mass() const {
  const double kilograms = newtons / metres;
  if (kilograms == 1) return "kg";
  if (std::abs(kilograms / 1e3 - 1) < 1e-12) return "t";
  return force + ".s^2/" + length;
}

double Units::to_kg_per_m3(double density) const {
  return density * (newtons / metres) / (metres * metres * metres);
}

Units units_of(const std::string& force, const std::string& length) {
  Units units;
  units.force = force;
  units.length = length;
  units.newtons = value_of(kForces, force, force_names(), "force");
  units.metres = value_of(kLengths, length, length_names(), "length");
  return units;
}

}  // namespace archway::study
