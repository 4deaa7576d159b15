#include "archway/io/results_folder.hpp"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::io {

namespace fs = std::filesystem;

namespace {
// names of our own inside a results folder
constexpr const char* kList = ".archway-files";  // what the results are made of, with a checksum of each
constexpr const char* kLock = ".archway-lock";   // held while a run writes
constexpr const char* kNew = ".archway-new";     // being written
constexpr const char* kOld = ".archway-old";     // being replaced
constexpr const char* kListHead = "archway results 1";
/// Names at the top of a results folder that every run writes or may write.
constexpr std::array<const char*, 4> kTopFiles = {"study.toml", "comparison.csv", "results.json", "modes.html"};
constexpr std::array<const char*, 3> kTopFolders = {"tables", "vtu", "figures"};

[[noreturn]] void cannot_write(const std::string& path, const std::string& why, const std::string& remedy) {
  throw base::InputError(path, fmt::format("the results cannot be written: {}", why), remedy);
}
constexpr const char* kUsual = "check that the place exists, may be written and has room; nothing was changed there";

std::string contents(const fs::path& path) {
  std::ifstream stream(path, std::ios::binary);
  std::ostringstream text;
  text << stream.rdbuf();
  return text.str();
}

/// "checksum  name" a line.
std::map<std::string, std::string> read_list(const fs::path& file) {
  std::map<std::string, std::string> list;
  std::ifstream stream(file);
  std::string line;
  if (!std::getline(stream, line) || line != kListHead) return list;
  while (std::getline(stream, line)) {
    const auto gap = line.find("  ");
    const std::string name = gap == std::string::npos ? "" : line.substr(gap + 2);
    // a list that was tampered with must not reach out of the folder
    const fs::path path(name);
    const bool inside = !name.empty() && path.is_relative() &&
                        std::none_of(path.begin(), path.end(), [](const fs::path& p) { return p == ".."; });
    if (inside) list[name] = line.substr(0, gap);
  }
  return list;
}

bool is_file(const fs::path& path) {
  std::error_code none;
  return fs::is_regular_file(fs::symlink_status(path, none));
}
bool is_there(const fs::path& path) {
  std::error_code none;
  return fs::exists(fs::symlink_status(path, none));
}

/// Makes a rename last beyond a loss of power.
void settle(const fs::path& folder) {
  if (const int fd = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY); fd >= 0) {
    (void)::fsync(fd);
    ::close(fd);
  }
}

void move_file(const fs::path& from, const fs::path& to) {
  std::error_code error;
  fs::create_directories(to.parent_path(), error);
  if (!error) fs::rename(from, to, error);
  if (error) cannot_write(to.string(), error.message(), kUsual);
}

std::string free_name(const fs::path& folder, const std::string& stem) {
  for (int k = 1;; ++k)
    if (const std::string name = fmt::format("{}-{}", stem, k); !is_there(folder / name)) return name;
}
}  // namespace

ResultsFolder::ResultsFolder(const std::string& path) : path_(path) {
  if (path_.empty()) path_ = ".";
  while (path_.size() > 1 && path_.back() == '/') path_.pop_back();
  refuse_unfit();
  std::error_code error;
  made_folder_ = !fs::exists(path_, error);
  fs::create_directories(path_, error);
  if (error) cannot_write(path_, error.message(), kUsual);
  lock();
  recover();
  refuse_strangers();
  fs::create_directory(fs::path(path_) / kNew, error);
  if (error) cannot_write(path_, error.message(), kUsual);
}

/// Places that are never a results folder.
void ResultsFolder::refuse_unfit() const {
  std::error_code error;
  const fs::path whole = fs::weakly_canonical(path_, error);
  const char* home = std::getenv("HOME");
  if (whole == whole.root_path() || (home != nullptr && *home != '\0' && whole == fs::weakly_canonical(home, error)))
    cannot_write(path_, whole == whole.root_path() ? "this is the root of all files" : "this is a home folder",
                 "name a folder of its own with --out");
  if (is_there(path_) && !fs::is_directory(path_, error))
    cannot_write(path_,
                 fs::is_symlink(fs::symlink_status(path_, error)) ? "this is a link that leads to no folder"
                                                                  : "something that is no folder is there",
                 "choose another name with --out");
}

