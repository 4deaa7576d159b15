#pragma once
#include <map>

#include "archway/study/chain.hpp"
#include "cli.hpp"

namespace archway::app {

struct ShapeOptions {
  std::string study, name;        ///< name: of an imperfection; empty: list them
  std::string picture, csv, vtu;  ///< files to write; empty: none
};

/// archway shape: one imperfection as it will be seeded, after the analyses it is made from, or a list of all.
int command_shape(const ShapeOptions& options, const std::map<std::string, double>& overrides, bool force,
                  Console& console);

/// Imperfections that need no analysis, on the perfect structure: what `check` reports and draws.
/// \param folder  for pictures; empty: none
void tell_formula_shapes(const study::StudySpec& spec, const model::Model& model, const std::string& folder, bool force,
                         bool quiet, Console& console);

}  // namespace archway::app
