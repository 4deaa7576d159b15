// Looking, measuring, cutting and writing back; text in any width; the tutorials as they are printed.
#include <regex>

#include <nlohmann/json.hpp>

#include "archway/io/study_file.hpp"
#include "support/digits.hpp"
#include "tour/desk.hpp"

using namespace archway;
namespace fs = std::filesystem;
using nlohmann::json;
using tour::contains;
using tour::Desk;

namespace {
std::string file_text(const fs::path& path) {
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  return text.str();
}
const fs::path kExamples = fs::path(ARCHWAY_SOURCE_DIR) / "examples" / "studies";

const std::string kShed = R"([study]
title = "Lean-to"
format = 1
units = { force = "N", length = "mm" }

[materials.m]
youngs_modulus = 200000
poisson_ratio = 0.3
density = 1e-8

[profiles]
r = { shape = "rectangle", width = 40, height = 60 }

[points]
ridge = [1000, 0, 2000]

[[members]]
name = "post"
material = "m"
profile = "r"
from = [0, 0, 0]
to = [0, 0, 2000]

[[members]]
name = "rafter"
material = "m"
profile = "r"
from = [0, 0, 2000]
to = "ridge"

[[panels]]
name = "wall"
material = "m"
thickness = 2
corner = [0, 0, 0]
along = [0, 500, 0]
across = [0, 0, 2000]
divisions = [4, 8]

[[supports]]
at = { z = 0 }
restrain = "all"

[[actions]]
name = "p"
loads = [{ kind = "force", at = "ridge", force = [0, 0, -100] }]

[[analyses]]
name = "la"
kind = "LA"
load = "p"
)";
}  // namespace

TEST_CASE("everyday: measuring parts, selections and distances, also of what is not finished", "[tour]") {
  const Desk desk;
  desk.write("shed.toml", kShed);
  const auto all = desk.run("archway measure shed.toml");
  CHECK(all.code == 0);
  CHECK(contains(all.out, "post    length 2000 mm, mass 0.048 t, centre (0, 0, 1000) mm"));
  CHECK(contains(all.out, "wall    area 1e+06 mm^2"));
  CHECK(contains(all.out, "all     mass"));
  CHECK(contains(desk.run("archway measure shed.toml rafter").out, "members and bars between them: length 1000 mm"));
  CHECK(
      contains(desk.run("archway measure shed.toml post.start ridge").out, "distance 2236.07 mm, by (1000, 0, 2000)"));
  CHECK(contains(desk.run("archway measure shed.toml '{ on = \"wall\", z = 0 }'").out,
                 "panel edges between them: length 500 mm"));
  // a study with mistakes: what is can be looked at
  auto broken = kShed;
  broken.replace(broken.find("profile = \"r\"\nfrom = [0, 0, 2000]"), 13, "profile = \"q\"");
  broken.replace(broken.find("kind = \"LA\""), 11, "kind = \"LX\"");
  desk.write("broken.toml", broken);
  CHECK(desk.run("archway check broken.toml").code == 3);
  const auto shown = desk.run("archway show broken.toml wall --picture w.png");
  CHECK(shown.code == 0);
  CHECK(contains(shown.err, "2 errors in this study"));
  CHECK(contains(shown.out, "45 nodes"));
  CHECK(desk.has("w.png"));
  CHECK(contains(desk.run("archway measure broken.toml post").out, "length 2000 mm"));
  CHECK(desk.run("archway measure broken.toml nothing").code == 3);
  CHECK(desk.run("archway measure shed.toml a b c").code == 2);
}

TEST_CASE("everyday: a study written back in full is the same study", "[tour]") {
  const auto path = GENERATE(from_range([] {
    std::vector<std::string> list;
    for (const auto& entry : fs::directory_iterator(kExamples))
      if (entry.path().extension() == ".toml") list.push_back(entry.path().string());
    std::sort(list.begin(), list.end());
    return list;
  }()));
  CAPTURE(path);
  const Desk desk;
  for (const auto& entry : fs::directory_iterator(kExamples))  // tables beside it
    if (entry.path().extension() != ".toml") fs::copy(entry.path(), desk.path());
  fs::copy(path, desk.path() / "study.toml");
  const auto own = io::study_in_full((desk.path() / "study.toml").string());
  desk.write("full.toml", own);
  const auto again = io::study_in_full((desk.path() / "full.toml").string());
  CHECK(own.substr(own.find('\n')) == again.substr(again.find('\n')));  // nothing more to spell out
  const auto first = desk.run("archway check study.toml --json"), second = desk.run("archway check full.toml --json");
  CHECK(first.code == second.code);
  auto a = json::parse(first.out), b = json::parse(second.out);
  for (auto* j : {&a, &b}) j->erase("study"), j->erase("remarks"), j->erase("file");
  if (a.contains("model")) a["model"].erase("remarks"), b["model"].erase("remarks");
  CHECK(a == b);
}

