#pragma once
#include <catch2/catch.hpp>

#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"

namespace archway::test {

/// The path of a model under its action "push" to its whole size, to a residual of 1e-8. It must be usable.
inline analysis::PathResult followed(const model::Model& model) {
  const analysis::System system(model);
  analysis::PathOptions options;
  options.variable = model.load_named("push");
  options.newton.residual_tolerance = 1e-8;
  options.stop.load_factor = 1;
  auto path = analysis::follow_path(system, options);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  return path;
}

}  // namespace archway::test
