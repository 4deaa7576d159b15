#pragma once
#include <optional>
#include <string>

#include "archway/study/units.hpp"

namespace archway::study {

/// Exponents of a physical dimension in the base quantities of a study.
struct Dimension {
  int force = 0, length = 0, time = 0, temperature = 0, angle = 0;
  bool operator==(const Dimension& other) const {
    return force == other.force && length == other.length && time == other.time && temperature == other.temperature &&
           angle == other.angle;
  }
  bool operator!=(const Dimension& other) const { return !(*this == other); }
  bool is_plain() const { return *this == Dimension{}; }
};

/// A number with its unit, converted to the units of a study; angles to degrees, ratios from per cent.
struct Quantity {
  double value = 0;
  Dimension dimension;
};

/// Whether a text is a number followed by a unit ("75 kN", "235 N/mm2", "5 %") and no expression.
bool has_unit(const std::string& text);

/// Reads a number with its unit. Units: N kN MN; mm cm m km; g kg t; Pa kPa MPa GPa; ms s; K, °C as a difference; deg,
/// rad; %; products with "." or "*", quotients with "/", exponents with "^" or a digit behind the unit (N/mm2).
/// Conversion is by powers of ten, so that decimal numbers keep their digits.
/// \throws base::InputError when a unit is not known
Quantity quantity(const std::string& text, const Units& units);

/// The dimension that a declared unit means ("force/length^2", "degrees", "" for none). \returns nothing when the
/// declaration names several, which depend on other keys
std::optional<Dimension> dimension_of(const std::string& declared);

/// "force/length^2" in the units of a study, "N/mm^2", for messages.
std::string unit_text(const std::string& declared, const Units& units);

}  // namespace archway::study
