#include <cmath>
#include <memory>

#include <fmt/format.h>

#include "archway/analysis/geometry.hpp"
#include "archway/analysis/record_fields.hpp"
#include "archway/analysis/small_movements.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/io/vtu.hpp"
#include "archway/study/outcome_fields.hpp"
#include "results/path_tables_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io {

std::string detail::quoted(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string safe = "\"";
  for (const char c : text) safe += c == '"' ? "\"\"" : std::string(1, c);
  return safe + "\"";
}

namespace {
using detail::quoted;

std::string number_cell(double value) {
  return detail::cell(value);
}

std::vector<double> translations(const Eigen::VectorXd& full) {
  std::vector<double> list;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeDofs)
    list.insert(list.end(), full.data() + n, full.data() + n + 3);
  return list;
}

/// Part of every cell, in the order of vtu().
VtuField parts_of(const model::Model& model) {
  VtuField field{"part", 1, {}};
  for (const auto& e : model.shell_elements) field.values.push_back(e.part);
  for (const auto& e : model.line_elements) field.values.insert(field.values.end(), 3, e.part);
  for (const auto& e : model.bar_elements) field.values.push_back(e.part);
  for (const auto& e : model.solid_elements) field.values.push_back(e.part);
  return field;
}

/// Stresses and forces of every cell, in the order of vtu(); zero where a cell has none.
std::vector<VtuField> stress_fields(const model::Model& model, const analysis::LinearStaticResult& r) {
  std::vector<VtuField> fields = {
      parts_of(model),           {"equivalent_stress_top", 1, {}}, {"equivalent_stress_bottom", 1, {}},
      {"membrane_force", 3, {}}, {"bending_moment", 3, {}},        {"member_force", 6, {}}};
  const auto add = [&](double top, double bottom, const Eigen::Vector3d& n, const Eigen::Vector3d& m,
                       const std::array<double, 6>& f) {
    fields[1].values.push_back(top);
    fields[2].values.push_back(bottom);
    fields[3].values.insert(fields[3].values.end(), n.data(), n.data() + 3);
    fields[4].values.insert(fields[4].values.end(), m.data(), m.data() + 3);
    fields[5].values.insert(fields[5].values.end(), f.begin(), f.end());
  };
  const Eigen::Vector3d none = Eigen::Vector3d::Zero();
  for (const auto& s : r.shell_stresses)
    add(elements::equivalent_stress(s.top), elements::equivalent_stress(s.bottom), s.membrane, s.moment, {});
  for (const auto& f : r.member_forces)
    for (const auto& p : f.points)
      add(0, 0, none, none, {p.axial, p.shear_y, p.shear_z, p.torque, p.moment_y, p.moment_z});
  for (const double axial : r.bar_forces) add(0, 0, none, none, {axial});
  for (const auto& corners : r.solid_stresses) {
    double largest = 0;
    for (const auto& s : corners) largest = std::max(largest, elements::equivalent_stress(s));
    add(largest, largest, none, none, {});
  }
  return fields;
}

/// Averaged equivalent stresses at the nodes; where parts or folds meet, the larger one.
std::vector<VtuField> nodal_fields(const model::Model& model, const analysis::RecoveredStress& r) {
  std::vector<VtuField> fields = {{"averaged_equivalent_top", 1, std::vector<double>(model.nodes.size(), 0)},
                                  {"averaged_equivalent_middle", 1, std::vector<double>(model.nodes.size(), 0)},
                                  {"averaged_equivalent_bottom", 1, std::vector<double>(model.nodes.size(), 0)}};
  for (const auto& n : r.nodes) {
    const analysis::Stress* layers[] = {&n.stress.top, &n.stress.middle, &n.stress.bottom};
    for (std::size_t k = 0; k < 3; ++k) {
      double& value = fields[k].values[static_cast<std::size_t>(n.node)];
      value = std::max(value, elements::equivalent_stress(*layers[k]));
    }
  }
  return fields;
}

}  // namespace

