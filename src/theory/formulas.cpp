#include "archway/theory/formulas.hpp"

#include <cmath>

namespace archway::theory {

namespace {
constexpr double kPi_formulas = 3.14159265358979323846;
}

double euler_load(double youngs_modulus, double second_moment, double length, double length_factor) {
  const double buckling_length = length_factor * length;
  return kPi_formulas * kPi_formulas * youngs_modulus * second_moment / (buckling_length * buckling_length);
}

double haringx_load(double euler, double shear_rigidity) {
  // positive root of P^2 / GAs + P - PE = 0, written without cancellation
  return 2 * euler / (1 + std::sqrt(1 + 4 * euler / shear_rigidity));
}

double plate_load(double coefficient, double youngs_modulus, double poisson_ratio, double thickness, double width) {
  const double d = youngs_modulus * thickness * thickness * thickness / (12 * (1 - poisson_ratio * poisson_ratio));
  return coefficient * kPi_formulas * kPi_formulas * d / (width * width);
}

double cylinder_axial_load(double youngs_modulus, double poisson_ratio, double radius, double thickness) {
  return youngs_modulus * thickness * thickness / (radius * std::sqrt(3 * (1 - poisson_ratio * poisson_ratio)));
}

double ring_pressure(double bending_rigidity, double radius, bool follows) {
  return (follows ? 3.0 : 4.0) * bending_rigidity / (radius * radius * radius);
}

}  // namespace archway::theory
