#include "archway/io/migration.hpp"

#include <algorithm>
#include <map>
#include <regex>
#include <set>

#include <fmt/format.h>

#include "archway/io/study_file.hpp"
#include "study_file/migration_detail.hpp"
#include "study_file/study_text_detail.hpp"
#include "study_file/toml_reader_detail.hpp"

namespace archway::io {

namespace {
using detail::Renamed;

/// Tables of named tables: the name is no part of a path.
bool holds_names(const std::string& path) {
  static const std::set<std::string> kNamed = {"materials", "profiles",     "plies",
                                               "laminates", "combinations", "meshes.parts"};
  return kNamed.count(path) > 0;
}

/// Keys whose table is a selection of nodes.
bool selects(const std::string& path, const std::string& key) {
  static const std::set<std::string> kKeys = {"at", "edge", "follow", "beside", "any", "without"};
  const bool is_place = path == "obstacles.plane" || path == "pictures.open";  // a point there
  return (kKeys.count(key) > 0 && !is_place) || (path == "watch" && key == "from") ||
         (path == "springs" && key == "to");
}

/// Path of what a key of a table holds.
std::string below(const std::string& path, const std::string& key) {
  if (selects(path, key)) return "selection";
  if (holds_names(path)) return path + ".*";
  const bool named = path.size() > 2 && path.compare(path.size() - 2, 2, ".*") == 0;
  const std::string own = named ? path.substr(0, path.size() - 2) : path;
  return own.empty() ? key : own + "." + key;
}

std::string table_of(const std::string& path) {
  return path.size() > 2 && path.compare(path.size() - 2, 2, ".*") == 0 ? path.substr(0, path.size() - 2) : path;
}

const Renamed* renamed(const std::string& path, const std::string& key) {
  for (const auto& one : detail::words_before_format_1())
    if (table_of(path) == one.table && key == one.key) return &one;
  return nullptr;
}

/// Text edits of one study, found by walking through its tables.
class Migration {
 public:
  Migration(std::string text, const toml::table& root) : text_(std::move(text)) {
    lines_.push_back(0);
    for (std::size_t i = 0; i < text_.size(); ++i)
      if (text_[i] == '\n') lines_.push_back(i + 1);
    if (const auto* parameters = root["parameters"].as_table())
      for (const auto& [key, value] : *parameters) parameters_.insert(std::string(key.str()));
    kinds(root);
    walk(root, "");
  }

  std::string result() const {
    std::string out;
    std::size_t at = 0;
    for (const auto& [from, edit] : edits_) {
      out += text_.substr(at, from - at) + edit.second;
      at = edit.first;
    }
    return out + text_.substr(at);
  }

 private:
  /// Offset of a place that the parser gives by line and column; columns count characters, not bytes.
  std::size_t offset(const toml::source_position& p) const {
    std::size_t at = lines_.at(p.line - 1);
    for (std::uint32_t c = 1; c < p.column && at < text_.size();) {
      ++at;
      if (at >= text_.size() || (static_cast<unsigned char>(text_[at]) & 0xc0u) != 0x80u) ++c;
    }
    return at;
  }
  std::string text_of(const toml::source_region& region) const {
    return text_.substr(offset(region.begin), offset(region.end) - offset(region.begin));
  }
  void replace(const toml::source_region& region, const std::string& with) {
    edits_[offset(region.begin)] = {offset(region.end), with};
  }

  /// Which kind each analysis is of: it decides what another one takes from it.
  void kinds(const toml::table& root) {
    const auto* list = root["analyses"].as_array();
    for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
      const auto* a = list->get(i)->as_table();
      if (a == nullptr) continue;
      const auto kind = (*a)["kind"].value<std::string>(), like = (*a)["like"].value<std::string>();
      const std::string own = kind ? *kind : like ? kinds_[*like] : "";
      kinds_[(*a)["name"].value_or(std::string())] = own;
      kind_of_[a] = own;
    }
  }