std::string imperfection_table(const model::Model& model, const imperfection::Imperfection& shape) {
  std::string csv = "x,y,z,ux,uy,uz\n";
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    const auto &x = model.nodes[n], &u = shape.displacement[n];
    csv += fmt::format("{},{},{},{},{},{}\n", x.x(), x.y(), x.z(), u.x(), u.y(), u.z());  // all digits they have
  }
  return csv;
}

std::string wall_table(const model::Model& model, const std::vector<double>& height) {
  std::string csv = "x,y,z,height\n";
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    if (std::isfinite(height[n]))
      csv += fmt::format("{},{},{},{}\n", model.nodes[n].x(), model.nodes[n].y(), model.nodes[n].z(), height[n]);
  return csv;
}

std::vector<VtuField> wall_fields(const model::Model& model, const imperfection::Imperfection& shape) {
  std::vector<VtuField> fields = {parts_of(model)};
  if (shape.thicker.empty()) return fields;
  fields.push_back({"thicker", 1, shape.thicker});
  fields.back().values.resize(fields.front().values.size(), 0.0);
  return fields;
}

namespace {
void write_vtu(ResultsFolder& folder, const study::AnalysisOutcome& o, const model::Model& base) {
  const std::string& name = o.spec.name;
  const model::Model& model = *o.geometry;
  const std::vector<VtuField> parts = {parts_of(model)};
  if (o.imperfection) {
    VtuField seeded{"imperfection", 3, {}};
    for (const auto& m : o.imperfection->displacement)
      seeded.values.insert(seeded.values.end(), m.data(), m.data() + 3);
    folder.write(fmt::format("vtu/{}-imperfection.vtu", name), vtu(base, {seeded}, wall_fields(base, *o.imperfection)));
    for (const auto& s : o.seeded)
      if (!s.height.empty())
        folder.write(fmt::format("tables/{}-imperfection-{}.csv", name, s.name), wall_table(base, s.height));
    folder.write(fmt::format("tables/{}-imperfection.csv", name), imperfection_table(base, *o.imperfection));
  }
  if (o.slopes && !o.slopes->nodes.empty())
    folder.write(fmt::format("vtu/{}-peak-slope.vtu", name), vtu(model, {{"peak_slope", 1, o.slopes->nodes}}, parts));
  if (o.linear && o.linear->usable()) {
    std::vector<VtuField> at_nodes = nodal_fields(model, *o.stresses);
    at_nodes.insert(at_nodes.begin(), {"displacement", 3, translations(o.linear->displacement)});
    folder.write(fmt::format("vtu/{}.vtu", name), vtu(model, at_nodes, stress_fields(model, *o.linear)));
  }
  if (o.buckling)
    for (const auto* list : {&o.buckling->modes, &o.buckling->negative_modes})
      for (std::size_t m = 0; m < list->size(); ++m)
        folder.write(fmt::format("vtu/{}-{}mode-{}.vtu", name, list == &o.buckling->modes ? "" : "negative-", m + 1),
                     vtu(model, {{"mode", 3, translations((*list)[m].shape)}}, parts));
  if (o.other_states)
    for (const auto& other : o.other_states->states)
      folder.write(fmt::format("vtu/{}-other-state-{}.vtu", name, other.state.number + 1),
                   vtu(model, {{"displacement", 3, translations(other.state.displacement(model))}}, parts));
  if (o.path && !o.path->increments.empty()) {
    std::vector<std::pair<double, std::string>> series;
    const bool flows = !o.path->increments.back().flow.empty();
    const bool presses = !model.contacts.empty(), touches = !model.touches.empty() || presses;
    const auto geometry = flows || touches ? std::make_unique<const analysis::Geometry>(model) : nullptr;
    for (const auto& i : o.path->increments) {
      if (!i.kept) continue;
      const std::string file = fmt::format("{}-{:04}.vtu", name, i.number);
      std::vector<VtuField> fields = {{"displacement", 3, translations(i.displacement(model))}};
      if (touches)
        fields.push_back(
            {"contact_force", 3, analysis::contact_at_nodes(*geometry, i.kept->state, i.kept->memory.get())});
      if (presses)
        fields.push_back(
            {"contact_pressure", 1, analysis::pressure_at_nodes(*geometry, i.kept->state, i.kept->memory.get())});
      if (flows) {
        using analysis::WallPlace;
        for (const auto& [name_of, place] :
             {std::pair("plastic_strain", WallPlace::anywhere), std::pair("plastic_strain_top", WallPlace::top),
              std::pair("plastic_strain_middle", WallPlace::middle),
              std::pair("plastic_strain_bottom", WallPlace::bottom)}) {
          VtuField strain{name_of, 1, analysis::plastic_strain_at_nodes(*geometry, model, i, place)};
          strain.values.resize(model.nodes.size(), 0.0);  // nothing has flowed yet
          fields.push_back(std::move(strain));
        }
      }
      folder.write("vtu/" + file, vtu(model, fields, parts));
      series.emplace_back(i.number, file);
    }
    folder.write(fmt::format("vtu/{}.pvd", name), pvd(series));
  }
}
}  // namespace

