#include "write_file.hpp"

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>

#include <fmt/format.h>

namespace archway::app {

void refuse_foreign(const std::string& path, bool force) {
  std::error_code none;
  if (force || !std::filesystem::exists(std::filesystem::symlink_status(path, none))) return;
  std::string head(1024, '\0');
  std::ifstream file(path, std::ios::binary);
  file.read(head.data(), static_cast<std::streamsize>(head.size()));
  if (head.find("made by archway") == std::string::npos)
    throw WriteFailure{{path, "a file that this program did not make is there already",
                        "choose another name, or add --force to replace it"}};
}

void write_file(const std::string& path, const std::string& content, const std::string& what, bool force) {
  refuse_foreign(path, force);
  errno = 0;
  std::ofstream file(path, std::ios::binary);
  file << content;
  file.close();
  if (!file)
    throw WriteFailure{{path,
                        fmt::format("the {} cannot be written: {}", what,
                                    errno != 0 ? std::strerror(errno) : "it could not be written whole"),
                        "check that the folder exists, may be written and has room"}};
}

}  // namespace archway::app
