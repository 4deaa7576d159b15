#pragma once
#include <string>

#include "cli.hpp"

namespace archway::app {

struct KeysOptions {
  std::string word;
  bool markdown = false;
};

/// Prints the keys of the study format that have to do with a word; all of them for none.
int command_keys(const KeysOptions& options, Console& console);

/// Prints the JSON Schema of study files.
int command_schema(Console& console);

}  // namespace archway::app
