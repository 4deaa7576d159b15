#include "session.hpp"

#include <condition_variable>
#include <ostream>
#include <thread>
#include <unistd.h>

#include <fmt/format.h>

#include "archway/report/figures.hpp"
#include "write_file.hpp"

namespace archway::app {

/// Waits for a stop that nobody answers.
struct Session::Watchdog {
  std::thread thread;
  std::condition_variable wake;
  bool closing = false;
};

Session::Session(const SessionOptions& options, const study::StudySpec& spec, Console& console)
    : options_(options), console_(console), watchdog_(std::make_unique<Watchdog>()) {
  if (console.listen != nullptr) console.listen();
  try {
    folder_ = std::make_unique<io::ResultsFolder>(options.out);
  } catch (const base::InputError& error) {
    throw WriteFailure{error};
  }
  for (const auto& note : folder_->notes()) console.err << note << "\n";
  so_far_.spec = spec;
  watchdog_->thread = std::thread([this] { watch_for_stop(); });
}

Session::~Session() {
  {
    const std::lock_guard<std::mutex> lock(mutex_);
    watchdog_->closing = true;
  }
  watchdog_->wake.notify_all();
  watchdog_->thread.join();
}

void Session::watch_for_stop() {
  using namespace std::chrono_literals;
  std::unique_lock<std::mutex> lock(mutex_);
  while (!watchdog_->closing && (console_.stop == nullptr || !console_.stop->load()))
    watchdog_->wake.wait_for(lock, 50ms);
  if (watchdog_->wake.wait_for(lock, 1500ms, [this] { return watchdog_->closing || ending_; })) return;
  const bool something = so_far_.model && !so_far_.outcomes.empty();
  try {
    so_far_.stopped = true;
    options_.figures = false;  // no time for them, and no shapes of a path that was under way
    if (something)
      write_files(so_far_);
    else
      folder_.reset();
  } catch (const std::exception& error) {
    console_.err << error.what() << "\n";
  }
  console_.err
      << (something ? "stopped on request in the middle of a long step: what was finished before it is in the results\n"
                    : "stopped on request in the middle of a long step: nothing was computed, nothing was written\n");
  console_.out.flush();
  console_.err.flush();
  ::_exit(stopped);
}

study::ChainWatcher Session::noting(study::ChainWatcher watcher) {
  const auto before = watcher;
  watcher.checked = [this, before](const study::CheckReport& report) {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      so_far_.check = report;
    }
    if (before.checked) before.checked(report);
  };
  watcher.finished = [this, before](const study::AnalysisOutcome& outcome) {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      if (!so_far_.model) so_far_.model = outcome.model;
      if (!so_far_.outcomes.empty() && so_far_.outcomes.back().spec.name == outcome.spec.name)
        so_far_.outcomes.pop_back();
      so_far_.outcomes.push_back(outcome);
    }
    if (before.finished) before.finished(outcome);
  };
  watcher.path = [this, before](const study::AnalysisOutcome& outcome, const analysis::PathOptions& options,
                                const analysis::PathProgress& progress) {
    if (progress.increment != nullptr) {
      const std::lock_guard<std::mutex> lock(mutex_);
      if (!so_far_.model) so_far_.model = outcome.model;
      if (so_far_.outcomes.empty() || so_far_.outcomes.back().spec.name != outcome.spec.name) {
        so_far_.outcomes.push_back(outcome);
        auto path = std::make_shared<analysis::PathResult>();
        path->ending = analysis::Ending::stopped_by_caller;
        path->message = "stopped on request";
        so_far_.outcomes.back().path = path;
      }
      auto path = std::const_pointer_cast<analysis::PathResult>(so_far_.outcomes.back().path);
      path->increments.push_back(*progress.increment);
      path->increments.back().kept.reset();  // the numbers of every increment; shapes would double the memory
      if (path->peak < 0 || progress.increment->load_factor > path->peak_load_factor)
        path->peak = static_cast<int>(path->increments.size()) - 1,
        path->peak_load_factor = progress.increment->load_factor;
    }
    return before.path ? before.path(outcome, options, progress) : analysis::Next::go_on;
  };
  return watcher;
}

void Session::write_files(const study::StudyResult& result) {
  if (result.stopped && folder_->has_older()) folder_->keep_older_beside();
  io::write_data(*folder_, result);
  if (options_.figures) {
    for (const auto& figure : report::figures(result, options_.modes_drawn))
      folder_->write("figures/" + figure.name, figure.content);
    if (const auto page = report::moving_modes_page(result); !page.empty()) folder_->write("modes.html", page);
  }
  folder_->finish();
}

std::string Session::write(const study::StudyResult& result) {
  {
    const std::lock_guard<std::mutex> lock(mutex_);
    ending_ = true;
  }
  watchdog_->wake.notify_all();
  const bool older = folder_->has_older();
  if (result.stopped && result.outcomes.empty())
    return older ? fmt::format("nothing was computed: the older results in {} stay as they are", folder_->path())
                 : "nothing was computed, nothing was written";
  try {
    write_files(result);
  } catch (const base::InputError& error) {
    throw WriteFailure{error};
  }
  for (const auto& note : folder_->notes()) console_.err << note << "\n";
  return result.stopped && older ? fmt::format("results in {0}/stopped; the older ones in {0} stay", folder_->path())
                                 : fmt::format("results in {}", folder_->path());
}

}  // namespace archway::app
