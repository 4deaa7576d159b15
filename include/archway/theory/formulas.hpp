#pragma once

namespace archway::theory {

/// Euler load of a straight, prismatic, elastic column: P = pi^2 E I / (k L)^2.
/// \param youngs_modulus  E, force / length^2, > 0
/// \param second_moment   I about the axis of bending, length^4, > 0
/// \param length          L between supports, length, > 0
/// \param length_factor   k: 1 pinned-pinned, 2 fixed-free, 0.5 fixed-fixed, 0.6992 fixed-pinned
/// \return P, force, positive in compression
/// Holds for: small deflections, no shear deformation, no imperfection.
/// Source: [TimoshenkoGere1961] ch. 2.
double euler_load(double youngs_modulus, double second_moment, double length, double length_factor);

/// Critical load of a shear-flexible column with the shear force taken on the rotated section: P (1 + P / GAs) = PE.
/// \param euler        PE, Euler load without shear, force
/// \param shear_rigidity  G As, force
/// \return P, force. Source: [Haringx1948]; [BazantCedolin2010] sec. 1.7. Our beam follows this form.
double haringx_load(double euler, double shear_rigidity);

/// Critical edge force per length of a long simply supported plate strip: N = k pi^2 D / b^2, D = E t^3 / 12 (1 -
/// nu^2). Source: [TimoshenkoGere1961] ch. 9. k = 4 for a simply supported plate whose length is a multiple of its
/// width.
double plate_load(double coefficient, double youngs_modulus, double poisson_ratio, double thickness, double width);

/// Classical critical axial force per circumference of a cylinder: N = E t^2 / (R sqrt(3 (1 - nu^2))).
/// Source: [TimoshenkoGere1961] ch. 11. Real shells collapse far below it.
double cylinder_axial_load(double youngs_modulus, double poisson_ratio, double radius, double thickness);

/// Critical pressure per unit length of a thin ring: q = c E I / R^3, c = 3 when the pressure rotates with the ring,
/// 4 when it keeps its direction. Source: [TimoshenkoGere1961] ch. 7; [BazantCedolin2010] sec. 4.3.
double ring_pressure(double bending_rigidity, double radius, bool follows);

}  // namespace archway::theory
