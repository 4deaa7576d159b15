#pragma once
#include "archway/material/law.hpp"

namespace archway::material {

/// The section of a plate or shell wall: forces and moments per length from the strains of its middle surface and its
/// curvatures, through layers of a law of plane stress. Elastic walls are in closed form (membrane h C, bending
/// h^3 / 12 C) and remember nothing; the others are integrated by layers, two Gauss points in each of equal cells (1.6
/// % of the moment at most with 4, the plastic moment exactly), and the two faces are watched besides, as layers of no
/// weight.
class Wall {
 public:
  using Vec6 = Eigen::Matrix<double, 6, 1>;  ///< strains e11 e22 2e12 and curvatures, or N11 N22 N12 M11 M22 M12
  /// \param cells  through the thickness; even, so that one begins in the middle, 2 to 16
  Wall(std::unique_ptr<Law<3>> law, double thickness, int cells = 4);

  bool elastic() const { return law_->linear(); }
  double thickness() const { return thickness_; }
  int layers() const { return static_cast<int>(heights_.size()); }
  /// Heights of the points over the middle, from the bottom face to the top face.
  const std::vector<double>& heights() const { return heights_; }
  const Law<3>& law() const { return *law_; }
  /// Numbers that a point of the wall remembers, layer after layer.
  int memory_size() const { return layers() * static_cast<int>(law_->memory().size()); }
  void start(double* memory) const;
  /// See Law::respond. \param free_strain  through the whole thickness
  Answer<6> respond(const Vec6& strain, double free_strain, const double* before, double* after) const;
  /// Per area, see Law::energy.
  Energy energy(const Vec6& strain, double free_strain, const double* memory) const;
  /// In closed form, as if it never flowed.
  Answer<6> elastic_answer(const Vec6& strain) const;
  /// Stress of a layer after such a step.
  Eigen::Vector3d stress(int layer, const Vec6& strain, double free_strain, const double* before) const;

 private:
  std::unique_ptr<Law<3>> law_;
  double thickness_;
  std::vector<double> heights_, weights_;
};

}  // namespace archway::material
