#pragma once
#include <iosfwd>

#include "archway/report/text.hpp"

namespace archway::report {

/// Where the running text goes.
struct LiveOptions {
  std::ostream* out = nullptr;  ///< text and increments; nullptr: none
  std::ostream* bar = nullptr;  ///< a line that is written over while work goes on; nullptr: no bar (not a terminal)
  TextStyle style;
  std::function<bool()> wants_stop;  ///< asked at every step
};

/// A watcher that writes the study as it runs. Copies what it needs from the options; the streams must outlive it.
study::ChainWatcher live_watcher(const study::StudySpec& spec, const LiveOptions& options);

}  // namespace archway::report
