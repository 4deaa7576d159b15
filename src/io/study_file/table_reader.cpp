#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/study/format.hpp"
#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

namespace {
/// Unit of the force or the value of a load by its kind.
std::string unit_of_load(const toml::table& load, const std::string& key) {
  const auto kind = load["kind"].value_or(std::string());
  const bool total = load["distribution"].value_or(std::string()) == "total";
  if (key == "force") return total || kind == "force" ? "force" : kind == "surface" ? "force/length^2" : "force/length";
  static const std::map<std::string, std::string> kValues = {
      {"pressure", "force/length^2"}, {"member-pressure", "force/length"},
      {"acceleration", "length/s^2"}, {"temperature", "K"},
      {"pretension", "force"},        {"lack-of-fit", "length"}};
  if (kind == "displacement")
    return load["dof"].value_or(std::string()).substr(0, 1) == "r" ? "rotation [rad]" : "length";
  const auto found = kValues.find(kind);
  return found == kValues.end() ? "by kind" : found->second;
}
}  // namespace

TableReader::TableReader(Reading& reading, const toml::table& table, std::string what)
    : reading_(reading), table_(table), what_(std::move(what)) {}

SourceLocation TableReader::place(const std::string& key) const {
  const auto* node = table_.get(key);
  return node == nullptr ? place() : reading_.place(*node);
}

const toml::node* TableReader::node(const std::string& key) {
  asked_.insert(key);
  reading_.declared_unit = unit_of(key);
  return table_.get(key);
}

bool TableReader::has(const std::string& key) {
  return node(key) != nullptr;
}

std::string TableReader::unit_of(const std::string& key) const {
  const std::string path = path_of_table(what_);
  if (path == "actions.loads" && (key == "force" || key == "value")) return unit_of_load(table_, key);
  if (const auto* declared = study::format_of(path))
    for (const auto& one : declared->keys)
      if (key == one.key) return one.unit;
  return "";
}

void TableReader::missing(const std::string& key, const std::string& kind) {
  reading_.complain(place(), fmt::format("{} needs '{}'", what_, key), fmt::format("add {} = {}", key, kind));
}

void TableReader::wrong_type(const toml::node& node, const std::string& key, const std::string& wanted) {
  reading_.complain(reading_.place(node), fmt::format("'{}' of {} must be {}", key, what_, wanted), "");
}

double TableReader::number(const std::string& key, std::optional<double> otherwise) {
  const auto* found = node(key);
  if (found == nullptr) {
    if (!otherwise) missing(key, "a number");
    if (otherwise && std::isfinite(*otherwise)) reading_.stands_for_itself(table_, key, *otherwise);
    return otherwise.value_or(NAN);
  }
  return reading_.number(*found, fmt::format("'{}' of {}", key, what_)).value_or(NAN);
}

int TableReader::whole(const std::string& key, int otherwise) {
  if (!has(key)) return reading_.stands_for_itself(table_, key, static_cast<int64_t>(otherwise)), otherwise;
  const double value = number(key);
  if (std::isnan(value)) return otherwise;
  return reading_.whole(value, place(key), fmt::format("'{}' of {}", key, what_)).value_or(otherwise);
}

bool TableReader::flag(const std::string& key, bool otherwise) {
  const auto* found = node(key);
  if (found == nullptr) return reading_.stands_for_itself(table_, key, otherwise), otherwise;
  if (const auto value = found->value_exact<bool>()) return *value;
  wrong_type(*found, key, "true or false");
  return otherwise;
}

std::string TableReader::text(const std::string& key, std::optional<std::string> otherwise) {
  const auto* found = node(key);
  if (found == nullptr) {
    if (!otherwise) missing(key, "\"...\"");
    if (otherwise && !otherwise->empty()) reading_.stands_for_itself(table_, key, *otherwise);
    return otherwise.value_or("");
  }
  if (const auto value = found->value_exact<std::string>()) return *value;
  wrong_type(*found, key, "a text in quotes");
  return otherwise.value_or("");
}

