#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <muParser.h>
#include <sstream>

#include <fmt/format.h>

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

std::optional<int> Reading::whole(double value, const SourceLocation& where, const std::string& what) {
  constexpr double most = 1e9;
  if (std::isnan(value)) return {};
  if (std::abs(value - std::round(value)) <= 1e-9 && std::abs(value) <= most)
    return static_cast<int>(std::lround(value));
  complain(where, fmt::format("{} is {}, it must be a whole number", what, value),
           std::abs(value) > most ? "this is far too many" : "");
  return {};
}

}  // namespace archway::io::detail