std::string path_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome) {
  const auto& fields = analysis::increment_fields();
  std::string csv = "variable_force";
  for (const auto& watch : result.spec.watches) csv += "," + quoted(watch.name);
  csv = detail::head_of(fields) + "," + csv + "\n";
  for (const auto& i : outcome.path->increments) {
    csv += detail::row_of(fields, i) + "," + number_cell(i.load_factor * outcome.variable_total.force.norm());
    for (const double w : i.watched) csv += "," + number_cell(w);
    csv += "\n";
  }
  return csv;
}

std::string modes_csv(const study::StudyResult&, const study::AnalysisOutcome& outcome) {
  const auto& fields = analysis::mode_fields();
  std::string csv = "mode," + detail::head_of(fields) + ",force_x,force_y,force_z\n";
  int row = 0;
  for (const auto* list : {&outcome.buckling->modes, &outcome.buckling->negative_modes})
    for (const auto& m : *list) {
      const auto f = outcome.constant_total.force + m.load_factor * outcome.variable_total.force;
      csv += fmt::format("{},{},{},{},{}\n", ++row, detail::row_of(fields, m), number_cell(f.x()), number_cell(f.y()),
                         number_cell(f.z()));
    }
  return csv;
}

namespace {
const std::string& part_name(const model::Model& m, int part) {
  return m.parts[static_cast<std::size_t>(part)].name;
}

/// Six components, equivalent and the two outer principal stresses.
std::string stress_columns(const analysis::Stress& s) {
  std::string text;
  for (Eigen::Index k = 0; k < 6; ++k) text += "," + number_cell(s[k]);
  const auto p = analysis::principal_stresses(s);
  return text +
         fmt::format(",{},{},{}", number_cell(elements::equivalent_stress(s)), number_cell(p[0]), number_cell(p[2]));
}
constexpr const char* kStressHead = "s11,s22,s33,s12,s23,s13,equivalent,principal_largest,principal_smallest";

std::string shell_stresses_csv(const model::Model& m, const study::AnalysisOutcome& o,
                               const analysis::ElementForces& forces) {
  std::string csv = fmt::format("part,element,N11,N22,N12,M11,M22,M12,Q1,Q2,surface,{}\n", kStressHead);
  for (std::size_t e = 0; e < forces.shell_stresses.size(); ++e) {
    const auto& s = forces.shell_stresses[e];
    std::string head = fmt::format("{},{}", quoted(part_name(m, m.shell_elements[e].part)), e);
    for (const double v :
         {s.membrane[0], s.membrane[1], s.membrane[2], s.moment[0], s.moment[1], s.moment[2], s.shear[0], s.shear[1]})
      head += "," + number_cell(v);
    const auto& layers = o.stresses->shells[e];
    csv += head + ",top" + stress_columns(layers.top) + "\n";
    csv += head + ",middle" + stress_columns(layers.middle) + "\n";
    csv += head + ",bottom" + stress_columns(layers.bottom) + "\n";
  }
  return csv;
}

std::string solid_stresses_csv(const model::Model& m, const study::AnalysisOutcome& o) {
  std::string csv = fmt::format("part,element,corner,node,{}\n", kStressHead);
  for (std::size_t e = 0; e < o.stresses->solids.size(); ++e)
    for (std::size_t c = 0; c < 8; ++c)
      csv += fmt::format("{},{},{},{}", quoted(part_name(m, m.solid_elements[e].part)), e, c + 1,
                         m.solid_elements[e].nodes[c]) +
             stress_columns(o.stresses->solids[e][c]) + "\n";
  return csv;
}

std::string nodal_stresses_csv(const model::Model& m, const study::AnalysisOutcome& o) {
  std::string csv = fmt::format("part,node,x,y,z,elements,spread,surface,{}\n", kStressHead);
  for (const auto& n : o.stresses->nodes) {
    const auto& x = m.nodes[static_cast<std::size_t>(n.node)];
    const std::string head =
        fmt::format("{},{},{},{},{},{},{}", quoted(part_name(m, n.part)), n.node, number_cell(x.x()),
                    number_cell(x.y()), number_cell(x.z()), n.elements, number_cell(n.spread));
    if (m.parts[static_cast<std::size_t>(n.part)].kind == model::PartKind::solid) {
      csv += head + ",solid" + stress_columns(n.stress.top) + "\n";
      continue;
    }
    csv += head + ",top" + stress_columns(n.stress.top) + "\n";
    csv += head + ",middle" + stress_columns(n.stress.middle) + "\n";
    csv += head + ",bottom" + stress_columns(n.stress.bottom) + "\n";
  }
  return csv;
}

std::string joint_forces_csv(const model::Model& m, const analysis::ElementForces& r) {
  std::string csv = "name,first_node,second_node,force_1,force_2,force_3,moment_1,moment_2,moment_3\n";
  for (std::size_t s = 0; s < r.spring_forces.size(); ++s) {
    csv += fmt::format("{},{},{}", quoted(m.springs[s].name), m.springs[s].first, m.springs[s].second);
    for (const double f : r.spring_forces[s]) csv += "," + number_cell(f);
    csv += "\n";
  }
  return csv;
}

/// A bar that takes tension only, and has none.
bool is_slack(const model::Model& m, const analysis::ElementForces& r, std::size_t bar) {
  return m.parts[static_cast<std::size_t>(m.bar_elements[bar].part)].tension_only && r.bar_forces[bar] == 0.0;
}

std::string bar_forces_csv(const model::Model& m, const analysis::ElementForces& r) {
  std::string csv = "part,element,axial,slack\n";
  for (std::size_t b = 0; b < r.bar_forces.size(); ++b)
    csv += fmt::format("{},{},{},{}\n", quoted(part_name(m, m.bar_elements[b].part)), b, number_cell(r.bar_forces[b]),
                       is_slack(m, r, b) ? 1 : 0);
  return csv;
}
}  // namespace

