#include "archway/base/thread_pool.hpp"

#include <algorithm>
#include <condition_variable>
#include <cstdlib>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace archway::base {

namespace {
class Pool {
 public:
  explicit Pool(int workers) {
    for (int i = 0; i < workers; ++i) threads_.emplace_back([this, i] { serve(i + 1); });
  }
  Pool(const Pool&) = delete;
  Pool& operator=(const Pool&) = delete;
  ~Pool() {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      closing_ = true;
    }
    wake_.notify_all();
    for (auto& thread : threads_) thread.join();
  }

  void run(const std::function<void(int)>& job) {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      job_ = &job;
      left_ = static_cast<int>(threads_.size());
      ++round_;
    }
    wake_.notify_all();
    job(0);
    std::unique_lock<std::mutex> lock(mutex_);
    done_.wait(lock, [this] { return left_ == 0; });
  }

 private:
  void serve(int index) {
    int seen = 0;
    for (;;) {
      const std::function<void(int)>* job = nullptr;
      {
        std::unique_lock<std::mutex> lock(mutex_);
        wake_.wait(lock, [&] { return closing_ || round_ != seen; });
        if (closing_) return;
        seen = round_;
        job = job_;
      }
      (*job)(index);
      const std::lock_guard<std::mutex> lock(mutex_);
      if (--left_ == 0) done_.notify_one();
    }
  }

  std::vector<std::thread> threads_;
  std::mutex mutex_;
  std::condition_variable wake_, done_;
  const std::function<void(int)>* job_ = nullptr;
  int left_ = 0, round_ = 0;
  bool closing_ = false;
};

thread_local bool inside_parallel = false;
std::mutex entry;
}  // namespace

int thread_count() {
  static const int count = [] {
    const char* asked = std::getenv("ARCHWAY_THREADS");
    const int cores = std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
    const long number = asked == nullptr ? 0 : std::strtol(asked, nullptr, 10);
    return number > 0 ? static_cast<int>(std::min<long>(number, 4L * cores)) : cores;
  }();
  return count;
}

void parallel_for(int count, const std::function<void(int, int, int)>& body, int least_piece) {
  const int pieces = std::min(thread_count(), std::max(1, count / std::max(1, least_piece)));
  if (pieces <= 1 || inside_parallel) {
    if (count > 0) body(0, count, 0);
    return;
  }
  const std::lock_guard<std::mutex> one_at_a_time(entry);
  static Pool pool(thread_count() - 1);
  std::vector<std::exception_ptr> failures(static_cast<std::size_t>(pieces));
  pool.run([&](int index) {
    if (index >= pieces) return;
    inside_parallel = true;
    try {
      const auto at = [&](int i) { return static_cast<int>(static_cast<long long>(count) * i / pieces); };
      body(at(index), at(index + 1), index);
    } catch (...) {
      failures[static_cast<std::size_t>(index)] = std::current_exception();
    }
    inside_parallel = false;
  });
  for (const auto& failure : failures)
    if (failure) std::rethrow_exception(failure);
}

}  // namespace archway::base
