// A bus shelter's frame: two posts and a beam, own weight held, a roof load growing. Newton, metre, kilogram.
#include <iostream>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/selection.hpp"
#include "archway/study/build_model.hpp"

using archway::base::Vec3;
namespace model = archway::model;
namespace analysis = archway::analysis;

namespace {
model::Part post(const std::string& name) {
  model::Part part;
  part.name = name;
  part.kind = model::PartKind::member;
  part.material = part.profile = 0;
  part.up = Vec3::UnitX();  // height of the section in the plane of the frame
  return part;
}

model::Model bus_shelter() {
  model::Model m;
  m.materials.push_back({"steel", 2.1e11, 0.3, 7850, 0});
  m.profiles.push_back(archway::study::to_profile(
      "tube", archway::theory::section_properties("rectangular-hollow",
                                                  {{"width", 0.05}, {"height", 0.08}, {"thickness", 0.003}})));
  model::add_member(m, post("left post"), {Vec3(0, 0, 0), Vec3(0, 0, 2.5), {}}, 4);
  model::add_member(m, post("right post"), {Vec3(3.6, 0, 0), Vec3(3.6, 0, 2.5), {}}, 4);
  auto beam = post("beam");
  beam.up = Vec3::UnitZ();
  model::add_member(m, beam, {Vec3(0, 0, 2.5), Vec3(3.6, 0, 2.5), {}}, 6);
  model::merge_coincident_nodes(m, 1e-6);
  for (const char* foot : {"left post.start", "right post.start"})
    for (int dof = 0; dof < 6; ++dof) m.supports.push_back({m.groups[foot][0], dof, foot});

  model::Action weight, roof;
  weight.name = "weight";
  weight.accelerations.push_back(Vec3(0, 0, -9.80665));
  roof.name = "roof";
  for (const int e : model::line_elements_of(m, "beam")) roof.member_loads.push_back({e, Vec3(0, 0, -2000), false});
  m.actions = {weight, roof};
  return m;
}
}  // namespace

int main() {
  const model::Model m = bus_shelter();
  const analysis::System system(m);
  const auto statics = analysis::linear_static(system, m.load_named("roof"));
  std::cout << "reactions to the roof load: " << statics.reacted.force.z() << " N\n";

  analysis::BucklingOptions options;
  options.constant = m.load_named("weight");
  options.variable = m.load_named("roof");
  options.mode_count = 3;
  const auto result = analysis::linear_buckling(system, options);
  if (!result.usable()) {
    std::cerr << result.message << "\n";
    return 1;
  }
  std::cout << "first critical load factor: " << result.modes[0].load_factor
            << (result.complete() ? " (proved to be the first)\n" : "\n");
  return 0;
}
