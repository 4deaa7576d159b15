#pragma once
#include "archway/elements/beam.hpp"
#include "core/material_detail.hpp"

/// What a beam's section answers to its strains.
namespace archway::elements::beam_detail {

using Vec6 = BeamBatch::Vec6;
using Vec8 = Eigen::Matrix<double, 8, 1>;
using Mat8 = Eigen::Matrix<double, 8, 8>;
using Mat5 = Eigen::Matrix<double, 5, 5>;

/// Stress resultants conjugate to the eight strains; the torque carries the Wagner part. The material is without what
/// is kept rigid.
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

/// \param axial  stiffness against (e, k2, k3, p', k1^2/2)
inline Mat8 material_of(const BeamBatch::Section& s, const SectionMap& map, const Mat5& axial) {
  Mat8 c = map.axial.transpose() * axial * map.axial + map.shear.transpose() * s.shear * map.shear;
  c(3, 3) += s.torsion + s.warping_shear;
  c(3, 6) -= s.warping_shear;
  c(6, 3) -= s.warping_shear;
  c(6, 6) += s.warping_shear;
  return c;
}

/// Strains of a section that its part keeps rigid, shear at the shear centre; nullptr: none. Shear is measured by the
/// bending over the element that it goes with (docs/design/013-rigid.md). \param length  of the element
inline std::shared_ptr<const BeamBatch::Rigidity> rigidity_of(const BeamBatch::Section& s, const model::Rigid& rigid,
                                                              bool warping, double length) {
  if (!rigid.any()) return nullptr;
  auto all = std::make_shared<BeamBatch::Rigidity>();
  const auto add = [&](const Eigen::Matrix<double, 1, 8>& row, double soft) {
    all->rows.conservativeResize(all->rows.rows() + 1, 8);
    all->rows.bottomRows<1>() = row;
    all->soft.conservativeResize(all->soft.size() + 1);
    all->soft[all->soft.size() - 1] = soft;
  };
  const SectionMap map(s, 0);
  const Eigen::Matrix<double, 8, 8> unit = Eigen::Matrix<double, 8, 8>::Identity();
  if (rigid.axial) add(unit.row(0), s.axial(0, 0));
  if (rigid.shear) {
    const double square = length * length;
    add(map.shear.row(0), s.axial(2, 2) / square);
    add(map.shear.row(1), s.axial(1, 1) / square);
    if (warping && s.warping_shear > 0) add(unit.row(3) - unit.row(6), s.axial(3, 3) / square);
  }
  if (rigid.bending) add(unit.row(4), s.axial(1, 1)), add(unit.row(5), s.axial(2, 2));
  if (rigid.torsion) {
    add(unit.row(3), s.torsion);
    if (warping) add(unit.row(7), s.axial(3, 3));
  }
  return all;
}

/// Stress of the rigid strains of a point. \param e  less those that are free of stress
inline Vec8 rigid_stress(const BeamBatch::Rigidity& rigid, const Vec8& e) {
  return kRigid * rigid.rows.transpose() * rigid.soft.cwiseProduct(rigid.rows * e);
}
inline Mat8 rigid_material(const BeamBatch::Rigidity& rigid) {
  return kRigid * rigid.rows.transpose() * rigid.soft.asDiagonal() * rigid.rows;
}

/// What a Gauss point remembers before a step, and where what it remembers after goes; elastic points need neither.
struct PointMemory {
  const double* before = nullptr;
  double* after = nullptr;
};

/// Strain of the fibres: (e, k2, k3, p', k1^2/2). \param own  the eight strains less those that are free of stress
inline material::CrossSection::Strain along_fibres(const Vec8& own, double twist, const Vec6& reference) {
  material::CrossSection::Strain a;
  a << own[0], own[4], own[5], own[7], 0.5 * (twist * twist - reference[3] * reference[3]);
  return a;
}

/// See Batch::energy, per length. \param memory  of the point; nullptr: elastic
inline material::Energy energy_of(const BeamBatch::GaussPoint& point, const Vec8& strain, const Vec6& reference,
                                  const double* memory) {
  const BeamBatch::Section& s = point.section;
  Vec8 e = strain;
  e.head<6>() -= reference;
  const auto a = along_fibres(e, strain[3], reference);
  const Eigen::Vector2d shear = SectionMap(s, strain[3]).shear * e;
  material::Energy sum =
      memory != nullptr ? point.fibres->energy(a, memory) : material::Energy{0.5 * a.dot(s.axial * a), 0};
  if (point.rigid) sum.stored += 0.5 * e.dot(rigid_stress(*point.rigid, e));
  sum.stored +=
      0.5 * (shear.dot(s.shear * shear) + s.torsion * e[3] * e[3] + s.warping_shear * (e[3] - e[6]) * (e[3] - e[6]));
  return sum;
}

/// Answer of a point to its eight strains. \param reference  strains at which it is free of stress
inline Response respond(const BeamBatch::GaussPoint& point, const Vec8& strain, const Vec6& reference,
                        const PointMemory& memory) {
  const BeamBatch::Section& s = point.section;
  const double twist = strain[3];
  Vec8 e = strain;
  e.head<6>() -= reference;
  const SectionMap map(s, twist);
  const auto a = along_fibres(e, twist, reference);
  const material::Answer<5> n =
      point.fibres ? point.fibres->respond(a, memory.before, memory.after) : material::Answer<5>{s.axial * a, s.axial};
  Response r;
  r.sigma = map.axial.transpose() * n.stress + map.shear.transpose() * (s.shear * (map.shear * e));
  const double secondary = s.warping_shear * (e[3] - e[6]);
  r.sigma[3] += s.torsion * e[3] + secondary;
  r.sigma[6] -= secondary;
  if (point.rigid) r.sigma += rigid_stress(*point.rigid, e);
  r.material = material_of(s, map, n.tangent);
  r.wagner_stress = n.stress[4];
  return r;
}

/// Fibres of a material that flows.
inline std::shared_ptr<const material::CrossSection> fibres_of(const model::Profile& p, const model::Material& material,
                                                               const BeamBatch::Section& section, bool warping) {
  Eigen::VectorXd areas(static_cast<Eigen::Index>(p.fibres.size()));
  material::CrossSection::Shapes shapes(5, areas.size());
  for (Eigen::Index k = 0; k < areas.size(); ++k) {
    const auto& fibre = p.fibres[static_cast<std::size_t>(k)];
    areas[k] = fibre.area;
    const double y = fibre.y - p.shear_centre_y, z = fibre.z - p.shear_centre_z;
    shapes.col(k) << 1, fibre.z, -fibre.y, warping ? -fibre.omega : 0, y * y + z * z;
  }
  return std::make_shared<const material::CrossSection>(detail::flow_law_of<1>(material), section.axial, areas, shapes);
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
