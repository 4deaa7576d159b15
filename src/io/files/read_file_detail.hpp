#pragma once
#include <string>

namespace archway::io::detail {

/// A file as it is, up to a size. \param what  "study file". \throws base::InputError when it cannot be opened or read,
/// or is larger
std::string read_file(const std::string& path, const std::string& what, std::size_t most, const std::string& remedy);

}  // namespace archway::io::detail