std::vector<std::string> TableReader::texts(const std::string& key) {
  std::vector<std::string> list;
  const auto* found = node(key);
  if (found == nullptr) return list;
  if (const auto value = found->value_exact<std::string>()) list.push_back(*value);
  if (const auto* items = found->as_array())
    for (const auto& item : *items) {
      const auto value = item.value_exact<std::string>();
      if (!value) return wrong_type(item, key, "names in quotes"), list;
      list.push_back(*value);
    }
  if (list.empty()) wrong_type(*found, key, "a name or a list of names in quotes");
  return list;
}

std::size_t TableReader::choice(const std::string& key, const std::vector<std::string>& choices,
                                const std::string& otherwise) {
  const std::string word = otherwise.empty() ? text(key) : text(key, otherwise);
  for (std::size_t i = 0; i < choices.size(); ++i)
    if (choices[i] == word) return i;
  if (has(key) && !word.empty()) {
    reading_.complain(place(key), fmt::format("'{}' of {} is '{}'", key, what_, word),
                      base::suggestion(word, choices, "use one of"));
  }
  return 0;
}

Vec3 TableReader::vector(const std::string& key, std::optional<Vec3> otherwise) {
  const auto* found = node(key);
  if (found == nullptr) {
    if (!otherwise) missing(key, "[x, y, z]");
    if (otherwise) reading_.stands_for_itself(table_, key, toml::array{otherwise->x(), otherwise->y(), otherwise->z()});
    return otherwise.value_or(Vec3::Zero());
  }
  return reading_.vector(*found, fmt::format("'{}' of {}", key, what_)).value_or(Vec3::Zero());
}

void TableReader::each(const std::string& key, const std::string& what, const std::function<void(TableReader&)>& use) {
  const auto* found = node(key);
  if (found == nullptr) return;
  const auto* list = found->as_array();
  if (list == nullptr) return wrong_type(*found, key, fmt::format("a list of tables: write [[{}]]", key));
  for (const auto& item : *list) {
    if (const auto* table = item.as_table()) {
      TableReader reader(reading_, *table, what);
      use(reader);
      reader.finish();
    } else {
      wrong_type(item, key, fmt::format("a list of tables: write [[{}]]", key));
    }
  }
}

void TableReader::tables(const std::string& key, const std::string& what,
                         const std::function<void(study::Keys&)>& use) {
  each(key, what, use);
}

std::vector<double> TableReader::numbers(const std::string& key, std::size_t count) {
  return reading_.spots->numbers(*this, key, count);
}
std::vector<double> TableReader::number_list(const std::string& key) {
  std::vector<double> list;
  const auto* found = node(key);
  const auto* items = found == nullptr ? nullptr : found->as_array();
  if (found != nullptr && items == nullptr) wrong_type(*found, key, "a list of numbers");
  for (std::size_t i = 0; items != nullptr && i < items->size(); ++i)
    list.push_back(reading_.number(*items->get(i), fmt::format("'{}'", key)).value_or(0));
  return list;
}
study::Spot TableReader::spot(const std::string& key) {
  return reading_.spots->spot(*this, key);
}
std::pair<Vec3, Vec3> TableReader::two_points(const std::string& key) {
  return reading_.spots->two_points(*this, key);
}
std::function<double(const Vec3&)> TableReader::field(const std::string& key) {
  const auto* found = node(key);
  return found == nullptr ? nullptr : reading_.field(*found);
}

std::function<Vec3(const Vec3&)> TableReader::vector_field(const std::string& key) {
  const auto* found = node(key);
  const auto* list = found == nullptr ? nullptr : found->as_array();
  if (list == nullptr || list->size() != 3) return {};
  std::array<std::function<double(const Vec3&)>, 3> parts;
  for (std::size_t k = 0; k < 3; ++k) parts[k] = reading_.field(*list->get(k));
  if (!parts[0] && !parts[1] && !parts[2]) return {};
  for (std::size_t k = 0; k < 3; ++k)
    if (!parts[k])
      parts[k] = [value = reading_.number(*list->get(k), fmt::format("'{}'", key)).value_or(0)](const Vec3&) {
        return value;
      };
  return [parts](const Vec3& x) { return Vec3(parts[0](x), parts[1](x), parts[2](x)); };
}

