#pragma once
#include <Eigen/Dense>

#include "archway/elements/batch.hpp"

namespace archway::elements {

/// Internal forces of a section in its own axes: axial force (tension positive), shear along y and z, torque, moments
/// about y and z.
struct SectionForces {
  double axial = 0, shear_y = 0, shear_z = 0, torque = 0, moment_y = 0, moment_z = 0;
};

/// Geometrically exact, shear-flexible spatial beam ([Reissner1981], [Simo1985]): strains are R^T x' and the rate of
/// rotation, so large displacements and rotations need no corotated frame. Two ends and two inner nodes carry a cubic
/// line and a cubic, normalised quaternion field ([Romero2004]: objective and independent of the path); three Gauss
/// points leave it free of shear and membrane locking. Axial strain carries the Wagner term kappa1^2 (Iy + Iz) / 2A, so
/// columns buckle in torsion too. Shear under axial load follows Haringx. Not covered: sections whose centroid and
/// shear centre differ, restrained warping.
class BeamBatch final : public Batch {
 public:
  explicit BeamBatch(const model::Model& model);
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return 4; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  [[nodiscard]] base::Verdict evaluate(const State& state, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;

  /// Section forces at the three Gauss points, where they are most accurate. \param linear see StressSource::linear
  std::array<SectionForces, 3> section_forces(const State& state, int element, const Eigen::VectorXd* linear) const;
  /// Places of the Gauss points along an element, 0 to 1.
  static const std::array<double, 3>& gauss_places();
  /// Section axes (columns: along, y, z) in the reference state at the middle of an element.
  Mat3 axes(int element) const;

  using Vec6 = Eigen::Matrix<double, 6, 1>;
  struct GaussPoint {
    std::array<double, 4> n{}, dn{};  // shape functions and their derivatives by reference length
    double weight = 0;                // times reference length
    Vec6 reference_strain = Vec6::Zero();
  };
  struct Data {
    std::array<int, 4> nodes{};
    std::array<Eigen::Quaterniond, 4> axes;  // section axes at the nodes in the reference state
    std::array<GaussPoint, 3> points;
    Vec6 stiffness = Vec6::Zero();  // EA, GAy, GAz, GJ, EIy, EIz
    double wagner = 0;              // (Iy + Iz) / A
  };

 private:
  std::vector<Data> data_;
};

/// Cubic shape functions through the nodes of a line element and their derivatives at place s in [0, 1].
struct LineShape {
  std::array<double, 4> n{}, dn{};
};
LineShape line_shape(double s);

}  // namespace archway::elements
