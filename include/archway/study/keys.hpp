#pragma once
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "archway/base/errors.hpp"
#include "archway/base/rotation.hpp"
#include "archway/model/selection.hpp"

namespace archway::study {

/// Where something is in the study file, for messages; empty when it was made by a program.
struct SourceLocation {
  std::string text;     ///< "vault.toml:14:3"
  std::string excerpt;  ///< source line and caret
  base::Complaint complaint(std::string problem, std::string remedy) const {
    return {text, std::move(problem), std::move(remedy), excerpt};
  }
};

/// Nodes by a selection.
struct Spot {
  model::Selection selection;
  SourceLocation place;
};

/// A table of numbers from a file, with a heading for every column.
struct NumberTable {
  std::string file;
  std::vector<std::string> columns;
  std::vector<std::vector<double>> rows;  ///< as long as `columns`; NaN: a blank cell
  bool has(const std::string& column) const { return place(column) < columns.size(); }
  std::size_t place(const std::string& column) const;
  /// \throws base::InputError when there is no such column
  double cell(const std::vector<double>& row, const std::string& column) const;
  /// The heading of a column as a number. \throws base::InputError when it is none
  double heading(std::size_t column) const;
};

/// The keys of one table of a written study, asked for one by one, whatever it is written in. What is wrong is
/// complained about with its place; what comes back then is a value to go on with. A key nobody asks for is a fault.
class Keys {
 public:
  virtual ~Keys() = default;
  virtual SourceLocation place() const = 0;
  virtual SourceLocation place(const std::string& key) const = 0;
  virtual bool has(const std::string& key) = 0;
  /// A number or an expression; without `otherwise` it must be there.
  virtual double number(const std::string& key, std::optional<double> otherwise = {}) = 0;
  virtual int whole(const std::string& key, int otherwise) = 0;
  virtual bool flag(const std::string& key, bool otherwise) = 0;
  virtual std::string text(const std::string& key, std::optional<std::string> otherwise = {}) = 0;
  /// One text or a list of them.
  virtual std::vector<std::string> texts(const std::string& key) = 0;
  /// A text that must be one of `choices`; gives its index, or 0 after a complaint. \param otherwise  empty: none
  virtual std::size_t choice(const std::string& key, const std::vector<std::string>& choices,
                             const std::string& otherwise) = 0;
  virtual base::Vec3 vector(const std::string& key, std::optional<base::Vec3> otherwise = {}) = 0;
  /// Pairs of a whole number and a number. \param first, second  "a mode number", "a factor"
  virtual std::vector<std::pair<int, double>> pairs(const std::string& key, const std::string& first,
                                                    const std::string& second, const std::string& example) = 0;
  /// Pairs of numbers; the key may be missing.
  virtual std::vector<std::pair<double, double>> number_pairs(const std::string& key, const std::string& first,
                                                              const std::string& second,
                                                              const std::string& example) = 0;
  /// So many numbers; zeros after a complaint.
  virtual std::vector<double> numbers(const std::string& key, std::size_t count) = 0;
  /// Any number of them; the key may be missing.
  virtual std::vector<double> number_list(const std::string& key) = 0;
  /// A name, or a table of rules that must all hold.
  virtual Spot spot(const std::string& key) = 0;
  /// Two points: of an axis, or opposite corners of a box.
  virtual std::pair<base::Vec3, base::Vec3> two_points(const std::string& key) = 0;
  /// A number, or a vector, that is an expression of the place; empty when it is the same everywhere, or missing.
  virtual std::function<double(const base::Vec3&)> field(const std::string& key) = 0;
  virtual std::function<base::Vec3(const base::Vec3&)> vector_field(const std::string& key) = 0;
  /// An expression of named variables, or a number; empty after a complaint.
  virtual std::function<double(const std::vector<double>&)> function(const std::string& key,
                                                                     const std::vector<std::string>& variables) = 0;
  /// A file beside the study: numbers in columns (CSV), or the nodes of a VTU mesh with its first field of three
  /// components as x, y, z, ux, uy, uz.
  virtual NumberTable table_file(const std::string& key) = 0;
  /// Points of a surface beside the study (PLY, OBJ, STL).
  virtual std::vector<base::Vec3> scan_file(const std::string& key) = 0;
  virtual bool is_table(const std::string& key) = 0;
  /// Runs `use` on the table of a key; the key may be missing. \param example  for the remedy when it is no table
  virtual void table(const std::string& key, const std::string& what, const std::string& example,
                     const std::function<void(Keys&)>& use) = 0;
  /// Runs `use` on every table of a list of tables; the key may be missing.
  virtual void tables(const std::string& key, const std::string& what, const std::function<void(Keys&)>& use) = 0;
  virtual void complain(const SourceLocation& where, std::string problem, std::string remedy) = 0;
  /// Number of complaints so far.
  virtual std::size_t complaints() const = 0;
  /// Takes every key as known: what they mean hangs on something that was wrong already.
  virtual void forgive() = 0;
};

}  // namespace archway::study
