#include "cli.hpp"

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <map>
#include <new>
#include <poll.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include "archway/io/results_folder.hpp"
#include "archway/io/study_file.hpp"
#include "archway/report/figures.hpp"
#include "archway/report/live.hpp"
#include "archway/study/sweep.hpp"
#include "assignment.hpp"
#include "keys_command.hpp"
#include "manual_command.hpp"
#include "measure_command.hpp"
#include "mesh_command.hpp"
#include "migrate_command.hpp"
#include "section_command.hpp"
#include "session.hpp"
#include "shape_command.hpp"
#include "show_command.hpp"
#include "sweep_command.hpp"
#include "theory_command.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
namespace fs = std::filesystem;

constexpr const char* kFooter =
    "Exit codes: 0 done; 1 internal error; 2 bad command line; 3 bad study or structure; 4 an analysis did not\n"
    "reach a usable end (what there is was written); 5 output cannot be written; 6 a check failed (load as given,\n"
    "required factor, limit or hand check); 7 out of memory; 130 stopped with Ctrl-C (what was computed was\n"
    "written).\n\n"
    "First steps:  archway demo            watch three studies run\n"
    "              archway new vault.toml  write a commented study to start from\n"
    "              archway check vault.toml\n"
    "              archway show vault.toml '{ z = 0 }' --picture caught.png\n"
    "              archway run vault.toml\n"
    "              archway measure vault.toml    lengths, areas, masses\n"
    "              archway keys foundation       keys of the study file by a word\n"
    "              archway section channel width=50 height=120 flange=6 web=4\n"
    "              archway theory column\n";

struct Options {
  std::string study, out;
  std::vector<std::string> sets;
  bool quiet = false, verbose = false, json = false, no_figures = false, force = false;
  int modes_drawn = 4;
  SectionOptions section;
  ShowOptions show;
  ShapeOptions shape;
  SweepOptions sweep;
  MeshOptions mesh;
  TheoryOptions theory;
  std::string pictures, in_full;
  KeysOptions keys;
  MeasureOptions measure;
  MigrateOptions migrate;
  std::vector<std::string> only;
  std::string from, shell;
};

std::map<std::string, double> overrides(const std::vector<std::string>& sets) {
  try {
    return number_assignments(sets, "--set thickness=5");
  } catch (const base::InputError& error) {
    throw CLI::ValidationError("--set", error.complaints().front().problem + ", " + error.complaints().front().remedy);
  }
}

report::TextStyle style_of(const Console& console, bool verbose) {
  report::TextStyle style;
  style.width = std::min(console.width, 160);
  style.verbose = verbose;
  style.bold = console.out_is_terminal;
  style.unicode = console.unicode;
  return style;
}

std::function<bool()> stop_of(const Console& console) {
  return [stop = console.stop] { return stop != nullptr && stop->load(); };
}

/// The load as given, the study's own requirements and hand checks: exit code of a run that was complete but failed
/// one.
bool requirements_met(const study::StudyResult& result) {
  if (!result.load_findings.empty()) return false;
  for (const auto& outcome : result.outcomes)
    for (const auto& verdict : outcome.verdicts)
      if (!verdict.met) return false;
  return std::none_of(result.hand_checks.begin(), result.hand_checks.end(), [](const auto& h) { return h.failed; });
}

int run_study(const study::StudySpec& spec, const Options& options, Console& console) {
  Session session({options.out, !options.no_figures, options.modes_drawn}, spec, console);
  const bool talks = !options.quiet && !options.json;
  report::LiveOptions live;
  live.style = style_of(console, options.verbose);
  live.out = talks ? &console.out : nullptr;
  live.bar = talks && console.err_is_terminal ? &console.err : nullptr;
  live.wants_stop = stop_of(console);
  const auto result = study::run_study(spec, session.noting(report::live_watcher(spec, live)));
  const auto where = session.write(result);
  if (options.json)
    console.out << io::results_json(result);
  else
    console.out << report::comparison_text(result, live.style) << "  " << where << "\n";
  if (result.stopped) {
    console.err << "stopped on request: " << where << "\n";
    return stopped;
  }
  if (!result.complete()) return not_converged;
  return requirements_met(result) ? done : requirement_failed;
}

