#pragma once
#include <Eigen/Geometry>

#include "archway/elements/batch.hpp"
#include "archway/elements/internal_forces.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/material/cross_section.hpp"

namespace archway::elements {

/// Geometrically exact, shear-flexible spatial beam ([Reissner1981], [Simo1985]): strains are R^T x' and the rate of
/// rotation, so large displacements and rotations need no corotated frame. Two ends and two inner nodes carry a cubic
/// line, a cubic, normalised quaternion field ([Romero2004]: objective and independent of the path) and, where the part
/// asks for it, a cubic amplitude of warping p; three Gauss points leave it free of shear and membrane locking.
///
/// The section: strain along the fibre at (y, z) is e + z k2 - y k3 - w p' + r^2 k1^2 / 2 with the sectorial coordinate
/// w and the distance r from the shear centre, integrated over the whole section ([SimoVuQuoc1991],
/// [GruttmannEtAl2000]), so bending axes and shear centre may lie apart, and the Wagner terms of unsymmetric sections
/// and of large twist are in. Shear acts at the shear centre. Twist and p are joined by the shear stiffness of warping,
/// G warping_shear, not by a penalty. Shear under axial load follows Haringx. A tapered member takes its section at
/// every Gauss point; the inclination of its walls is omitted.
///
/// Where the material flows, fibres of the section flow by their strain along the member; shear and St Venant torsion
/// stay elastic and do not bring flow nearer.
class BeamBatch final : public Batch {
 public:
  explicit BeamBatch(const model::Model& model);
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return 4; }
  int dofs_per_node() const override { return model::kNodeDofs; }
  bool uses(int element, int dof) const override {
    return dof != model::warp || data_[static_cast<std::size_t>(element)].warping;
  }
  int part(int element) const override { return data_[static_cast<std::size_t>(element)].part; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  material::Energy energy(const Trial& trial, int element) const override;
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;

  int rigid_count(int element) const override;
  std::size_t memory_size() const override { return memory_size_; }
  void start_memory(double* block) const override;
  FlowRecords flow_records(int element) const override;

  /// Section forces at the three Gauss points, where they are most accurate. \param linear see StressSource::linear
  std::array<SectionForces, 3> section_forces(const Trial& trial, int element, const Eigen::VectorXd* linear) const;
  /// Section axes (columns: along, y, z) in the reference state at the middle of an element.
  Mat3 axes(int element) const;

  using Vec6 = Eigen::Matrix<double, 6, 1>;
  /// Stiffness of a section: against (e, k2, k3, p', k1^2/2), against shear at the shear centre, and in torsion.
  struct Section {
    Eigen::Matrix<double, 5, 5> axial = Eigen::Matrix<double, 5, 5>::Zero();
    Eigen::Matrix2d shear = Eigen::Matrix2d::Zero();
    double torsion = 0, warping_shear = 0, centre_y = 0, centre_z = 0;
  };
  /// Combinations of the eight strains that a part keeps rigid, one a row, and their stiffness if it did not.
  struct Rigidity {
    Eigen::Matrix<double, Eigen::Dynamic, 8> rows;
    Eigen::VectorXd soft;
  };
  struct GaussPoint {
    std::array<double, 4> n{}, dn{};  // shape functions and their derivatives by reference length
    double weight = 0;                // times reference length
    Vec6 reference_strain = Vec6::Zero();
    Section section;
    std::shared_ptr<const material::CrossSection> fibres;  // that remember; nullptr: elastic
    std::shared_ptr<const Rigidity> rigid;                 // nullptr: nothing is
    std::size_t memory = 0;                                // where its memory begins, from that of its element
  };
  struct Data {
    std::array<int, 4> nodes{};
    std::array<Eigen::Quaterniond, 4> axes;  // section axes at the nodes in the reference state
    std::array<GaussPoint, 3> points;
    std::array<Vec3, 4> arms;  // from nodes to centroids in the reference state
    int part = -1;
    bool warping = false, has_arms = false;
    std::size_t memory = 0, memory_size = 0;
  };

 private:
  std::size_t memory_size_ = 0;
  int rigid_rows_ = 0;
  std::vector<Data> data_;
};

}  // namespace archway::elements
