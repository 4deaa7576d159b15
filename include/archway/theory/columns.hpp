#pragma once
#include <string>
#include <vector>

/// Columns and portal frames by the differential equation of bending with axial force.
namespace archway::theory {

/// How an end of a line is restrained: `fixed` holds place and rotation, `pinned` the place, `guided` the rotation,
/// `free` neither.
enum class LineEnd { fixed, pinned, guided, free };

/// A straight column that may be stepped, tapered, sprung and bedded; first piece at the start. Plane bending, loads
/// keep their direction. Any consistent units.
struct Column {
  struct Piece {
    double length = 0;
    double bending_start = 0;  ///< E I at its start, force length^2
    double bending_end = 0;    ///< E I at its end; 0: the same
    double taper_power = 1;    ///< E I = (root interpolated linearly) ^ power; 4 for a cone of solid round section
    double axial = 0;          ///< compression at load factor 1, force; at its end
    double axial_spread = 0;   ///< and so much more per length towards its start (own weight)
    double held_axial = 0;     ///< compression that does not grow
  };
  std::vector<Piece> pieces;
  LineEnd start = LineEnd::pinned, end = LineEnd::pinned;
  double start_rotational_stiffness = 0, end_rotational_stiffness = 0;  ///< springs, force length
  double end_sideways = 0;                                              ///< spring, force / length
  std::vector<double> joint_sideways;  ///< springs where pieces meet, force / length; empty: none
  double bed = 0;                      ///< force / length^2
  /// G A_s, force; 0: no shear deformation. The axial force stays normal to the section as that rotates
  /// ([Haringx1948]); not together with springs where pieces meet.
  double shear_rigidity = 0;
};

/// Lowest critical load factors, rising: K w + f G w = 0 solved with functions of degree 11 on every half piece; ten
/// digits for prismatic pieces. Source: [TimoshenkoGere1961] ch. 2 (equation), [BazantCedolin2010] ch. 2.
/// \throws base::InputError when a length or stiffness is not positive, when nothing supports the column, or when the
///         constant part makes it unstable
std::vector<double> column_factors(const Column& column, int count);

/// A single-storey, single-bay frame with the same load on both columns: the whole problem is one column whose end is
/// reversed by the beam (6 E I / L where the frame sways, 2 E I / L where it does not and bends symmetrically).
/// Inextensible members. Source: [TimoshenkoGere1961] ch. 2.
struct Portal {
  double column_bending = 0, beam_bending = 0;  ///< E I, force length^2
  double height = 0, span = 0;
  bool fixed_bases = false, sways = true;
};
double portal_load(const Portal& portal);  ///< on each column

/// Torsional and flexural-torsional buckling of a straight prismatic column with forks at both ends (no twist, free to
/// warp), loaded through the centroid: the three critical loads, rising. \param half_waves  along the length
/// Source: [TimoshenkoGere1961] ch. 5; [Vlasov1961].
struct TorsionalColumn {
  double youngs_modulus = 0, shear_modulus = 0, length = 0;
  double area = 0, second_moment_y = 0, second_moment_z = 0, product_moment = 0, torsion_constant = 0,
         warping_constant = 0;
  double shear_centre_y = 0, shear_centre_z = 0;  ///< from the centroid
};
std::vector<double> flexural_torsional_loads(const TorsionalColumn& column, int half_waves = 1);

}  // namespace archway::theory