/// Leaves of a study what --only or --from name, and what that needs from earlier analyses.
void choose_analyses(study::StudySpec& spec, const Options& options) {
  std::vector<std::string> known, wanted = options.only;
  for (const auto& a : spec.analyses) known.push_back(a.name);
  if (!options.from.empty()) wanted.push_back(options.from);
  for (const auto& name : wanted)
    if (std::find(known.begin(), known.end(), name) == known.end())
      throw base::InputError(spec.file, fmt::format("the study has no analysis '{}'", name),
                             base::suggestion(name, known));
  if (!options.from.empty())
    wanted.insert(wanted.end(), std::find(known.begin(), known.end(), options.from), known.end());
  spec.analyses = study::with_sources(spec, wanted);
  const auto is_left = [&](const std::string& name) { return spec.find_analysis(name) != nullptr; };
  const auto drop = [](auto& list, const auto& unwanted) {
    list.erase(std::remove_if(list.begin(), list.end(), unwanted), list.end());
  };
  drop(spec.hand_checks, [&](const auto& h) { return !is_left(h.of); });
  drop(spec.imperfections, [&](const auto& i) { return !i.made_from.empty() && !is_left(i.made_from); });
  drop(spec.sweeps, [&](const auto&) { return true; });  // archway sweep runs them
  for (auto& chart : spec.pictures.charts) drop(chart.analyses, [&](const auto& name) { return !is_left(name); });
}

int command_run(Options options, Console& console) {
  auto spec = io::read_study(options.study, overrides(options.sets));
  const bool some = !options.only.empty() || !options.from.empty();
  if (some) choose_analyses(spec, options);
  // results of a part of the chain do not replace those of all of it
  if (options.out.empty())
    options.out = fs::path(options.study).stem().string() + (some ? "-results-partial" : "-results");
  return run_study(spec, options, console);
}

void write_pictures(const study::StudySpec& spec, const model::Model& model, const study::CheckReport& report,
                    const Options& options, Console& console) {
  std::error_code trouble;
  fs::create_directories(options.pictures, trouble);
  if (trouble)
    throw WriteFailure{{options.pictures, "this folder cannot be made: " + trouble.message(), "choose another"}};
  for (const auto& figure : report::structure_figures(spec, model, report))
    write_file((fs::path(options.pictures) / figure.name).string(), figure.content, "drawing", options.force);
  if (!options.json && !options.quiet) console.out << fmt::format("  drawings in {}\n", options.pictures);
}

int command_check(const Options& options, Console& console) {
  const auto spec = io::read_study(options.study, overrides(options.sets));
  auto list = study::complaints(spec);
  const auto model = study::build_model(spec);
  (void)study::watch_points(spec, model);
  if (!list.empty()) throw base::InputError(std::move(list));
  const auto report = study::check_model(spec, model, true);
  if (options.json)
    console.out << io::check_json(spec, report);
  else if (!options.quiet)
    console.out << report::check_text(spec, report, style_of(console, options.verbose));
  if (!options.pictures.empty()) write_pictures(spec, model, report, options, console);
  if (!options.in_full.empty()) {
    write_file(options.in_full, io::study_in_full(options.study, overrides(options.sets)), "study", options.force);
    if (!options.json && !options.quiet) console.out << fmt::format("  written in full to {}\n", options.in_full);
  }
  tell_formula_shapes(spec, model, options.pictures, options.force, options.quiet || options.json, console);
  if (report.has_mechanism) {
    if (!options.json)
      console.err << base::to_text(
                         {spec.file, report.mechanism,
                          "add supports that prevent this mechanism; parts 1e12 times stiffer than others also "
                          "hide what those resist",
                          ""})
                  << "\n";
    return bad_study;
  }
  if (!options.quiet && !options.json)
    console.out << fmt::format("  {} analyses are ready to run\n", spec.analyses.size());
  return done;
}

int command_new(const Options& options, Console& console) {
  if (options.study.empty()) {
    console.out << io::starter_study();
    return done;
  }
  if (fs::exists(options.study) && !options.force)
    throw WriteFailure{
        {options.study, "this file exists already", "choose another name, or add --force to replace it"}};
  write_file(options.study, io::starter_study(), "file");
  console.out << fmt::format("{} written: edit it, then archway run {}\n", options.study, options.study);
  return done;
}

int command_demo(Options options, Console& console) {
  const std::string base = options.out.empty() ? "archway-demo" : options.out;
  int worst = done;
  for (const auto& [name, text] : demo_studies()) {
    options.out = (fs::path(base) / fs::path(name).stem()).string();
    const int code = run_study(io::parse_study(text, name, {}), options, console);
    if (code == stopped) return code;
    worst = std::max(worst, code);
    console.out << "\n";
  }
  console.out << fmt::format("pictures are in {0}/*/figures, the study files beside their results as study.toml\n",
                             base);
  return worst;
}

