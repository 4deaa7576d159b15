#include <fmt/format.h>

#include "results/path_tables_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io::detail {

namespace {
std::string numbers(std::initializer_list<double> values) {
  std::string text;
  for (const double v : values) text += "," + cell(v);
  return text;
}

std::string reactions(const analysis::PathResult& path) {
  std::string csv = "increment,load_factor,support,force_x,force_y,force_z,moment_x,moment_y,moment_z\n";
  for (const auto& i : path.increments)
    for (const auto& r : i.reactions)
      csv += fmt::format("{},{},{}{}\n", i.number, cell(i.load_factor), quoted(r.name),
                         numbers({r.force.x(), r.force.y(), r.force.z(), r.moment.x(), r.moment.y(), r.moment.z()}));
  return csv;
}

std::string couplings(const analysis::PathResult& path) {
  std::string csv =
      "increment,load_factor,coupling,force_x,force_y,force_z,moment_x,moment_y,moment_z,about_x,about_y,about_z\n";
  for (const auto& i : path.increments)
    for (const auto& c : i.couplings)
      csv += fmt::format("{},{},{}{}\n", i.number, cell(i.load_factor), quoted(c.name),
                         numbers({c.force.x(), c.force.y(), c.force.z(), c.moment.x(), c.moment.y(), c.moment.z(),
                                  c.about.x(), c.about.y(), c.about.z()}));
  return csv;
}

std::string contacts(const analysis::PathResult& path, const model::Model& model) {
  std::string csv =
      "increment,load_factor,contact,nodes,normal_force,force_x,force_y,force_z,moment_x,moment_y,moment_z,largest,gap,"
      "area,pressure\n";
  for (const auto& i : path.increments)
    for (const auto& c : i.contacts)
      csv +=
          fmt::format("{},{},{},{}{}\n", i.number, cell(i.load_factor), quoted(analysis::name_of(model, c)), c.touching,
                      numbers({c.pressed, c.force.x(), c.force.y(), c.force.z(), c.moment.x(), c.moment.y(),
                               c.moment.z(), c.largest, c.gap, c.area, c.pressure}));
  return csv;
}

std::string parts(const analysis::PathResult& path, const model::Model& model) {
  std::string csv =
      "increment,load_factor,part,axial_low,axial_high,shear,torque,moment_y,moment_z,bimoment,stress,utilisation,"
      "plastic_strain,yielded_share\n";
  for (const auto& i : path.increments)
    for (std::size_t p = 0; p < i.peaks.size(); ++p) {
      const auto& k = i.peaks[p];
      const analysis::PartFlow flow = p < i.flow.size() ? i.flow[p] : analysis::PartFlow{};
      csv += fmt::format("{},{},{}{}\n", i.number, cell(i.load_factor), quoted(model.parts[p].name),
                         numbers({k.axial_low, k.axial_high, k.shear, k.torque, k.moment_y, k.moment_z, k.bimoment,
                                  k.stress, k.utilisation(), flow.plastic_strain, flow.share}));
    }
  return csv;
}

std::string joints(const analysis::PathResult& path, const model::Model& model) {
  std::string csv = "increment,load_factor,joint,name,force_1,force_2,force_3,moment_1,moment_2,moment_3\n";
  for (const auto& i : path.increments)
    for (std::size_t s = 0; s < i.spring_forces.size(); ++s) {
      const auto& f = i.spring_forces[s];
      csv += fmt::format("{},{},{},{}{}\n", i.number, cell(i.load_factor), s, quoted(model.springs[s].name),
                         numbers({f[0], f[1], f[2], f[3], f[4], f[5]}));
    }
  return csv;
}
}  // namespace

void write_path_tables(ResultsFolder& folder, const study::AnalysisOutcome& o) {
  const auto& path = *o.path;
  if (path.increments.empty()) return;
  const auto table = [&](const char* what, const std::string& csv) {
    folder.write(fmt::format("tables/{}-{}.csv", o.spec.name, what), csv);
  };
  table("reactions", reactions(path));
  if (!path.increments.back().couplings.empty()) table("couplings", couplings(path));
  if (!path.increments.back().contacts.empty()) table("contacts", contacts(path, *o.model));
  table("parts", parts(path, *o.model));
  if (!path.increments.back().spring_forces.empty()) table("joints", joints(path, *o.model));
}

}  // namespace archway::io::detail
