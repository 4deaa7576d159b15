#pragma once
#include "archway/elements/beam.hpp"

/// What a beam's section answers to its strains.
namespace archway::elements::beam_detail {

using Vec6 = BeamBatch::Vec6;
using Vec8 = Eigen::Matrix<double, 8, 1>;
using Mat8 = Eigen::Matrix<double, 8, 8>;

/// Stress resultants conjugate to the eight strains; the torque carries the Wagner part.
struct Response {
  Vec8 sigma;
  Mat8 material;
  double wagner_stress = 0;  // conjugate to k1^2/2: geometric part on twist
};

/// How (e, k2, k3, p', k1^2/2) and the shear at the shear centre follow from the eight strains.
struct SectionMap {
  Eigen::Matrix<double, 5, 8> axial = Eigen::Matrix<double, 5, 8>::Zero();
  Eigen::Matrix<double, 2, 8> shear = Eigen::Matrix<double, 2, 8>::Zero();
  SectionMap(const BeamBatch::Section& section, double twist) {
    axial(0, 0) = axial(1, 4) = axial(2, 5) = axial(3, 7) = 1;
    axial(4, 3) = twist;
    shear(0, 1) = shear(1, 2) = 1;
    shear(0, 3) = -section.centre_z;
    shear(1, 3) = section.centre_y;
  }
};

inline Mat8 material_of(const BeamBatch::Section& s, const SectionMap& map) {
  Mat8 c = map.axial.transpose() * s.axial * map.axial + map.shear.transpose() * s.shear * map.shear;
  c(3, 3) += s.torsion + s.warping_shear;
  c(3, 6) -= s.warping_shear;
  c(6, 3) -= s.warping_shear;
  c(6, 6) += s.warping_shear;
  return c;
}

inline Response respond(const BeamBatch::Section& s, const Vec8& strain, const Vec6& reference) {
  const double twist = strain[3];
  Vec8 e = strain;
  e.head<6>() -= reference;
  const SectionMap map(s, twist);
  Eigen::Matrix<double, 5, 1> a;
  a << e[0], e[4], e[5], e[7], 0.5 * (twist * twist - reference[3] * reference[3]);
  const Eigen::Matrix<double, 5, 1> n = s.axial * a;
  Response r;
  r.sigma = map.axial.transpose() * n + map.shear.transpose() * (s.shear * (map.shear * e));
  const double secondary = s.warping_shear * (e[3] - e[6]);
  r.sigma[3] += s.torsion * e[3] + secondary;
  r.sigma[6] -= secondary;
  r.material = material_of(s, map);
  r.wagner_stress = n[4];
  return r;
}

inline BeamBatch::Section section_of(const model::Profile& p, const model::Material& material, bool warping) {
  const double e = material.youngs_modulus, g = material.shear_modulus(), ys = p.shear_centre_y, zs = p.shear_centre_z;
  const double polar = p.second_moment_y + p.second_moment_z + p.area * (ys * ys + zs * zs);
  // a profile given by its main properties only still has the least fourth moment there can be
  const double fourth = std::max(p.fourth_moment, polar * polar / p.area);
  BeamBatch::Section s;
  s.axial << p.area, 0, 0, 0, polar,                                            //
      0, p.second_moment_y, -p.product_moment, 0, p.wagner_y,                   //
      0, -p.product_moment, p.second_moment_z, 0, -p.wagner_z,                  //
      0, 0, 0, warping ? p.warping_constant : 0, warping ? -p.wagner_warp : 0,  //
      polar, p.wagner_y, -p.wagner_z, warping ? -p.wagner_warp : 0, fourth;
  s.axial *= e;
  s.shear << p.shear_area_y, p.shear_area_yz, p.shear_area_yz, p.shear_area_z;
  s.shear *= g;
  s.torsion = g * p.torsion_constant;
  s.warping_shear = warping ? g * p.warping_shear : 0;
  s.centre_y = ys;
  s.centre_z = zs;
  return s;
}

}  // namespace archway::elements::beam_detail
