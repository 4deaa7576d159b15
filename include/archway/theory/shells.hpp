#pragma once
#include <optional>
#include <vector>

/// Cylinders, cones, spheres, rings and arches: classical critical loads of the perfect shape.
namespace archway::theory {

/// Which strains of the middle surface are used.
enum class ShellTheory {
  sanders,  ///< [Sanders1959], [Koiter1960]: right for few and many waves around
  donnell   ///< [Donnell1933]: too stiff for fewer than about five waves around
};

/// Circular cylinder whose ends stay round but are free to move axially and to rotate (v = w = 0). Uniform membrane
/// stresses before buckling. Any consistent units.
struct Cylinder {
  double youngs_modulus = 0, poisson_ratio = 0, radius = 0, thickness = 0, length = 0;
  ShellTheory theory = ShellTheory::sanders;
};

/// What presses or twists it.
enum class CylinderLoad {
  axial,               ///< force per length of the rim
  lateral_pressure,    ///< from outside on the wall, rotations with it
  all_round_pressure,  ///< also on the ends
  torsion              ///< shear force per length
};

/// A critical load with its waves.
struct ShellMode {
  double load = 0;
  int along = 0;   ///< half waves along; 0: a shape with many (torsion)
  int around = 0;  ///< full waves around
};

/// Lowest critical loads, rising. Axial load and pressure: every number of waves is tried in the 3 x 3 problem of
/// displacements sin and cos; torsion: 40 terms along for every number of waves around. \param fixed_direction pressure
/// that keeps its direction instead of rotation with the wall
/// \throws base::InputError when a size is not positive
std::vector<ShellMode> cylinder_modes(const Cylinder& cylinder, CylinderLoad load, int count,
                                      bool fixed_direction = false);

/// Largest axial force per length at which a cylinder in pure bending buckles, Donnell's equations, waves around
/// coupled by the cosine of the stress. The moment is that times pi radius^2. Source: [Seide1961].
ShellMode cylinder_bending(const Cylinder& cylinder);

/// Truncated cone, simply supported; half_angle_degrees between axis and wall.
struct Cone {
  double youngs_modulus = 0, poisson_ratio = 0, thickness = 0, half_angle_degrees = 0;
  double small_radius = 0, large_radius = 0;
};
/// Axial force: 2 pi E t^2 cos^2(angle) / sqrt(3 (1 - nu^2)), wherever the rims are. Source: [Seide1956].
double cone_axial_force(const Cone& cone);
/// Moment at the small end that brings the same stress there: pi r E t^2 cos^2(angle) / sqrt(3 (1 - nu^2)). Source:
/// [NASA-SP8019].
double cone_moment(const Cone& cone);
/// Outside pressure on all sides, by the cylinder that is as long as the cone's side and has its mean radius of
/// curvature. Source: [NASA-SP8019]. \throws base::InputError when a size is not positive
ShellMode cone_pressure(const Cone& cone);

/// External pressure on a complete sphere: 2 E (t / R)^2 / sqrt(3 (1 - nu^2)). Source: [TimoshenkoGere1961] ch. 11.
double sphere_pressure(double youngs_modulus, double poisson_ratio, double radius, double thickness);

/// Pressure per length on a circular arch that rotates with it, inextensible, displacement before buckling omitted:
/// (k^2 - 1) E I / R^3 with k = pi / a for hinged ends, k tan a cot k a = 1 for fixed ends, 2 a the opening angle.
/// Source: [TimoshenkoGere1961] ch. 7.
double arch_pressure(double bending_rigidity, double radius, double opening_degrees, bool fixed_ends);

}  // namespace archway::theory