std::function<double(const std::vector<double>&)> TableReader::function(const std::string& key,
                                                                        const std::vector<std::string>& variables) {
  const auto* found = node(key);
  if (found == nullptr) return missing(key, "an expression"), nullptr;
  if (const auto text = found->value_exact<std::string>())
    return reading_.function(*text, variables, reading_.place(*found));
  const double value = reading_.number(*found, fmt::format("'{}'", key)).value_or(NAN);
  return [value](const std::vector<double>&) { return value; };
}

bool TableReader::is_table(const std::string& key) {
  const auto* found = node(key);
  return found != nullptr && found->is_table();
}

void TableReader::table(const std::string& key, const std::string& what, const std::string& example,
                        const std::function<void(study::Keys&)>& use) {
  const auto* found = node(key);
  if (found == nullptr) return;
  if (!found->is_table()) return reading_.complain(place(key), fmt::format("'{}' must be a table", key), example);
  TableReader reader(reading_, *found->as_table(), what);
  use(reader);
  reader.finish();
}

void TableReader::each_pair(const std::string& key, const std::string& what, const std::string& example,
                            const std::function<void(const toml::node&, const toml::node&)>& use) {
  const auto* found = node(key);
  const auto* items = found == nullptr ? nullptr : found->as_array();
  if (found != nullptr && items == nullptr) wrong_type(*found, key, "a list of pairs");
  for (std::size_t i = 0; items != nullptr && i < items->size(); ++i) {
    const auto& item = *items->get(i);
    const auto* pair = item.as_array();
    if (pair == nullptr || pair->size() != 2)
      return reading_.complain(reading_.place(item), fmt::format("'{}' must list pairs of {}", key, what), example);
    use(*pair->get(0), *pair->get(1));
  }
}

std::vector<std::pair<double, double>> TableReader::number_pairs(const std::string& key, const std::string& first,
                                                                 const std::string& second,
                                                                 const std::string& example) {
  std::vector<std::pair<double, double>> list;
  each_pair(key, fmt::format("{} and {}", first, second), example, [&](const toml::node& a, const toml::node& b) {
    list.emplace_back(reading_.number(a, first).value_or(0), reading_.number(b, second).value_or(0));
  });
  return list;
}

std::vector<std::pair<int, double>> TableReader::pairs(const std::string& key, const std::string& first,
                                                       const std::string& second, const std::string& example) {
  std::vector<std::pair<int, double>> list;
  each_pair(key, fmt::format("{} and {}", first, second), example, [&](const toml::node& a, const toml::node& b) {
    const auto number = reading_.number(a, first).value_or(NAN);
    list.emplace_back(reading_.whole(number, reading_.place(a), first).value_or(1),
                      reading_.number(b, second).value_or(0));
  });
  return list;
}

void TableReader::each_named(const std::string& key, const std::string& what,
                             const std::function<void(const std::string&, TableReader&)>& use) {
  const auto* found = node(key);
  if (found == nullptr) return;
  const auto* outer = found->as_table();
  if (outer == nullptr) return wrong_type(*found, key, "a table");
  for (const auto& [name, item] : *outer) {
    if (const auto* table = item.as_table()) {
      TableReader reader(reading_, *table, fmt::format("{} '{}'", what, name.str()));
      use(std::string(name.str()), reader);
      reader.finish();
    } else {
      wrong_type(item, std::string(name.str()), fmt::format("a table: write [{}.{}]", key, name.str()));
    }
  }
}

void TableReader::forgive() {
  for (const auto& [key, value] : table_) asked_.insert(std::string(key.str()));
}

void TableReader::finish() {
  if (reading_.asked != nullptr) {
    const auto name = what_.find(" '");
    (*reading_.asked)[path_of_table(what_.substr(0, name))].insert(asked_.begin(), asked_.end());
  }
  const std::vector<std::string> known(asked_.begin(), asked_.end());
  for (const auto& [key, value] : table_) {
    const std::string name(key.str());
    if (asked_.count(name)) continue;
    reading_.complain(reading_.place(key.source()), fmt::format("{} has no key '{}'", what_, name),
                      base::suggestion(name, known, "known keys"));
  }
}

}  // namespace archway::io::detail
