#pragma once
#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

namespace tour {
namespace fs = std::filesystem;

inline bool contains(const std::string& text, const std::string& piece) {
  return text.find(piece) != std::string::npos;
}

/// A folder of its own for every test, gone afterwards.
class Desk {
 public:
  Desk()
      : path_(fs::temp_directory_path() /
              ("archway-tour-" + std::to_string(::getpid()) + "-" + std::to_string(count_++))) {
    fs::create_directories(path_);
  }
  Desk(const Desk&) = delete;
  Desk& operator=(const Desk&) = delete;
  ~Desk() { fs::remove_all(path_); }

  void write(const std::string& name, const std::string& text) const { std::ofstream(path_ / name) << text; }
  std::string read(const std::string& name) const {
    std::ostringstream text;
    text << std::ifstream(path_ / name).rdbuf();
    return text.str();
  }
  bool has(const std::string& name) const { return fs::exists(path_ / name); }
  std::vector<std::string> files() const {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(path_)) names.push_back(entry.path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
  }
  const fs::path& path() const { return path_; }

  struct Outcome {
    int code = -1;
    std::string out, err;
  };
  /// Runs a shell line in this folder; "archway" is the tool.
  Outcome run(const std::string& line) const {
    const std::string whole =
        "cd '" + path_.string() + "' && archway() { '" ARCHWAY_TOOL "' \"$@\"; } && { " + line + "; } > .out 2> .err";
    const int status = std::system(("bash -c '" + quoted(whole) + "'").c_str());
    Outcome o{WIFEXITED(status) ? WEXITSTATUS(status) : -1, read(".out"), read(".err")};
    fs::remove(path_ / ".out");
    fs::remove(path_ / ".err");
    return o;
  }

 private:
  static std::string quoted(const std::string& text) {
    std::string safe;
    for (const char c : text) safe += c == '\'' ? "'\\''" : std::string(1, c);
    return safe;
  }
  fs::path path_;
  static inline int count_ = 0;
};

}  // namespace tour
