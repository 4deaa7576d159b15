#include "archway/study/format.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "format/format_detail.hpp"

namespace archway::study {

const std::vector<TableDeclaration>& study_format() {
  static const std::vector<TableDeclaration> tables = [] {
    std::vector<TableDeclaration> all;
    for (auto& some : {detail::structure_format(), detail::parts_format(), detail::joints_format(),
                       detail::actions_format(), detail::imperfections_format(), detail::analyses_format()})
      all.insert(all.end(), some.begin(), some.end());
    return all;
  }();
  return tables;
}

const TableDeclaration* format_of(const std::string& path) {
  for (const auto& table : study_format())
    if (path == table.path) return &table;
  return nullptr;
}

std::string type_text(const KeyDeclaration& key) {
  switch (key.type) {
    case KeyType::number:
      return "number";
    case KeyType::integer:
      return "integer";
    case KeyType::boolean:
      return "true or false";
    case KeyType::text:
      return "text";
    case KeyType::word:
    case KeyType::words:
      return fmt::format("{}\"{}\"", key.type == KeyType::words ? "of " : "", fmt::join(key.allowed, "\", \""));
    case KeyType::name:
      return "name";
    case KeyType::names:
      return "name or names";
    case KeyType::point:
      return "[x, y, z] or point";
    case KeyType::vector:
      return "[x, y, z]";
    case KeyType::axis:
      return "[point, point]";
    case KeyType::box:
      return "[corner, corner]";
    case KeyType::points:
      return "list of points";
    case KeyType::numbers:
      return "list of numbers";
    case KeyType::rows:
      return "list of lists";
    case KeyType::terms:
      return "name or list";
    case KeyType::field:
      return "number or expression";
    case KeyType::fields:
      return "number, [x, y, z] or expressions";
    case KeyType::file:
      return "file";
    case KeyType::nodes:
      return "selection";
    case KeyType::any_of:
      return "selection or list of them";
    case KeyType::table:
    case KeyType::named:
    case KeyType::values:
      return "table";
    case KeyType::tables:
      return "list of tables";
    case KeyType::either:
      return "number or table";
    case KeyType::switched:
      return "true, false or table";
  }
  return "";
}

}  // namespace archway::study