void add_force(CLI::App* command, Options& options) {
  command->add_flag("--force", options.force, "replace files that this program did not make");
}

void add_common(CLI::App* command, Options& options) {
  command->add_option("study", options.study, "study file (TOML, see docs/study-file.md)")->required();
  command->add_option("--set", options.sets, "give a parameter another value: NAME=NUMBER (may be repeated)")
      ->take_all()
      ->allow_extra_args(false);
  command->add_flag("-q,--quiet", options.quiet, "say only what matters at the end");
  command->add_flag("-v,--verbose", options.verbose, "all rows and columns, and more digits");
  command->add_flag("--json", options.json, "print the results as JSON and nothing else");
}

void add_sets(CLI::App* command, Options& options) {
  command->add_option("--set", options.sets, "give a parameter another value: NAME=NUMBER (may be repeated)")
      ->take_all()
      ->allow_extra_args(false);
}

void describe_shapes(CLI::App& app, Options& options) {
  auto* shape = app.add_subcommand("shape", "an imperfection as it will be seeded: size, place, picture, table");
  shape->add_option("study", options.shape.study, "study file")->required();
  shape->add_option("name", options.shape.name, "an imperfection of the study (default: list them)");
  shape->add_option("--picture", options.shape.picture, "draw it to this file (.png or .svg)");
  shape->add_option("--csv", options.shape.csv, "write x, y, z and the displacement of every node to this file");
  shape->add_option("--vtu", options.shape.vtu, "write the mesh with the displacement to this file");
  add_sets(shape, options);
  add_force(shape, options);
  auto* sweep = app.add_subcommand(
      "sweep", "run a path once a case (imperfection, amplitude, sign, seed, design) and draw how much it matters");
  sweep->add_option("study", options.sweep.study, "study file")->required();
  sweep->add_option("name", options.sweep.name, "a sweep of the study (default: the only one)");
  sweep->add_option("-o,--out", options.sweep.out, "folder of the cases (default: name of the study + -sweep-NAME)");
  sweep->add_option("--cases", options.sweep.cases, "these only, for instance 3,7,40:80");
  sweep->add_option("-j,--jobs", options.sweep.jobs, "cases side by side (default: one a core)");
  sweep->add_option("--merge", options.sweep.merge, "join the cases of these folders, done elsewhere");
  sweep->add_flag("--status", options.sweep.status, "list what is done, run nothing");
  sweep->add_option("--slurm", options.sweep.slurm, "write the missing cases as an array job for Slurm to this file");
  sweep->add_flag("--submit", options.sweep.submit, "and send it");
  sweep->add_option("--parts", options.sweep.parts, "tasks of the array job")->capture_default_str();
  sweep->add_option("--beside", options.sweep.beside, "a standard's curve in the chart: shell-axial")
      ->check(CLI::IsMember({"shell-axial"}));
  add_sets(sweep, options);
}

