#include "write_file.hpp"

#include <fstream>

#include <fmt/format.h>

namespace archway::app {

void write_file(const std::string& path, const std::string& content, const std::string& what) {
  std::ofstream file(path, std::ios::binary);
  file << content;
  file.close();
  if (!file)
    throw WriteFailure{
        {path, fmt::format("the {} cannot be written", what), "check that the folder exists and may be written"}};
}

}  // namespace archway::app
