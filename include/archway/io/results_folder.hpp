#pragma once
#include <string>

#include "archway/study/chain.hpp"

namespace archway::io {

/// A results folder that appears whole or not at all: everything is written beside it under another name and moved into
/// place by finish(); an unfinished one is removed again.
class ResultsFolder {
 public:
  /// \param path  where the results go; an older results folder there is replaced, anything else is left alone
  /// \throws base::InputError when the place cannot be written
  explicit ResultsFolder(const std::string& path);
  ~ResultsFolder();
  ResultsFolder(const ResultsFolder&) = delete;
  ResultsFolder& operator=(const ResultsFolder&) = delete;

  /// Path of a file inside, its sub-folders made. Use write() where possible.
  std::string file(const std::string& name) const;
  /// \throws base::InputError when the file cannot be written whole (disk full, no permission)
  void write(const std::string& name, const std::string& content) const;
  void finish();
  const std::string& path() const { return path_; }

 private:
  std::string path_, building_;
  bool finished_ = false;
};

/// Program version and hash of what went in.
std::string program_version();
std::string sha256(const std::string& text);

/// results.json, schema in docs/results.md. Numbers with 17 digits; what does not exist is null, never NaN.
std::string results_json(const study::StudyResult& result);
/// The check alone, as JSON.
std::string check_json(const study::StudySpec& spec, const study::CheckReport& report);

/// Tables as CSV with a header line, numbers with 17 digits.
std::string path_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome);
std::string modes_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome);
std::string member_forces_csv(const study::AnalysisOutcome& outcome);
std::string comparison_csv(const study::StudyResult& result);

/// Writes results.json, all CSV tables and all VTU/PVD files of a study.
void write_data(const ResultsFolder& folder, const study::StudyResult& result);

}  // namespace archway::io
