#include "shape_command.hpp"

#include <filesystem>

#include <fmt/format.h>

#include "archway/io/results_folder.hpp"
#include "archway/io/study_file.hpp"
#include "archway/io/vtu.hpp"
#include "archway/report/figures.hpp"
#include "archway/report/text.hpp"
#include "archway/study/build_model.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
void list_all(const study::StudySpec& spec, Console& console) {
  if (spec.imperfections.empty()) console.out << "  the study has no imperfections\n";
  for (const auto& i : spec.imperfections)
    console.out << fmt::format("  {:<20} {}{}\n", i.name, i.kind->word(),
                               i.made_from.empty() ? "" : fmt::format(" of '{}'", i.made_from));
}

/// The analyses that an imperfection is made from, solved.
study::StudyResult sources_of(const study::StudySpec& spec, const study::ImperfectionSpec& imperfection,
                              Console& console) {
  study::StudySpec own = spec;
  own.analyses = imperfection.made_from.empty() ? std::vector<study::AnalysisSpec>()
                                                : study::with_sources(spec, {imperfection.made_from});
  own.imperfections = {imperfection};  // what others are made from is not there
  own.hand_checks.clear();
  own.sweeps.clear();
  study::ChainWatcher watcher;
  watcher.started = [&](const study::AnalysisSpec& a, const study::AnalysisOutcome&) {
    if (console.err_is_terminal) console.err << fmt::format("  solving '{}', which it is made from\n", a.name);
  };
  study::OpenChain chain(own, watcher);
  chain.run_all();
  return chain.close();
}

void write_files(const ShapeOptions& options, const study::StudySpec& spec, const study::StudyResult& result,
                 const study::SeededShape& shape, bool force, Console& console) {
  const auto& model = *result.model;
  const auto put = [&](const std::string& path, const std::string& content, const char* what) {
    write_file(path, content, what, force);
    console.out << fmt::format("  {} written\n", path);
  };
  if (!options.csv.empty())
    put(options.csv,
        shape.height.empty() ? io::imperfection_table(model, *shape.shape) : io::wall_table(model, shape.height),
        "table");
  if (!options.vtu.empty()) {
    io::VtuField field{"imperfection", 3, {}};
    for (const auto& m : shape.shape->displacement) field.values.insert(field.values.end(), m.data(), m.data() + 3);
    put(options.vtu, io::vtu(model, {field}, io::wall_fields(model, *shape.shape)), "mesh");
  }
  if (!options.picture.empty())
    put(options.picture, report::imperfection_figure(options.picture, spec.title, model, shape, spec.units).content,
        "picture");
}
}  // namespace

int command_shape(const ShapeOptions& options, const std::map<std::string, double>& overrides, bool force,
                  Console& console) {
  const auto spec = io::read_study(options.study, overrides);
  if (options.name.empty()) {
    list_all(spec, console);
    return done;
  }
  const auto* imperfection = spec.find_imperfection(options.name);
  if (imperfection == nullptr) {
    std::vector<std::string> names;
    for (const auto& i : spec.imperfections) names.push_back(i.name);
    throw base::InputError(options.study, fmt::format("there is no imperfection named '{}'", options.name),
                           base::suggestion(options.name, names));
  }
  const auto result = sources_of(spec, *imperfection, console);
  const auto shape =
      study::make_shape(spec, *imperfection, *result.model, [&](const std::string& name) { return result.find(name); });
  console.out << report::imperfection_text(shape, spec);
  for (const auto& warning : shape.warnings) console.out << "  ! " << warning << "\n";
  console.out << (shape.measured.walls
                      ? "  walls have this thickness before anything acts, one an element, both faces alike\n"
                      : "  nodes are moved before anything acts, elements are made from where they are then: free of "
                        "stress\n");
  write_files(options, spec, result, shape, force, console);
  return done;
}

void tell_formula_shapes(const study::StudySpec& spec, const model::Model& model, const std::string& folder, bool force,
                         bool quiet, Console& console) {
  for (const auto& i : spec.imperfections) {
    if (!i.made_from.empty()) continue;
    const auto shape = study::make_shape(spec, i, model, [](const std::string&) { return nullptr; });
    if (!quiet) {
      console.out << report::imperfection_text(shape, spec);
      for (const auto& warning : shape.warnings) console.out << "  ! " << warning << "\n";
    }
    if (folder.empty()) continue;
    const auto figure =
        report::imperfection_figure("imperfection-" + i.name + ".png", spec.title, model, shape, spec.units);
    write_file((std::filesystem::path(folder) / figure.name).string(), figure.content, "drawing", force);
  }
}

}  // namespace archway::app
