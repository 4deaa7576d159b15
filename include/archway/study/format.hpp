#pragma once
#include <string>
#include <vector>

namespace archway::study {

/// The version of the study format that this program reads.
constexpr int kStudyFormat = 1;

/// What a key of the study file takes. Wherever a number is asked for, an expression or a quantity with its unit, in
/// quotes, will do.
enum class KeyType {
  number,
  integer,
  boolean,
  text,
  word,     ///< one of `allowed`
  words,    ///< one of `allowed`, or a list of them
  name,     ///< of something else in the study
  names,    ///< one name or a list of them
  point,    ///< [x, y, z], or the name of a point
  vector,   ///< [x, y, z]
  axis,     ///< two points: [[x, y, z], [x, y, z]]
  box,      ///< two opposite corners: [[x, y, z], [x, y, z]]
  points,   ///< list of points
  numbers,  ///< list of numbers
  rows,     ///< list of lists of numbers
  terms,    ///< a name, or a list of "factor * name"
  field,    ///< a number, or an expression of the place
  fields,   ///< three of them
  file,     ///< path, from where the study file lies
  nodes,    ///< a selection: a name or a table of rules
  any_of,   ///< one selection or a list of them
  table,    ///< table `inside`
  tables,   ///< list of tables `inside`
  named,    ///< table of tables `inside` by name
  values,   ///< table of numbers by name
  either,   ///< a number, or a table `inside`
  switched  ///< true, false, or a table `inside`
};

/// One key of one table: the single place from which reference, JSON Schema and completion are made. That the reader
/// of study files asks for the same keys is tested.
struct KeyDeclaration {
  const char* key;
  KeyType type;
  const char* unit;     ///< "length", "force/length^2", "degrees"; empty: none
  const char* missing;  ///< value where the key is not given; "required"; empty: nothing
  const char* meaning;
  std::vector<const char*> allowed = {};
  const char* inside = "";  ///< of tables: path of their declaration
  bool required() const { return std::string(missing) == "required"; }
};

/// One table of the study file.
struct TableDeclaration {
  const char* path;     ///< "members", "analyses.stop"; "selection": wherever nodes are chosen; empty: the whole file
  const char* heading;  ///< as it is written: "[[members]]"; of a table inside another: "stop = { ... }"
  const char* meaning;
  std::vector<KeyDeclaration> keys;
  /// Where this key is given, the table holds only what else the declaration of the path PATH:WORD says.
  bool open = false;  ///< keys are names of the user's own
};

/// Every table of the study format, in the order of the reference.
const std::vector<TableDeclaration>& study_format();

/// \returns nullptr when no table has this path
const TableDeclaration* format_of(const std::string& path);

/// "number, length", "one of ...": the type in words.
std::string type_text(const KeyDeclaration& key);

}  // namespace archway::study
