// The lid of a grain hopper: a shallow curved sheet in compression until it snaps through. Newton, millimetre.
#include <iostream>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"

using archway::base::Vec3;
namespace model = archway::model;
namespace analysis = archway::analysis;
namespace imperfection = archway::imperfection;

namespace {
model::Model hopper_lid() {
  model::Model m;
  m.materials.push_back({"sheet steel", 210000, 0.3, 7.85e-9, 0});
  model::Part lid;
  lid.name = "lid";
  lid.kind = model::PartKind::panel;
  lid.material = 0;
  lid.thickness = 1.5;
  // rotated about an axis far below, so that it rises a little in the middle
  model::add_cylinder_strip(m, lid, Vec3(0, 0, -2000), Vec3(0, 600, -2000), Vec3(-300, 0, -22.6), 0.3, 16, 16);
  for (const char* edge : {"lid.start", "lid.end"})
    for (const int node : m.groups[edge])
      for (const int dof : {0, 1, 2}) m.supports.push_back({node, dof, edge});
  model::Action push;
  push.name = "push";
  model::Selection middle;
  middle.near = Vec3(0, 300, 0);
  push.node_forces.push_back({model::select(m, middle)[0], Vec3(0, 0, -1), Vec3::Zero()});
  m.actions = {push};
  return m;
}
}  // namespace

int main() {
  const model::Model perfect = hopper_lid();
  analysis::BucklingOptions linear;
  linear.variable = perfect.load_named("push");
  linear.mode_count = 2;
  const auto modes = analysis::linear_buckling(analysis::System(perfect), linear);
  if (!modes.usable() || modes.modes.empty()) {
    std::cerr << modes.message << "\n";
    return 1;
  }
  const auto dent =
      imperfection::from_shapes(perfect, {{&modes.modes[0].shape, 1.0}}, 0.5 * perfect.parts[0].thickness);

  analysis::PathOptions options;
  options.variable = linear.variable;
  options.steps.first = 0.1 * modes.modes[0].load_factor;
  options.stop.drop = 0.8;
  options.stop.increments = 60;
  const auto path = analysis::follow_path(analysis::System(imperfection::apply(perfect, dent)), options);
  for (const auto& i : path.increments)
    std::cout << i.load_factor << " N, displacement " << i.largest_displacement << " mm " << analysis::to_text(i.event)
              << "\n";
  if (!path.usable() || !path.peak_is_limit_point) {
    std::cerr << "no peak: " << path.message << path.stop_reason << "\n";
    return 1;
  }
  std::cout << "peak " << path.peak_load_factor << " N, "
            << static_cast<int>(100 * path.peak_load_factor / modes.modes[0].load_factor)
            << " % of the linear critical load " << modes.modes[0].load_factor << " N\n";
  return 0;
}
