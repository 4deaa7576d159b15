#pragma once
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include <toml++/toml.h>

#include "archway/study/spec.hpp"

namespace archway::io::detail {

using base::Vec3;
using study::Place;

/// A word that expressions can use: letters, digits and _, not beginning with a digit.
bool is_name(const std::string& word);
/// A function that expressions know: sin, sqrt and so on.
bool is_function(const std::string& word);

/// One study file being read: its lines, its parameters and everything found wrong so far.
class Reading {
 public:
  Reading(std::string file, const std::string& text);
  Place place(const toml::source_region& region) const;
  Place place(const toml::node& node) const { return place(node.source()); }
  void complain(const Place& where, std::string problem, std::string remedy);
  /// Value of an arithmetic expression over the parameters; complains and gives NaN when it cannot be evaluated.
  double evaluate(const std::string& expression, const Place& where);
  /// A number or an expression in a string.
  std::optional<double> number(const toml::node& node, const std::string& what);
  /// The number as a whole one; complains when it is not.
  std::optional<int> whole(double value, const Place& where, const std::string& what);
  std::optional<Vec3> vector(const toml::node& node, const std::string& what);
  /// Function of the place when the node is an expression in x, y or z; nullptr when it is a plain number.
  std::function<double(const Vec3&)> field(const toml::node& node);

  std::string file;
  std::map<std::string, double> parameters;
  std::vector<base::Complaint> complaints;

 private:
  double checked(double value, const Place& where, const std::string& what);
  std::vector<std::string> lines_;
};

/// A table whose keys are asked for one by one; finish() complains about keys nobody asked for.
class TableReader {
 public:
  TableReader(Reading& reading, const toml::table& table, std::string what);
  TableReader(const TableReader&) = delete;
  TableReader& operator=(const TableReader&) = delete;

  Place place() const { return reading_.place(table_); }
  Place place(const std::string& key) const;
  bool has(const std::string& key);
  double number(const std::string& key, std::optional<double> otherwise = {});
  int whole(const std::string& key, int otherwise);
  bool flag(const std::string& key, bool otherwise);
  std::string text(const std::string& key, std::optional<std::string> otherwise = {});
  /// One text or a list of them.
  std::vector<std::string> texts(const std::string& key);
  /// A text that must be one of `choices`; gives its index, or 0 after a complaint.
  std::size_t choice(const std::string& key, const std::vector<std::string>& choices, const std::string& otherwise);
  Vec3 vector(const std::string& key, std::optional<Vec3> otherwise = {});
  const toml::node* node(const std::string& key);
  /// Runs `use` on every table of an array of tables; the key may be missing.
  void each(const std::string& key, const std::string& what, const std::function<void(TableReader&)>& use);
  /// Runs `use` on every entry of a table of tables, with its name.
  void each_named(const std::string& key, const std::string& what,
                  const std::function<void(const std::string&, TableReader&)>& use);
  void finish();
  /// Takes every key as known: what they mean hangs on something that was wrong already.
  void forgive();
  Reading& reading() { return reading_; }
  const toml::table& raw() const { return table_; }

 private:
  void missing(const std::string& key, const std::string& kind);
  void wrong_type(const toml::node& node, const std::string& key, const std::string& wanted);
  Reading& reading_;
  const toml::table& table_;
  std::string what_;
  std::set<std::string> asked_;
};

}  // namespace archway::io::detail
