#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <vector>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "files/read_file_detail.hpp"

namespace archway::io::detail {

std::string read_file(const std::string& path, const std::string& what, std::size_t most, const std::string& remedy) {
  errno = 0;
  std::ifstream stream(path, std::ios::binary);
  std::error_code none;
  if (!stream || std::filesystem::is_directory(path, none))
    throw base::InputError(path,
                           fmt::format("the {} cannot be opened: {}", what,
                                       stream       ? "it is a folder"
                                       : errno != 0 ? std::strerror(errno)
                                                    : "no such file"),
                           remedy);
  std::string text;
  std::vector<char> piece(1 << 20);
  while (stream.read(piece.data(), static_cast<std::streamsize>(piece.size())) || stream.gcount() > 0) {
    text.append(piece.data(), static_cast<std::size_t>(stream.gcount()));
    if (text.size() > most)
      throw base::InputError(path, fmt::format("the {} is larger than {} MB", what, most >> 20), "split it");
  }
  return text;
}

}  // namespace archway::io::detail