  void walk(const toml::table& table, const std::string& path) {
    header(table, path);
    std::set<std::string> done;
    if (path == "study") units(table, done);
    for (const auto& one : detail::words_before_format_1()) join(table, path, one, done);
    for (const auto& [key, value] : table) {
      const std::string name(key.str());
      if (done.count(name) == 0) rename(table, path, key, value);
      const std::string inside = below(path, name);
      if (const auto* inner = value.as_table()) walk(*inner, inside);
      if (const auto* list = value.as_array())
        for (const auto& item : *list)
          if (const auto* inner = item.as_table()) walk(*inner, inside);
    }
  }

  /// [analyses.stop] and [[watch]]: the words of a table's own heading.
  void header(const toml::table& table, const std::string& path) {
    if (table.is_inline() || path.empty()) return;
    std::size_t at = offset(table.source().begin);
    if (at >= text_.size() || text_[at] != '[' || !headings_.insert(at).second) return;
    const std::size_t end = text_.find(']', at);
    static const std::regex kWord("[A-Za-z0-9_-]+|\"[^\"]*\"|'[^']*'");
    std::string so_far;
    const std::string heading = text_.substr(at, end - at);
    for (std::sregex_iterator word(heading.begin(), heading.end(), kWord), none; word != none; ++word) {
      const std::string name = word->str();
      const auto place = at + static_cast<std::size_t>(word->position());
      if (const auto* one = renamed(so_far, name)) edits_[place] = {place + name.size(), one->renamed};
      so_far = below(so_far, name);
    }
  }

  /// force = "N" and length = "mm" become one table, with the format before it.
  void units(const toml::table& table, std::set<std::string>& done) {
    if (!table.contains("force") || !table.contains("length")) return;
    const std::string begin = fmt::format("format = {}{}units = ", kStudyFormat, table.is_inline() ? ", " : "\n");
    unite(table, "force", "length",
          begin + fmt::format("{{ force = {}, length = {} }}", text_of(table.get("force")->source()),
                              text_of(table.get("length")->source())));
    done = {"force", "length"};
  }

  /// axis_from = A and axis_to = B become axis = [A, B].
  void join(const toml::table& table, const std::string& path, const Renamed& one, std::set<std::string>& done) {
    const std::string both = one.key;
    const auto plus = both.find('+');
    if (plus == std::string::npos || table_of(path) != one.table) return;
    const std::string first = both.substr(0, plus), second = both.substr(plus + 1);
    if (!table.contains(first) || !table.contains(second)) return;
    unite(table, first, second,
          fmt::format("{} = [{}, {}]", one.renamed, text_of(table.get(first)->source()),
                      text_of(table.get(second)->source())));
    done.insert({first, second});
  }

  /// Writes `text` in place of the entry that comes first, and takes the other one out.
  void unite(const toml::table& table, const std::string& a, const std::string& b, const std::string& text) {
    const auto entry = [&](const std::string& name) {
      const auto found = table.find(name);
      return std::pair(offset(found->first.source().begin), offset(found->second.source().end));
    };
    auto kept = entry(a), gone = entry(b);
    if (gone.first < kept.first) std::swap(kept, gone);
    edits_[kept.first] = {kept.second, text};
    if (table.is_inline()) {
      gone.first = text_.rfind(',', gone.first);  // there is one: the entry that is kept comes before it
    } else if (const auto line = text_.rfind('\n', gone.first) + 1;
               text_.find_first_not_of(" \t", line) == gone.first) {
      const auto rest = text_.find_first_not_of(" \t", gone.second);
      const auto end = std::min(text_.find('\n', gone.second), text_.size());
      if (rest == std::string::npos || text_[rest] == '\n') gone = {line, std::min(end + 1, text_.size())};
      if (rest != std::string::npos && text_[rest] == '#') gone.second = rest;  // its comment stays
    }
    edits_[gone.first] = {gone.second, ""};
  }

