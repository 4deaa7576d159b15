#include <map>

#include "study_file/toml_reader_detail.hpp"

namespace archway::io::detail {

std::string path_of_table(const std::string& what) {
  static const std::map<std::string, std::string> paths = {
      {"the study", ""},
      {"[study]", "study"},
      {"'units'", "study.units"},
      {"material", "materials"},
      {"'yielding'", "materials.yielding"},
      {"profile", "profiles"},
      {"ply", "plies"},
      {"laminate", "laminates"},
      {"this ply", "laminates.layup"},
      {"this member", "members"},
      {"this bar", "bars"},
      {"this panel", "panels"},
      {"this refinement", "solids.grading"},  // of panels: the same keys
      {"this solid", "solids"},
      {"this mesh", "meshes"},
      {"'parts'", "combinations"},  // names of parts of a mesh: keys of its own
      {"this part", "meshes.parts"},
      {"combination", "combinations"},
      {"these copies", "copies"},
      {"'rotate'", "copies.rotate"},
      {"'mirror'", "plane"},
      {"this selection", "selection"},
      {"this coupling", "couplings"},
      {"this spring", "springs"},
      {"this curve", "springs.curves"},  // of fasteners: the same keys
      {"this fastener", "fasteners"},
      {"this bond", "bonds"},
      {"this support", "supports"},
      {"these axes", "axes"},
      {"this foundation", "foundations"},
      {"this obstacle", "obstacles"},
      {"this plane", "plane"},
      {"this cylinder", "selection.cylinder"},
      {"this sphere", "obstacles.sphere"},
      {"this contact", "contacts"},
      {"these residual stresses", "residual_stresses"},
      {"this action", "actions"},
      {"this load", "actions.loads"},
      {"this watch point", "watches"},
      {"this chart", "charts"},
      {"these pictures", "pictures"},
      {"this cut", "pictures.clip"},
      {"this imperfection", "imperfections"},
      {"this amplitude", "imperfections.amplitude"},
      {"this analysis", "analyses"},
      {"this requirement", "analyses.required"},
      {"these branches", "analyses.branches"},
      {"'stop'", "analyses.stop"},  // of stages: the same keys
      {"this stage", "analyses.stages"},
      {"this output", "analyses.output_values"},
      {"this", "analyses.post_buckling"},
      {"this limit", "analyses.strain_limits"},
      {"this design", "designs"},
      {"this sweep", "sweeps"},
      {"this hand check", "hand_checks"},
  };
  const auto found = paths.find(what.substr(0, what.find(" '")));
  return found == paths.end() ? "?" : found->second;
}

}  // namespace archway::io::detail
