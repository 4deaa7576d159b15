#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <muParser.h>
#include <sstream>

#include <fmt/format.h>

#include "archway/study/format.hpp"
#include "archway/study/quantity.hpp"
#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

Reading::Reading(std::string name, const std::string& text) : file(std::move(name)) {
  std::istringstream stream(text);
  for (std::string line; std::getline(stream, line);) lines_.push_back(line);
}

namespace {
/// The line with a mark below the place; of very long lines the piece around it.
std::string excerpt(std::string line, std::size_t at) {
  constexpr std::size_t most = 140;
  if (line.size() > most) {
    const std::size_t from = at < most / 2 ? 0 : std::min(at - most / 2, line.size() - most);
    line = (from > 0 ? "..." : "") + line.substr(from, most) + (from + most < line.size() ? "..." : "");
    at = std::min(at - from + (from > 0 ? 3 : 0), line.size());
  }
  return fmt::format("  {}\n  {}^", line, std::string(at, ' '));
}
}  // namespace

SourceLocation Reading::place(const toml::source_region& region) const {
  const auto line = static_cast<std::size_t>(region.begin.line), column = static_cast<std::size_t>(region.begin.column);
  SourceLocation where;
  where.text = fmt::format("{}:{}:{}", file, line, column);
  if (line >= 1 && line <= lines_.size()) where.excerpt = excerpt(lines_[line - 1], column > 0 ? column - 1 : 0);
  return where;
}

void Reading::complain(const SourceLocation& where, std::string problem, std::string remedy) {
  complaints.push_back(where.complaint(std::move(problem), std::move(remedy)));
}

namespace {
constexpr std::size_t kLongestExpression = 2000;

/// What the parser of expressions would take, but nobody means: several values, and assignments. Empty: all is well.
std::string oddity(const std::string& expression) {
  if (expression.size() > kLongestExpression)
    return fmt::format("an expression may have {} characters, this one has {}", kLongestExpression, expression.size());
  for (std::size_t k = 0; k < expression.size(); ++k) {
    if (expression[k] != '=') continue;
    const bool compares = (k > 0 && std::string("=<>!").find(expression[k - 1]) != std::string::npos) ||
                          (k + 1 < expression.size() && expression[k + 1] == '=');
    if (!compares) return "an expression gives a value, it assigns none: omit '='";
  }
  return "";
}
}  // namespace

double Reading::evaluate(const std::string& expression, const SourceLocation& where) {
  if (const auto odd = oddity(expression); !odd.empty())
    return complain(where, fmt::format("cannot evaluate '{}'", expression.substr(0, 60)), odd), NAN;
  try {
    mu::Parser parser;
    for (const auto& [name, value] : parameters)
      if (is_name(name)) parser.DefineConst(name, value);
    parser.DefineConst("pi", M_PI);
    parser.SetExpr(expression);
    int count = 0;
    const double value = parser.Eval(count)[0];
    if (count > 1)
      complain(where, fmt::format("'{}' is {} numbers", expression, count),
               "write decimals with a point: a comma parts two numbers");
    else if (std::isfinite(value))
      return checked(value, where, expression);
    else
      complain(where, fmt::format("'{}' is not a finite number", expression), "check for a division by zero");
  } catch (const mu::Parser::exception_type& error) {
    std::vector<std::string> names;
    for (const auto& [name, value] : parameters) names.push_back(name);
    const std::string token = error.GetToken(), guess = base::closest_word(token, names);
    complain(where,
             fmt::format("cannot evaluate '{}'{}", expression, token.empty() ? "" : fmt::format(" at '{}'", token)),
             guess.empty() ? "use numbers, parameters, + - * / ^, brackets, sqrt, sin, cos, tan (radians), pi"
                           : fmt::format("did you mean '{}'?", guess));
  }
  return NAN;
}

std::function<double(const Vec3&)> Reading::field(const toml::node& node) {
  const auto text = node.value_exact<std::string>();
  if (!text || !oddity(*text).empty()) return nullptr;
  struct Field {
    mu::Parser parser;
    Vec3 place = Vec3::Zero();
    double radius = 0, angle = 0;  // about the global z axis
  };
  const auto field = std::make_shared<Field>();
  try {
    for (const auto& [name, value] : parameters)
      if (is_name(name)) field->parser.DefineConst(name, value);
    field->parser.DefineConst("pi", M_PI);
    const char* names[] = {"x", "y", "z"};
    for (int k = 0; k < 3; ++k) field->parser.DefineVar(names[k], &field->place[k]);
    // where no parameter has their names, which came before them
    if (parameters.count("r") == 0) field->parser.DefineVar("r", &field->radius);
    if (parameters.count("theta") == 0) field->parser.DefineVar("theta", &field->angle);
    field->parser.SetExpr(*text);
    const auto used = field->parser.GetUsedVar();  // names nobody knows are among them, without a variable
    if (used.empty() || std::any_of(used.begin(), used.end(), [](const auto& one) { return one.second == nullptr; }))
      return nullptr;
    field->parser.SetExpr(*text);
    int count = 0;
    (void)field->parser.Eval(count);
    if (count > 1) return nullptr;
  } catch (const mu::Parser::exception_type&) {
    return nullptr;  // number() says what is wrong with it
  }
  return [field, text = *text](const Vec3& place) {
    field->place = place;
    field->radius = std::hypot(place.x(), place.y());
    field->angle = std::atan2(place.y(), place.x());
    double value = NAN;
    try {
      value = field->parser.Eval();
    } catch (const mu::Parser::exception_type&) {  // reported below as what it is: no value there
    }
    if (!std::isfinite(value))
      throw base::InputError(
          "",
          fmt::format("'{}' has no finite value at ({:.6g}, {:.6g}, {:.6g})", text, place.x(), place.y(), place.z()),
          "check for divisions by zero and roots of negative numbers");
    return value;
  };
}

