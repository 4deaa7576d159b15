#pragma once
#include "archway/analysis/vocabulary.hpp"
#include "archway/elements/internal_forces.hpp"

namespace archway::analysis {

/// Stress in global axes: s11 s22 s33 s12 s23 s13.
using Stress = elements::SolidStress;

/// Principal stresses, the largest (most tension) first.
std::array<double, 3> principal_stresses(const Stress& stress);

/// Section forces of one beam element at its three Gauss points.
struct MemberForces {
  int element = -1;
  std::array<elements::SectionForces, 3> points;
};

/// What the elements carry in a linear analysis.
struct ElementForces {
  std::vector<MemberForces> member_forces;
  std::vector<elements::ShellStress> shell_stresses;  ///< one a shell element
  /// At the integration points of all shell elements one after the other, as many a shell element as it has nodes.
  std::vector<elements::FaceStress> shell_faces;
  std::vector<double> bar_forces;                                  ///< axial, one a bar; 0 in slack ones
  std::vector<std::array<double, 6>> spring_forces;                ///< along and about the axes of each spring
  std::vector<std::vector<elements::SolidStress>> solid_stresses;  ///< at the corners of each solid
  std::vector<elements::SolidStress> solid_points;  ///< at the 27 points of all twenty-node solids in their order
};

/// Forces and stresses by linear theory under the actions times factors. \param displacement  full
/// \param slack  bars omitted, one entry a bar
ElementForces recover_forces(const System& system, const std::vector<double>& factors,
                             const Eigen::VectorXd& displacement, const std::vector<char>& slack);

/// What a small displacement from a state adds, elastic, in the geometry of the state.
ElementForces added_forces(const System& system, const State& state, const Eigen::VectorXd& displacement);

/// The same of a state reached with large displacements, exact.
/// \param factors  of the actions in place, for their temperatures
/// \param memory  of the points after the state; nullptr: virgin
ElementForces forces_at(const System& system, const std::vector<double>& factors, const State& state,
                        const elements::Memory* memory = nullptr);

/// The largest of everything in one part.
struct PartPeak {
  bool is_line = false;                  ///< members and bars
  double axial_low = 0, axial_high = 0;  ///< tension positive
  /// Members: largest sizes, about and along the section's axes.
  double moment_y = 0, moment_z = 0, shear = 0, torque = 0, bimoment = 0;
  /// Members: largest compression over the area of the section there, and that section; 0 and -1: nowhere compressed.
  double compressive_stress = 0;
  int compressed_profile = -1;
  /// Largest equivalent stress: of the two faces of a panel over its integration points, at the corners and integration
  /// points of a solid; of a member and a bar the stress along it, see section_stress: at both ends and in the middle
  /// of every element with the section at that place, shear and torsion omitted.
  double stress = 0;
  Vec3 place = Vec3::Zero();  ///< of that stress: the middle of the element
  double yield = 0;           ///< of the material; 0: not given
  double utilisation() const { return yield > 0 ? stress / yield : 0.0; }
};
/// Residual stresses of members are omitted of stresses (what loads add), or counted (what first yields).
enum class Residual { left_out, counted };
/// One a part of the model.
std::vector<PartPeak> peaks_by_part(const model::Model& model, const ElementForces& forces,
                                    Residual residual = Residual::left_out);

/// a + factor x b, for two linear solutions of one model.
ElementForces sum_of(const ElementForces& a, double factor, const ElementForces& b);

/// Where and at what load factor held + f x growing first reaches the yield stress by linear theory.
struct FirstYield {
  double load_factor = 0;  ///< infinite: never, or no material has a yield stress; 0: under the constant part already
  int part = -1;
  Vec3 place = Vec3::Zero();
};
FirstYield first_yield(const model::Model& model, const ElementForces& held, const ElementForces& variable);

}  // namespace archway::analysis
