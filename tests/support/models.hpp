#pragma once
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"
#include "archway/study/build_model.hpp"

/// Small models that tests share. Lengths in mm, forces in N.
namespace archway::test {

using base::Vec3;

inline model::Profile profile_of(const std::string& name, const theory::SectionProperties& s) {
  return study::to_profile(name, s);
}

inline model::Model with_material(double youngs_modulus = 200000, double poisson_ratio = 0.3, double density = 8e-9) {
  model::Model m;
  m.materials.push_back({"metal", youngs_modulus, poisson_ratio, density, 0});
  return m;
}

inline model::Part member_part(const std::string& name, const Vec3& up = Vec3::UnitZ()) {
  model::Part part;
  part.name = name;
  part.kind = model::PartKind::member;
  part.material = part.profile = 0;
  part.up = up;
  return part;
}

inline model::Part panel_part(const std::string& name, double thickness) {
  model::Part part;
  part.name = name;
  part.kind = model::PartKind::panel;
  part.material = 0;
  part.thickness = thickness;
  return part;
}

/// One solid element, sheared and tapered, edges about 60 to 100.
inline void add_brick(model::Model& m, const std::string& name, bool quadratic) {
  model::Part part;
  part.name = name;
  part.kind = model::PartKind::solid;
  part.material = 0;
  model::add_body(m, part, {1, 1, 1}, false, quadratic, [](double s, double t, double u) -> Vec3 {
    return {100 * s + 15 * t - 8 * s * u, 70 * t + 10 * s * t + 5 * u, 80 * u + 12 * s - 6 * t * u + 4 * s * (1 - s)};
  });
}

inline void hold(model::Model& m, const std::vector<int>& nodes, const std::vector<int>& dofs) {
  for (const int n : nodes)
    for (const int f : dofs) m.supports.push_back({n, f, "held"});
}

/// Rectangular column (width along y, height along z) on the x axis, in compression by 1 N at x = L, pinned at both
/// ends in the x-z plane and held from leaving it. The action is called "press".
inline model::Model pinned_column(double length, double width, double height, int elements,
                                  double youngs_modulus = 200000) {
  model::Model m = with_material(youngs_modulus);
  m.profiles.push_back(
      profile_of("bar", theory::section_properties("rectangle", {{"width", width}, {"height", height}})));
  model::add_member(m, member_part("column"), {Vec3::Zero(), Vec3(length, 0, 0), {}}, elements);
  const int foot = m.groups["column.start"][0], head = m.groups["column.end"][0];
  hold(m, {foot}, {0, 1, 2, 3});
  hold(m, {head}, {1, 2});
  for (int n = 0; n < m.node_count(); ++n)
    if (n != foot && n != head) hold(m, {n}, {1});
  model::Action press;
  press.name = "press";
  press.node_forces.push_back({head, Vec3(-1, 0, 0), Vec3::Zero()});
  m.actions.push_back(press);
  return m;
}

}  // namespace archway::test
