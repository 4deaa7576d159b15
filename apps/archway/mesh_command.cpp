#include "mesh_command.hpp"

#include <fmt/format.h>

#include "archway/io/mesh_file.hpp"
#include "archway/io/study_file.hpp"
#include "archway/study/build_model.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
/// The first few of a list of elements, with their size.
template <class List, class Text>
void tell(Console& console, const List& list, const char* what, const Text& text) {
  if (list.empty()) return;
  console.out << fmt::format("  ! {} {}:", list.size(), what);
  for (std::size_t k = 0; k < list.size() && k < 8; ++k) console.out << (k == 0 ? " " : ", ") << text(list[k]);
  console.out << (list.size() > 8 ? ", ...\n" : "\n");
}
}  // namespace

int command_mesh(const MeshOptions& options, bool force, Console& console) {
  const bool is_study = options.file.size() > 5 && options.file.substr(options.file.size() - 5) == ".toml";
  if (!options.out.empty()) {  // before the work
    const bool pair = io::mesh_format(options.out) == io::MeshFormat::csv;
    const std::string stem = pair ? options.out.substr(0, options.out.size() - 4) : "";
    for (const auto& file : pair ? std::vector<std::string>{stem + "-nodes.csv", stem + "-elements.csv"}
                                 : std::vector<std::string>{options.out})
      refuse_foreign(file, force);
  }
  model::Model mesh = is_study ? study::build_model(io::read_study(options.file)) : io::read_mesh(options.file);
  const auto report = io::inspect_mesh(mesh, options.merge);
  console.out << fmt::format("{}: {} nodes, {} panel, {} solid, {} line elements in {} parts\n", options.file,
                             mesh.nodes.size(), mesh.shell_elements.size(), mesh.solid_elements.size(),
                             mesh.bar_elements.size() + mesh.line_elements.size(), mesh.parts.size());
  for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
    int count = 0;
    mesh.each_element([&](const int*, const int*, int part) { count += part == static_cast<int>(p); });
    console.out << fmt::format("  {:<20} {} elements\n", mesh.parts[p].name, count);
  }
  console.out << fmt::format("  {} nodes merged with others{}\n", report.merged,
                             options.merge > 0 ? fmt::format(" within {:g}", options.merge) : " in the same place");
  console.out << fmt::format("  {} free panel edges, {:.6g} long in all; {} edges with more than two panels\n",
                             report.free_edges, report.free_length, report.branched_edges);
  const auto number = [](int e) { return fmt::format("{}", e); };
  tell(console, report.duplicates, "elements lie on others", number);
  tell(console, report.flipped, "elements look against their neighbours", number);
  tell(console, report.slender, "elements are more than ten times as long as wide",
       [](const auto& e) { return fmt::format("{} ({:.3g})", e.first, e.second); });
  tell(console, report.skewed, "elements have a corner below 20 degrees",
       [](const auto& e) { return fmt::format("{} ({:.3g})", e.first, e.second); });
  if (options.out.empty()) return done;
  try {
    io::write_mesh(options.out, mesh);
  } catch (const base::InputError& error) {
    throw WriteFailure{error};
  }
  console.out << fmt::format("  written to {}\n", options.out);
  return done;
}

}  // namespace archway::app
