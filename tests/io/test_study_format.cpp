// The study format: its declarations, the reader, the JSON Schema and the converter of older files say the same.
#include <algorithm>
#include <array>
#include <filesystem>
#include <fstream>
#include <map>
#include <random>
#include <set>
#include <sstream>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <toml++/toml.h>

#include "archway/base/errors.hpp"
#include "archway/io/migration.hpp"
#include "archway/io/study_file.hpp"
#include "archway/io/study_schema.hpp"
#include "archway/study/format.hpp"
#include "archway/study/quantity.hpp"
#include "support/studies.hpp"

using namespace archway;
using nlohmann::json;
namespace fs = std::filesystem;

namespace {
const fs::path kSource = ARCHWAY_SOURCE_DIR;

std::string file_text(const fs::path& path) {
  std::ostringstream out;
  out << std::ifstream(path, std::ios::binary).rdbuf();
  return out.str();
}

/// Text of every study in the repository, by the file that holds it.
const std::map<std::string, std::string>& studies() {
  static const auto all = [] {
    std::map<std::string, std::string> texts;
    for (const char* folder : {"examples/studies", "verification/cases", "verification/hard"})
      for (const auto& entry : fs::directory_iterator(kSource / folder)) {
        if (entry.path().extension() != ".toml") continue;
        const auto text = file_text(entry.path());
        const auto root = toml::parse(text);
        texts[fs::relative(entry.path(), kSource)] =
            root["study"].is_string() ? *root["study"].value<std::string>() : text;
      }
    return texts;
  }();
  return all;
}

json as_json(const toml::node& node) {
  if (const auto* table = node.as_table()) {
    json object = json::object();
    for (const auto& [key, value] : *table) object[std::string(key.str())] = as_json(value);
    return object;
  }
  if (const auto* list = node.as_array()) {
    json items = json::array();
    for (const auto& item : *list) items.push_back(as_json(item));
    return items;
  }
  if (const auto value = node.value_exact<std::string>()) return *value;
  if (const auto value = node.value_exact<bool>()) return *value;
  if (const auto value = node.value_exact<int64_t>()) return *value;
  return node.value_or(0.0);
}

bool schema_accepts(const json& study) {
  static const auto schema = [] {
    const auto text = json::parse(io::study_schema());
    auto made = std::make_unique<valijson::Schema>();
    valijson::SchemaParser().populateSchema(valijson::adapters::NlohmannJsonAdapter(text), *made);
    return made;
  }();
  return valijson::Validator().validate(*schema, valijson::adapters::NlohmannJsonAdapter(study), nullptr);
}

/// What the reader says of a text; empty: nothing.
std::string reader_says(const std::string& text, const std::string& file) {
  try {
    (void)io::parse_study(text, file);
    return "";
  } catch (const base::InputError& error) {
    return error.what();
  }
}

/// One mistake that a schema can see, made somewhere in a study.
struct Mistake {
  std::string what;
  toml::table study;
};

/// Every table of a study with its declaration.
void tables_of(toml::table& table, const study::TableDeclaration& declared,
               std::vector<std::pair<toml::table*, const study::TableDeclaration*>>& found) {
  found.emplace_back(&table, &declared);
  for (const auto& key : declared.keys) {
    auto* value = table.get(key.key);
    if (value == nullptr) continue;
    const auto* inside = study::format_of(*key.inside != '\0'                 ? key.inside
                                          : key.type == study::KeyType::nodes ? "selection"
                                                                              : "-");
    if (inside == nullptr) continue;
    if (key.type == study::KeyType::named && value->is_table()) {
      for (auto&& [name, item] : *value->as_table())
        if (item.is_table()) tables_of(*item.as_table(), *inside, found);
    } else if (value->is_table()) {
      tables_of(*value->as_table(), *inside, found);
    } else if (value->is_array()) {
      for (auto& item : *value->as_array())
        if (item.is_table()) tables_of(*item.as_table(), *inside, found);
    }
  }
}

Mistake mistake_in(const toml::table& study, std::mt19937& chance) {
  Mistake m{"", study};
  std::vector<std::pair<toml::table*, const study::TableDeclaration*>> found;
  tables_of(m.study, *study::format_of(""), found);
  for (;;) {
    auto& [table, declared] = found[chance() % found.size()];
    if (declared->keys.empty()) continue;
    const auto& key = declared->keys[chance() % declared->keys.size()];
    switch (chance() % 4) {
      case 0:
        if (!table->contains(key.key)) continue;
        table->insert(std::string(key.key) + "x", *table->get(key.key));
        m.what = std::string(declared->path) + " has a key '" + key.key + "x'";
        return m;
      case 1:
        if (!key.required() || !table->contains(key.key) || *declared->path == '\0') continue;
        table->erase(key.key);
        m.what = std::string(declared->path) + " lacks '" + key.key + "'";
        return m;
      case 2:
        if (!table->contains(key.key) || key.allowed.empty()) continue;
        table->insert_or_assign(key.key, "no-such-word");
        m.what = std::string(declared->path) + " has a wrong word for '" + key.key + "'";
        return m;
      default:
        if (!table->contains(key.key)) continue;
        if (key.type == study::KeyType::boolean)
          table->insert_or_assign(key.key, "true");
        else if (key.type == study::KeyType::values || key.type == study::KeyType::switched)
          continue;
        else
          table->insert_or_assign(key.key, true);
        m.what = std::string(declared->path) + " has the wrong type for '" + key.key + "'";
        return m;
    }
  }
}

std::string written(const toml::table& study) {
  std::ostringstream out;
  out << toml::toml_formatter(study);
  return out.str();
}
}  // namespace

