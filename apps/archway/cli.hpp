#pragma once
#include <atomic>
#include <iosfwd>
#include <string>
#include <utility>
#include <vector>

namespace archway::app {

/// Documented in --help and docs/command-line.md.
enum ExitCode {
  done = 0,
  internal_error = 1,  ///< our own mistake
  bad_command_line = 2,
  bad_study = 3,      ///< the study file or the structure it describes
  not_converged = 4,  ///< an analysis did not reach a usable end; what there is was written
  cannot_write = 5,
  requirement_failed =
      6,  ///< all analyses are done, and a requirement or a hand check has failed, or the load as given is not carried
  out_of_memory = 7,
  stopped = 130  ///< Ctrl-C; what was computed was written
};

/// The streams a command talks to, and whether they are terminals.
struct Console {
  std::ostream& out;
  std::ostream& err;
  bool out_is_terminal = false, err_is_terminal = false;
  int width = 100;
  bool unicode = true;
  std::atomic<bool>* stop = nullptr;  ///< set by Ctrl-C once `listen` was called; before, it just ends the process
  void (*listen)() = nullptr;
};

/// The whole tool: arguments without the program name.
int run(const std::vector<std::string>& arguments, Console& console);

/// Name and text of the demo's study files.
const std::vector<std::pair<std::string, std::string>>& demo_studies();

}  // namespace archway::app
