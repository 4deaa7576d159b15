#pragma once
#include "cli.hpp"

namespace archway::app {

struct MeshOptions {
  std::string file, out;
  double merge = 0;
};

/// archway mesh: looks at a mesh made elsewhere, or at that of a study, and writes it in another format.
int command_mesh(const MeshOptions& options, bool force, Console& console);

}  // namespace archway::app
