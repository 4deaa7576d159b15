#include <clocale>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <iostream>
#include <sys/ioctl.h>
#include <unistd.h>

#include "archway/base/memory.hpp"
#include "cli.hpp"

namespace {
std::atomic<bool> stop_wanted{false};

void on_interrupt(int) {
  if (stop_wanted.exchange(true)) _exit(archway::app::stopped);  // asked twice: leave at once
  static const char words[] = "\nstopping: what has been computed will be written\n";
  [[maybe_unused]] const auto written = ::write(STDERR_FILENO, words, sizeof words - 1);
}

/// Results are at stake from here on.
void listen() {
  std::signal(SIGINT, on_interrupt);
  std::signal(SIGTERM, on_interrupt);
}

bool speaks_utf8() {
  for (const char* name : {"LC_ALL", "LC_CTYPE", "LANG"})
    if (const char* value = std::getenv(name); value != nullptr && *value != '\0')
      return std::strstr(value, "UTF-8") != nullptr || std::strstr(value, "utf8") != nullptr;
  return false;
}

/// Of the terminal; where there is none what COLUMNS says ([POSIX.1-2017], environment variables).
int terminal_width() {
  winsize size{};
  if (const char* columns = std::getenv("COLUMNS"); columns != nullptr && isatty(STDOUT_FILENO) == 0)
    if (const int width = std::atoi(columns); width >= 40 && width <= 1000) return width;
  return ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 20 ? size.ws_col : 100;
}
}  // namespace

int main(int argc, char** argv) {
  std::signal(SIGPIPE, SIG_IGN);  // a reader that goes away must not cost the results
  archway::base::keep_memory();
  const bool emphasis = std::getenv("NO_COLOR") == nullptr;
  archway::app::Console console{std::cout,
                                std::cerr,
                                emphasis && isatty(STDOUT_FILENO) != 0,
                                isatty(STDERR_FILENO) != 0 && isatty(STDOUT_FILENO) != 0,
                                terminal_width(),
                                speaks_utf8(),
                                &stop_wanted,
                                &listen};
  return archway::app::run({argv + 1, argv + argc}, console);
}
