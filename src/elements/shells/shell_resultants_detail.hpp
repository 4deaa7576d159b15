#pragma once
#include "shells/shell_kinematics_detail.hpp"

/// Strains and resultants of the whole four-node shell element, and the forces and stiffness that come of them.
namespace archway::elements::shell_detail {

/// Strains of the whole element in a state, or by linear theory from the reference.
struct Strains {
  std::array<Vector3d, 4> membrane, bending;  // local axes at the Gauss points, enhancement included in membrane
  std::array<Vector2d, 4> shear;
  std::array<double, 4> drilling{};
  double drilling_middle = 0;
};

struct Kinematics {
  Corners corners;
  std::array<Sample, 4> samples;
  std::array<Rows3, 4> membrane, bending;  // local axes
  Rows4 ties;
  std::array<Row, 4> drilling;
  Row drilling_middle;
};

Kinematics kinematics(const Data& data, const State& state);
/// \param enhanced  false: the enhanced modes are left to what comes after
Strains finite_strains(const Data& data, const Kinematics& k, double free_strain, bool enhanced = true);
/// Of a small displacement (full) from the state of the kinematics.
Strains linear_strains(const Data& data, const Kinematics& k, const Eigen::VectorXd& u, double free_strain,
                       bool enhanced = true);
Strains operator+(Strains a, const Strains& b);
/// Strains for the stiffness, see StressSource.
Strains foreseen_strains(const Data& data, const StressSource& source, bool enhanced = true);

/// Stress resultants at the Gauss points, times area.
struct Resultants {
  std::array<Vector3d, 4> membrane, bending;
  std::array<Vector2d, 4> shear;
  std::array<double, 4> drilling{};
  double drilling_middle = 0;
};

/// Of an elastic wall.
Resultants resultants(const Data& data, const Strains& e);

/// Half of strains times resultants. \param plane  false: of shear and drilling alone
double stored_in(const Strains& e, const Resultants& s, bool plane);

Vec24 internal_force(const Data& data, const Kinematics& k, const Resultants& s);
/// \param plane  stiffness of the wall in its plane, times thickness; zero: shear and drilling alone
void add_material(const Data& data, const Kinematics& k, const Matrix3d& plane, Eigen::Map<Mat24>& out);
void add_geometric(const Data& data, const Kinematics& k, const Resultants& s, Eigen::Map<Mat24>& out);

/// From the middle surface to nodes that lie off it. \param s  stresses of the stiffness, nullptr: no matrices
void bring_to_corners(const Data& data, const Kinematics& k, const Resultants* s, double* force, double* tangent,
                      double* geometric);

/// Writes what is wanted of an element, brought to nodes that lie off the middle surface.
/// \param own  resultants of the state \param stiffening  those of the geometric stiffness; called when it is wanted
/// \param material  adds the material stiffness
template <class Stiffening, class Material>
void write_outputs(const Data& data, const Kinematics& k, const Resultants& own, const Stiffening& stiffening,
                   const Material& material, double* force, double* tangent, double* geometric) {
  if (force != nullptr) {
    Eigen::Map<Vec24> out(force);
    out = internal_force(data, k, own);
  }
  if (geometric == nullptr && tangent == nullptr) {
    if (data.offset != 0.0) bring_to_corners(data, k, nullptr, force, nullptr, nullptr);
    return;
  }
  const Resultants s = stiffening();
  for (double* matrix : {geometric, tangent}) {
    if (matrix == nullptr) continue;
    Eigen::Map<Mat24> out(matrix);
    out.setZero();
    if (matrix == tangent) material(out);
    add_geometric(data, k, s, out);
  }
  if (data.offset != 0.0) bring_to_corners(data, k, &s, force, tangent, geometric);
}

// ---- walls whose layers remember (shell_layers.cpp) ----

/// Numbers that an element with such a wall remembers.
std::size_t memory_of(const Data& data);
void start_memory_of(const Data& data, double* memory);
/// \param before, after  memory of the element \return false: the inner unknowns were not found
bool evaluate_layers(const Data& data, const State& state, const double* before, double* after,
                     const StressSource& source, double* force, double* tangent, double* geometric);
/// See ShellBatch::whole_tangent.
Eigen::Matrix<double, 28, 28> whole_of_layers(const Data& data, const State& state, const double* before);
/// See Batch::energy.
material::Energy energy_of_layers(const Data& data, const State& state, const double* memory);
/// Means of the four points; the faces are layers.
/// \param faces  see ShellKind::stress
ShellStress stress_of_layers(const Data& data, const State& state, const double* before,
                             std::vector<FaceStress>* faces);

}  // namespace archway::elements::shell_detail