void describe(CLI::App& app, Options& options) {
  app.description(
      "archway: when does a slender structure or a thin shell go unstable, and at what load does it collapse?");
  app.footer(kFooter);
  app.require_subcommand(1);
  app.set_version_flag("--version", io::version_text());
  auto* run = app.add_subcommand("run", "carry out the chain of analyses of a study and write its results folder");
  add_common(run, options);
  run->add_option(
      "-o,--out", options.out,
      "results folder (default: name of the study + -results); older results in it are replaced, nothing else");
  run->add_option("--only", options.only, "these analyses only, and what they need (may be repeated)")
      ->take_all()
      ->allow_extra_args(false);
  run->add_option("--from", options.from, "this analysis and those after it, and what they need");
  run->add_flag("--no-figures", options.no_figures, "write data only");
  run->add_option("--modes-drawn", options.modes_drawn, "mode shapes drawn for each buckling analysis")
      ->capture_default_str();
  auto* check = app.add_subcommand(
      "check", "check a study without solving it: parts, masses, load totals, mechanisms, suspicious numbers");
  add_common(check, options);
  check->add_option("--pictures", options.pictures,
                    "draw the structure (thickness, supports, free edges) and every action to this folder");
  check->add_option("--in-full", options.in_full,
                    "write the study with everything that it leaves to the program spelled out to this file");
  add_force(check, options);
  auto* fresh =
      app.add_subcommand("new", "write a commented study file to start from (to the screen when no name is given)");
  fresh->add_option("file", options.study, "file to write");
  fresh->add_flag("--force", options.force, "replace the file when it exists");
  auto* section = app.add_subcommand("section", "properties of a cross-section, with a small drawing");
  section->add_option("what", options.section.what, "a shape (i, channel, angle, ...) or a study file")->required();
  section->add_option("dimensions", options.section.dimensions,
                      "NAME=NUMBER of a shape, for instance width=80 height=160");
  section->add_option("--unit", options.section.unit, "length unit to print behind the numbers of a shape")
      ->capture_default_str();
  section->add_option("--profile", options.section.profile, "a profile of the study");
  section->add_option("--cut", options.section.cut, "cut the panels of the study, for instance x=500");
  section->add_option(
      "--forces", options.section.forces,
      "run this analysis of the study (LA, or a path: its last state) and report the forces through the cut");
  section->add_option("--part", options.section.parts, "cut this part only (may be repeated)")->allow_extra_args(false);
  section->add_option("--picture", options.section.picture, "draw the section to this file (.png or .svg)");
  section->add_option("--material", options.section.material,
                      "moment against curvature of the profile in this material of the study, which must yield");
  section->add_option("--curve", options.section.curve, "draw moment against curvature to this file (.png or .svg)");
  section->add_option("--axial", options.section.axial, "normal force of the curve, tension positive");
  section->add_flag("--about-z", options.section.about_z, "the moment of the curve is about z, not y");
  section->add_flag("--json", options.section.json, "print the numbers as JSON and nothing else");
  add_force(section, options);
  auto* show = app.add_subcommand("show", "what a selection catches, or all names of a study");
  show->add_option("study", options.show.study, "study file")->required();
  show->add_option("what", options.show.what, "a name, or rules as in the study file: '{ on = \"skin\", z = 0 }'");
  show->add_option("--names", options.show.names, "list names of the study only, one a line")
      ->check(CLI::IsMember({"analyses", "profiles", "materials", "imperfections", "sweeps", "watches"}));
  show->add_option("--picture", options.show.picture, "draw what is caught to this file (.png or .svg)");
  show->add_option("--set", options.sets, "give a parameter another value: NAME=NUMBER (may be repeated)")
      ->take_all()
      ->allow_extra_args(false);
  add_force(show, options);
  auto* measure = app.add_subcommand(
      "measure", "lengths, areas, volumes and masses of parts and selections, distance between two of them");
  measure->add_option("study", options.measure.study, "study file")->required();
  measure
      ->add_option("what", options.measure.what,
                   "a part, a name, or rules as in the study file; two of them: the distance (default: all parts)")
      ->expected(0, 2);
  add_sets(measure, options);
  auto* keys = app.add_subcommand("keys", "the reference of the study file: every key, searched for a word");
  keys->add_option("word", options.keys.word, "what to look for (default: all)");
  keys->add_flag("--markdown", options.keys.markdown, "the whole reference as a page of documentation");
  auto* completion = app.add_subcommand("completion", "a completion script for the shell, to be sourced");
  completion->add_option("shell", options.shell, "bash, zsh or fish")
      ->required()
      ->check(CLI::IsMember({"bash", "zsh", "fish"}));
  app.add_subcommand("manual", "the manual page, for man: archway manual > archway.1");
  app.add_subcommand("schema", "the study format as a JSON Schema, for editors");
  describe_shapes(app, options);
  auto* mesh = app.add_subcommand("mesh", "look at a mesh made elsewhere, and write it in another format");
  mesh->add_option("file", options.mesh.file, "mesh (.vtu, .obj, .ply, .stl, .csv) or study file")->required();
  mesh->add_option("-o,--out", options.mesh.out, "write it here; the ending says in which format");
  mesh->add_option("--merge", options.mesh.merge, "merge nodes closer than this (default: only in the same place)");
  add_force(mesh, options);
  auto* migrate = app.add_subcommand("migrate", "convert studies of an older format; comments and order are kept");
  migrate->add_option("files", options.migrate.files, "study files; the old text is kept as NAME.old")->required();
  migrate->add_flag("--print", options.migrate.print, "print the converted text and write nothing");
  auto* theory = app.add_subcommand("theory", "hand formulas for critical loads: a list, what one takes, its values");
  theory->add_option("formula", options.theory.formula, "name of a formula (default: list them all)");
  theory->add_option("inputs", options.theory.inputs, "NAME=VALUE (default: list what the formula takes)");
  theory->add_option("--force", options.theory.force, "force unit to print")->capture_default_str();
  theory->add_option("--length", options.theory.length, "length unit to print")->capture_default_str();
  theory->add_option("--study", options.theory.study, "take a material and a profile from this study");
  theory->add_option("--material", options.theory.material, "a material of the study");
  theory->add_option("--profile", options.theory.profile, "a profile of the study");
  theory->add_option("--about", options.theory.about, "axis of bending, y or z (default: the weaker)");
  theory->add_flag("--json", options.theory.json, "print the numbers as JSON and nothing else");
  auto* demo = app.add_subcommand(
      "demo",
      "run the three demo studies: ribs and skin of an orchid house's entrance vault, and a rack upright that yields");
  demo->add_option("-o,--out", options.out, "folder for the results (default: archway-demo)");
  demo->add_flag("-q,--quiet", options.quiet, "say only what matters at the end");
  demo->add_flag("-v,--verbose", options.verbose, "all rows and columns, and more digits");
}

