#pragma once
#include <Eigen/Core>

/// What elements give back of their stresses. Apart from the elements, so that results can be read without them.
namespace archway::elements {

/// Internal forces of a section in its own axes, about its centroid: axial force (tension positive), shear along y and
/// z, torque, moments about y and z; bimoment (0 where warping is no degree of freedom).
struct SectionForces {
  double axial = 0, shear_y = 0, shear_z = 0, torque = 0, moment_y = 0, moment_z = 0, bimoment = 0;
};

/// Stress resultants and stresses at the middle of a shell element, in its local axes (1 along the mean of the first
/// and third edge, 3 the normal). Forces and moments per length; stress at the faces along +3 (top) and -3 (bottom).
struct ShellStress {
  Eigen::Vector3d membrane = Eigen::Vector3d::Zero();  ///< N11 N22 N12
  Eigen::Vector3d moment = Eigen::Vector3d::Zero();    ///< M11 M22 M12, positive: tension at the top
  Eigen::Vector2d shear = Eigen::Vector2d::Zero();     ///< Q1 Q2
  Eigen::Vector3d top = Eigen::Vector3d::Zero();       ///< s11 s22 s12
  Eigen::Vector3d bottom = Eigen::Vector3d::Zero();
};
/// Stresses at the two faces over one integration point of a shell, s11 s22 s12 in local axes of that point.
struct FaceStress {
  Eigen::Vector3d top = Eigen::Vector3d::Zero(), bottom = Eigen::Vector3d::Zero();
};
/// The same where the wall is elastic, from forces and moments per length at the point.
FaceStress face_stress(const Eigen::Vector3d& membrane, const Eigen::Vector3d& moment, double t);
/// Stresses from forces and moments per length of a shell of thickness t.
ShellStress shell_stress(const Eigen::Vector3d& membrane, const Eigen::Vector3d& moment, const Eigen::Vector2d& shear,
                         double t);
/// von Mises equivalent of a plane stress.
double equivalent_stress(const Eigen::Vector3d& plane_stress);

/// Stress in global axes: s11 s22 s33 s12 s23 s13 (second Piola-Kirchhoff; the usual stress where strains are small).
using SolidStress = Eigen::Matrix<double, 6, 1>;
double equivalent_stress(const SolidStress& stress);

/// Force and moment totals of nodal loads about a point.
struct Resultant {
  Eigen::Vector3d force = Eigen::Vector3d::Zero(), moment = Eigen::Vector3d::Zero();
};

}  // namespace archway::elements
