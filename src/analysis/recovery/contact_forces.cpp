#include "archway/analysis/contact_forces.hpp"

#include <cmath>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"

namespace archway::analysis {

namespace {
std::vector<ContactForce> contacts_between(const System& system, const State& state, const elements::Memory* memory) {
  std::vector<ContactForce> list(system.model().contacts.size());
  for (std::size_t c = 0; c < list.size(); ++c) list[c].contact = static_cast<int>(c), list[c].gap = HUGE_VAL;
  if (list.empty() || memory == nullptr) return list;
  const auto& surfaces = system.geometry().surfaces();
  const auto trial = system.geometry().surface_trial(state, *memory);
  const auto resultants = surfaces.resultants(trial);
  for (std::size_t c = 0; c < list.size(); ++c)
    list[c].force = resultants[c].force, list[c].moment = resultants[c].moment;
  const auto touches = surfaces.touches(trial);
  for (std::size_t k = 0; k < touches.size(); ++k) {
    const auto& knot = surfaces.knot(static_cast<int>(k));
    auto& sum = list[base::at(knot.contact)];
    if (touches[k].weight > 0) sum.gap = std::min(sum.gap, touches[k].gap);
    sum.overlap = std::max(sum.overlap, touches[k].overlap);
    if (!(touches[k].force > 0)) continue;
    ++sum.touching;
    sum.pressed += touches[k].force;
    if (!knot.on_line) {
      sum.area += touches[k].weight;
      sum.pressure = std::max(sum.pressure, touches[k].force / touches[k].weight);
    }
    if (touches[k].force > sum.largest * (1 + 1e-9)) sum.largest = touches[k].force, sum.node = knot.node;
  }
  return list;
}
}  // namespace

std::vector<ContactForce> contact_forces(const System& system, const State& state, const elements::Memory* memory) {
  std::vector<ContactForce> list(system.model().obstacles.size());
  for (std::size_t o = 0; o < list.size(); ++o) list[o].obstacle = static_cast<int>(o), list[o].gap = HUGE_VAL;
  const auto& batch = system.geometry().touches();
  const auto trial = system.geometry().trial(state, memory, batch);
  for (int t = 0; t < batch.size(); ++t) {
    const auto& touch = batch.touch(t);
    const auto one = batch.contact(trial, t);
    auto& sum = list[base::at(touch.obstacle)];
    sum.gap = std::min(sum.gap, one.gap);
    if (!(one.normal_force > 0)) continue;
    ++sum.touching;
    sum.force += one.force;
    sum.moment += state.position[base::at(touch.node)].cross(one.force);
    sum.pressed += one.normal_force;
    if (one.normal_force > sum.largest * (1 + 1e-9)) sum.largest = one.normal_force, sum.node = touch.node;
  }
  for (auto& sum : contacts_between(system, state, memory)) list.push_back(sum);
  return list;
}

const std::string& name_of(const model::Model& model, const ContactForce& force) {
  return force.obstacle >= 0 ? model.obstacles[base::at(force.obstacle)].name
                             : model.contacts[base::at(force.contact)].name;
}

std::vector<double> contact_at_nodes(const Geometry& geometry, const State& state, const elements::Memory* memory) {
  std::vector<double> values(3 * state.position.size(), 0.0);
  const auto& batch = geometry.touches();
  const auto trial = geometry.trial(state, memory, batch);
  for (int t = 0; t < batch.size(); ++t) {
    const Vec3 force = batch.contact(trial, t).force;
    for (std::size_t k = 0; k < 3; ++k)
      values[3 * base::at(batch.touch(t).node) + k] += force[static_cast<Eigen::Index>(k)];
  }
  if (memory != nullptr && !geometry.surfaces().empty()) {
    const auto between = geometry.surfaces().at_nodes(geometry.surface_trial(state, *memory));
    for (std::size_t i = 0; i < values.size(); ++i) values[i] += between[i];
  }
  return values;
}

std::vector<double> pressure_at_nodes(const Geometry& geometry, const State& state, const elements::Memory* memory) {
  std::vector<double> values(state.position.size(), 0.0);
  const auto& surfaces = geometry.surfaces();
  if (memory == nullptr || surfaces.empty()) return values;
  const auto touches = surfaces.touches(geometry.surface_trial(state, *memory));
  for (std::size_t k = 0; k < touches.size(); ++k)
    if (touches[k].force > 0 && !surfaces.knot(static_cast<int>(k)).on_line) {
      double& own = values[base::at(surfaces.knot(static_cast<int>(k)).node)];
      own = std::max(own, touches[k].force / touches[k].weight);  // a wall may be pushed on both sides
    }
  return values;
}

}  // namespace archway::analysis
