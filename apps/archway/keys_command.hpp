#pragma once
#include "cli.hpp"

namespace archway::app {

/// archway keys: the reference of the study file, searched for a word; all of it without one.
int command_keys(const std::string& word, Console& console);

/// docs/keys.md, compiled in.
const char* keys_reference();

}  // namespace archway::app
