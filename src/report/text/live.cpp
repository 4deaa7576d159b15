#include "archway/report/live.hpp"

#include <memory>
#include <ostream>

#include <fmt/format.h>

#include "text/text_detail.hpp"

namespace archway::report {

namespace {
std::string bar_of(double share, const TextStyle& style) {
  static const char* const blocks[] = {" ", "▏", "▎", "▍", "▌", "▋", "▊", "▉"};
  const int width = 24;
  const double filled = std::clamp(share, 0.0, 1.0) * width;
  const int whole = static_cast<int>(filled);
  std::string bar;
  for (int i = 0; i < width; ++i) {
    if (i < whole)
      bar += style.unicode ? "█" : "#";
    else if (i == whole && style.unicode)
      bar += blocks[static_cast<int>((filled - whole) * 8)];
    else
      bar += " ";
  }
  return "[" + bar + "]";
}

/// So much of a line as a terminal shows without a second one, which could not be wiped; the bar goes first.
std::string cut_to(const std::string& line, int width) {
  const auto room = static_cast<std::size_t>(std::max(width, 1));
  std::string text = line;
  if (const auto end = text.find("] "); detail::columns_of(text) > room && end != std::string::npos)
    text = "  " + text.substr(end + 2);
  std::size_t columns = 0, at = 0;
  while (at < text.size() && columns < room) {
    ++at, ++columns;
    while (at < text.size() && (static_cast<unsigned char>(text[at]) & 0xC0) == 0x80) ++at;
  }
  return text.substr(0, at);
}

class Live {
 public:
  Live(study::StudySpec spec, LiveOptions options) : spec_(std::move(spec)), options_(std::move(options)) {}

  void say(const std::string& text) {
    wipe();
    if (options_.out != nullptr) *options_.out << text << std::flush;
  }
  void checked(const study::CheckReport& report) { say(check_text(spec_, report, options_.style)); }
  void started(const study::AnalysisOutcome& outcome) {
    say(start_text(spec_, outcome, options_.style));
    using Gives = study::AnalysisKind::Gives;
    if (outcome.spec.kind->gives() == Gives::states) say(path_head(spec_, options_.style, outcome.spec.kind->yields()));
    has_last_ = false;
    if (outcome.spec.kind->gives() == Gives::load) draw("  solving");
  }
  void finished(const study::AnalysisOutcome& outcome) {
    say(outcome_text(spec_, *outcome.geometry, outcome, options_.style));
  }

  analysis::Next buckling(const analysis::BucklingProgress& p) {
    draw(fmt::format("  {} {} of {} modes", bar_of(static_cast<double>(p.converged) / p.wanted, options_.style),
                     std::min(p.converged, p.wanted), p.wanted));
    return answer();
  }

  analysis::Next path(const analysis::PathOptions& path, const analysis::PathProgress& p) {
    if (p.increment != nullptr) {
      if (has_last_ && p.increment->number <= last_.number)
        say("  the path could not be continued: a second attempt with steps an eighth as long\n");
      say(path_line(*p.increment, has_last_ ? &last_ : nullptr, options_.style));
      last_ = *p.increment;
      last_.kept.reset();
      has_last_ = true;
    } else if (p.cutting_back) {
      draw(fmt::format("  {} cutting back to step {:.3g}", bar_of(share(path), options_.style), p.step));
    } else {
      draw(fmt::format("  {} increment {}, iteration {}, load factor {:.5g}, residual {:.1e}",
                       bar_of(share(path), options_.style), p.attempt_number, p.iteration, p.load_factor, p.residual));
    }
    return answer();
  }

 private:
  /// How far along the nearest stop rule is.
  double share(const analysis::PathOptions& path) const {
    if (!has_last_) return 0;
    double most = static_cast<double>(last_.number) / path.stop.increments;
    if (path.stop.load_factor.value_or(0) != 0.0) most = std::max(most, last_.load_factor / *path.stop.load_factor);
    if (path.stop.watch >= 0 && path.stop.displacement != 0.0)
      most =
          std::max(most, std::abs(last_.watched[static_cast<std::size_t>(path.stop.watch)] / path.stop.displacement));
    return most;
  }
  analysis::Next answer() const {
    return options_.wants_stop && options_.wants_stop() ? analysis::Next::stop_keep_result : analysis::Next::go_on;
  }
  void draw(const std::string& line) {
    if (options_.bar == nullptr) return;
    *options_.bar << "\r\033[K" << cut_to(line, options_.style.width - 1) << std::flush;
    drawn_ = true;
  }
  void wipe() {
    if (drawn_ && options_.bar != nullptr) *options_.bar << "\r\033[K" << std::flush;
    drawn_ = false;
  }

  study::StudySpec spec_;
  LiveOptions options_;
  analysis::Increment last_;
  bool has_last_ = false, drawn_ = false;
};
}  // namespace

study::ChainWatcher live_watcher(const study::StudySpec& spec, const LiveOptions& options) {
  const auto live = std::make_shared<Live>(spec, options);
  study::ChainWatcher watcher;
  watcher.checked = [live](const study::CheckReport& report) { live->checked(report); };
  watcher.started = [live](const study::AnalysisSpec&, const study::AnalysisOutcome& outcome) {
    live->started(outcome);
  };
  watcher.finished = [live](const study::AnalysisOutcome& outcome) { live->finished(outcome); };
  watcher.buckling = [live](const analysis::BucklingProgress& p) { return live->buckling(p); };
  watcher.path = [live](const study::AnalysisOutcome&, const analysis::PathOptions& o,
                        const analysis::PathProgress& p) { return live->path(o, p); };
  watcher.wants_stop = options.wants_stop;
  return watcher;
}

}  // namespace archway::report
