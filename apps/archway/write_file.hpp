#pragma once
#include <string>

#include "archway/base/errors.hpp"

namespace archway::app {

/// A trouble with writing, reported apart from a bad study: exit code 5.
struct WriteFailure {
  base::InputError error;
};

/// Stops when a file is there that this program did not make (its first lines say who made it), unless `force`.
/// \throws WriteFailure
void refuse_foreign(const std::string& path, bool force);

/// Writes a file whole. \throws WriteFailure when it cannot be written; \param what  for the message: "picture"
void write_file(const std::string& path, const std::string& content, const std::string& what, bool force = true);

}  // namespace archway::app
