#include "sweep_command.hpp"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>
#include <sys/mman.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

#include <fmt/format.h>

#include "archway/base/executor.hpp"
#include "archway/io/study_file.hpp"
#include "archway/io/sweep_files.hpp"
#include "archway/report/curves.hpp"
#include "archway/report/text.hpp"
#include "archway/theory/knock_down.hpp"
#include "case_ranges.hpp"
#include "child_messages.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
namespace fs = std::filesystem;
using study::CaseResult;
using study::SweepCase;

const study::SweepSpec& chosen(const study::StudySpec& spec, const std::string& name) {
  std::vector<std::string> names;
  for (const auto& s : spec.sweeps) {
    if (s.name == name || (name.empty() && spec.sweeps.size() == 1)) return s;
    names.push_back(s.name);
  }
  if (names.empty())
    throw base::InputError(spec.file, "the study has no sweeps", "add [[sweeps]], see docs/study-file.md");
  throw base::InputError(
      spec.file, name.empty() ? "the study has several sweeps" : fmt::format("there is no sweep named '{}'", name),
      name.empty() ? fmt::format("name one of: {}", fmt::join(names, ", ")) : base::suggestion(name, names));
}

/// The cases of a sweep and the folder they lie in.
class Work {
 public:
  Work(const SweepOptions& options, const study::StudySpec& spec, Console& console)
      : options_(options), spec_(spec), sweep_(chosen(spec, options.name)), console_(console) {
    folder_ = options.out.empty() ? fs::path(options.study).stem().string() + "-sweep-" + sweep_.name : options.out;
    cases_ = study::cases_of(sweep_);
    for (const auto& one : cases_) keys_.push_back(io::case_key(spec, sweep_, one));
  }

  int run() {
    if (auto list = study::complaints(spec_); !list.empty()) throw base::InputError(std::move(list));
    if (!sweep_.worst_of.empty()) return look_for_worst();
    if (!options_.merge.empty()) return merge();
    if (options_.status) return sum_up();
    make_folder();
    if (!options_.slurm.empty() || options_.submit) return array_job();
    const auto wanted = numbers_in(options_.cases, static_cast<int>(cases_.size()));
    std::vector<SweepCase> open;
    for (const auto& one : cases_)
      if (wanted.count(one.number) != 0 && !done_case(one)) open.push_back(one);
    console_.out << fmt::format("  sweep '{}' of '{}': {} cases, {} wanted, {} of them to do\n", sweep_.name,
                                sweep_.analysis, cases_.size(), wanted.size(), open.size());
    const bool finished = open.empty() || carry_out(open);
    const int code = sum_up();
    return finished ? code : stopped;
  }

 private:
  std::string file_of(const SweepCase& one) const { return io::case_file(folder_, one.number); }
  const std::string& key_of(const SweepCase& one) const { return keys_[static_cast<std::size_t>(one.number - 1)]; }
  std::optional<CaseResult> done_case(const SweepCase& one) const { return io::read_case(file_of(one), key_of(one)); }

  /// A folder of ours, known by a mark; in one that is not, nothing of somebody else's is replaced.
  void make_folder() const {
    std::error_code trouble;
    fs::create_directories(folder_, trouble);
    if (trouble) throw WriteFailure{{folder_, "this folder cannot be made: " + trouble.message(), "choose another"}};
    const fs::path mark = fs::path(folder_) / ".archway-sweep";
    if (fs::exists(mark)) return;
    for (const auto& entry : fs::directory_iterator(folder_)) {
      const std::string name = entry.path().filename().string();
      const bool ours = name == "sweep.csv" || name == "sweep.png" || name == "sweep.svg" || name == "worst.csv" ||
                        name == "array-job.sh" || name.rfind("case-", 0) == 0;
      if (ours && io::key_in(entry.path().string()).empty())
        throw WriteFailure{{entry.path().string(), "this file is in the way and was not made by a sweep",
                            "choose another folder with --out"}};
    }
    write_file(mark.string(), "cases of archway sweep, one file each\n", "mark");
  }

  /// A case is there whole or not at all.
  void keep(const CaseResult& result, const std::string& key) const {
    const std::string file = io::case_file(folder_, result.of.number), part = fmt::format("{}.{}", file, ::getpid());
    write_file(part, io::case_text(result, key), "case");
    std::error_code trouble;
    fs::rename(part, file, trouble);
    if (trouble) throw WriteFailure{{file, "the case cannot be kept: " + trouble.message(), ""}};
  }

  bool wants_stop() const { return console_.stop != nullptr && console_.stop->load(); }

