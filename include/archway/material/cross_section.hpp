#pragma once
#include "archway/material/law.hpp"

namespace archway::material {

/// The section of a member: resultants from generalised strains, the strain along a fibre being their sum with the
/// fibre's `shapes` (for (e, k2, k3, p', k1^2/2): 1, z, -y, -omega, r^2). Elastic answers are in closed form; where
/// fibres flow, what their plastic strains take off is summed over them, so that nothing moves while none does.
class CrossSection {
 public:
  static constexpr int kStrains = 5;
  using Strain = Eigen::Matrix<double, kStrains, 1>;
  using Matrix = Eigen::Matrix<double, kStrains, kStrains>;
  using Shapes = Eigen::Matrix<double, kStrains, Eigen::Dynamic>;
  /// \param elastic  closed form \param areas, shapes  one entry, one column a fibre
  CrossSection(std::unique_ptr<Law<1>> law, const Matrix& elastic, Eigen::VectorXd areas, Shapes shapes);

  int fibres() const { return static_cast<int>(areas_.size()); }
  const Law<1>& law() const { return *law_; }
  /// Numbers that a point of the member remembers, fibre after fibre.
  std::size_t memory_size() const { return areas_.size() * law_->memory().size(); }
  void start(double* memory) const;
  /// See Law::respond; strains are those less what is free of stress.
  Answer<kStrains> respond(const Strain& strain, const double* before, double* after) const;
  /// Per length, see Law::energy.
  Energy energy(const Strain& strain, const double* memory) const;

 private:
  std::unique_ptr<Law<1>> law_;
  Matrix elastic_;
  Eigen::VectorXd areas_;
  Shapes shapes_;
};

}  // namespace archway::material