std::string member_forces_csv(const study::AnalysisOutcome& outcome) {
  const analysis::ElementForces& forces = outcome.linear ? *outcome.linear : *outcome.end_forces;
  const auto& model = outcome.linear ? *outcome.model : *outcome.geometry;
  std::string csv = "part,element,place,axial,shear_y,shear_z,torque,moment_y,moment_z,bimoment\n";
  const auto& g = elements::line_gauss_places();
  for (const auto& f : forces.member_forces)
    for (const double place : {0.0, g[0], g[1], g[2], 1.0}) {
      const auto s = elements::along_element(f.points, place);
      csv += fmt::format("{},{},{},{},{},{},{},{},{},{}\n",
                         quoted(part_name(model, model.line_elements[static_cast<std::size_t>(f.element)].part)),
                         f.element, number_cell(place), number_cell(s.axial), number_cell(s.shear_y),
                         number_cell(s.shear_z), number_cell(s.torque), number_cell(s.moment_y),
                         number_cell(s.moment_z), number_cell(s.bimoment));
    }
  return csv;
}

namespace {
std::string pressed_members_csv(const study::AnalysisOutcome& o) {
  const auto& fields = analysis::effective_length_fields();
  std::string csv = "member,pieces," + detail::head_of(fields) + "\n";
  for (const auto& e : o.lengths_by_mode)
    csv += fmt::format("{},{},{}\n", quoted(e.member), e.parts.size(), detail::row_of(fields, e));
  return csv;
}

std::string second_order_csv(const study::AnalysisOutcome& o) {
  const auto& fields = study::second_order_fields();
  std::string csv = "member,buckling," + detail::head_of(fields) + "\n";
  for (const auto& s : o.second_order)
    csv += fmt::format("{},{},{}\n", quoted(s.member), quoted(s.buckling), detail::row_of(fields, s));
  return csv;
}
}  // namespace