TEST_CASE("study format: every key that the reader asks for is declared, and so is every table", "[io][fast]") {
  for (const auto& [file, text] : studies()) {
    CAPTURE(file);
    for (const auto& [path, keys] : io::keys_asked_for(text)) {
      CAPTURE(path);
      const auto* table = study::format_of(path);
      REQUIRE(table != nullptr);
      if (table->open) continue;
      std::set<std::string> declared;
      for (const auto& key : table->keys) declared.insert(key.key);
      for (const auto& key : keys) {
        CAPTURE(key);
        CHECK(declared.count(key) == 1);
      }
    }
  }
}

TEST_CASE("study format: declarations are whole", "[io][fast]") {
  std::set<std::string> known;
  for (const auto& table : study::study_format()) {
    CAPTURE(table.path);
    CHECK(known.insert(table.path).second);
    CHECK(std::string(table.meaning).size() > 5);
    CHECK((table.open || !table.keys.empty()));
    std::set<std::string> keys;
    for (const auto& key : table.keys) {
      CAPTURE(key.key);
      CHECK(keys.insert(key.key).second);
      using T = study::KeyType;
      const bool holds = key.type == T::table || key.type == T::tables || key.type == T::named ||
                         key.type == T::either || key.type == T::switched;
      CHECK((study::format_of(key.inside) != nullptr && *key.inside != '\0') == holds);
      CHECK((key.type == T::word || key.type == T::words) == !key.allowed.empty());
      CHECK(!study::type_text(key).empty());
    }
  }
}

TEST_CASE("study format: the schema accepts every study that the reader accepts", "[io][fast]") {
  for (const auto& [file, text] : studies()) {
    CAPTURE(file);
    CHECK(schema_accepts(as_json(toml::parse(text))));
  }
  CHECK(schema_accepts(as_json(toml::parse(io::starter_study()))));
  CHECK(schema_accepts(as_json(toml::parse(test::small_study()))));
}

