#pragma once
#include <functional>
#include <memory>

#include "archway/study/watcher.hpp"

namespace archway::study {

/// A chain that stays open: analyses one after the other, by whoever asks.
class OpenChain {
 public:
  /// Builds and checks the structure. \throws base::InputError as run_study does
  OpenChain(const StudySpec& spec, const ChainWatcher& watcher);
  ~OpenChain();
  OpenChain(const OpenChain&) = delete;
  OpenChain& operator=(const OpenChain&) = delete;
  const StudyResult& so_far() const;
  /// Runs the analyses of the study until one is stopped.
  void run_all();
  /// Runs an analysis and keeps what it did.
  void step(const AnalysisSpec& analysis);
  /// Runs a path with another imperfection, and keeps nothing. \param imperfection  known to this run alone
  AnalysisOutcome with(const AnalysisSpec& path, const ImperfectionSpec& imperfection);
  /// Runs an analysis and keeps nothing.
  AnalysisOutcome apart(const AnalysisSpec& analysis);
  /// Tables and comparisons of what has been done, and the end.
  StudyResult close();
  /// Works with so many threads from now on. With one there are none that a copy of this process would lack.
  void use_threads(int threads);

 private:
  class Chain;
  std::unique_ptr<Chain> chain_;
};

/// Analyses that others lean on, and those, in the order of the study. \param names  of analyses
std::vector<AnalysisSpec> with_sources(const StudySpec& spec, const std::vector<std::string>& names);

/// Carries the whole chain out. \throws base::InputError before any solving when the study is wrong, including a
/// structure that can move freely (the displacement is named).
StudyResult run_study(const StudySpec& spec, const ChainWatcher& watcher = {});

}  // namespace archway::study
