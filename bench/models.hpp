#pragma once
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"

/// What the benches run on.
namespace bench {
using namespace archway;
using model::Vec3;

inline model::Model with_sheet() {
  model::Model m;
  m.materials.push_back({"sheet", 70000, 0.3, 2.7e-9, 0});
  return m;
}

inline model::Part sheet(double thickness) {
  model::Part part;
  part.name = "sheet";
  part.kind = model::PartKind::panel;
  part.material = 0;
  part.thickness = thickness;
  return part;
}

inline void hold(model::Model& m, const std::string& group, std::initializer_list<int> freedoms) {
  for (const int n : m.groups[group])
    for (const int f : freedoms) m.supports.push_back({n, f, group});
}

inline void press(model::Model& m, const std::string& edge, const Vec3& force) {
  if (m.actions.empty()) m.actions.emplace_back().name = "press";
  for (const auto& [a, b] : model::edges_among(m, m.groups[edge])) m.actions[0].edge_loads.push_back({a, b, force});
}

/// Plate pressed along its length, edges held out of its plane.
inline model::Model plate(int along, int across) {
  model::Model m = with_sheet();
  model::add_rectangle(m, sheet(2), Vec3::Zero(), Vec3(900, 0, 0), Vec3(0, 600, 0), along, across);
  for (const char* edge : {"sheet.start", "sheet.end", "sheet.left", "sheet.right"}) hold(m, edge, {2});
  hold(m, "sheet.left", {1});
  m.supports.push_back({0, 0, "corner"});
  press(m, "sheet.end", Vec3(-1, 0, 0));
  for (const auto& [a, b] : model::edges_among(m, m.groups["sheet.start"]))
    m.actions[0].edge_loads.push_back({a, b, Vec3(1, 0, 0)});
  return m;
}

/// Round cylinder in axial compression: pairs in a cluster.
inline model::Model cylinder(int around, int along) {
  model::Model m = with_sheet();
  model::add_cylinder_strip(m, sheet(1), Vec3::Zero(), Vec3(0, 0, 400), Vec3(250, 0, 0), 2 * M_PI, around, along);
  model::merge_coincident_nodes(m, 1e-6);
  hold(m, "sheet.left", {0, 1, 2});
  hold(m, "sheet.right", {0, 1});
  press(m, "sheet.right", Vec3(0, 0, -1));
  return m;
}

}  // namespace bench
