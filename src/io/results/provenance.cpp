#include <array>
#include <openssl/evp.h>

#include <Eigen/Core>
#include <fmt/format.h>

#include "archway/elements/kernels.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/study/format.hpp"

namespace archway::io {

std::string program_version() {
  return ARCHWAY_VERSION;
}

std::string version_text() {
  return fmt::format(
      "archway {}\n  study format {}\n  compiled by {} {}, C++ {}\n  Eigen {}.{}.{}, MUMPS, OpenBLAS\n  element "
      "kernels for {}",
      program_version(), study::kStudyFormat,
#ifdef __clang__
      "clang", __clang_version__,
#else
      "gcc", __VERSION__,
#endif
      __cplusplus / 100 % 100, EIGEN_WORLD_VERSION, EIGEN_MAJOR_VERSION, EIGEN_MINOR_VERSION,
      elements::machine_kernels());
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
