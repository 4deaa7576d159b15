#include <array>
#include <openssl/evp.h>

#include <fmt/format.h>

#include "archway/io/results_folder.hpp"

namespace archway::io {

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

}  // namespace archway::io
