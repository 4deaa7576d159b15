#pragma once
#include <string>
#include <vector>

#include "cli.hpp"

namespace archway::app {

struct MigrateOptions {
  std::vector<std::string> files;
  bool print = false;
};

/// Converts study files of an older format in place. The old text stays beside each as NAME.old. All files are read
/// and converted before the first is written.
int command_migrate(const MigrateOptions& options, Console& console);

}  // namespace archway::app
