#pragma once
#include <functional>
#include <string>
#include <variant>
#include <vector>

namespace archway::base {

/// What a number is measured in, as powers of the units of a study.
enum class Dimension { none, load_factor, share, length, force, arc, work };
const char* to_text(Dimension dimension);

/// Value of a field. A number that does not exist is NaN; what does not exist otherwise is monostate.
using FieldValue = std::variant<std::monostate, double, int, bool, std::string>;

/// One field of a record of results, declared once, beside the record; JSON, CSV and docs/results.md follow from it.
template <class Record>
struct Field {
  const char* name;
  Dimension dimension;
  const char* meaning;  ///< a sentence for whoever reads the results
  std::function<FieldValue(const Record&)> value;
};
template <class Record>
using Fields = std::vector<Field<Record>>;

}  // namespace archway::base
