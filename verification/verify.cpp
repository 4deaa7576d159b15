// Runs the known-answer collection: every case is a study with parameters, the meshes to run it on and what must come
// out.
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <map>
#include <optional>

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <toml++/toml.h>

#include "archway/io/results_folder.hpp"
#include "archway/io/study_file.hpp"
#include "archway/report/curves.hpp"

namespace {
using archway::base::InputError;
using nlohmann::json;

struct Expectation {
  std::string name, pointer;
  double value = 0, tolerance = 0;       // relative error allowed on the last mesh
  double coarse_tolerance = 0;           // of a slow case, on its first mesh
  double scale = 1;                      // got = scale x what the pointer finds
  std::optional<double> order_at_least;  // observed order between the last two meshes
  std::vector<double> got;               // one a mesh
  std::vector<double> estimated;         // one a mesh: the mesh error the program reports; NaN when it reports none
};

struct Case {
  std::string name, title, source, note, study;
  std::vector<std::map<std::string, double>> meshes;
  std::vector<double> sizes;  // elements per length, for the order
  std::vector<Expectation> expectations;
  bool slow = false;  // --meshes first: its first mesh only
  std::string failure;
  std::string path;  // analysis whose path is drawn, with its first watch point
  std::string watch;
  std::vector<archway::report::ChartCurve> curves;  // one a mesh: load factor over displacement
};

Case read(const std::filesystem::path& path) {
  const toml::table root = toml::parse_file(path.string());
  Case c;
  c.name = path.stem().string();
  c.title = root["title"].value_or(std::string());
  c.source = root["source"].value_or(std::string());
  c.note = root["note"].value_or(std::string());
  c.study = root["study"].value_or(std::string());
  c.slow = root["slow"].value_or(false);
  if (const auto* meshes = root["mesh"].as_array())
    for (const auto& item : *meshes) {
      std::map<std::string, double> set;
      for (const auto& [key, value] : *item.as_table()) set[std::string(key.str())] = value.value_or(0.0);
      c.sizes.push_back(set.empty() ? 1 : set.begin()->second);
      c.meshes.push_back(std::move(set));
    }
  if (c.meshes.empty()) c.meshes.emplace_back(), c.sizes.push_back(1);
  for (const auto& item : *root["expect"].as_array()) {
    const auto& t = *item.as_table();
    Expectation e;
    e.name = t["name"].value_or(std::string());
    e.pointer = t["at"].value_or(std::string());
    e.value = t["value"].value_or(0.0);
    e.tolerance = t["tolerance"].value_or(0.0);
    e.coarse_tolerance = t["coarse_tolerance"].value_or(e.tolerance);
    e.scale = t["scale"].value_or(1.0);
    e.order_at_least = t["order_at_least"].value<double>();
    c.expectations.push_back(e);
  }
  return c;
}

/// Leaves the first mesh alone, with the errors it may have.
void coarsen(Case& c) {
  c.meshes.resize(1);
  c.sizes.resize(1);
  for (auto& e : c.expectations) e.tolerance = e.coarse_tolerance, e.order_at_least.reset();
}

/// A JSON pointer in which -1 means the last item of a list.
double find(const json& root, const std::string& pointer) {
  const json* at = &root;
  std::size_t begin = 1;
  while (begin <= pointer.size()) {
    const std::size_t end = std::min(pointer.find('/', begin), pointer.size());
    const std::string key = pointer.substr(begin, end - begin);
    if (at->is_array()) {
      const int index = std::stoi(key);
      at = &at->at(static_cast<std::size_t>(index < 0 ? static_cast<int>(at->size()) + index : index));
    } else {
      at = &at->at(key);
    }
    begin = end + 1;
  }
  return at->is_number() ? at->get<double>() : std::nan("");
}

/// The mesh error that the program estimates for the mode an expectation looks at; NaN when it looks at none.
double estimate_of(const json& root, const std::string& pointer) {
  const std::string end = "/load_factor";
  if (pointer.find("/modes/") == std::string::npos || pointer.rfind(end) != pointer.size() - end.size())
    return std::nan("");
  const json::json_pointer mode(pointer.substr(0, pointer.size() - end.size()) + "/mesh_error");
  return root.contains(mode) && root[mode].is_number() ? root[mode].get<double>() : std::nan("");
}

/// How the estimates of the coarser mesh fare against what the finer one changes.
struct Bracket {
  std::string title, quantity;
  double estimated = 0, change = 0;
};
std::vector<Bracket> brackets(const std::vector<Case>& cases) {
  std::vector<Bracket> list;
  for (const auto& c : cases)
    for (const auto& e : c.expectations)
      if (e.got.size() == 2 && std::isfinite(e.estimated[0]))
        list.push_back({c.title, e.name, e.estimated[0], std::abs(e.got[0] / e.got[1] - 1)});
  std::sort(list.begin(), list.end(),
            [](const auto& a, const auto& b) { return a.estimated * b.change < b.estimated * a.change; });
  return list;
}
/// Changes below this are rounding, or of no concern.
constexpr double kNoConcern = 1e-4;

std::string bracket_text(const std::vector<Bracket>& list) {
  std::size_t held = 0, counted = 0;
  std::vector<double> ratios;
  for (const auto& b : list) {
    if (b.change < kNoConcern && b.estimated < kNoConcern) continue;
    ++counted;
    held += b.estimated >= b.change ? 1 : 0;
    ratios.push_back(b.estimated / b.change);
  }
  std::sort(ratios.begin(), ratios.end());
  const auto at = [&](std::size_t quarter) { return ratios.empty() ? 0 : ratios[quarter * ratios.size() / 4]; };
  return fmt::format(
      "mesh errors reported on the coarser mesh: in {} of {} cases ({:.1f} %) the finer mesh changes more than was reported; "
      "median "
      "of reported over real {:.2g}, half of the cases between {:.2g} and {:.2g}",
      counted - held, counted,
      100.0 * static_cast<double>(counted - held) / static_cast<double>(std::max<std::size_t>(1, counted)), at(2),
      at(1), at(3));
}

/// Load factor over the displacement of the first watch point, of the first analysis that followed a path.
void keep_path(Case& c, const json& root, std::size_t mesh) {
  for (const auto& [name, analysis] : root.at("analyses").items()) {
    if (!analysis.contains("increments") || analysis["increments"].empty() ||
        analysis["increments"][0]["watch"].empty())
      continue;
    archway::report::ChartCurve curve;
    for (const auto& [key, value] : c.meshes[mesh])
      curve.name += fmt::format("{}{} = {:g}", curve.name.empty() ? "" : ", ", key, value);
    if (curve.name.empty()) curve.name = "computed";
    c.path = name;
    c.watch = analysis["increments"][0]["watch"].begin().key();
    for (const auto& i : analysis["increments"])
      if (i["load_factor"].is_number() && i["watch"][c.watch].is_number())
        curve.points.emplace_back(i["watch"][c.watch].get<double>(), i["load_factor"].get<double>());
    c.curves.push_back(std::move(curve));
    return;
  }
}

void run(Case& c) {
  try {
    for (const auto& mesh : c.meshes) {
      const auto result = archway::study::run_study(archway::io::parse_study(c.study, c.name + ".toml", mesh));
      const json root = json::parse(archway::io::results_json(result));
      for (auto& e : c.expectations) {
        e.got.push_back(e.scale * find(root, e.pointer));
        e.estimated.push_back(estimate_of(root, e.pointer));
      }
      keep_path(c, root, static_cast<std::size_t>(&mesh - c.meshes.data()));
    }
  } catch (const InputError& error) {
    c.failure = error.what();
  } catch (const json::exception& error) {
    c.failure = fmt::format("a result was not there: {}", error.what());
  }
}

double error_of(const Expectation& e, std::size_t mesh) {
  return e.value == 0.0 ? std::abs(e.got[mesh]) : std::abs(e.got[mesh] / e.value - 1);
}

std::optional<double> order_of(const Case& c, const Expectation& e) {
  if (e.got.size() < 2) return {};
  const std::size_t last = e.got.size() - 1;
  return std::log(error_of(e, last - 1) / error_of(e, last)) / std::log(c.sizes[last] / c.sizes[last - 1]);
}

bool passes(const Case& c, const Expectation& e) {
  if (!c.failure.empty() || e.got.size() != c.meshes.size()) return false;
  if (!(error_of(e, e.got.size() - 1) <= e.tolerance)) return false;
  return !e.order_at_least || *order_of(c, e) >= *e.order_at_least;
}

/// Rows sorted by how much of the tolerance is used, the worst first.
std::string markdown(const std::vector<Case>& cases) {
  std::vector<std::pair<double, std::string>> rows;
  for (const auto& c : cases)
    for (const auto& e : c.expectations) {
      std::string meshes;
      for (std::size_t m = 0; m < e.got.size(); ++m) {
        std::string set;
        for (const auto& [key, value] : c.meshes[m])
          set += (set.empty() ? "" : ", ") + fmt::format("{} = {:g}", key, value);
        meshes += fmt::format("{}{}{:.2e}", m > 0 ? "<br>" : "", set.empty() ? "" : set + ": ", error_of(e, m));
      }
      const auto order = order_of(c, e);
      const double used = e.got.empty() ? HUGE_VAL : error_of(e, e.got.size() - 1) / e.tolerance;
      rows.emplace_back(used, fmt::format("| {} | {} | {:.8g} | {} | {} | {:.1e} | {} | {} |", c.title, e.name, e.value,
                                          e.got.empty() ? "-" : fmt::format("{:.8g}", e.got.back()), meshes,
                                          e.tolerance, order && e.got.size() > 1 ? fmt::format("{:.1f}", *order) : "",
                                          passes(c, e) ? "ok" : "FAILS"));
    }
  std::stable_sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::string text =
      "# Verification\n\nWritten by `verify --write docs/verification.md`; do not edit. Every row is one known answer; "
      "cases, sources and notes are in\n"
      "`verification/cases/`. Errors are relative, one for each mesh; the last one counts. The rows that use most of "
      "their tolerance come first. This table is of all meshes, as `tools/test.sh --full` runs them; when that and "
      "what else "
      "takes long last ran is in [performance.md](performance.md#what-moved-to-toolstestsh---full).\n\n"
      "| case | quantity | known | computed | error by mesh | allowed | order | |\n|---|---|---|---|---|---|---|---|\n";
  for (const auto& [used, row] : rows) text += row + "\n";
  const auto list = brackets(cases);
  text +=
      "\n## Mesh errors\n\nOf every buckling mode above that was solved on two meshes: the error that the program "
      "estimates on the coarser one, and what the finer one changes.\nTogether: " +
      bracket_text(list) + ".\n\n| case | mode | estimated | change | estimate / change |\n|---|---|---|---|---|\n";
  for (const auto& b : list)
    if (b.change >= kNoConcern || b.estimated >= kNoConcern)
      text += fmt::format("| {} | {} | {:.1e} | {:.1e} | {:.2f} |\n", b.title, b.quantity, b.estimated, b.change,
                          b.estimated / b.change);
  text += "\n## Paths\n\n";
  for (const auto& c : cases)
    if (!c.curves.empty()) text += fmt::format("- [{0}](verification/{1}.svg)\n", c.title, c.name);
  text += "\n## Sources and notes\n\n";
  for (const auto& c : cases)
    text += fmt::format("- **{}** (`{}`): {}{}\n", c.title, c.name, c.source, c.note.empty() ? "" : ". " + c.note);
  return text;
}
}  // namespace

