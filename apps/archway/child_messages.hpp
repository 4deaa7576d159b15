#pragma once
#include <array>
#include <fcntl.h>
#include <string>
#include <unistd.h>

#include <climits>

namespace archway::app {

/// What went wrong in other processes, in words; reported by the one that waits for them.
class ChildMessages {
 public:
  ChildMessages() {
    if (::pipe2(ends_, O_NONBLOCK | O_CLOEXEC) != 0) ends_[0] = ends_[1] = -1;
  }
  ~ChildMessages() {
    for (const int end : ends_)
      if (end >= 0) ::close(end);
  }
  ChildMessages(const ChildMessages&) = delete;
  ChildMessages& operator=(const ChildMessages&) = delete;
  /// Whole or not at all: as much as a pipe takes at once.
  void write(const std::string& text) const {
    const std::string line = text.substr(0, PIPE_BUF - 1) + "\n";
    if (ends_[1] >= 0 && ::write(ends_[1], line.data(), line.size()) < 0) return;  // the exit code says it as well
  }
  std::string read() const {
    std::string text;
    std::array<char, 4096> part{};
    for (ssize_t n; ends_[0] >= 0 && (n = ::read(ends_[0], part.data(), part.size())) > 0;)
      text.append(part.data(), static_cast<std::size_t>(n));
    return text;
  }

 private:
  int ends_[2];
};

}  // namespace archway::app
