#pragma once
#include <algorithm>

#include "archway/study/spec.hpp"

namespace archway::study {

/// The references of a study as they are checked one after the other.
class References {
 public:
  explicit References(const StudySpec& study) : spec(study) {}
  void complain(const SourceLocation& place, std::string problem, std::string remedy) {
    list.push_back(place.complaint(std::move(problem), std::move(remedy)));
  }
  bool comes_before(const std::string& analysis) const {
    return std::find(before.begin(), before.end(), analysis) != before.end();
  }
  /// Complains where there is no such action or combination; an empty name is none.
  void load_exists(const SourceLocation& place, const std::string& name);

  const StudySpec& spec;
  std::vector<base::Complaint> list;
  std::vector<std::string> before, loads;  ///< names of earlier analyses; of actions and combinations
};

/// Done on other structures: results of one cannot be used by the other.
inline bool differ(const AnalysisSpec& a, const AnalysisSpec& b) {
  return a.variant < b.variant || b.variant < a.variant;
}

}  // namespace archway::study
