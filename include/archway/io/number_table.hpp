#pragma once
#include <string>

#include "archway/study/keys.hpp"

namespace archway::io {

/// A CSV file: a line of headings, then numbers; commas or semicolons; blank cells are gaps; lines that begin with #
/// are notes. Of a .vtu file its points and their first field of three components. \throws base::InputError with the
/// line that is wrong
study::NumberTable read_number_table(const std::string& path);
/// \param file  for messages only
study::NumberTable parse_number_table(const std::string& content, const std::string& file);

}  // namespace archway::io
