// Every reader of text from outside, for libFuzzer and for the replay of its corpus: the first byte chooses the reader,
// the rest is what it reads. Anything but a result or an InputError is a fault.
#include <cstdint>
#include <cstdlib>
#include <string>

#include "archway/io/mesh_file.hpp"
#include "archway/io/study_file.hpp"

using namespace archway;

namespace {
void read_mesh_text(const std::string& text, char kind) {
  const auto mesh =
      kind == 'c' ? io::parse_mesh_csv(
                        text.substr(0, text.find('\f')),
                        text.find('\f') == std::string::npos ? std::string() : text.substr(text.find('\f') + 1), "x")
                  : io::parse_mesh(text,
                                   kind == 'v'   ? io::MeshFormat::vtu
                                   : kind == 'o' ? io::MeshFormat::obj
                                   : kind == 'p' ? io::MeshFormat::ply
                                                 : io::MeshFormat::stl,
                                   "x");
  mesh.each_element([&](const int* first, const int* last, int part) {
    if (part >= static_cast<int>(mesh.parts.size())) std::abort();
    for (; first != last; ++first)
      if (*first < 0 || *first >= mesh.node_count()) std::abort();
  });
}
}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  const std::string text(reinterpret_cast<const char*>(data) + 1, size - 1);
  try {
    switch (data[0]) {
      case 't':
        (void)io::parse_study(text, "x.toml", {});
        break;
      case 'a':
        (void)io::parse_selection({}, text);
        break;
      case 'v':
      case 'o':
      case 'p':
      case 's':
      case 'c':
        read_mesh_text(text, static_cast<char>(data[0]));
        break;
      default:
        return -1;  // no such reader: not worth keeping
    }
  } catch (const base::InputError& error) {
    if (error.complaints().empty()) std::abort();
  }
  return 0;
}