  void rename(const toml::table& table, const std::string& path, const toml::key& key, const toml::node& value) {
    const std::string name(key.str());
    const bool heading = !table.is_inline() && (value.is_table() || value.is_array_of_tables()) && is_heading(key);
    if (path == "analyses" && name == "from") return replace(key.source(), source_key(table, value));
    expressions(path, name, value);
    const auto* one = renamed(path, name);
    if (one == nullptr) return;
    if (!heading && name != one->renamed) replace(key.source(), one->renamed);
    words(value, *one);
  }
  bool is_heading(const toml::key& key) const {
    const auto at = offset(key.source().begin);
    const auto line = text_.rfind('\n', at) + 1;
    return text_.find_first_not_of(" \t", line) < at && text_[text_.find_first_not_of(" \t", line)] == '[';
  }

  void words(const toml::node& value, const Renamed& one) {
    if (const auto* list = value.as_array())
      for (const auto& item : *list) words(item, one);
    if (value.is_table() || value.is_array()) return;
    const std::string written = text_of(value.source());
    for (const auto& [before, after] : one.values)
      if (written == before) replace(value.source(), after);
  }

  /// What was taken from another analysis: a load, loads, or a state.
  std::string source_key(const toml::table& table, const toml::node& value) {
    const std::string from = kinds_[value.value_or(std::string())];
    if (from == "LA") return "preload_of";
    return from == "LBA" || from.empty() || kind_of_[&table] != "LBA" ? "loads_of" : "state_of";
  }

  /// Variables of expressions: angles in radians are theta, radii r, the coordinate from 0 to 1 xi.
  void expressions(const std::string& path, const std::string& name, const toml::node& value) {
    static const std::set<std::string> kKeys = {
        "actions.loads.force", "actions.loads.value",      "panels.thickness",     "beddings.stiffness",
        "beddings.normal",     "residual_stresses.stress", "imperfections.height", "imperfections.movement"};
    if (kKeys.count(table_of(path) + "." + name) == 0) return;
    if (const auto* list = value.as_array())
      for (const auto& item : *list) expressions(path, name, item);
    if (!value.is_string()) return;
    std::string text = text_of(value.source());
    const bool shape = table_of(path) == "imperfections";
    const auto variable = [&](const char* before, const char* after) {
      if (parameters_.count(before) == 0)
        text = std::regex_replace(text, std::regex(fmt::format("\\b{}\\b", before)), after);
    };
    variable("angle", "theta");
    if (shape) variable("share", "xi");
    if (!shape) variable("radius", "r");
    if (text != text_of(value.source())) replace(value.source(), text);
  }

  std::string text_;
  std::vector<std::size_t> lines_;
  std::map<std::size_t, std::pair<std::size_t, std::string>> edits_;  ///< begin: end and what is written instead
  std::set<std::string> parameters_;
  std::map<std::string, std::string> kinds_;
  std::map<const toml::table*, std::string> kind_of_;
  std::set<std::size_t> headings_;
};
}  // namespace

std::string migrate_study(const std::string& text, const std::string& file) {
  detail::Reading reading(file, text);
  detail::refuse_deep_keys(reading, text);
  try {
    const toml::table root = toml::parse(text, file);
    const auto* study = root["study"].as_table();
    if (study == nullptr) throw base::InputError(file, "the file has no [study] table", "migrate takes study files");
    if (study->contains("format"))
      throw base::InputError(file, fmt::format("this study is of format {} already", (*study)["format"].value_or(0)),
                             "nothing is left to convert");
    return Migration(text, root).result();
  } catch (const toml::parse_error& error) {
    reading.complain(reading.place(error.source()), fmt::format("this is not TOML: {}", error.description()),
                     "see toml.io for the few rules of the format");
  }
  throw base::InputError(std::move(reading.complaints));
}

}  // namespace archway::io