std::function<double(const std::vector<double>&)> Reading::function(const std::string& expression,
                                                                    const std::vector<std::string>& variables,
                                                                    const SourceLocation& where) {
  struct Function {
    mu::Parser parser;
    std::vector<double> values;
  };
  if (const auto odd = oddity(expression); !odd.empty())
    return complain(where, fmt::format("cannot evaluate '{}'", expression.substr(0, 60)), odd), nullptr;
  const auto own = std::make_shared<Function>();
  own->values.assign(variables.size(), 0.5);
  try {
    for (const auto& [name, value] : parameters)
      if (is_name(name) && std::find(variables.begin(), variables.end(), name) == variables.end())
        own->parser.DefineConst(name, value);
    own->parser.DefineConst("pi", M_PI);
    for (std::size_t k = 0; k < variables.size(); ++k) own->parser.DefineVar(variables[k], &own->values[k]);
    own->parser.SetExpr(expression);
    for (const auto& [name, variable] : own->parser.GetUsedVar())
      if (parameters.count(name) != 0)
        return complain(where, fmt::format("'{}' is a parameter of the study and a coordinate here", name),
                        "give the parameter another name"),
               nullptr;
    own->parser.SetExpr(expression);
    int count = 0;
    (void)own->parser.Eval(count);
    if (count > 1)
      return complain(where, fmt::format("'{}' is {} numbers", expression, count),
                      "write decimals with a point: a comma parts two numbers"),
             nullptr;
  } catch (const mu::Parser::exception_type& error) {
    complain(where, fmt::format("cannot evaluate '{}' at '{}'", expression, error.GetToken()),
             fmt::format("use numbers, parameters, {}, + - * / ^, brackets, sqrt, sin, cos, exp, abs, pi",
                         fmt::join(variables, ", ")));
    return nullptr;
  }
  return [own](const std::vector<double>& values) {
    own->values = values;  // of the same size: the parser's places stay
    try {
      return own->parser.Eval();
    } catch (const mu::Parser::exception_type&) {
      return std::numeric_limits<double>::quiet_NaN();
    }
  };
}

std::string Reading::beside(const std::string& path) const {
  const auto folder = file.find_last_of('/');
  return path.empty() || path[0] == '/' || folder == std::string::npos ? path : file.substr(0, folder + 1) + path;
}

/// Numbers that would overflow in products are no quantity of any structure.
double Reading::checked(double value, const SourceLocation& where, const std::string& what) {
  constexpr double most = 1e40;
  if (std::abs(value) <= most) return value;
  complain(where, fmt::format("{} is {:.3g}, above {:g}", what, value, most), "give a number of a real structure");
  return NAN;
}

bool is_function(const std::string& word) {
  const mu::Parser parser;
  const auto& functions = parser.GetFunDef();
  return functions.find(word) != functions.end();
}

bool is_name(const std::string& word) {
  const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; };
  return !word.empty() && letter(word[0]) &&
         std::all_of(word.begin(), word.end(), [&](char c) { return letter(c) || (c >= '0' && c <= '9'); });
}

std::optional<double> Reading::number(const toml::node& node, const std::string& what) {
  if (const auto value = node.value_exact<double>()) {
    if (std::isfinite(*value)) return checked(*value, place(node), what);
    complain(place(node), fmt::format("{} is {}", what, *value), "give a finite number");
    return {};
  }
  if (const auto value = node.value_exact<int64_t>()) return static_cast<double>(*value);
  if (const auto value = node.value_exact<std::string>())
    return study::has_unit(*value) ? converted(*value, place(node), what) : evaluate(*value, place(node));
  complain(place(node), fmt::format("{} must be a number or an expression in quotes", what),
           "for instance 12.5 or \"span / 4\"");
  return {};
}

double Reading::converted(const std::string& text, const SourceLocation& where, const std::string& what) {
  try {
    const auto q = study::quantity(text, units);
    const auto wanted = study::dimension_of(declared_unit);
    if (any_unit || (wanted && *wanted == q.dimension)) return checked(q.value, where, what);
    const std::string own = study::unit_text(declared_unit, units);
    complain(where, fmt::format("{} is '{}'", what, text),
             !wanted              ? fmt::format("its unit depends on other keys: give a number in {}", own)
             : wanted->is_plain() ? "it takes a number without a unit"
                                  : fmt::format("give it in {}, or in another unit of the same kind", own));
  } catch (const base::InputError& error) {
    complain(where, error.complaints().front().problem, error.complaints().front().remedy);
  }
  return NAN;
}

std::optional<Vec3> Reading::vector(const toml::node& node, const std::string& what) {
  const auto* list = node.as_array();
  if (list == nullptr || list->size() != 3) {
    complain(place(node), fmt::format("{} must be a list of three numbers", what), "for instance [0, 0, -1]");
    return {};
  }
  Vec3 v = Vec3::Zero();
  for (std::size_t i = 0; i < 3; ++i) v[static_cast<Eigen::Index>(i)] = number(*list->get(i), what).value_or(0);
  return v;
}

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

std::optional<int> Reading::whole(double value, const SourceLocation& where, const std::string& what) {
  constexpr double most = 1e9;
  if (std::isnan(value)) return {};
  if (std::abs(value - std::round(value)) <= 1e-9 && std::abs(value) <= most)
    return static_cast<int>(std::lround(value));
  complain(where, fmt::format("{} is {}, it must be a whole number", what, value),
           std::abs(value) > most ? "this is far too many" : "");
  return {};
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
