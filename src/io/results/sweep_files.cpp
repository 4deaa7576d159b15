#include "archway/io/sweep_files.hpp"

#include <cmath>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <toml++/toml.h>

#include "archway/io/results_folder.hpp"
#include "files/read_file_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io {

namespace {
using nlohmann::ordered_json;
namespace fs = std::filesystem;

/// Texts of a study that name a file beside it.
void files_in(const toml::node& node, const fs::path& folder, std::set<std::string>& found) {
  if (const auto* table = node.as_table())
    for (const auto& [key, value] : *table) files_in(value, folder, found);
  if (const auto* list = node.as_array())
    for (const auto& value : *list) files_in(value, folder, found);
  const auto text = node.value_exact<std::string>();
  std::error_code trouble;
  if (text && text->find('.') != std::string::npos && text->size() < 1000 &&
      fs::is_regular_file(folder / *text, trouble))
    found.insert(*text);
}

using detail::number;
double number_in(const ordered_json& j) {
  return j.is_number() ? j.get<double>() : analysis::kUnset;
}
}  // namespace

std::string case_key(const study::StudySpec& spec, const study::SweepSpec& sweep, const study::SweepCase& one) {
  constexpr std::size_t most = std::size_t{1} << 30;
  std::stringstream all;
  all << program_version() << "\n";
  toml::table root = toml::parse(spec.text);
  root.erase("sweeps");
  root.erase("hand_checks");
  all << root << "\n";
  for (const auto& [name, value] : spec.overrides) all << fmt::format("{} = {}\n", name, value);
  std::set<std::string> files;
  const fs::path folder = fs::path(spec.file).parent_path();
  files_in(root, folder, files);
  for (const auto& file : files)
    all << file << " " << sha256(detail::read_file((folder / file).string(), "file", most, "")) << "\n";
  all << fmt::format("{} {} {} {} {} {}", sweep.analysis, one.imperfection, one.design, one.amplitude, one.seed,
                     sweep.times);
  return sha256(all.str());
}

std::string case_file(const std::string& folder, int number) {
  return (fs::path(folder) / fmt::format("case-{:04}.json", number)).string();
}

std::string case_text(const study::CaseResult& r, const std::string& key) {
  const ordered_json j = {{"archway_case", key},
                          {"number", r.of.number},
                          {"imperfection", r.of.imperfection},
                          {"design", r.of.design},
                          {"amplitude", number(r.of.amplitude)},
                          {"seed", r.of.seed},
                          {"usable", r.usable},
                          {"ending", r.ending},
                          {"peak_load_factor", number(r.peak)},
                          {"peak_is_limit_point", r.is_limit_point},
                          {"first_loss", number(r.first_loss)},
                          {"first_yield", number(r.first_yield)},
                          {"critical", number(r.critical)},
                          {"branch_load_factor", number(r.branch_load)},
                          {"branch_a", number(r.branch_a)},
                          {"branch_b", number(r.branch_b)},
                          {"largest", number(r.largest)},
                          {"root_mean_square", number(r.root_mean_square)},
                          {"thickness", number(r.thickness)},
                          {"increments", r.increments},
                          {"factorisations", r.factorisations}};
  return j.dump(1) + "\n";
}

namespace {
std::optional<ordered_json> read_json(const std::string& file) {
  std::ifstream stream(file, std::ios::binary);
  if (!stream) return {};
  const auto j = ordered_json::parse(stream, nullptr, false);
  if (j.is_discarded() || !j.is_object() || !j.contains("archway_case")) return {};
  return j;
}
}  // namespace

std::string key_in(const std::string& file) {
  const auto j = read_json(file);
  return j ? j->value("archway_case", "") : "";
}

std::optional<study::CaseResult> read_case(const std::string& file, const std::string& key) {
  const auto j = read_json(file);
  if (!j || j->value("archway_case", "") != key) return {};
  study::CaseResult r;
  r.of.number = j->value("number", 0);
  r.of.imperfection = j->value("imperfection", "");
  r.of.design = j->value("design", "");
  r.of.amplitude = number_in((*j)["amplitude"]);
  r.of.seed = j->value("seed", 0ULL);
  r.usable = j->value("usable", false);
  r.ending = j->value("ending", "");
  r.peak = number_in((*j)["peak_load_factor"]);
  r.is_limit_point = j->value("peak_is_limit_point", false);
  r.first_loss = number_in((*j)["first_loss"]);
  r.first_yield = number_in((*j)["first_yield"]);
  r.critical = number_in((*j)["critical"]);
  r.branch_load = number_in((*j)["branch_load_factor"]);
  r.branch_a = number_in((*j)["branch_a"]);
  r.branch_b = number_in((*j)["branch_b"]);
  r.largest = number_in((*j)["largest"]);
  r.root_mean_square = number_in((*j)["root_mean_square"]);
  r.thickness = number_in((*j)["thickness"]);
  r.increments = j->value("increments", 0);
  r.factorisations = j->value("factorisations", 0);
  return r;
}

std::string sweep_csv(const std::vector<study::CaseResult>& results, const std::map<std::string, double>& critical) {
  std::string csv =
      "case,imperfection,design,amplitude,seed,largest,root_mean_square,load_factor,of_linear,peak,first_loss,first_"
      "yield,"
      "increments,ending\n";
  for (const auto& r : results) {
    const auto linear = critical.find(r.of.design);
    const double of_linear = linear == critical.end() ? analysis::kUnset : r.load_factor() / linear->second;
    csv += fmt::format("{},{},{},{},{},{},{},{},{},{},{},{},{},{}\n", r.of.number, detail::quoted(r.of.imperfection),
                       detail::quoted(r.of.design), detail::cell(r.of.amplitude), r.of.seed, detail::cell(r.largest),
                       detail::cell(r.root_mean_square), detail::cell(r.load_factor()), detail::cell(of_linear),
                       detail::cell(r.peak), detail::cell(r.first_loss), detail::cell(r.first_yield), r.increments,
                       detail::quoted(r.ending));
  }
  return csv;
}

}  // namespace archway::io
