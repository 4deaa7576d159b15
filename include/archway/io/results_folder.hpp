#pragma once
#include <map>
#include <string>
#include <vector>

#include "archway/io/vtu.hpp"
#include "archway/study/chain.hpp"

namespace archway::io {

/// A results folder whose files appear together or not at all. Everything is written beside the older results, inside
/// the folder, and exchanged for them at the end by renames: what is killed half-way is finished or cleared away by the
/// next run. Only files that a run of this program wrote (a list with checksums in the folder says which) are ever
/// replaced; what others put there stays, also files of ours that somebody changed since. One run at a time: a lock
/// that dies with its owner is restrained from construction on.
class ResultsFolder {
 public:
  /// \throws base::InputError, before anything is changed, when the place cannot be written, is a root or a home
  /// folder,
  ///         holds a file at one of our places that is not ours, or is being written by another run
  explicit ResultsFolder(const std::string& path);
  ~ResultsFolder();
  ResultsFolder(const ResultsFolder&) = delete;
  ResultsFolder& operator=(const ResultsFolder&) = delete;

  /// \throws base::InputError when the file cannot be written whole (disk full, no permission), or is written twice
  void write(const std::string& name, const std::string& content);
  /// There are results of an earlier run.
  bool has_older() const { return has_older_; }
  /// The older results stay and what is written goes to the sub-folder `stopped`. Call it before the first write().
  void keep_older_beside();
  /// Puts everything in place. \throws base::InputError
  void finish();
  const std::string& path() const { return path_; }
  /// What the user should hear: traces of killed runs, files that were changed by hand.
  const std::vector<std::string>& notes() const { return notes_; }

 private:
  void refuse_unfit() const;
  void lock();
  void release();
  void recover();
  void refuse_strangers();
  std::string file(const std::string& name) const;
  void write_list(const std::string& file, const std::string& text) const;
  void exchange();

  std::string path_, prefix_;
  int lock_ = -1;
  bool made_folder_ = false, has_older_ = false, finished_ = false;
  std::map<std::string, std::string> written_, kept_;  // name and checksum
  std::vector<std::string> notes_;
};

/// Program version and hash of what went in.
std::string program_version();
/// Version, study format, compiler, linear algebra and instruction set in use, one a line.
std::string version_text();
std::string sha256(const std::string& text);

/// results.json, schema in docs/results.md. Numbers with 17 digits; what does not exist is null, never NaN.
std::string results_json(const study::StudyResult& result);
/// The check alone, as JSON.
std::string check_json(const study::StudySpec& spec, const study::CheckReport& report);

/// { "errors": [ { "file", "line", "column", "place", "problem", "remedy" } ] }; line and column where they are known.
std::string errors_json(const base::InputError& error);

/// Tables as CSV with a header line, numbers with 17 digits.
std::string path_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome);
std::string modes_csv(const study::StudyResult& result, const study::AnalysisOutcome& outcome);
std::string member_forces_csv(const study::AnalysisOutcome& outcome);
std::string comparison_csv(const study::StudyResult& result);

/// Writes results.json, all CSV tables and all VTU/PVD files of a study.
void write_data(ResultsFolder& folder, const study::StudyResult& result);

/// Displacements of an imperfection at the nodes of the perfect structure: x,y,z,ux,uy,uz, with all their digits; a
/// study takes it as `table`.
std::string imperfection_table(const model::Model& model, const imperfection::Imperfection& shape);
/// What walls are thicker at the nodes of their parts, before the mean over elements: x,y,z,height. \param height  one
/// a node, NaN outside
std::string wall_table(const model::Model& model, const std::vector<double>& height);
/// Parts of all cells and, where walls change, what they are thicker.
std::vector<VtuField> wall_fields(const model::Model& model, const imperfection::Imperfection& shape);

}  // namespace archway::io
