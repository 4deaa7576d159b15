#pragma once
#include <string>

namespace archway::io {

/// The study format as a JSON Schema (draft 07, which editors read), for editors that complete and check TOML by a
/// schema. It is made from study::study_format(). What no schema can say (names that must exist, sizes that must fit
/// each other) is left to the reader of studies: whatever the schema refuses, the reader refuses too.
std::string study_schema();

}  // namespace archway::io