TEST_CASE("everyday: in full reports what was omitted, and takes overrides", "[tour]") {
  const Desk desk;
  desk.write("shed.toml", kShed);
  CHECK(desk.run("archway check shed.toml --in-full all.toml").code == 0);
  CHECK(contains(desk.read("all.toml"), "elements = 8"));
  CHECK(contains(desk.read("all.toml"), "join_edges = true"));
  CHECK(desk.run("archway check shed.toml --in-full shed.toml").code == 5);  // never over what is there
}

TEST_CASE("everyday: sections of one part, of pieces, with the forces through them", "[tour]") {
  const Desk desk;
  desk.write("shed.toml", kShed);
  const auto cut = desk.run("archway section shed.toml --cut z=1125 --forces la");
  CHECK(cut.code == 0);
  CHECK(contains(cut.out, "strip: 4 walls, A 1000 mm^2"));
  CHECK(contains(cut.out, "N -100 N"));  // what hangs above
  CHECK(contains(cut.out, "elements behind"));
  const auto only = desk.run("archway section shed.toml --cut z=1125 --forces la --part post");
  CHECK(only.code == 0);
  CHECK(desk.run("archway section shed.toml --cut z=1125 --part loft").code == 3);
  CHECK(contains(desk.run("archway section shed.toml --cut x=500 --forces la").out, "V 0 along y, -100 along z"));
  CHECK(contains(desk.run("archway section shed.toml --cut z=9000 --forces la").err, "on one side"));
}

TEST_CASE("everyday: the rope net is by its pull, then slackens as closed forms say", "[tour]") {
  const Desk desk;
  const auto o = desk.run("archway run " + (kExamples / "shade-net.toml").string() + " --out out");
  INFO(o.err);
  REQUIRE(o.code == 0);
  const double axial = 110000 * M_PI * 16;
  const auto rope = [&](double post, double knot) {  // {pull, its part along z}
    const double now = std::hypot(2000, post - knot);
    const double pull = std::max(0.0, 5000 + axial * (now / std::hypot(2000, post - 40) - 1));
    return std::pair(pull, pull * (post - knot) / now);
  };
  const auto split = [](const std::string& line) {
    std::vector<std::string> list;
    std::istringstream stream(line);
    for (std::string cell; std::getline(stream, cell, ',');) list.push_back(cell);
    return list;
  };
  std::istringstream rows(desk.read("out/tables/net-path.csv"));
  std::string line;
  std::getline(rows, line);
  const auto head = split(line);
  const auto column = [&](const std::string& name) {
    const auto found = std::find(head.begin(), head.end(), name);
    REQUIRE(found != head.end());
    return static_cast<std::size_t>(found - head.begin());
  };
  const std::size_t stage = column("stage"), factor = column("load_factor"), knot = column("knot"),
                    pull = column("tension");
  int slack = 0, snowed = 0;
  while (std::getline(rows, line)) {
    const auto cells = split(line);
    if (cells[stage] != "1") continue;
    const double z = 40 - std::stod(cells[knot]), snow = 1000 * std::stod(cells[factor]);
    const auto high = rope(300, z), low = rope(-300, z);
    CHECK(2 * high.second + 2 * low.second == Approx(snow).margin(1));
    CHECK(std::stod(cells[pull]) == Approx(low.first).margin(1));
    slack += low.first == 0;
    ++snowed;
  }
  CHECK(snowed > 4);
  CHECK(slack > 1);
  CHECK(desk.has("out/figures/chart-slackens.svg"));
}

TEST_CASE("everyday: examples of single jobs stay under 60 lines", "[tour]") {
  for (const char* name : {"footpath-u-frames", "toggle-gate", "shade-net", "grain-bin-inside", "potting-shed-frame"}) {
    CAPTURE(name);
    const auto text = file_text(kExamples / (std::string(name) + ".toml"));
    CHECK(std::count(text.begin(), text.end(), '\n') < 60);
  }
}