  /// What the cases share is solved once; then as many copies of this process as there are jobs take one case after the
  /// other. \return false: stopped
  bool carry_out(const std::vector<SweepCase>& open) {
    if (console_.listen != nullptr) console_.listen();
    study::ChainWatcher watcher;
    watcher.wants_stop = [this] { return wants_stop(); };
    watcher.finished = [this](const study::AnalysisOutcome& o) {
      console_.out << fmt::format("  '{}' solved once for all cases\n", o.spec.name) << std::flush;
    };
    study::Sweep sweep(spec_, sweep_, watcher);
    if (wants_stop()) return false;
    const int jobs =
        std::min<int>(options_.jobs > 0 ? options_.jobs : base::default_threads(), static_cast<int>(open.size()));
    if (jobs == 1) {
      for (const auto& one : open) {
        if (wants_stop()) return false;
        keep(sweep.run(one), key_of(one));
        progress(open);
      }
      return true;
    }
    sweep.use_threads(1);
    return side_by_side(sweep, open, jobs);
  }

  bool side_by_side(study::Sweep& sweep, const std::vector<SweepCase>& open, int jobs) {
    // the number of the next case, seen by all copies
    void* shared =
        ::mmap(nullptr, sizeof(std::atomic<std::size_t>), PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (shared == MAP_FAILED) throw base::OutOfMemory("there is no room for the list of cases");
    auto* next = new (shared) std::atomic<std::size_t>(0);
    console_.out.flush();
    console_.err.flush();
    ChildMessages complaints;
    std::vector<pid_t> children;
    for (int j = 0; j < jobs; ++j) {
      const pid_t child = ::fork();
      if (child == 0) ::_exit(take_cases(sweep, open, *next, complaints));
      if (child > 0) children.push_back(child);
    }
    if (children.empty())
      throw base::OutOfMemory(std::string("no second process can be started: ") + std::strerror(errno));
    bool stopping = false, failed = false;
    while (!children.empty()) {
      std::this_thread::sleep_for(std::chrono::milliseconds(200));
      if (wants_stop() && !stopping) {
        stopping = true;
        for (const pid_t child : children) ::kill(child, SIGKILL);  // cases are kept whole or not at all
      }
      children.erase(std::remove_if(children.begin(), children.end(),
                                    [&](pid_t child) {
                                      int status = 0;
                                      if (::waitpid(child, &status, WNOHANG) != child) return false;
                                      failed = failed || !WIFEXITED(status) || WEXITSTATUS(status) != 0;
                                      return true;
                                    }),
                     children.end());
      progress(open);
    }
    ::munmap(shared, sizeof(std::atomic<std::size_t>));
    const std::string said = complaints.read();
    if (failed && !stopping)
      console_.err << "  a job ended before its time; the cases it had not finished are run the next time\n" << said;
    return !stopping;
  }

  int take_cases(study::Sweep& sweep, const std::vector<SweepCase>& open, std::atomic<std::size_t>& next,
                 const ChildMessages& complaints) const {
    std::signal(SIGINT, SIG_DFL);
    std::size_t k = open.size();
    const auto says = [&](const std::string& what) {
      complaints.write(k < open.size() ? fmt::format("  case {}: {}", open[k].number, what) : "  " + what);
      return 1;
    };
    try {
      for (k = next++; k < open.size(); k = next++) keep(sweep.run(open[k]), key_of(open[k]));
      return 0;
    } catch (const base::InputError& error) {
      return says(base::to_text(error.complaints().front()));
    } catch (const WriteFailure& failure) {
      return says(base::to_text(failure.error.complaints().front()));
    } catch (const std::exception& error) {
      return says(error.what());
    } catch (...) {
      return says("an error without a description");
    }
  }

  void progress(const std::vector<SweepCase>& open) {
    for (const auto& one : open) {
      if (told_.count(one.number) != 0) continue;
      if (const auto result = done_case(one)) {
        told_.insert(one.number);
        console_.out << fmt::format("  {:>4} of {}  {:<32} load factor {:.6g}{}\n", one.number, cases_.size(),
                                    study::to_text(one), result->load_factor(),
                                    result->usable ? "" : "  (" + result->ending + ")")
                     << std::flush;
      }
    }
  }

  /// Looks through many mixes by the reduced model and gives the few that are followed.
  std::vector<study::Mix> screened(study::Sweep& sweep) {
    const auto all = sweep.screened();
    auto few = study::unlike(all.mixes, sweep_.screen_paths);
    const auto rising = std::count_if(all.mixes.begin(), all.mixes.end(),
                                      [](const study::Mix& mix) { return !std::isfinite(mix.predicted); });
    console_.out << fmt::format(
        "  {} mixes by a reduced model of {} modes of the perfect structure at its bifurcation ({:.6g}; {} "
        "factorisations,\n  {} sums of forces): predicted {:.4g} at least{};\n  the worst {} that are unlike each "
        "other are followed\n",
        all.mixes.size(), all.modes, all.critical, all.factorisations, all.evaluations, all.mixes.front().predicted,
        rising > 0 ? fmt::format(", {} without a loss that it finds", rising) : "", few.size());
    if (!(all.mixes.front().predicted < 0.99 * all.critical))
      console_.out
          << "  ! by the reduced model these shapes cost nothing: they act by what it omits (first order of an\n"
             "    imperfection, modes at the bifurcation only). Believe the paths\n";
    return few;
  }

  /// The worst mix of modes, one path a step.
  int look_for_worst() {
    if (console_.listen != nullptr) console_.listen();
    make_folder();
    study::ChainWatcher watcher;
    watcher.wants_stop = [this] { return wants_stop(); };
    study::Sweep sweep(spec_, sweep_, watcher);
    console_.out << fmt::format("  worst mix of the first {} modes of '{}' with {:g} {} at most\n", sweep_.worst_modes,
                                sweep_.worst_of, sweep_.amplitudes.front(), spec_.units.length);
    const auto mix_text = [](const std::vector<double>& mix) {
      std::string text;
      for (std::size_t k = 0; k < mix.size(); ++k)
        if (mix[k] != 0.0) text += fmt::format("{}[{}, {:.4g}]", text.empty() ? "" : ", ", k + 1, mix[k]);
      return "[" + text + "]";
    };
    const auto mixes = sweep_.screen > 0 ? screened(sweep) : std::vector<study::Mix>();
    std::string csv = "run,load_factor,better,predicted,mix\n";
    int run = 0;
    const auto steps = sweep.worst(mixes, [&](const study::Sweep::WorstStep& step) {
      const bool known = std::isfinite(step.predicted);
      console_.out << fmt::format("  {:>3}  load factor {:.6g}{}{}  modes = {}\n", ++run, step.result.load_factor(),
                                  known ? fmt::format(" (predicted {:.4g})", step.predicted) : "",
                                  step.better ? ", the worst so far" : "", mix_text(step.mix))
                   << std::flush;
      csv += fmt::format("{},{:.17g},{},{},\"{}\"\n", run, step.result.load_factor(), step.better ? 1 : 0,
                         known ? fmt::format("{:.17g}", step.predicted) : "", mix_text(step.mix));
    });
    write_file((fs::path(folder_) / "worst.csv").string(), csv, "table");
    const study::Sweep::WorstStep* worst = nullptr;
    for (const auto& step : steps)
      if (step.better) worst = &step;
    if (worst == nullptr) {
      console_.err << "  no path came to an end: " << steps.front().result.ending << "\n";
      return not_converged;
    }
    const double first = std::min(steps[0].result.load_factor(), steps[1].result.load_factor());
    console_.out << fmt::format(
        "  worst: modes = {}, load factor {:.6g}, {:.3g} of mode 1 alone; all runs in {}/worst.csv\n",
        mix_text(worst->mix), worst->result.load_factor(), worst->result.load_factor() / first, folder_);
    return done;
  }

  int merge() {
    make_folder();
    int joined = 0;
    std::vector<base::Complaint> strangers;
    for (const auto& from : options_.merge) {
      bool any = false;
      for (const auto& one : cases_) {
        const auto file = io::case_file(from, one.number);
        if (!fs::exists(file)) continue;
        any = true;
        if (const auto result = io::read_case(file, key_of(one))) {
          if (!done_case(one)) keep(*result, key_of(one)), ++joined;
        } else {
          strangers.push_back({file, "it is of another study, version or case", "run that case again here", ""});
        }
      }
      if (!any)
        strangers.push_back({from, "there are no cases in this folder", "name a folder of 'archway sweep'", ""});
    }
    if (!strangers.empty()) throw base::InputError(std::move(strangers));
    console_.out << fmt::format("  {} cases joined\n", joined);
    return sum_up();
  }

  std::vector<CaseResult> results() const {
    std::vector<CaseResult> list;
    for (const auto& one : cases_)
      if (auto result = done_case(one)) list.push_back(*result);
    return list;
  }

  int sum_up();
  int array_job();
  void draw(const std::vector<CaseResult>& list) const;
  static void add_predicted(report::CurveSheet& sheet, const std::vector<CaseResult>& list, double most);
  void add_levels(report::CurveSheet& sheet, double thickness, double most) const;
  void tell_samples(const std::vector<CaseResult>& list) const;

  const SweepOptions& options_;
  const study::StudySpec& spec_;
  const study::SweepSpec& sweep_;
  Console& console_;
  std::string folder_;
  std::vector<SweepCase> cases_;
  std::vector<std::string> keys_;
  std::set<int> told_;
  double linear_ = 0;  // critical load factor of the linear analysis; 0: not known
};

int Work::sum_up() {
  const auto list = results();
  console_.out << fmt::format("  {} of {} cases are done in {}\n", list.size(), cases_.size(), folder_);
  if (list.empty()) return options_.status ? done : not_converged;
  // of the study's own structure, as the cases report it
  std::map<std::string, double> critical;
  for (const auto& r : list)
    if (std::isfinite(r.critical)) critical[r.of.design] = r.critical;
  if (const auto own = critical.find(""); own != critical.end()) linear_ = own->second;
  write_file((fs::path(folder_) / "sweep.csv").string(), io::sweep_csv(list, critical), "table");
  console_.out << report::sweep_text(list, spec_.units);
  tell_samples(list);
  draw(list);
  const bool all =
      list.size() == cases_.size() && std::all_of(list.begin(), list.end(), [](const auto& r) { return r.usable; });
  return all || options_.status || !options_.cases.empty() ? done : not_converged;
}

/// Load factors of the samples of each imperfection and design.
std::map<std::string, std::vector<double>> samples_of(const std::vector<CaseResult>& list) {
  std::map<std::string, std::vector<double>> groups;
  for (const auto& r : list) {
    auto one = r.of;
    one.seed = 0;
    if (r.usable) groups[study::to_text(one)].push_back(r.load_factor());
  }
  return groups;
}

void Work::tell_samples(const std::vector<CaseResult>& list) const {
  if (sweep_.seeds < 2) return;
  for (const auto& [name, values] : samples_of(list)) {
    const auto s = study::spread_of(values);
    console_.out << fmt::format(
        "  {}: {} samples, mean {:.5g}, standard deviation {:.3g}; 5 % fractile {:.5g}, with 75 % confidence {:.5g}\n",
        name, s.count, s.mean, s.deviation, s.fractile, s.with_confidence);
  }
}

void Work::draw(const std::vector<CaseResult>& list) const {
  const bool samples = sweep_.seeds > 1;
  report::CurveSheet sheet;
  sheet.title = spec_.title;
  sheet.y_label = "load factor";
  if (samples) {
    sheet.subtitle = fmt::format("sweep '{}': mean and 5 % fractile of so many samples", sweep_.name);
    sheet.x_label = "samples";
    for (const auto& [name, values] : samples_of(list)) {
      report::ChartCurve mean{name + ", mean", {}}, low{name + ", 5 % fractile", {}};
      for (std::size_t n = 2; n <= values.size(); ++n) {
        const auto s = study::spread_of({values.begin(), values.begin() + static_cast<std::ptrdiff_t>(n)});
        mean.points.emplace_back(static_cast<double>(n), s.mean);
        low.points.emplace_back(static_cast<double>(n), s.fractile);
      }
      sheet.curves.push_back(mean), sheet.curves.push_back(low);
    }
  } else {
    sheet.subtitle = fmt::format("sweep '{}': load factor of '{}' against amplitude", sweep_.name, sweep_.analysis);
    sheet.x_label = fmt::format("largest displacement of the imperfection [{}]", spec_.units.length);
    std::map<std::string, report::ChartCurve> curves;
    double thickness = 0, most = 0;
    for (const auto& r : list) {
      if (!r.usable) continue;
      const std::string name = r.of.imperfection + (r.of.amplitude < 0 ? ", reversed" : "") +
                               (r.of.design.empty() ? "" : ", " + r.of.design);
      curves[name].name = name;
      curves[name].points.emplace_back(r.largest, r.load_factor());
      thickness = std::max(thickness, r.thickness), most = std::max(most, r.largest);
    }
    for (auto& [name, curve] : curves) {
      std::sort(curve.points.begin(), curve.points.end());
      sheet.curves.push_back(curve);
    }
    add_predicted(sheet, list, most);
    add_levels(sheet, thickness, most);
  }
  if (sheet.curves.empty()) return;
  for (const char* ending : {".png", ".svg"}) {
    const auto figure = report::curve_figure("sweep" + std::string(ending), sheet);
    write_file((fs::path(folder_) / figure.name).string(), figure.content, "drawing");
  }
  console_.out << fmt::format("  table and curve: {0}/sweep.csv, {0}/sweep.png\n", folder_);
}

/// What the branch of the perfect structure predicts of its first mode.
void Work::add_predicted(report::CurveSheet& sheet, const std::vector<CaseResult>& list, double most) {
  const auto told = std::find_if(list.begin(), list.end(), [](const auto& r) { return std::isfinite(r.branch_load); });
  if (told == list.end() || !(analysis::predicted_share(told->branch_a, told->branch_b, most) < 1)) return;
  report::ChartCurve curve{"predicted by the branch of the perfect structure", {}};
  for (int k = 0; k <= 24; ++k) {
    const double w = most * k / 24;
    curve.points.emplace_back(w, told->branch_load * analysis::predicted_share(told->branch_a, told->branch_b, w));
  }
  sheet.curves.push_back(curve);
}

/// The standard's curve of an imperfect cylinder under axial load, over the largest of the cases as a measure.
void Work::add_levels(report::CurveSheet& sheet, double thickness, double most) const {
  if (linear_ > 0) sheet.levels.emplace_back("linear buckling", linear_);
  if (options_.beside.empty() || !(thickness > 0) || !(linear_ > 0)) return;
  report::ChartCurve curve{"EN 1993-1-6 annex D, axial", {}};
  for (int k = 0; k <= 60; ++k) {
    const double w = most * k / 60;
    curve.points.emplace_back(w, linear_ * theory::axial_reduction(w / thickness));
  }
  sheet.curves.push_back(curve);
}

/// An array job for a cluster: every task runs some of the cases that are missing, in this folder.
int Work::array_job() {
  std::vector<int> missing;
  for (const auto& one : cases_)
    if (!done_case(one)) missing.push_back(one.number);
  if (missing.empty()) {
    console_.out << "  no case is missing: nothing to send\n";
    return sum_up();
  }
  const std::size_t parts =
      std::min<std::size_t>(static_cast<std::size_t>(std::max(options_.parts, 1)), missing.size());
  std::string lists;
  for (std::size_t p = 0; p < parts; ++p) {
    const auto from = missing.begin() + static_cast<std::ptrdiff_t>(p * missing.size() / parts),
               to = missing.begin() + static_cast<std::ptrdiff_t>((p + 1) * missing.size() / parts);
    lists += fmt::format("  {}) cases={} ;;\n", p + 1, ranges_of({from, to}));
  }
  std::string sets;
  for (const auto& [name, value] : spec_.overrides) sets += fmt::format(" --set {}={:.17g}", name, value);
  const auto absolute = [](const std::string& path) { return fs::absolute(path).lexically_normal().string(); };
  const std::string program = fs::read_symlink("/proc/self/exe").string();
  const std::string script = options_.slurm.empty() ? (fs::path(folder_) / "array-job.sh").string() : options_.slurm;
  write_file(script,
             fmt::format(
                 "#!/bin/sh\n#SBATCH --job-name=sweep-{0}\n#SBATCH --array=1-{1}\n#SBATCH --ntasks=1\n#SBATCH "
                 "--cpus-per-task=1\n#SBATCH --output={2}/part-%a.txt\n# written by archway sweep: {3} cases in "
                 "{1} parts\ncase \"$SLURM_ARRAY_TASK_ID\" in\n{4}esac\nexport ARCHWAY_THREADS=1\nexec '{5}' sweep "
                 "'{6}' {0} --cases \"$cases\" --jobs 1 --out '{2}'{7}\n",
                 sweep_.name, parts, absolute(folder_), missing.size(), lists, program, absolute(options_.study), sets),
             "script");
  console_.out << fmt::format("  {}: {} cases in {} parts; send it with sbatch {}\n", script, missing.size(), parts,
                              script);
  if (!options_.submit) return done;
  const std::string command = fmt::format("sbatch '{}'", script);
  const int code = std::system(command.c_str());
  if (code != 0) throw WriteFailure{{script, "sbatch did not take the job", "is Slurm installed, and SLURM_CONF set?"}};
  return done;
}
}  // namespace

int command_sweep(const SweepOptions& options, const std::map<std::string, double>& overrides, bool, Console& console) {
  const auto spec = io::read_study(options.study, overrides);
  return Work(options, spec, console).run();
}

}  // namespace archway::app
