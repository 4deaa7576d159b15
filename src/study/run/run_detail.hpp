#pragma once
#include <algorithm>

#include "archway/study/watcher.hpp"
#include "run/prepared_model_detail.hpp"
#include "spec/references_detail.hpp"

/// What kinds of analyses are given to work with.
namespace archway::study {

/// The chain as far as it has come, and the structure of the analysis at hand.
class Run {
 public:
  Run(const StudyResult& so_far, PreparedModel& own, const ChainWatcher& watcher, const Threads& threads)
      : result(so_far), stage(own), watch(watcher), threads_(threads) {}
  /// With what is there when a LA is done, or the load grows, or the structure buckles.
  const analysis::System& system(const AnalysisOutcome& outcome, const char* when) {
    return stage.system(acting(outcome), {when});
  }
  static model::Combination acting(const AnalysisOutcome& outcome) {
    model::Combination all = outcome.constant;
    all.terms.insert(all.terms.end(), outcome.variable.terms.begin(), outcome.variable.terms.end());
    return all;
  }
  PreparedModel variant(const Variant& variant) const { return stage_of(result.spec, variant, threads_); }
  /// Fills in the resultants of the loads.
  void resolve_totals(AnalysisOutcome& outcome);

  const StudyResult& result;
  PreparedModel& stage;
  const ChainWatcher& watch;

 private:
  Threads threads_;
};

/// "an LBA", "a GNIA".
std::string with_article(const AnalysisKind& kind);

/// An analysis whose load grows: what LBA, GNA and GNIA share.
class VariableKind : public AnalysisKind {
 protected:
  /// from, grow.
  void read_loads(Keys& keys, AnalysisSpec& spec) const;
  static void read_tolerance(Keys& keys, AnalysisSpec& spec);
  void check_loads(const AnalysisSpec& spec, References& references, AnalysisKind::Gives unfit,
                   const char* remedy) const;
  static void resolve_loads(Run& run, AnalysisOutcome& outcome);
};

/// surface: which face of panels is drawn.
void read_surface(Keys& keys, AnalysisSpec& spec);

/// Of springs with two slopes at the origin a linear analysis takes the mean: which, and what that is. Empty: none.
/// \param loaded  nullptr: all springs; else those that it gives a force
std::string mean_stiffness_text(const analysis::System& system, const analysis::ElementForces* loaded);

/// A row with what every row says. \param kind  in place of the word of the analysis' kind
ComparisonRow row_of(const AnalysisOutcome& outcome);
/// Adds what follows from the load factor of a row, and the row.
void add_row(const StudyResult& result, const AnalysisOutcome& outcome, ComparisonRow row,
             std::vector<ComparisonRow>& rows);

/// One a kind, each in its own file.
const AnalysisKind& linear_static_kind();
const AnalysisKind& linear_buckling_kind();
enum class PathOf { small_displacements, elastic, yielding };
const AnalysisKind& path_kind(PathOf what, bool imperfect);

}  // namespace archway::study