void ResultsFolder::lock() {
  const std::string file = (fs::path(path_) / kLock).string();
  for (;;) {
    lock_ = ::open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
    if (lock_ < 0) cannot_write(path_, std::strerror(errno), kUsual);
    if (::flock(lock_, LOCK_EX | LOCK_NB) != 0) {
      const int why = errno;
      ::close(lock_);
      lock_ = -1;
      cannot_write(path_, why == EWOULDBLOCK ? "another run is writing into this folder now" : std::strerror(why),
                   "wait for it, or choose another folder with --out");
    }
    // the owner before may have taken the file away while we opened it
    struct stat own {
    }, there{};
    if (::fstat(lock_, &own) == 0 && ::stat(file.c_str(), &there) == 0 && own.st_ino == there.st_ino) return;
    ::close(lock_);
  }
}

/// What a run that was killed left behind: results whose exchange had begun are put in place, unfinished ones go.
void ResultsFolder::recover() {
  const fs::path folder(path_), fresh = folder / kNew, old = folder / kOld;
  if (is_file(old / kList)) {  // the old ones were being moved aside: the new ones are whole
    notes_.push_back(
        fmt::format("an earlier run into {} was killed while it put its results in place: finished now", path_));
    exchange();
  } else if (is_there(fresh)) {
    std::error_code ignored;
    fs::remove_all(fresh, ignored);
    notes_.push_back(
        fmt::format("an earlier run into {} was killed before it ended: its unfinished files were removed", path_));
  }
  std::error_code ignored;
  fs::remove_all(old, ignored);
}

/// Files at our own places that no list of ours names.
void ResultsFolder::refuse_strangers() {
  const fs::path folder(path_);
  const auto ours = read_list(folder / kList);
  has_older_ = !ours.empty();
  const auto refuse = [&](const std::string& name) {
    release();
    cannot_write(path_, fmt::format("it holds '{}', which no run of this program wrote there", name),
                 "choose another folder with --out, or move that file; nothing was changed");
  };
  for (const char* name : kTopFiles)
    if (is_there(folder / name) && ours.count(name) == 0) refuse(name);
  std::error_code none;
  for (const char* name : kTopFolders)
    if (is_there(folder / name) && !fs::is_directory(fs::symlink_status(folder / name, none))) refuse(name);
}

ResultsFolder::~ResultsFolder() {
  std::error_code ignored;
  if (!finished_ && lock_ >= 0) fs::remove_all(fs::path(path_) / kNew, ignored);
  release();
}

void ResultsFolder::release() {
  if (lock_ < 0) return;
  std::error_code ignored;
  fs::remove(fs::path(path_) / kLock, ignored);
  ::close(lock_);
  lock_ = -1;
  if (made_folder_ && !finished_) fs::remove(path_, ignored);  // only when empty
}

std::string ResultsFolder::file(const std::string& name) const {
  const fs::path whole = fs::path(path_) / kNew / name;
  std::error_code error;
  fs::create_directories(whole.parent_path(), error);
  if (error) cannot_write(path_, error.message(), kUsual);
  return whole.string();
}

void ResultsFolder::write(const std::string& name, const std::string& content) {
  errno = 0;
  const std::string whole = file(prefix_ + name);
  if (is_there(whole))
    cannot_write(path_ + "/" + name, "two results want this name", "give the analyses names that differ more");
  std::ofstream stream(whole, std::ios::binary);
  stream.write(content.data(), static_cast<std::streamsize>(content.size()));
  stream.close();
  if (!stream)
    cannot_write(path_ + "/" + name, errno != 0 ? std::strerror(errno) : "the file could not be written whole", kUsual);
  written_[prefix_ + name] = sha256(content);
}