TEST_CASE("everyday: nothing is wider than the terminal, and -v reports more", "[tour]") {
  const Desk desk;
  fs::copy(kExamples / "potting-shed-frame.toml", desk.path());
  for (const int width : {60, 80, 160}) {
    CAPTURE(width);
    const auto o = desk.run("COLUMNS=" + std::to_string(width) + " archway run potting-shed-frame.toml --no-figures");
    CHECK(o.code == 0);
    std::istringstream lines(o.out);
    for (std::string line; std::getline(lines, line);) {
      CAPTURE(line);
      int columns = 0;
      for (const char c : line) columns += (static_cast<unsigned char>(c) & 0xC0) != 0x80;
      CHECK(columns <= width);
    }
  }
  const auto plain = desk.run("archway run potting-shed-frame.toml --no-figures"),
             more = desk.run("archway run potting-shed-frame.toml --no-figures -v");
  CHECK(!contains(plain.out, "residual"));
  CHECK(contains(more.out, "residual"));
}

namespace {
/// A block of a tutorial: its language, and what is in it.
struct Block {
  std::string language, text;
};
std::vector<Block> blocks_of(const std::string& markdown) {
  std::vector<Block> list;
  std::istringstream lines(markdown);
  bool inside = false;
  for (std::string line; std::getline(lines, line);) {
    if (line.rfind("```", 0) == 0) {
      inside = !inside;
      if (inside) list.push_back({line.substr(3), ""});
    } else if (inside) {
      list.back().text += line + "\n";
    }
  }
  return list;
}
std::string trimmed(const std::string& line) {
  const auto first = line.find_first_not_of(" \t\n"), last = line.find_last_not_of(" \t\n");
  return first == std::string::npos ? "" : line.substr(first, last - first + 1);
}
}  // namespace

TEST_CASE("tutorials: their studies run and say what is printed there", "[tour][slow]") {
  const std::string name = GENERATE("plane-frame.md", "stayed-mast.md", "tank-under-vacuum.md");
  CAPTURE(name);
  const Desk desk;
  std::string said;
  int studies = 0, lines = 0;
  for (const auto& block : blocks_of(file_text(fs::path(ARCHWAY_SOURCE_DIR) / "docs" / "tutorials" / name))) {
    if (block.language == "toml") {
      std::smatch match;
      REQUIRE(std::regex_search(block.text, match, std::regex("^# ([a-z0-9-]+\\.toml)")));
      desk.write(match[1], block.text);
      ++studies;
    } else if (block.language == "sh") {
      const auto o = desk.run("export COLUMNS=80; " + trimmed(block.text));
      said = o.out + o.err;
    } else if (block.language == "text") {
      std::istringstream wanted(block.text);
      for (std::string line; std::getline(wanted, line);) {
        if (trimmed(line).empty() || trimmed(line) == "...") continue;
        CAPTURE(line);
        CHECK(contains(said, trimmed(line)));
        ++lines;
      }
    }
  }
  CHECK(studies >= 3);
  CHECK(lines >= 6);
}

TEST_CASE("keys: the reference page is what the tool prints, the schema is JSON", "[tour]") {
  const Desk desk;
  CHECK(desk.run("archway keys --markdown").out == file_text(fs::path(ARCHWAY_SOURCE_DIR) / "docs" / "keys.md"));
  CHECK(contains(desk.run("archway keys pretension").out, "pretension"));
  CHECK(contains(desk.run("archway keys elements").out, "elements_across"));
  CHECK(desk.run("archway keys xyzzy").code == 3);
  CHECK(nlohmann::json::parse(desk.run("archway schema").out)["$defs"].contains("table-analyses"));
}

TEST_CASE("migrate: files are converted in place, all or none, and the old text is kept", "[tour]") {
  const Desk desk;
  const std::string old =
      "[study]\ntitle = \"t\"\nforce = \"N\"\nlength = \"mm\"\n# stays\n[[watch]]\nname = \"w\"\nat = \"p\"\n";
  desk.write("a.toml", old);
  desk.write("b.toml", "[study]\nformat = 1\n");
  const auto refused = desk.run("archway migrate a.toml b.toml");
  CHECK(refused.code == 3);
  CHECK(contains(refused.err, "of format 1 already"));
  CHECK(desk.read("a.toml") == old);
  CHECK(contains(desk.run("archway migrate a.toml --print").out, "# stays\n[[watches]]"));
  CHECK(desk.read("a.toml") == old);
  CHECK(desk.run("archway check a.toml").code == 3);
  CHECK(contains(desk.run("archway check a.toml").err, "archway migrate a.toml"));
  CHECK(desk.run("archway migrate a.toml").code == 0);
  CHECK(contains(desk.read("a.toml"), "format = 1\nunits = { force = \"N\", length = \"mm\" }\n# stays\n[[watches]]"));
  CHECK(desk.read("a.toml.old") == old);
}