namespace {
/// Charts of all paths beside the table; known load factors of critical points as levels.
void write_charts(const std::vector<Case>& cases, const std::filesystem::path& table) {
  const auto folder = table.parent_path() / table.stem();
  std::filesystem::create_directories(folder);
  for (const auto& c : cases) {
    if (c.curves.empty()) continue;
    archway::report::CurveSheet sheet{c.title,       c.source, "displacement of '" + c.watch + "'",
                                      "load factor", c.curves, {}};
    for (const auto& e : c.expectations)
      if (e.pointer.find("/" + c.path + "/") != std::string::npos && e.pointer.find("load_factor") != std::string::npos)
        sheet.levels.emplace_back("known: " + e.name, e.value / e.scale);
    std::ofstream(folder / (c.name + ".svg")) << archway::report::curve_figure(c.name + ".svg", sheet).content;
  }
}
}  // namespace

int main(int argc, char** argv) {
  std::string only, write, meshes = "all";  // --meshes first: slow cases on their first mesh; coarsest: all
  std::size_t part = 0, parts = 1;          // --part 1/4: every fourth case, so that processes share them
  for (int i = 1; i + 1 < argc; i += 2) {
    const std::string option = argv[i], value = argv[i + 1];
    if (option == "--part") {
      part = std::stoul(value) - 1;
      parts = std::stoul(value.substr(value.find('/') + 1));
    } else {
      (option == "--write" ? write : option == "--meshes" ? meshes : only) = value;
    }
  }
  std::vector<std::filesystem::path> paths;
  for (const auto& entry : std::filesystem::directory_iterator(ARCHWAY_CASES))
    if (entry.path().extension() == ".toml" && entry.path().stem().string().find(only) != std::string::npos)
      paths.push_back(entry.path());
  std::sort(paths.begin(), paths.end());
  for (std::size_t k = paths.size(); k-- > 0;)
    if (k % parts != part) paths.erase(paths.begin() + static_cast<std::ptrdiff_t>(k));
  std::vector<Case> cases;
  int failed = 0, checked = 0;
  for (const auto& path : paths) {
    try {
      cases.push_back(read(path));
    } catch (const toml::parse_error& error) {
      std::cerr << path << ": " << error.description() << "\n";
      return 3;
    }
    Case& c = cases.back();
    if (meshes == "coarsest" || (meshes == "first" && c.slow)) coarsen(c);
    run(c);
    if (!c.failure.empty()) std::cout << fmt::format("{}: {}\n", c.name, c.failure);
    for (const auto& e : c.expectations) {
      const bool good = passes(c, e);
      ++checked;
      failed += good ? 0 : 1;
      const auto order = order_of(c, e);
      std::cout << fmt::format("{} {:<28} {:<26} known {:<13.8g}", good ? "ok   " : "FAILS", c.name, e.name, e.value);
      for (std::size_t m = 0; m < e.got.size(); ++m)
        std::cout << fmt::format("  {:.8g} ({:.1e})", e.got[m], error_of(e, m));
      std::cout << (order && std::isfinite(*order) ? fmt::format("  order {:.1f}", *order) : "") << std::endl;
    }
  }
  if (!write.empty()) {
    std::ofstream(write) << markdown(cases);
    write_charts(cases, write);
  }
  std::cout << bracket_text(brackets(cases)) << "\n";
  std::cout << fmt::format("{} known answers, {} failed\n", checked, failed);
  return failed == 0 ? 0 : 5;
}