void ResultsFolder::keep_older_beside() {
  prefix_ = "stopped/";
  for (const auto& [name, checksum] : read_list(fs::path(path_) / kList))
    if (name.rfind(prefix_, 0) != 0) kept_[name] = checksum;
}

void ResultsFolder::finish() {
  const fs::path folder(path_), fresh = folder / kNew;
  const auto ours = read_list(folder / kList);
  for (const auto& [name, checksum] : written_)
    if (is_there(folder / name) && ours.count(name) == 0) {  // came while we were at work
      const std::string place = free_name(folder, "results");
      std::error_code error;
      fs::rename(fresh, folder / place, error);
      finished_ = true;
      cannot_write(path_, fmt::format("'{}' has come up there meanwhile, which is not ours", name),
                   fmt::format("all new results are in {}/{}", path_, place));
    }
  std::string list = std::string(kListHead) + "\n";
  for (const auto* files : {&written_, &kept_})
    for (const auto& [name, checksum] : *files) list += checksum + "  " + name + "\n";
  write_list(fresh / kList, list);
  settle(fresh);
  // from here on the new results are whole, and whoever comes next puts them in place
  std::error_code error;
  fs::create_directory(folder / kOld, error);
  std::string doomed = std::string(kListHead) + "\n";
  for (const auto& [name, checksum] : ours)
    if (kept_.count(name) == 0) doomed += checksum + "  " + name + "\n";
  if (!error) write_list(folder / kOld / kList, doomed);
  if (error) cannot_write(path_, error.message(), kUsual);
  settle(folder);
  exchange();
  fs::remove_all(folder / kOld, error);
  finished_ = true;
}

void ResultsFolder::write_list(const std::string& file, const std::string& text) const {
  const std::string draft = file + "~";
  std::ofstream stream(draft, std::ios::binary);
  stream << text;
  stream.close();
  std::error_code error;
  if (stream) fs::rename(draft, file, error);
  if (!stream || error) cannot_write(path_, errno != 0 ? std::strerror(errno) : "a file could not be written", kUsual);
}

/// Moves what the list in the old folder names aside, then the new files in; may be begun again at any point. The
/// results.json of the old ones goes first and that of the new ones comes last.
void ResultsFolder::exchange() {
  const fs::path folder(path_), fresh = folder / kNew, old = folder / kOld;
  const auto incoming = read_list(fresh / kList);
  std::set<fs::path> folders;
  auto outgoing = read_list(old / kList);
  std::vector<std::string> names;
  for (const auto& [name, checksum] : outgoing) names.push_back(name);
  std::stable_partition(names.begin(), names.end(), [](const std::string& n) { return n == "results.json"; });
  std::string changed;
  for (const auto& name : names) {
    const fs::path place = folder / name;
    // still there and not moved in from the new ones already
    if (!is_file(place) || (incoming.count(name) > 0 && !is_file(fresh / name))) continue;
    folders.insert(place.parent_path());
    if (sha256(contents(place)) != outgoing[name]) {  // somebody worked on it
      if (changed.empty()) changed = free_name(folder, "changed-by-hand");
      move_file(place, folder / changed / name);
    } else {
      move_file(place, old / name);
    }
  }
  if (!changed.empty())
    notes_.push_back(
        fmt::format("files of the older results that were changed since are kept in {}/{}", path_, changed));
  names.clear();
  for (const auto& [name, checksum] : incoming)
    if (is_file(fresh / name)) names.push_back(name);
  std::stable_partition(names.begin(), names.end(), [](const std::string& n) { return n != "results.json"; });
  for (const auto& name : names) move_file(fresh / name, folder / name);
  if (is_file(fresh / kList)) move_file(fresh / kList, folder / kList);
  settle(folder);
  std::error_code ignored;
  fs::remove_all(fresh, ignored);
  for (const auto& empty : folders)
    if (empty != folder) fs::remove(empty, ignored);  // only when nothing is left in it
}

}  // namespace archway::io
