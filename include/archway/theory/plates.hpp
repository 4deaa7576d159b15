#pragma once
#include <array>
#include <vector>

/// Flat rectangular plates by classical theory (no shear deformation), in compression and sheared in their plane.
namespace archway::theory {

enum class PlateEdge { supported, clamped, free };

/// Length a along x (the direction of the main compression), width b along y. Forces per length are positive in
/// compression. Any consistent units.
struct Plate {
  double length = 0, width = 0;
  /// Bending stiffnesses D11, D12, D22, D66, D16, D26, force length; of an isotropic plate: see isotropic_bending.
  std::array<double, 6> bending{};
  std::array<PlateEdge, 4> edges{};           ///< x = 0, x = a, y = 0, y = b
  double restraint_y0 = 0, restraint_yb = 0;  ///< rotational springs along the edges, force length / length
  double along = 1;                           ///< variable force per length along x, at y = 0
  double along_variation = 0;                 ///< along (1 - variation y / b): 0 uniform, 1 triangular, 2 pure bending
  double across = 0, shear = 0;               ///< growing, uniform
  double constant_along = 0, constant_across = 0, constant_shear = 0;  ///< not growing
};
std::array<double, 6> isotropic_bending(double youngs_modulus, double poisson_ratio, double thickness);

/// Lowest critical factors, rising: Ritz products of polynomials, as many as the length asks for; six digits or better
/// for lengths up to five times the width. Source: [TimoshenkoGere1961] ch. 8 and 9 (energy).
/// \throws base::InputError when a length or stiffness is not positive, or when the constant load makes the plate
/// unstable
std::vector<double> plate_factors(const Plate& plate, int count);

}  // namespace archway::theory
