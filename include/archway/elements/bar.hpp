#pragma once
#include <Eigen/Geometry>

#include "archway/elements/batch.hpp"

namespace archway::elements {

/// Straight two-node bar without bending: axial force N = E A (l - L) / L (engineering strain on the current line, so
/// that the two-bar truss has the limit load of that measure). A tension-only bar has no force and no stiffness when it
/// is shorter than its length L; linear analyses omit it when StressSource::slack says so.
class BarBatch final : public Batch {
 public:
  explicit BarBatch(const model::Model& model);
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return 2; }
  int dofs_per_node() const override { return 3; }
  int part(int element) const override { return data_[static_cast<std::size_t>(element)].part; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  material::Energy energy(const Trial& trial, int element) const override;
  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override;
  int rigid_count(int element) const override { return data_[static_cast<std::size_t>(element)].rigid ? 1 : 0; }
  std::size_t memory_size() const override { return memory_size_; }
  void start_memory(double* block) const override;
  FlowRecords flow_records(int element) const override;
  /// Axial force, tension positive. \param linear see StressSource::linear
  double axial_force(const Trial& trial, int element, const Eigen::VectorXd* linear) const;
  bool tension_only(int element) const { return data_[static_cast<std::size_t>(element)].tension_only; }

 private:
  struct Data {
    std::array<int, 2> nodes{};
    double length = 0, stiffness = 0;  // L, EA
    int part = -1;
    bool tension_only = false, rigid = false;  // rigid: stiffness is kRigid + 1 times the bar's own
    double area = 0;
    std::shared_ptr<const material::Law<1>> law;  // that remembers; nullptr: elastic
    std::size_t memory = 0;                       // where its memory begins
  };
  struct Pull {
    double force = 0, modulus = 0;  // modulus: d force / d strain
  };
  Pull pull(const Data& data, double strain, double free_strain, const Trial& trial, bool keep) const;
  std::size_t memory_size_ = 0;
  std::vector<Data> data_;
};

}  // namespace archway::elements
