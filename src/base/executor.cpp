#include "archway/base/executor.hpp"

#include <algorithm>
#include <atomic>
#include <condition_variable>
#include <cstdlib>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace archway::base {

namespace {
/// One range under work: pieces are taken by whoever is free.
struct Range {
  const std::function<void(int, int)>& body;
  int count, piece;
  std::atomic<int> next{0};
  std::mutex failing;
  std::exception_ptr failure;

  void work() {
    for (int begin = next.fetch_add(piece); begin < count; begin = next.fetch_add(piece)) try {
        body(begin, std::min(begin + piece, count));
      } catch (...) {
        const std::lock_guard<std::mutex> lock(failing);
        if (!failure) failure = std::current_exception();
        next = count;  // nobody starts another piece
      }
  }
};
}  // namespace

struct Executor::Crew {
  std::vector<std::thread> threads;
  std::atomic<bool> busy{false};  // a range runs
  std::mutex mutex;
  std::condition_variable wake, done;
  Range* range = nullptr;
  int working = 0, round = 0;
  bool closing = false;

  Crew() = default;
  Crew(const Crew&) = delete;
  Crew& operator=(const Crew&) = delete;
  ~Crew() {
    {
      const std::lock_guard<std::mutex> lock(mutex);
      closing = true;
    }
    wake.notify_all();
    for (auto& thread : threads) thread.join();
  }

  void hire(int count) {
    while (static_cast<int>(threads.size()) < count) threads.emplace_back([this] { serve(); });
  }

  void run(Range& asked) {
    {
      const std::lock_guard<std::mutex> lock(mutex);
      range = &asked;
      working = static_cast<int>(threads.size());
      ++round;
    }
    wake.notify_all();
    asked.work();
    std::unique_lock<std::mutex> lock(mutex);
    done.wait(lock, [this] { return working == 0; });
    range = nullptr;
  }

  void serve() {
    int seen = 0;
    for (;;) {
      Range* mine = nullptr;
      {
        std::unique_lock<std::mutex> lock(mutex);
        wake.wait(lock, [&] { return closing || (range != nullptr && round != seen); });
        if (closing) return;
        seen = round;
        mine = range;
      }
      mine->work();
      const std::lock_guard<std::mutex> lock(mutex);
      if (--working == 0) done.notify_one();
    }
  }
};

Executor::Executor(int threads) : threads_(std::max(1, threads)), crew_(std::make_unique<Crew>()) {}
Executor::~Executor() = default;

void Executor::for_range(int count, const std::function<void(int, int)>& body, int least_piece) const {
  if (count <= 0) return;
  const int least = std::max(1, least_piece);
  if (threads_ == 1 || count <= least || crew_->busy.exchange(true)) return body(0, count);
  crew_->hire(threads_ - 1);
  // several pieces a thread, so that one held up by other work on the machine does not hold up all
  Range range{body, count, std::max(least, (count + 4 * threads_ - 1) / (4 * threads_)), {}, {}, {}};
  crew_->run(range);
  crew_->busy = false;
  if (range.failure) std::rethrow_exception(range.failure);
}

int default_threads() {
  const char* asked = std::getenv("ARCHWAY_THREADS");
  const int cores = std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
  const long number = asked == nullptr ? 0 : std::strtol(asked, nullptr, 10);
  return number > 0 ? static_cast<int>(std::min<long>(number, 4L * cores)) : cores;
}

std::shared_ptr<const Executor> make_executor(int threads) {
  return std::make_shared<const Executor>(threads);
}

}  // namespace archway::base
