#include "archway/theory/knock_down.hpp"

#include <algorithm>
#include <cmath>
#include <string>

#include "archway/base/errors.hpp"

namespace archway::theory {

namespace {
constexpr double kPi_knock_down = 3.14159265358979323846;
double bound(double share, double slenderness) {
  return 1 - share * (1 - std::exp(-std::sqrt(slenderness) / 16));
}
double by_class(Fabrication quality) {
  return quality == Fabrication::excellent ? 0.75 : quality == Fabrication::high ? 0.65 : 0.5;
}
}  // namespace

double test_bound_axial(double radius_to_thickness) {
  return bound(0.901, radius_to_thickness);
}
double test_bound_bending(double radius_to_thickness) {
  return bound(0.731, radius_to_thickness);
}
double test_bound_cap(double lambda) {
  return std::min(1.0, 0.14 + 3.2 / (lambda * lambda));
}
double cap_lambda(double radius_to_thickness, double poisson_ratio, double half_angle_degrees) {
  return std::pow(12 * (1 - poisson_ratio * poisson_ratio), 0.25) * std::sqrt(radius_to_thickness) * 2 *
         std::sin(half_angle_degrees * kPi_knock_down / 360);
}

double axial_reduction(double amplitude_over_thickness) {
  return 0.62 / (1 + 1.91 * std::pow(amplitude_over_thickness, 1.44));
}

StandardShell standard_axial(double e, double r, double t, double l, Fabrication quality) {
  const double omega = l / std::sqrt(r * t);
  StandardShell out;
  double c = 1;
  if (omega <= 1.7) {
    out.range = "short";
    c = 1.36 - 1.83 / omega + 2.07 / (omega * omega);
  } else if (omega > 0.5 * r / t) {
    out.range = "long";
    const double ends = 1;  // C_xb of table D.1: at least one end held round only
    c = std::max(0.6, 1 + 0.2 / ends * (1 - 2 * omega * t / r));
  }
  out.critical_stress = 0.605 * e * c * t / r;
  const double q = quality == Fabrication::excellent ? 40 : quality == Fabrication::high ? 25 : 16;
  const double dent = std::sqrt(r / t) / q;  // characteristic imperfection over thickness
  out.reduction = axial_reduction(dent);
  return out;
}

StandardShell standard_pressure(double e, double r, double t, double l, Fabrication quality, RimPair rims) {
  const double omega = l / std::sqrt(r * t);
  const double c = rims == RimPair::clamped ? 1.5 : rims == RimPair::mixed ? 1.25 : 1.0;
  StandardShell out;
  out.reduction = by_class(quality);
  if (omega / c < 20) {
    out.range = "short";
    const double extra = rims == RimPair::clamped ? 10 / std::pow(omega, 2) - 5 / std::pow(omega, 3)
                         : rims == RimPair::mixed ? 8 / std::pow(omega, 2) - 4 / std::pow(omega, 3)
                                                  : 3 / std::pow(omega, 1.35);
    const double cs = (rims == RimPair::clamped ? 1.5 : rims == RimPair::mixed ? 1.25 : 1.0) + extra;
    out.critical_stress = 0.92 * e * cs / omega * t / r;
  } else if (omega / c > 1.63 * r / t) {
    out.range = "long";
    out.critical_stress = e * (t / r) * (t / r) * (0.275 + 2.03 * std::pow(c / omega * r / t, 4));
  } else {
    out.critical_stress = 0.92 * e * c / omega * t / r;
  }
  return out;
}

StandardShell standard_torsion(double e, double r, double t, double l, Fabrication quality) {
  const double omega = l / std::sqrt(r * t);
  StandardShell out;
  out.reduction = by_class(quality);
  double c = 1;
  if (omega < 10) {
    out.range = "short";
    c = std::sqrt(1 + 42 / std::pow(omega, 3));
  } else if (omega > 8.7 * r / t) {
    out.range = "long";
    c = std::sqrt(omega * t / r) / 3;
  }
  out.critical_stress = 0.75 * e * c * std::sqrt(1 / omega) * t / r;
  return out;
}

double column_reduction(double relative_slenderness, const char* curve) {
  static const std::pair<const char*, double> curves[] = {
      {"a0", 0.13}, {"a", 0.21}, {"b", 0.34}, {"c", 0.49}, {"d", 0.76}};
  for (const auto& [name, alpha] : curves) {
    if (std::string(name) != curve) continue;
    const double l = relative_slenderness;
    if (l <= 0.2) return 1;
    const double phi = 0.5 * (1 + alpha * (l - 0.2) + l * l);
    return std::min(1.0, 1 / (phi + std::sqrt(phi * phi - l * l)));
  }
  throw base::InputError("", std::string("there is no column curve '") + curve + "'", "choose a0, a, b, c or d");
}

}  // namespace archway::theory