std::string comparison_csv(const study::StudyResult& result) {
  std::string csv = detail::head_of(study::comparison_fields()) + "\n";
  for (const auto& r : result.comparison) csv += detail::row_of(study::comparison_fields(), r) + "\n";
  return csv;
}

namespace {
/// Forces and stresses of an LA, or of the last state of a path.
void write_forces(ResultsFolder& folder, const study::AnalysisOutcome& o, const analysis::ElementForces& forces) {
  const auto& m = o.linear ? *o.model : *o.geometry;
  const auto table = [&](const char* what, const std::string& csv) {
    folder.write(fmt::format("tables/{}-{}.csv", o.spec.name, what), csv);
  };
  if (!forces.member_forces.empty()) table("member-forces", member_forces_csv(o));
  if (!forces.bar_forces.empty()) table("bar-forces", bar_forces_csv(m, forces));
  if (!forces.spring_forces.empty()) table("joint-forces", joint_forces_csv(m, forces));
  if (!o.stresses) return;
  if (!o.stresses->shells.empty()) table("shell-stresses", shell_stresses_csv(m, o, forces));
  if (!o.stresses->solids.empty()) table("solid-stresses", solid_stresses_csv(m, o));
  if (!o.stresses->nodes.empty()) table("averaged-stresses", nodal_stresses_csv(m, o));
}
}  // namespace

void write_data(ResultsFolder& folder, const study::StudyResult& result) {
  folder.write("study.toml", result.spec.text);
  folder.write("comparison.csv", comparison_csv(result));
  for (const auto& o : result.outcomes) {
    if (o.linear)
      write_forces(folder, o, *o.linear);
    else if (o.end_forces)
      write_forces(folder, o, *o.end_forces);
    if (o.buckling) folder.write(fmt::format("tables/{}-modes.csv", o.spec.name), modes_csv(result, o));
    if (!o.lengths_by_mode.empty())
      folder.write(fmt::format("tables/{}-members-in-compression.csv", o.spec.name), pressed_members_csv(o));
    if (!o.second_order.empty())
      folder.write(fmt::format("tables/{}-second-order.csv", o.spec.name), second_order_csv(o));
    if (o.path) {
      folder.write(fmt::format("tables/{}-path.csv", o.spec.name), path_csv(result, o));
      detail::write_path_tables(folder, o);
    }
    write_vtu(folder, o, *o.model);
  }
  folder.write("results.json", results_json(result));
}

}  // namespace archway::io