TEST_CASE("study format: numbers may carry their units", "[io][fast]") {
  const auto value = [](const std::string& text, const std::string& force, const std::string& length) {
    return study::quantity(text, study::units_of(force, length)).value;
  };
  // converted by powers of ten: the digits stay
  CHECK(value("75 kN", "N", "mm") == 75000);
  CHECK(value("235 MPa", "N", "mm") == 235);
  CHECK(value("235 N/mm2", "kN", "m") == 235000);
  CHECK(value("210 GPa", "MN", "m") == 210000);
  CHECK(value("0.1 kN/m", "N", "mm") == 0.1);
  CHECK(value("0.75 kN/m^2", "N", "mm") == 0.75e-3);
  CHECK(value("7850 kg/m3", "N", "mm") == Approx(7.85e-9).epsilon(1e-15));
  CHECK(value("7.85 t/m3", "kN", "m") == 7.85);
  CHECK(value("3.3 m", "N", "mm") == 3300);
  CHECK(value("40mm", "kN", "m") == 0.04);
  CHECK(value("12 kN.m", "N", "mm") == 12e6);
  CHECK(value("12 kNm", "kN", "cm") == 1200);
  CHECK(value("1.2e-5 1/K", "N", "mm") == 1.2e-5);
  CHECK(value("1.2e-5 /K", "N", "mm") == 1.2e-5);
  CHECK(value("9.81 m/s2", "N", "mm") == 9810);
  CHECK(value("0.5 rad", "N", "mm") == Approx(0.5 * 180 / M_PI).epsilon(1e-15));
  CHECK(value("5 %", "N", "mm") == 0.05);
  CHECK(value("-3 cm4", "N", "mm") == -30000);
  for (const char* expression : {"3 * 4", "span", "2 / 3", "1e3", "-5", "3 - m", "(3)"})
    CHECK(!study::has_unit(expression));
  for (const auto& table : study::study_format())
    for (const auto& key : table.keys) {
      CAPTURE(table.path, key.key, key.unit);
      if (key.type == study::KeyType::number && std::string(key.unit).find("of the") == std::string::npos &&
          std::string(table.path) != "foundations")
        CHECK(study::dimension_of(key.unit).has_value());
    }
}

TEST_CASE("study format: a study with units is the study without them, and wrong dimensions are refused",
          "[io][fast]") {
  const auto with_units = [](const std::string& before, const std::string& after) {
    return test::with(test::small_study(), before, after);
  };
  const auto plain = io::parse_study(test::small_study(), "t.toml");
  CHECK(io::parse_study(with_units("height = 1200", "height = \"1.2 m\""), "t.toml").points.at("head").z() == 1200);
  CHECK(io::parse_study(with_units("youngs_modulus = 70000", "youngs_modulus = \"70 GPa\""), "t.toml")
            .materials[0]
            .material.youngs_modulus == 70000);
  CHECK(io::parse_study(with_units("density = 2.7e-9", "density = \"2700 kg/m3\""), "t.toml")
            .materials[0]
            .material.density == Approx(plain.materials[0].material.density).epsilon(1e-15));
  CHECK(io::parse_study(with_units("force = [0, 0, -1]", "force = [0, 0, \"-2 kN\"]"), "t.toml")
            .actions[1]
            .loads[0]
            .value.z() == -2000);
  for (const auto& [before, after, words] : std::vector<std::array<std::string, 3>>{
           {"youngs_modulus = 70000", "youngs_modulus = \"70 kN\"", "give it in N/mm^2"},
           {"force = [0, 0, -1]", "force = [0, 0, \"-1 kN/m\"]", "give it in N,"},
           {"poisson_ratio = 0.33", "poisson_ratio = \"0.33 mm\"", "without a unit"},
           {"modes = 2", "modes = \"2 kN\"", "without a unit"},
           {"height = 20", "height = \"20 mmm\"", "unknown unit 'mmm'"},
           {"height = 20", "height = \"20 kn\"", "did you mean 'kN'?"},
           {"elements = 6", "elements = \"6 mm\"", "without a unit"},
           {"length_ratio = 0.002", "length_ratio = \"2 mm\"", "without a unit"}}) {
    CAPTURE(after);
    CHECK_THAT(reader_says(with_units(before, after), "t.toml"), Catch::Contains(words) && Catch::Contains("t.toml:"));
  }
  CHECK(reader_says(with_units("length_ratio = 0.002", "length_ratio = \"0.2 %\""), "t.toml") == "");
}

TEST_CASE("study format: schema and reader refuse the same mistakes", "[io][fast]") {
  std::mt19937 chance(20);
  std::vector<std::pair<std::string, std::string>> texts;
  for (const auto& [file, text] : studies())
    if (file.rfind("examples", 0) == 0) texts.emplace_back(file, text);
  std::set<std::string> tried;
  for (int k = 0; k < 400; ++k) {
    const auto& [file, text] = texts[chance() % texts.size()];
    const auto mistake = mistake_in(toml::parse(text), chance);
    if (!tried.insert(file + mistake.what).second) continue;
    CAPTURE(file, mistake.what);
    CHECK(!schema_accepts(as_json(mistake.study)));
    const auto said = reader_says(written(mistake.study), (kSource / file).string());
    CHECK(!said.empty());
  }
  CHECK(tried.size() > 200);
}