int dispatch(const CLI::App& app, const Options& options, Console& console) {
  if (app.got_subcommand("run")) return command_run(options, console);
  if (app.got_subcommand("check")) return command_check(options, console);
  if (app.got_subcommand("new")) return command_new(options, console);
  if (app.got_subcommand("show")) return command_show(options.show, overrides(options.sets), options.force, console);
  if (app.got_subcommand("keys")) return command_keys(options.keys, console);
  if (app.got_subcommand("schema")) return command_schema(console);
  if (app.got_subcommand("completion") || app.got_subcommand("manual")) {
    console.out << (app.got_subcommand("manual") ? manual_page(app) : completion_script(app, options.shell));
    return done;
  }
  if (app.got_subcommand("measure")) return command_measure(options.measure, overrides(options.sets), console);
  if (app.got_subcommand("shape")) return command_shape(options.shape, overrides(options.sets), options.force, console);
  if (app.got_subcommand("sweep")) return command_sweep(options.sweep, overrides(options.sets), options.force, console);
  if (app.got_subcommand("mesh")) return command_mesh(options.mesh, options.force, console);
  if (app.got_subcommand("migrate")) return command_migrate(options.migrate, console);
  if (app.got_subcommand("theory")) return command_theory(options.theory, console);
  if (app.got_subcommand("section")) return command_section(options.section, options.force, console);
  return command_demo(options, console);
}

/// Complaints as text; for scripts that asked for JSON as records on the output as well.
void report_errors(const base::InputError& error, bool json, Console& console) {
  console.err << error.what() << "\n";
  if (json) console.out << io::errors_json(error);
}
}  // namespace

namespace {
/// What was said must have arrived, or a script would take silence for success. A reader that has gone away has seen
/// what it wanted.
int arrived(int code, Console& console) {
  errno = 0;
  console.out.flush();
  if (console.out.good()) return code;
  const int why = errno;
  pollfd pipe{STDOUT_FILENO, POLLOUT, 0};
  if (::poll(&pipe, 1, 0) > 0 && (pipe.revents & (POLLERR | POLLHUP)) != 0) return code;
  console.err << "the output cannot be written: " << (why != 0 ? std::strerror(why) : "is the disk full?") << "\n";
  return cannot_write;
}

int run_and_tell(const std::vector<std::string>& arguments, Console& console);
}  // namespace

int run(const std::vector<std::string>& arguments, Console& console) {
  const int code = run_and_tell(arguments, console);
  return arrived(code, console);
}

namespace {
bool asked_for_json(const Options& options) {
  return options.json || options.section.json || options.theory.json;
}

int run_and_tell(const std::vector<std::string>& arguments, Console& console) {
  Options options;
  CLI::App app;
  describe(app, options);
  try {
    std::vector<std::string> reversed(arguments.rbegin(), arguments.rend());
    app.parse(reversed);
    return dispatch(app, options, console);
  } catch (const CLI::ParseError& error) {
    return app.exit(error, console.out, console.err) == 0 ? done : bad_command_line;
  } catch (const WriteFailure& failure) {
    report_errors(failure.error, asked_for_json(options), console);
    return cannot_write;
  } catch (const base::InputError& error) {
    report_errors(error, asked_for_json(options), console);
    return bad_study;
  } catch (const base::OutOfMemory& error) {
    console.err << "out of memory: " << error.what()
                << "\n  -> use fewer elements, or a machine with more memory (ARCHWAY_MEMORY_MB sets the limit)\n";
    return out_of_memory;
  } catch (const std::bad_alloc&) {
    console.err << "out of memory: the model needs more than there is\n  -> use fewer elements or modes\n";
    return out_of_memory;
  } catch (const std::exception& error) {
    console.err << "internal error: " << error.what()
                << "\n  -> this is our mistake, not yours: please report it with the study file\n";
    return internal_error;
  }
}
}  // namespace

}  // namespace archway::app
