#include "archway/io/study_schema.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "archway/io/study_file.hpp"
#include "archway/study/format.hpp"

namespace archway::io {

namespace {
using Json = nlohmann::ordered_json;
using study::KeyDeclaration;
using study::KeyType;

Json refers_to(const std::string& name) {
  return {{"$ref", "#/$defs/" + name}};
}
Json list_of(const Json& item) {
  return {{"type", "array"}, {"items", item}};
}
Json either(const Json& a, const Json& b) {
  return {{"anyOf", {a, b}}};
}
Json typed(const char* type) {
  return {{"type", type}};
}
/// Name of the definition of a table: its path, with "." as "-".
std::string definition(std::string path) {
  for (char& c : path)
    if (c == '.') c = '-';
  return "table-" + path;
}

Json words(const KeyDeclaration& key) {
  Json list = Json::array();
  for (const char* word : key.allowed) list.push_back(word);
  return {{"enum", list}};
}

Json type_of(const KeyDeclaration& key) {
  const Json inside = *key.inside != '\0' ? refers_to(definition(key.inside)) : Json();
  switch (key.type) {
    case KeyType::number:
    case KeyType::integer:
    case KeyType::field:
      return refers_to("number");
    case KeyType::boolean:
      return typed("boolean");
    case KeyType::text:
    case KeyType::name:
    case KeyType::file:
      return typed("string");
    case KeyType::word:
      return words(key);
    case KeyType::words:
      return either(words(key), list_of(words(key)));
    case KeyType::names:
    case KeyType::terms:
      return either(typed("string"), list_of(typed("string")));
    case KeyType::point:
      return refers_to("point");
    case KeyType::vector:
      return refers_to("vector");
    case KeyType::axis:
    case KeyType::box:
      return refers_to("two-points");
    case KeyType::points:
      return list_of(refers_to("point"));
    case KeyType::numbers:
    case KeyType::fields:
      return either(refers_to("number"), list_of(refers_to("number")));
    case KeyType::rows:
      return list_of(list_of(refers_to("number")));
    case KeyType::nodes:
      return refers_to("nodes");
    case KeyType::any_of:
      return either(refers_to("nodes"), list_of(refers_to("nodes")));
    case KeyType::table:
      return inside;
    case KeyType::tables:
      return list_of(inside);
    case KeyType::named:
      return {{"type", "object"}, {"additionalProperties", inside}};
    case KeyType::values:
      return typed("object");
    case KeyType::either:
      return either(refers_to("number"), inside);
    case KeyType::switched:
      return either(typed("boolean"), inside);
  }
  return Json::object();
}

std::string described(const KeyDeclaration& key) {
  std::string text = key.meaning;
  const auto add = [&](const std::string& more) { text += (text.empty() ? "" : "; ") + more; };
  if (*key.unit != '\0') add(fmt::format("unit: {}", key.unit));
  if (key.required()) add("required");
  if (*key.missing != '\0' && !key.required()) add(fmt::format("default: {}", key.missing));
  return text;
}

Json table_of(const study::TableDeclaration& table) {
  Json t = {{"type", "object"}, {"title", table.heading}, {"description", table.meaning}};
  if (table.open) {
    t["additionalProperties"] = std::string(table.path) == "points" ? refers_to("vector") : refers_to("number");
    return t;
  }
  Json properties = Json::object(), required = Json::array();
  for (const auto& key : table.keys) {
    Json type = type_of(key);
    if (type.contains("$ref")) type = {{"allOf", Json::array({type})}};  // what is next to $ref is not read
    type["description"] = described(key);
    properties[key.key] = std::move(type);
    if (key.required()) required.push_back(key.key);
  }
  t["properties"] = std::move(properties);
  if (!required.empty()) t["required"] = std::move(required);
  t["additionalProperties"] = false;
  return t;
}
}  // namespace

std::string study_schema() {
  Json defs = {
      {"number",
       {{"anyOf", {typed("number"), typed("string")}}, {"description", "a number, or an expression in quotes"}}},
      {"vector", {{"type", "array"}, {"items", refers_to("number")}, {"minItems", 3}, {"maxItems", 3}}},
      {"point", either(refers_to("vector"), typed("string"))},
      {"two-points", {{"type", "array"}, {"items", refers_to("point")}, {"minItems", 2}, {"maxItems", 2}}},
      {"nodes", either(typed("string"), refers_to("table-selection"))},
  };
  for (const auto& table : study::study_format())
    if (*table.path != '\0') defs[definition(table.path)] = table_of(table);
  Json schema = {{"$schema", "http://json-schema.org/draft-07/schema#"}};
  schema.update(table_of(*study::format_of("")));
  schema["title"] = fmt::format("Archway study, format {}", kStudyFormat);
  schema["$defs"] = std::move(defs);
  return schema.dump(2) + "\n";
}

}  // namespace archway::io