TEST_CASE("migration: an older study is read as it was, comments and order kept", "[io][fast]") {
  const std::string old = R"(# a hood over a well
[study]   # head
title = "Hood"
force = "kN"
length = "m"   # as drawn
plane = "xz"

[parameters]
radius = 2
[materials.steel]
like = "steel"
yielding = { model = "table", points = [[0.001, 210000], [0.2, 300000]], measure = "true" }

[profiles]
rib = { shape = "circle", diameter = 0.1, shear_flexible = false }
[[panels]]
name = "hood"   # "faces" in a comment stays
material = "steel"
thickness = "0.01 + 0.001 * angle * radius"
surface = "cylinder"
axis_from = [0, 0, 0]
axis_to = [0, 0, 4]   # upwards
start = ["radius", 0, 0]
angle = 360
faces = "nine"
divisions = [8, 4]
finer = [{ towards = "end", times = 3 }]
[[supports]]
at = { in = "hood", cylinder = { axis_from = [0, 0, 0], axis_to = [0, 0, 1], radius = 2 }, z = 0 }
hold = "all"
during = ["held"]
[[actions]]
name = "p"
loads = [{ kind = "pressure", on = "hood", value = "angle + radius", follows = false }]
[[watch]]
name = "top"
at = { near = [2, 0, 4] }
from = "hood.left"
[[analyses]]
name = "dead"
kind = "LA"
load = "p"
[[analyses]]
name = "b"
kind = "LBA"
from = "dead"
grow = "p"
negative = "leave-out"
[[analyses]]
name = "g"
kind = "GNA"
from = "b"
control = "movement"
lead = "top"
stop = { watch = "top", movement = 2, drop = 0.5 }
[[analyses]]
name = "about"
like = "b"
from = "g"
)";
  const auto text = io::migrate_study(old, "hood.toml");
  for (
      const char* piece :
      {"# a hood over a well\n[study]   # head\ntitle = \"Hood\"\nformat = 1\nunits = { force = \"kN\", length = \"m\" }",
       "# as drawn",
       "planar = \"xz\"",
       "preset = \"steel\"",
       "law = \"table\"",
       "stress_measure = \"true-stress\"",
       "shear_deformation = false",
       "# \"faces\" in a comment stays",
       "0.001 * theta * radius",
       "form = \"cylinder\"\naxis = [[0, 0, 0], [0, 0, 4]]",
       "# upwards",
       "angle_deg = 360\nelement_nodes = 9",
       "grading = [{ towards = \"end\", ratio = 3 }]",
       "{ on = \"hood\", cylinder = { axis = [[0, 0, 0], [0, 0, 1]], radius = 2 }, z = 0 }",
       "restrain = \"all\"",
       "active_in = [\"constant\"]",
       "value = \"theta + radius\", follower = false",
       "[[watches]]",
       "relative_to = \"hood.left\"",
       "preload_of = \"dead\"\nload = \"p\"\nreversed_load = \"leave-out\"",
       "loads_of = \"b\"\ncontrol = \"displacement\"\ncontrol_watch = \"top\"",
       "stop = { watch = \"top\", value = 2, below_peak_ratio = 0.5 }",
       "copy_of = \"b\"\nstate_of = \"g\""}) {
    CAPTURE(piece, text);
    CHECK(text.find(piece) != std::string::npos);
  }
  CHECK(reader_says(text, "hood.toml") == "");
  CHECK_THROWS_WITH(io::migrate_study(text, "hood.toml"), Catch::Contains("format 1 already"));
  CHECK_THROWS_WITH(io::migrate_study("title = 3", "hood.toml"), Catch::Contains("no [study] table"));
  CHECK_THROWS_WITH(io::migrate_study("[study\n", "hood.toml"), Catch::Contains("hood.toml:1:"));
}
