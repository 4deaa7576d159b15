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
using study::SourceLocation;

/// A word that expressions can use: letters, digits and _, not beginning with a digit.
bool is_name(const std::string& word);
/// A function that expressions know: sin, sqrt and so on.
bool is_function(const std::string& word);

class SpotReader;

/// Path of the declaration (study::study_format) of a table by the word that the reader has for it.
std::string path_of_table(const std::string& what);

/// One study file being read: its lines, its parameters and everything found wrong so far.
class Reading {
 public:
  Reading(std::string file, const std::string& text);
  SourceLocation place(const toml::source_region& region) const;
  SourceLocation place(const toml::node& node) const { return place(node.source()); }
  void complain(const SourceLocation& where, std::string problem, std::string remedy);
  /// Value of an arithmetic expression over the parameters; complains and gives NaN when it cannot be evaluated.
  double evaluate(const std::string& expression, const SourceLocation& where);
  /// A number or an expression in a string.
  std::optional<double> number(const toml::node& node, const std::string& what);
  /// The number as a whole one; complains when it is not.
  std::optional<int> whole(double value, const SourceLocation& where, const std::string& what);
  std::optional<Vec3> vector(const toml::node& node, const std::string& what);
  /// Function of the place when the node is an expression in x, y or z; nullptr when it is a plain number.
  std::function<double(const Vec3&)> field(const toml::node& node);
  /// Function of named variables from an expression; complains and gives nullptr when it cannot be evaluated.
  std::function<double(const std::vector<double>&)> function(const std::string& expression,
                                                             const std::vector<std::string>& variables,
                                                             const SourceLocation& where);
  /// A path that is meant from where the study file lies.
  std::string beside(const std::string& path) const;

  std::string file;
  std::map<std::string, double> parameters;
  std::vector<base::Complaint> complaints;
  /// What was not written and means itself: table, key, value. Reported where somebody wants it (nullptr: nobody).
  std::map<const toml::table*, toml::table>* defaults = nullptr;
  template <class Value>
  void stands_for_itself(const toml::table& table, const std::string& key, const Value& value) {
    if (defaults != nullptr) (*defaults)[&table].insert_or_assign(key, value);
  }
  /// Keys that tables were asked for, by the path of their declaration; reported where somebody wants it.
  std::map<std::string, std::set<std::string>>* asked = nullptr;
  study::Units units;           ///< of the study, once they are read
  std::string declared_unit;    ///< of the key that is being read: "force/length^2"
  bool any_unit = false;        ///< the value has no dimension of its own: a parameter
  SpotReader* spots = nullptr;  ///< reads selections, once the points of the study are known

 private:
  /// A number with its unit, converted; complains when its dimension is not that of the key.
  double converted(const std::string& text, const SourceLocation& where, const std::string& what);
  double checked(double value, const SourceLocation& where, const std::string& what);
  std::vector<std::string> lines_;
};

/// A table whose keys are asked for one by one; finish() complains about keys nobody asked for.
class TableReader final : public study::Keys {
 public:
  TableReader(Reading& reading, const toml::table& table, std::string what);
  TableReader(const TableReader&) = delete;
  TableReader& operator=(const TableReader&) = delete;

  SourceLocation place() const override { return reading_.place(table_); }
  SourceLocation place(const std::string& key) const override;
  bool has(const std::string& key) override;
  double number(const std::string& key, std::optional<double> otherwise = {}) override;
  int whole(const std::string& key, int otherwise) override;
  bool flag(const std::string& key, bool otherwise) override;
  std::string text(const std::string& key, std::optional<std::string> otherwise = {}) override;
  std::vector<std::string> texts(const std::string& key) override;
  std::size_t choice(const std::string& key, const std::vector<std::string>& choices,
                     const std::string& otherwise) override;
  Vec3 vector(const std::string& key, std::optional<Vec3> otherwise = {}) override;
  std::vector<std::pair<double, double>> number_pairs(const std::string& key, const std::string& first,
                                                      const std::string& second, const std::string& example) override;
  std::vector<std::pair<int, double>> pairs(const std::string& key, const std::string& first, const std::string& second,
                                            const std::string& example) override;
  std::vector<double> numbers(const std::string& key, std::size_t count) override;
  std::vector<double> number_list(const std::string& key) override;
  study::Spot spot(const std::string& key) override;
  std::pair<Vec3, Vec3> two_points(const std::string& key) override;
  std::function<double(const Vec3&)> field(const std::string& key) override;
  std::function<Vec3(const Vec3&)> vector_field(const std::string& key) override;
  std::function<double(const std::vector<double>&)> function(const std::string& key,
                                                             const std::vector<std::string>& variables) override;
  study::NumberTable table_file(const std::string& key) override;
  std::vector<Vec3> scan_file(const std::string& key) override;
  bool is_table(const std::string& key) override;
  void table(const std::string& key, const std::string& what, const std::string& example,
             const std::function<void(study::Keys&)>& use) override;
  void tables(const std::string& key, const std::string& what, const std::function<void(study::Keys&)>& use) override;
  void complain(const SourceLocation& where, std::string problem, std::string remedy) override {
    reading_.complain(where, std::move(problem), std::move(remedy));
  }
  std::size_t complaints() const override { return reading_.complaints.size(); }
  void forgive() override;
  const toml::node* node(const std::string& key);
  /// Runs `use` on every table of an array of tables; the key may be missing.
  void each(const std::string& key, const std::string& what, const std::function<void(TableReader&)>& use);
  /// Runs `use` on every entry of a table of tables, with its name.
  void each_named(const std::string& key, const std::string& what,
                  const std::function<void(const std::string&, TableReader&)>& use);
  void finish();
  Reading& reading() { return reading_; }
  const toml::table& raw() const { return table_; }

 private:
  void each_pair(const std::string& key, const std::string& what, const std::string& example,
                 const std::function<void(const toml::node&, const toml::node&)>& use);
  void missing(const std::string& key, const std::string& kind);
  /// The unit that the declaration of a key gives; of loads it depends on their kind.
  std::string unit_of(const std::string& key) const;
  void wrong_type(const toml::node& node, const std::string& key, const std::string& wanted);
  Reading& reading_;
  const toml::table& table_;
  std::string what_;
  std::set<std::string> asked_;
};

}  // namespace archway::io::detail
