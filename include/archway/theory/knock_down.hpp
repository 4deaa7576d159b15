#pragma once

/// What public standards leave of the critical load of thin shells, and of slender columns.
namespace archway::theory {

/// Lower bound to tests of cylinders, 1 - c (1 - exp(-sqrt(R / t) / 16)), c = 0.901 axial and 0.731 bending; made for
/// R / t < 1500. Source: [NASA-SP8007].
double test_bound_axial(double radius_to_thickness);
double test_bound_bending(double radius_to_thickness);
/// Of clamped spherical caps under external pressure: 0.14 + 3.2 / lambda^2 for lambda > 2, at most 1. Source:
/// [NASA-SP8032].
double test_bound_cap(double lambda);
/// lambda = [12 (1 - nu^2)]^(1/4) sqrt(R / t) 2 sin(angle / 2), angle: half the opening.
double cap_lambda(double radius_to_thickness, double poisson_ratio, double half_angle_degrees);
/// Of truncated cones, axial, outside pressure and bending. Source: [NASA-SP8019].
constexpr double kTestBoundCone = 0.33, kTestBoundConePressure = 0.75, kTestBoundConeBending = 0.41;
/// Of cylinders under outside pressure and in torsion. Source: [NASA-SP8007].
constexpr double kTestBoundPressure = 0.75, kTestBoundTorsion = 0.67;

/// Quality of fabrication as EN 1993-1-6 classes it.
enum class Fabrication { excellent, high, normal };
/// Ends of a cylinder under outside pressure as EN 1993-1-6 table D.3 counts them: both clamped, one clamped and one
/// held round, both held round.
enum class RimPair { clamped, mixed, round };

/// Critical stress and elastic reduction of an unstiffened cylinder by EN 1993-1-6 annex D.
struct StandardShell {
  double critical_stress = 0;
  double reduction = 0;  ///< alpha: elastic imperfection reduction factor
  const char* range = "medium-length";
};
StandardShell standard_axial(double youngs_modulus, double radius, double thickness, double length,
                             Fabrication quality);
/// The same reduction by the amplitude itself: alpha = 0.62 / (1 + 1.91 (w / t)^1.44), annex D (D.14).
double axial_reduction(double amplitude_over_thickness);
StandardShell standard_pressure(double youngs_modulus, double radius, double thickness, double length,
                                Fabrication quality, RimPair rims);
StandardShell standard_torsion(double youngs_modulus, double radius, double thickness, double length,
                               Fabrication quality);

/// Flexural buckling of columns: chi(lambda) of EN 1993-1-1 6.3.1.2. \param curve "a0", "a", "b", "c" or "d"
/// \throws base::InputError for another curve
double column_reduction(double relative_slenderness, const char* curve);

}  // namespace archway::theory
