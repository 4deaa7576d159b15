#include <filesystem>
#include <fstream>
#include <sstream>
#include <unistd.h>
#include <zlib.h>

#include <nlohmann/json.hpp>

#include "archway/base/errors.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/io/study_file.hpp"
#include "archway/io/vtu.hpp"
#include "archway/study/build_model.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"
#include "support/pieces.hpp"
#include "support/studies.hpp"

using namespace archway;
namespace fs = std::filesystem;
using nlohmann::json;

namespace {
const study::StudyResult& result() {
  static const study::StudyResult r = study::run_study(io::parse_study(test::small_study(), "bench.toml"));
  return r;
}

struct Scratch {
  fs::path path = fs::temp_directory_path() / ("archway-test-" + std::to_string(::getpid()));
  Scratch() { fs::create_directories(path); }
  ~Scratch() { fs::remove_all(path); }
};

std::vector<std::string> cells(const std::string& line) {
  std::vector<std::string> list;
  std::istringstream stream(line);
  for (std::string cell; std::getline(stream, cell, ',');) list.push_back(cell);
  return list;
}

/// Numbers of an appended array, back from the file bytes.
std::vector<double> appended(const std::string& file, const std::string& name) {
  const auto at = file.find("Name=\"" + name + "\"");
  const auto offset_at = file.find("offset=\"", at) + 8;
  const std::size_t offset = std::stoul(file.substr(offset_at));
  const std::size_t data = file.find("<AppendedData");
  const char* bytes = file.data() + file.find('_', data) + 1 + offset;
  std::uint64_t header[3];
  std::memcpy(header, bytes, sizeof header);
  std::vector<std::uint64_t> sizes(header[0]);
  std::memcpy(sizes.data(), bytes + sizeof header, 8 * header[0]);
  const char* packed = bytes + sizeof header + 8 * header[0];
  std::vector<double> values;
  for (std::size_t b = 0; b < header[0]; ++b) {
    const uLongf room = b + 1 < header[0] || header[2] == 0 ? header[1] : header[2];
    uLongf got = room;
    std::vector<double> block(room / 8);
    REQUIRE(uncompress(reinterpret_cast<Bytef*>(block.data()), &got, reinterpret_cast<const Bytef*>(packed),
                       sizes[b]) == Z_OK);
    packed += sizes[b];
    values.insert(values.end(), block.begin(), block.end());
  }
  return values;
}
}  // namespace

TEST_CASE("results.json: full precision, provenance, no NaN", "[io][fast]") {
  const std::string text = io::results_json(result());
  CHECK(text.find("nan") == std::string::npos);
  const json root = json::parse(text);
  CHECK(root["archway"]["version"] == io::program_version());
  CHECK(root["study"]["sha256"] == io::sha256(test::small_study()));
  CHECK(root["study"]["parameters"]["height"] == 1200);
  CHECK(root["complete"] == true);
  const auto& modes = root["analyses"]["buckling"]["modes"];
  CHECK(modes[0]["load_factor"].get<double>() ==
        result().find("buckling")->buckling->modes[0].load_factor);  // to the last bit
  CHECK(root["analyses"]["buckling"]["proof"]["complete"] == true);
  CHECK(root["analyses"]["standing"]["reactions"]["foot"]["force"][2].get<double>() ==
        archway::test::but_for_rounding(-root["analyses"]["standing"]["applied"]["force"][2].get<double>()));
  const auto& collapse = root["analyses"]["collapse"];
  CHECK(collapse["increments"].size() == result().find("collapse")->path->increments.size());
  CHECK(collapse["peak"]["load_factor"].get<double>() == result().find("collapse")->path->peak_load_factor);
  CHECK(root["comparison"].size() == 3);
  CHECK(root["comparison"][0]["largest_displacement"].is_null());  // what does not exist is null
}

