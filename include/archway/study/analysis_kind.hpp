#pragma once
#include <string>
#include <vector>

#include "archway/study/keys.hpp"

namespace archway::study {

struct AnalysisSpec;
struct AnalysisOutcome;
struct StudySpec;
struct StudyResult;
struct ComparisonRow;
class Run;
class References;

/// A kind of analysis, named as in EN 1993-1-6: how a study asks for it, what may be wrong with that, how it is carried
/// out, what is warned of and which rows it has in the closing table. Everything of a kind is in its own file in
/// src/study/analyses; the chain only calls.
class AnalysisKind {
 public:
  virtual ~AnalysisKind() = default;
  /// What later analyses can start from it: its load held; its constant and variable loads, and its modes; its states.
  enum class Gives { load, modes, states };

  virtual const char* word() const = 0;   ///< "LBA"
  virtual const char* title() const = 0;  ///< "linear buckling analysis"
  virtual Gives gives() const = 0;
  /// Materials flow in it; a state that has yielded is nothing to buckle about yet.
  virtual bool yields() const { return false; }
  /// By the geometry as it was: stability is no question.
  virtual bool small_displacements() const { return false; }
  /// \param spec  copied from an earlier analysis, or fresh
  virtual void read(Keys& keys, AnalysisSpec& spec) const = 0;
  virtual void check(const AnalysisSpec& spec, References& references) const = 0;
  /// Loads, geometry and state to begin with. \return false: it cannot be done, `skip_reason` says why
  virtual bool prepare(Run& run, AnalysisOutcome& outcome) const = 0;
  virtual void carry_out(Run& run, AnalysisOutcome& outcome) const = 0;
  /// Plain warnings about what came out. \param spec  of the structure it was done on
  virtual void advise(const StudySpec& spec, const AnalysisOutcome& outcome, std::vector<std::string>& list) const = 0;
  /// Rows of the closing table, with what they have to be compared with.
  virtual void compare(const StudyResult& result, const AnalysisOutcome& outcome,
                       std::vector<ComparisonRow>& rows) const = 0;
};

/// All kinds, in the order of their depth.
const std::vector<const AnalysisKind*>& analysis_kinds();
/// \throws std::out_of_range for a word that no kind has
const AnalysisKind& analysis_kind(const std::string& word);

}  // namespace archway::study
