#pragma once
#include <Eigen/Geometry>

#include "archway/elements/batch.hpp"
#include "archway/elements/internal_forces.hpp"

namespace archway::elements {

/// Solids of eight or twenty nodes, total Lagrangian, Green strains, linear elastic (St. Venant-Kirchhoff); three
/// degrees of freedom a node.
///  - eight nodes: 21 enhanced strain modes ([SimoRifai1990], [AndelfingerRamm1993]) against shear, trapezoidal and
///  volume
///    locking; with an elastic material they are eliminated exactly and nothing is kept; where points remember, they
///    are found by a local Newton iteration and condensed, their amplitudes part of the memory
///    (docs/design/005-material.md);
///  - twenty nodes: serendipity, all 27 Gauss points, so that no mode is without energy.
class SolidBatch final : public Batch {
 public:
  /// \param nodes  8 or 20: takes the elements of the model that have so many
  SolidBatch(const model::Model& model, int nodes);
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return node_count_; }
  int dofs_per_node() const override { return 3; }
  int part(int element) const override { return data_[static_cast<std::size_t>(element)].part; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  material::Energy energy(const Trial& trial, int element) const override;
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;
  std::size_t memory_size() const override { return memory_size_; }
  void start_memory(double* block) const override;
  FlowRecords flow_records(int element) const override;
  /// Stresses at the eight corners, extrapolated from the 2 x 2 x 2 Gauss points, where they are most accurate.
  /// \param points  gets the stresses of the 27 integration points of twenty-node elements behind what it holds (the
  /// largest of eight nodes lies at a corner); nullptr: not wanted
  std::vector<SolidStress> stress(const Trial& trial, int element, const Eigen::VectorXd* linear,
                                  std::vector<SolidStress>* points) const;

  using Strain = Eigen::Matrix<double, 6, 1>;
  using Modes = Eigen::Matrix<double, 6, 21>;
  struct GaussPoint {
    Eigen::Matrix<double, 3, Eigen::Dynamic> gradient;  // dN/dX, one column a node
    double weight = 0;                                  // volume
    Modes modes = Modes::Zero();                        // enhanced strains, eight nodes only
  };
  struct Data {
    std::array<int, 20> nodes{};
    int part = -1;
    std::vector<GaussPoint> points;
    Eigen::Matrix<double, 6, 6> material;
    Eigen::Matrix<double, 21, 21> inverse_enhanced;
    std::vector<GaussPoint> stress_points;        // twenty nodes: where stresses are taken
    std::shared_ptr<const material::Law<6>> law;  // that remembers; nullptr: elastic
    std::size_t memory = 0;  // where its memory begins: amplitudes of the enhanced modes (eight nodes), then the points
  };

 private:
  int node_count_;
  std::size_t memory_size_ = 0;
  std::vector<Data> data_;
};

}  // namespace archway::elements
