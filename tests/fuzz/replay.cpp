// Runs every file of the corpus through the readers; without libFuzzer, in any build.
#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

int main(int argc, char** argv) {
  int files = 0;
  for (int k = 1; k < argc; ++k)
    for (const auto& entry : std::filesystem::directory_iterator(argv[k])) {
      std::ifstream file(entry.path(), std::ios::binary);
      const std::string text{std::istreambuf_iterator<char>(file), {}};
      std::fprintf(stderr, "%s\n", entry.path().filename().c_str());  // the last one is the one that failed
      (void)LLVMFuzzerTestOneInput(reinterpret_cast<const std::uint8_t*>(text.data()), text.size());
      ++files;
    }
  std::printf("%d inputs\n", files);
  return files > 0 ? 0 : 1;
}
