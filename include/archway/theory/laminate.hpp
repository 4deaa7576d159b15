#pragma once
#include <vector>

#include <Eigen/Core>

/// Classical theory of laminated plates, with transverse shear.
namespace archway::theory {

/// One unidirectional or woven layer, linear elastic.
struct Ply {
  double youngs_along = 0, youngs_across = 0;       ///< in the directions of and across the fibres, force / length^2
  double poisson_ratio = 0;                         ///< nu12: contraction across for stress along
  double shear_12 = 0, shear_13 = 0, shear_23 = 0;  ///< in the plane, along-normal, across-normal, force / length^2
  double thickness = 0;
  double angle_degrees = 0;  ///< from axis 1 of the laminate to the fibres, about the normal
  double density = 0;
  /// Strengths in size, force / length^2: along the fibres in tension and in compression, across them, and in shear; 0:
  /// not given.
  double along_tension = 0, along_compression = 0, across_tension = 0, across_compression = 0, strength_shear = 0;
  bool has_strengths() const { return along_tension > 0; }
};

/// How near a ply is to its first failure: 1 means it fails. Both grow in proportion to the stresses.
struct PlyUse {
  double stress_along = 0, stress_across = 0, stress_shear = 0;  ///< in the axes of the ply
  double largest_stress = 0;  ///< the largest share of a strength by a stress: criterion of maximum stress
  double tsai_hill = 0;  ///< root of s1^2/X^2 - s1 s2/X^2 + s2^2/Y^2 + t^2/S^2, strengths by the sign of the stress
};

/// Forces (11 22 12) = membrane x strain + coupling x curvature, moments = coupling x strain + bending x curvature,
/// shear forces (13 23) = shear x shear strain, in the axes of the laminate, about its middle surface.
struct LaminateStiffness {
  Eigen::Matrix3d membrane = Eigen::Matrix3d::Zero(), coupling = Eigen::Matrix3d::Zero(),
                  bending = Eigen::Matrix3d::Zero();  ///< force / length, force, force length: A, B, D
  Eigen::Matrix2d shear = Eigen::Matrix2d::Zero();    ///< 5/6 of the sum over the plies, force / length
  double thickness = 0;
  double density = 0;  ///< mean, mass / length^3
  /// The same in axes rotated by this angle (radians) against those of the laminate.
  LaminateStiffness in_axes_rotated(double angle) const;
};

/// Stiffness of plies laid from the bottom (against the normal) to the top. Source: [Reddy2004] ch. 3.
/// \throws base::InputError naming the ply (from 1) whose thickness or stiffness is not positive, or whose Poisson
/// ratio
///         leaves it without a positive stiffness
LaminateStiffness laminate_stiffness(const std::vector<Ply>& plies);

/// The more used of the two faces of every ply of a wall under forces (11 22 12) and moments per length. Plies without
/// strengths have stresses only. Source: [Reddy2004] ch. 2 and 3. \param rotation  of axis 1 of the laminate from axis
/// 1 of the forces, about the normal, radians
std::vector<PlyUse> ply_use(const std::vector<Ply>& plies, const Eigen::Vector3d& force, const Eigen::Vector3d& moment,
                            double rotation);

}  // namespace archway::theory
