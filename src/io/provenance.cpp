#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <openssl/evp.h>
#include <unistd.h>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/io/results_folder.hpp"

namespace archway::io {

namespace fs = std::filesystem;

std::string program_version() {
  return ARCHWAY_VERSION;
}

std::string sha256(const std::string& text) {
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned int size = 0;
  EVP_Digest(text.data(), text.size(), digest.data(), &size, EVP_sha256(), nullptr);
  std::string hex;
  for (unsigned int i = 0; i < size; ++i) hex += fmt::format("{:02x}", digest[i]);
  return hex;
}

namespace {
const char* const kMark = "results.json";  // a folder with this file is one of ours and may be replaced

[[noreturn]] void cannot_write(const std::string& path, const std::string& why) {
  throw base::InputError(path, fmt::format("the results cannot be written: {}", why),
                         "check that the place exists, may be written and has room; nothing was left behind");
}
}  // namespace

ResultsFolder::ResultsFolder(const std::string& path) : path_(path) {
  while (path_.size() > 1 && path_.back() == '/') path_.pop_back();
  building_ = fmt::format("{}.unfinished-{}", path_, ::getpid());
  std::error_code error;
  if (fs::exists(path_, error) && !fs::exists(fs::path(path_) / kMark, error) &&
      !(fs::is_directory(path_, error) && fs::is_empty(path_, error)))
    cannot_write(path_, "something that is not a results folder is there already; choose another name with --out");
  fs::create_directories(building_, error);
  if (error) cannot_write(path_, error.message());
}

ResultsFolder::~ResultsFolder() {
  std::error_code ignored;
  if (!finished_) fs::remove_all(building_, ignored);
}

std::string ResultsFolder::file(const std::string& name) const {
  const fs::path whole = fs::path(building_) / name;
  std::error_code error;
  fs::create_directories(whole.parent_path(), error);
  if (error) cannot_write(path_, error.message());
  return whole.string();
}

void ResultsFolder::write(const std::string& name, const std::string& content) const {
  errno = 0;
  std::ofstream stream(file(name), std::ios::binary);
  stream.write(content.data(), static_cast<std::streamsize>(content.size()));
  stream.close();
  if (!stream)
    cannot_write(path_ + "/" + name, errno != 0 ? std::strerror(errno) : "the file could not be written whole");
}

void ResultsFolder::finish() {
  std::error_code error;
  fs::remove_all(path_, error);
  fs::rename(building_, path_, error);
  if (error) cannot_write(path_, error.message());
  finished_ = true;
}

}  // namespace archway::io
