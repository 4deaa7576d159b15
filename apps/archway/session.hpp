#pragma once
#include <memory>
#include <mutex>

#include "archway/io/results_folder.hpp"
#include "cli.hpp"

namespace archway::app {

struct SessionOptions {
  std::string out;
  bool figures = true;
  int modes_drawn = 4;
};

/// A run and its results folder, from before the work to the last file. Keeps what has been computed so far apart, so
/// that a stop is answered within two seconds also where the work itself cannot listen (a long factorisation): then
/// the finished analyses are written from another thread, and the process ends.
class Session {
 public:
  /// \throws WriteFailure when the folder cannot be used: before the work, not after it
  Session(const SessionOptions& options, const study::StudySpec& spec, Console& console);
  ~Session();
  Session(const Session&) = delete;
  Session& operator=(const Session&) = delete;

  /// The watcher, with every finished analysis and every accepted increment noted down.
  study::ChainWatcher noting(study::ChainWatcher watcher);
  /// Writes everything. \return where, in words for the user. \throws WriteFailure
  std::string write(const study::StudyResult& result);

 private:
  void watch_for_stop();
  void write_files(const study::StudyResult& result);

  SessionOptions options_;
  Console& console_;
  std::unique_ptr<io::ResultsFolder> folder_;
  std::mutex mutex_;  // of all below
  study::StudyResult so_far_;
  bool ending_ = false;
  struct Watchdog;
  std::unique_ptr<Watchdog> watchdog_;
};

}  // namespace archway::app
