#pragma once
#include <Eigen/Geometry>

#include "archway/elements/batch.hpp"
#include "archway/elements/internal_forces.hpp"
#include "archway/material/wall.hpp"

namespace archway::elements {

/// What every shell element offers besides its batch.
class ShellKind : public Batch {
 public:
  /// Stresses at the middle of an element. \param linear see StressSource::linear
  /// \param faces  gets the stresses of all integration points in plane, as many as the element has nodes, behind what
  /// it holds; nullptr: not wanted
  virtual ShellStress stress(const Trial& trial, int element, const Eigen::VectorXd* linear,
                             std::vector<FaceStress>* faces) const = 0;
  /// Local axes at the middle of an element in the reference state, columns 1, 2, 3.
  virtual Mat3 axes(int element) const = 0;
};

/// Four-node shell with six degrees of freedom a node, total Lagrangian, Green strains, directors carried by nodal
/// rotation tensors (no small-angle step anywhere).
///  - transverse shear tied at the mid-edges ([DvorkinBathe1984]); the stiffness of its mean over the element is
///  reduced by
///    the residual bending flexibility h^2 / 12 D ([MacNeal1978]), which makes a strip of elements as good as cubic
///    beams; what varies about the mean keeps the full stiffness, so that edges whose twist is free do not soften;
///  - membrane with four enhanced modes, linear in the natural coordinates ([SimoRifai1990]); with a linear material
///  they
///    are eliminated exactly, so no state is kept and inertia counts are right;
///  - drilling: the in-plane rotation of the material at the middle of the element is tied to the mean of the nodal
///  rotations with
///    the shear modulus as stiffness ([HughesBrezzi1989]), and the remaining patterns weakly (kDrillingRest).
class ShellBatch final : public ShellKind {
 public:
  /// \param drilling_rest  see kDrillingRest; another value only to show that answers do not hang on it
  explicit ShellBatch(const model::Model& model, double drilling_rest = kDrillingRest);
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return 4; }
  int part(int element) const override { return data_[static_cast<std::size_t>(element)].part; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  material::Energy energy(const Trial& trial, int element) const override;
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;

  std::size_t memory_size() const override { return memory_size_; }
  void start_memory(double* block) const override;
  FlowRecords flow_records(int element) const override;
  ShellStress stress(const Trial& trial, int element, const Eigen::VectorXd* linear,
                     std::vector<FaceStress>* faces) const override;
  Mat3 axes(int element) const override;
  /// Tangent of an element whose points remember, with its four enhanced modes as degrees of freedom of their own
  /// behind the 24: what evaluate() condenses. Without offset.
  Eigen::Matrix<double, 28, 28> whole_tangent(const Trial& trial, int element) const;

  /// Share of the shear modulus given to drilling patterns that the mid-point tie does not see. No answer hangs on it:
  /// between 1e-12 and 1e-6 the first twenty factors of plates, folds and tubes keep five digits.
  static constexpr double kDrillingRest = 1e-6;

  struct GaussPoint {
    double r = 0, s = 0, weight = 0;  // weight: area
    Eigen::Matrix3d to_local;         // covariant (rr, ss, 2rs) to local (11, 22, 2*12)
    Eigen::Matrix2d inverse_jacobian;
    double enhancement = 0;                                 // j0 / j
    Eigen::Vector3d reference_membrane, reference_bending;  // covariant
    double reference_drilling = 0;
  };
  struct Data {
    std::array<int, 4> nodes{};
    int part = -1;
    std::array<Vec3, 4> director, first, second;  // reference directors and in-plane axes at the nodes
    std::array<GaussPoint, 4> points;
    GaussPoint middle;
    Eigen::Vector4d reference_shear;  // at the tying points
    Eigen::Matrix3d membrane_stiffness, enhancement_axes;
    Eigen::Matrix4d inverse_enhanced;
    Eigen::Matrix2d mean_shear_stiffness;  // of the mean transverse shear of the element, see class comment
    double shear_stiffness = 0;            // of what varies about that mean
    double bending_factor = 0;             // t^2 / 12
    double thickness = 0, area = 0, drilling_stiffness = 0;
    double drilling_rest = kDrillingRest;
    double offset = 0;                           // of the middle surface from the nodes, along the directors
    std::shared_ptr<const material::Wall> wall;  // of layers that remember; nullptr: elastic
    std::size_t memory = 0;  // where its memory begins: amplitudes of the enhanced modes, then the points
  };

 private:
  std::size_t memory_size_ = 0;
  std::vector<Data> data_;
};

/// Reference directors at every node of every shell element: mean normal of the neighbours that meet there at less than
/// 20 degrees, so that smooth shells are smooth and folds stay folds. Size: shell elements; unused places are zero.
std::vector<std::array<Vec3, 9>> corner_directors(const model::Model& model);

/// Stiffness of a plate of unit thickness in plane stress.
Eigen::Matrix3d plane_stress(const model::Material& material);

}  // namespace archway::elements
