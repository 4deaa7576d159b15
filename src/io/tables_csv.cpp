#include <cmath>

#include <fmt/format.h>

#include "archway/io/results_folder.hpp"
#include "archway/io/vtu.hpp"

namespace archway::io {

namespace {
std::string quoted(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string safe = "\"";
  for (const char c : text) safe += c == '"' ? "\"\"" : std::string(1, c);
  return safe + "\"";
}
std::string number(double value) {
  return std::isfinite(value) ? fmt::format("{:.17g}", value) : "";
}

std::vector<double> translations(const Eigen::VectorXd& full) {
  std::vector<double> list;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeFreedoms)
    list.insert(list.end(), full.data() + n, full.data() + n + 3);
  return list;
}

/// Part of every cell, in the order of vtu().
VtuField parts_of(const model::Model& model) {
  VtuField field{"part", 1, {}};
  for (const auto& e : model.shell_elements) field.values.push_back(e.part);
  for (const auto& e : model.line_elements) field.values.insert(field.values.end(), 3, e.part);
  return field;
}

std::vector<VtuField> stress_fields(const model::Model& model, const analysis::LinearStaticResult& r) {
  std::vector<VtuField> fields = {
      parts_of(model),           {"equivalent_stress_top", 1, {}}, {"equivalent_stress_bottom", 1, {}},
      {"membrane_force", 3, {}}, {"bending_moment", 3, {}},        {"member_force", 6, {}}};
  const auto add = [&](std::size_t field, std::initializer_list<double> values) {
    fields[field].values.insert(fields[field].values.end(), values);
  };
  for (const auto& s : r.shell_stresses) {
    add(1, {elements::equivalent_stress(s.top)});
    add(2, {elements::equivalent_stress(s.bottom)});
    add(3, {s.membrane[0], s.membrane[1], s.membrane[2]});
    add(4, {s.moment[0], s.moment[1], s.moment[2]});
    add(5, {0, 0, 0, 0, 0, 0});
  }
  for (const auto& f : r.member_forces)
    for (const auto& p : f.points) {
      add(1, {0});
      add(2, {0});
      add(3, {0, 0, 0});
      add(4, {0, 0, 0});
      add(5, {p.axial, p.shear_y, p.shear_z, p.torque, p.moment_y, p.moment_z});
    }
  return fields;
}

void write_vtu(const ResultsFolder& folder, const study::AnalysisOutcome& o, const model::Model& base) {
  const std::string& name = o.spec.name;
  const model::Model& model = *o.geometry;
  const std::vector<VtuField> parts = {parts_of(model)};
  if (o.imperfection) {
    VtuField seeded{"imperfection", 3, {}};
    for (const auto& m : o.imperfection->movement) seeded.values.insert(seeded.values.end(), m.data(), m.data() + 3);
    folder.write(fmt::format("vtu/{}-imperfection.vtu", name), vtu(base, {seeded}, parts));
  }
  if (o.linear && o.linear->usable())
    folder.write(fmt::format("vtu/{}.vtu", name),
                 vtu(model, {{"movement", 3, translations(o.linear->displacement)}}, stress_fields(model, *o.linear)));
  if (o.buckling)
    for (const auto* list : {&o.buckling->modes, &o.buckling->negative_modes})
      for (std::size_t m = 0; m < list->size(); ++m)
        folder.write(fmt::format("vtu/{}-{}mode-{}.vtu", name, list == &o.buckling->modes ? "" : "negative-", m + 1),
                     vtu(model, {{"mode", 3, translations((*list)[m].shape)}}, parts));
  if (o.path && !o.path->increments.empty()) {
    std::vector<std::pair<double, std::string>> series;
    for (const auto& i : o.path->increments) {
      if (i.displacement.size() == 0) continue;
      const std::string file = fmt::format("{}-{:04}.vtu", name, i.number);
      folder.write("vtu/" + file, vtu(model, {{"movement", 3, translations(i.displacement)}}, parts));
      series.emplace_back(i.number, file);
    }
    folder.write(fmt::format("vtu/{}.pvd", name), pvd(series));
  }
}
}  // namespace

std::string path_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome) {
  std::string csv = "increment,event,load_factor,growing_force";
  for (const auto& watch : result.spec.watches) csv += "," + quoted(watch.name);
  csv += ",largest_movement,iterations,cut_backs,residual,step,negative_pivots\n";
  for (const auto& i : outcome.path->increments) {
    csv += fmt::format("{},{},{},{}", i.number, analysis::to_text(i.event), number(i.load_factor),
                       number(i.load_factor * outcome.growing_total.force.norm()));
    for (const double w : i.watched) csv += "," + number(w);
    csv += fmt::format(",{},{},{},{},{},{}\n", number(i.largest_movement), i.iterations, i.cut_backs,
                       number(i.residual), number(i.step), i.negative_pivots);
  }
  return csv;
}

std::string modes_csv(const study::StudyResult&, const study::AnalysisOutcome& outcome) {
  std::string csv = "mode,load_factor,force_x,force_y,force_z,residual,repeated,close_to_next\n";
  int row = 0;
  for (const auto* list : {&outcome.buckling->modes, &outcome.buckling->negative_modes})
    for (const auto& m : *list) {
      const auto f = outcome.held_total.force + m.load_factor * outcome.growing_total.force;
      csv += fmt::format("{},{},{},{},{},{},{},{}\n", ++row, number(m.load_factor), number(f.x()), number(f.y()),
                         number(f.z()), number(m.residual), m.repeated ? 1 : 0, m.close_to_next ? 1 : 0);
    }
  return csv;
}

std::string member_forces_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome) {
  std::string csv = "part,element,place,axial,shear_y,shear_z,torque,moment_y,moment_z\n";
  for (const auto& f : outcome.linear->member_forces)
    for (std::size_t p = 0; p < 3; ++p) {
      const auto& s = f.points[p];
      const auto part = static_cast<std::size_t>(result.model->line_elements[static_cast<std::size_t>(f.element)].part);
      csv += fmt::format("{},{},{},{},{},{},{},{},{}\n", quoted(result.model->parts[part].name), f.element,
                         number(elements::BeamBatch::gauss_places()[p]), number(s.axial), number(s.shear_y),
                         number(s.shear_z), number(s.torque), number(s.moment_y), number(s.moment_z));
    }
  return csv;
}

std::string comparison_csv(const study::StudyResult& result) {
  std::string csv = "analysis,kind,meaning,load_factor,total_force,ratio_to_linear,largest_movement,note\n";
  for (const auto& r : result.comparison)
    csv += fmt::format("{},{},{},{},{},{},{},{}\n", quoted(r.analysis), r.kind, quoted(r.meaning),
                       number(r.load_factor), number(r.force), number(r.ratio), number(r.movement), quoted(r.note));
  return csv;
}

void write_data(const ResultsFolder& folder, const study::StudyResult& result) {
  folder.write("study.toml", result.spec.text);
  folder.write("comparison.csv", comparison_csv(result));
  for (const auto& o : result.outcomes) {
    if (o.linear && !o.linear->member_forces.empty())
      folder.write(fmt::format("tables/{}-member-forces.csv", o.spec.name), member_forces_csv(result, o));
    if (o.buckling) folder.write(fmt::format("tables/{}-modes.csv", o.spec.name), modes_csv(result, o));
    if (o.path) folder.write(fmt::format("tables/{}-path.csv", o.spec.name), path_csv(result, o));
    write_vtu(folder, o, *result.model);
  }
  folder.write("results.json", results_json(result));
}

}  // namespace archway::io
