#pragma once

/// Lateral-torsional buckling of straight beams with a web plane of symmetry.
namespace archway::theory {

/// How a beam is restrained against lateral displacement and twist.
enum class BeamEnds {
  forks,          ///< both ends: no sideways displacement, no twist, free to rotate sideways and to warp
  forks_no_warp,  ///< forks that stop warping
  fixed,          ///< both ends: also no sideways rotation, no warping
  cantilever      ///< start fixed with warping stopped, end free
};

/// What bends it. A moment is positive where it compresses the upper flange; forces act downwards.
enum class BeamLoading {
  moments,  ///< 1 at the start, `end_ratio` at the end, along a straight line
  uniform,  ///< line load 1
  point     ///< force 1 at mid-span, or at the tip of a cantilever
};

struct LateralBeam {
  double length = 0;
  double lateral_bending = 0;  ///< E Iz, force length^2
  double torsion = 0;          ///< G It, force length^2
  double warping = 0;          ///< E Iw, force length^4; 0 for narrow rectangles
  double monosymmetry = 0;     ///< integral z (y^2 + z^2) / Iy - 2 zs, z upwards, length; below zero: large top flange
  double load_height = 0;      ///< of line and point loads above the shear centre, length
  double end_ratio = 1;
  BeamEnds ends = BeamEnds::forks;
  BeamLoading loading = BeamLoading::moments;
};

/// Critical size of what bends the beam: moment, line load or force. Energy with sideways displacement and twist as
/// functions of degree 11 on eight pieces, so that the kink under a point load costs nothing; bending before buckling
/// omitted. Source: [TimoshenkoGere1961] ch. 6 (equations); [Vlasov1961] (monosymmetry).
/// \throws base::InputError when a length or stiffness is not positive, or when the load never buckles the beam
double lateral_buckling(const LateralBeam& beam);

}  // namespace archway::theory
