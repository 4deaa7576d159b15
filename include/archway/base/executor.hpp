#pragma once
#include <functional>
#include <memory>

namespace archway::base {

/// Threads that work on ranges. Made by whoever starts an analysis and passed down: there is no pool of the process, so
/// analyses in one process do not wait for each other. The threads start with the first range that needs them.
class Executor {
 public:
  /// \param threads  that work on a range, the caller's among them; below 1 counts as 1
  explicit Executor(int threads);
  ~Executor();
  Executor(const Executor&) = delete;
  Executor& operator=(const Executor&) = delete;

  int threads() const { return threads_; }

  /// Calls body(begin, end) for pieces that cover [0, count) once. How they are cut depends on the number of threads
  /// and on luck, so a body must not sum across what it is given: then the bits do not hang on the threads. The first
  /// exception thrown by a piece is thrown again here. A range that is asked for while another one runs (from inside a
  /// body, or by another thread) is worked on by the caller alone.
  /// \param least_piece  pieces are no smaller, but for the last
  void for_range(int count, const std::function<void(int begin, int end)>& body, int least_piece = 1) const;

 private:
  struct Crew;
  int threads_;
  std::unique_ptr<Crew> crew_;
};

/// ARCHWAY_THREADS when set to a positive number, four times the cores at most, else all cores.
int default_threads();
/// An executor of its own with so many threads.
std::shared_ptr<const Executor> make_executor(int threads = default_threads());

}  // namespace archway::base