TEST_CASE("sha256: known digest", "[io][fast]") {
  CHECK(io::sha256("abc") == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

TEST_CASE("csv: one line an increment, numbers that read back to the same bits", "[io][fast]") {
  const auto& outcome = *result().find("collapse");
  std::istringstream csv(io::path_csv(result(), outcome));
  std::string line;
  std::getline(csv, line);
  const auto head = cells(line);
  const auto column = [&](const std::string& name) {
    const auto at = std::find(head.begin(), head.end(), name);
    REQUIRE(at != head.end());
    return static_cast<std::size_t>(at - head.begin());
  };
  const std::size_t factor = column("load_factor"), middle = column("middle");
  CHECK(head[0] == "number");
  for (const auto& increment : outcome.path->increments) {
    REQUIRE(std::getline(csv, line));
    const auto row = cells(line);
    CHECK(row.size() == head.size());
    CHECK(std::stod(row[factor]) == increment.load_factor);
    CHECK(std::stod(row[middle]) == increment.watched[0]);
  }
  CHECK_FALSE(std::getline(csv, line));
  std::istringstream modes(io::modes_csv(result(), *result().find("buckling")));
  int lines = 0;
  while (std::getline(modes, line)) ++lines;
  CHECK(lines == 3);
  CHECK(io::member_forces_csv(*result().find("standing")).find("column,0,") != std::string::npos);
  CHECK(io::comparison_csv(result()).find("collapse,GNIA,") != std::string::npos);
}

TEST_CASE("vtu: points and fields come back whole", "[io][fast]") {
  model::Model m = test::with_material();
  m.profiles.push_back(test::profile_of("bar", theory::section_properties("circle", {{"diameter", 4}})));
  model::add_rectangle(m, test::panel_part("sheet", 1), base::Vec3(1, 2, 3), base::Vec3(400, 0, 0),
                       base::Vec3(0, 300, 0), 300, 300);
  model::add_member(m, test::member_part("rib"), {base::Vec3(0, 0, 0), base::Vec3(9, 0, 0), {}}, 2);
  io::VtuField field{"mode", 3, {}};
  for (int n = 0; n < m.node_count(); ++n) field.values.insert(field.values.end(), {0.1 * n, -1.0, 1e-7 * n});
  const std::string file = io::vtu(m, {field}, {});
  CHECK(file.find("NumberOfPoints=\"" + std::to_string(m.node_count()) + "\" NumberOfCells=\"" +
                  std::to_string(300 * 300 + 6) + "\"") != std::string::npos);
  CHECK(appended(file, "mode") == field.values);
  const auto points = appended(file, "Points");
  REQUIRE(points.size() == 3 * m.nodes.size());
  for (std::size_t n = 0; n < m.nodes.size(); n += 977)
    for (int k = 0; k < 3; ++k) CHECK(points[3 * n + static_cast<std::size_t>(k)] == m.nodes[n][k]);
  const std::string series = io::pvd({{0, "a-0.vtu"}, {1, "a-1.vtu"}});
  CHECK(series.find("<DataSet timestep=\"1\" file=\"a-1.vtu\"/>") != std::string::npos);
}

namespace {
void put(const fs::path& path, const std::string& text) {
  fs::create_directories(path.parent_path());
  std::ofstream(path) << text;
}
std::string got(const fs::path& path) {
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  return text.str();
}
}  // namespace

TEST_CASE("results folder: whole or not at all, and only our own files are replaced", "[io][fast]") {
  const Scratch scratch;
  const fs::path target = scratch.path / "results";
  {
    io::ResultsFolder unfinished(target.string());
    unfinished.write("half.txt", "half");
    CHECK_THROWS_WITH(unfinished.write("half.txt", "again"), Catch::Contains("two results want this name"));
    CHECK_THROWS_WITH(io::ResultsFolder(target.string()), Catch::Contains("another run is writing"));
  }
  CHECK(fs::is_empty(scratch.path));  // nothing half-written is left
  {
    io::ResultsFolder folder(target.string());
    CHECK_FALSE(folder.has_older());
    io::write_data(folder, result());
    folder.finish();
  }
  for (const char* name : {"results.json", "tables/collapse-path.csv", "vtu/buckling-mode-1.vtu", "vtu/collapse.pvd",
                           "vtu/collapse-imperfection.vtu"})
    CHECK(fs::exists(target / name));
  put(target / "notes.txt", "mine");
  put(target / "tables" / "my-own.csv", "mine");
  put(target / "comparison.csv", "mine now");
  {
    io::ResultsFolder again(target.string());
    CHECK(again.has_older());
    again.write("results.json", "{}");
    again.finish();
    REQUIRE(again.notes().size() == 1);
    CHECK_THAT(again.notes()[0], Catch::Contains("changed since are kept in"));
  }
  CHECK(got(target / "results.json") == "{}");
  CHECK_FALSE(fs::exists(target / "vtu"));
  CHECK_FALSE(fs::exists(target / "tables" / "collapse-path.csv"));
  CHECK(got(target / "notes.txt") == "mine");
  CHECK(got(target / "tables" / "my-own.csv") == "mine");
  CHECK(got(target / "changed-by-hand-1" / "comparison.csv") == "mine now");
  {
    io::ResultsFolder stopped(target.string());
    stopped.keep_older_beside();
    stopped.write("results.json", "part");
    stopped.finish();
  }
  CHECK(got(target / "results.json") == "{}");
  CHECK(got(target / "stopped" / "results.json") == "part");
}

TEST_CASE("results folder: what is not ours is refused before anything is done", "[io][fast]") {
  const Scratch scratch;
  put(scratch.path / "letter.txt", "mine");
  put(scratch.path / "other" / "results.json", "{\"other\": 1}");
  put(scratch.path / "other" / "chapter.txt", "mine");
  put(scratch.path / "linked" / "file.txt", "mine");
  fs::create_directory_symlink(scratch.path / "linked", scratch.path / "tables-link");
  fs::create_directories(scratch.path / "holder");
  fs::create_directory_symlink(scratch.path / "linked", scratch.path / "holder" / "tables");
  fs::create_symlink(scratch.path / "nowhere", scratch.path / "dangling");
  for (const auto& [place, why] :
       std::vector<std::pair<std::string, std::string>>{{"letter.txt", "something that is no folder is there"},
                                                        {"other", "holds 'results.json'"},
                                                        {"holder", "holds 'tables'"},
                                                        {"dangling", "link that leads to no folder"}})
    CHECK_THROWS_WITH(io::ResultsFolder((scratch.path / place).string()), Catch::Contains(why));
  CHECK_THROWS_WITH(io::ResultsFolder("/"), Catch::Contains("root of all files"));
  CHECK(got(scratch.path / "other" / "results.json") == "{\"other\": 1}");
  CHECK(got(scratch.path / "other" / "chapter.txt") == "mine");
  CHECK(got(scratch.path / "linked" / "file.txt") == "mine");
}

TEST_CASE("results folder: a run that was killed is finished or cleared away by the next", "[io][fast]") {
  const Scratch scratch;
  const fs::path target = scratch.path / "results";
  put(target / ".archway-new" / "half.vtu", "half");
  {
    io::ResultsFolder next(target.string());
    REQUIRE(next.notes().size() == 1);
    CHECK_THAT(next.notes()[0], Catch::Contains("killed before it ended"));
    next.write("results.json", "one");
    next.write("tables/a.csv", "one");
    next.finish();
  }
  // as if killed in the middle of the exchange: one old file moved aside, one new one moved in
  const auto list = got(target / ".archway-files");
  put(target / ".archway-old" / ".archway-files", list);
  fs::rename(target / "results.json", target / ".archway-old" / "results.json");
  put(target / ".archway-new" / "results.json", "two");
  put(target / "tables" / "b.csv", "two");
  put(target / ".archway-new" / ".archway-files",
      "archway results 1\n" + io::sha256("two") + "  results.json\n" + io::sha256("two") + "  tables/b.csv\n");
  const io::ResultsFolder last(target.string());
  REQUIRE(last.notes().size() == 1);
  CHECK_THAT(last.notes()[0], Catch::Contains("finished now"));
  CHECK(got(target / "results.json") == "two");
  CHECK(got(target / "tables" / "b.csv") == "two");
  CHECK_FALSE(fs::exists(target / "tables" / "a.csv"));
  CHECK_FALSE(fs::exists(target / ".archway-old"));
}

TEST_CASE("results folder: a full disk is reported and leaves nothing", "[io][fast]") {
  if (!fs::exists("/dev/full")) return;
  const Scratch scratch;
  const auto target = scratch.path / "results";
  {
    io::ResultsFolder folder(target.string());
    fs::create_directory_symlink("/dev", target / ".archway-new" / "dev");
    CHECK_THROWS(folder.write("dev/full", std::string(1 << 20, 'x')));
  }
  CHECK(fs::is_empty(scratch.path));
}

TEST_CASE("json: a bar has a length, a panel an area, a solid a volume", "[io][fast]") {
  using namespace archway::test;
  const auto spec = io::parse_study(
      head() + profile("rod", "shape = \"circle\"\ndiameter = 6") +
          "\n[[bars]]\nname = \"stay\"\nmaterial = \"m\"\nprofile = \"rod\"\nfrom = [0, 0, 300]\nto = [400, 0, 0]\n" +
          panel("shelf", "[0, 0, 0]", "[400, 0, 0]", "[0, 200, 0]", "[2, 2]") +
          "\n[[solids]]\nname = \"block\"\nmaterial = \"m\"\ncorner = [0, 0, 900]\nalong = [20, 0, 0]\n"
          "across = [0, 30, 0]\nup = [0, 0, 40]\ndivisions = [1, 1, 1]\n",
      "shelf.toml");
  const auto root =
      nlohmann::json::parse(io::check_json(spec, study::check_model(spec, study::build_model(spec), false)));
  const auto measure = [&](const std::string& part, const char* name) {
    for (const auto& p : root["model"]["parts"])
      if (p["name"] == part) return p.at(name).get<double>();
    return 0.0;
  };
  CHECK(measure("stay", "length") == archway::test::but_for_rounding(500));
  CHECK(measure("shelf", "area") == archway::test::but_for_rounding(80000));
  CHECK(measure("block", "volume") == archway::test::but_for_rounding(24000));
}
